"""A measured hold as plain data: what is stored, sent and read back, and the map it gives on each frame."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from hushcore.arrays import F32, F64, Codes
from hushcore.errors import HushError
from hushcore.geometry import spline
from hushcore.hold.confidence import CELL
from hushcore.hold.maps import HoldMap, MeshMap, PlanarMap, identity
from hushcore.hold.state import Measured
from hushcore.hold.tracker import Tracker

Reader = Callable[[int], Codes]
# How a frame is held that was not followed from frame to frame, or not only
HOW = {
    "body": "as a stiff body",
    "mark": "found by the mark itself",
    "hidden": "carried over what hid it",
    "beside": "from the frame beside it",
    "second": "by a second pass",
}


@dataclass(frozen=True)
class HoldFrame:
    """One frame: map parameters, drift per cell (px), its RMS, seen share of the ground, whether it was lost.

    ``cells``: how far each cell was used (see ``tracker.Measured``), none in old files; ``trouble``: a key of
    ``trouble.WORDS`` or nothing; ``how``: a key of ``HOW``, or nothing where it was followed from frame to frame.
    """

    params: F64
    drift: F32
    drift_rms: float
    seen: float
    lost: bool
    cells: np.ndarray | None = None
    trouble: str = ""
    how: str = ""


@dataclass
class Hold:
    """A hold: how it was measured, and its frames.

    ``corner``: top left of the drift cells, anchor px; ``keys``: frames whose place was set by hand.
    """

    kind: str
    anchor: int
    size: tuple[int, int]
    grid: spline.Grid | None
    corner: tuple[int, int]
    frames: dict[int, HoldFrame] = field(default_factory=dict)
    keys: dict[int, F64] = field(default_factory=dict)

    @property
    def bends(self) -> bool:
        """Whether the map is a spline."""
        return self.grid is not None

    def has(self, frame: int) -> bool:
        """Whether the surface is known on a frame."""
        return frame == self.anchor or frame in self.frames

    def params_at(self, frame: int) -> F64:
        """The map's parameters on a measured frame or the anchor."""
        if frame == self.anchor:
            return np.zeros((*self.grid.shape, 2)) if self.grid is not None else np.eye(3)
        return self.frames[frame].params

    def at(self, frame: int) -> HoldMap:
        """The map from the still surface to a frame. Raises HushError when it was not measured."""
        if frame == self.anchor:
            return identity(self.grid)
        if frame not in self.frames:
            raise HushError(f"The hold has not been measured on frame {frame}; track to it first.", "not-held")
        return self.map_of(self.frames[frame].params)

    def map_of(self, params: F64) -> HoldMap:
        """The map that parameters describe."""
        return PlanarMap(params) if self.grid is None else MeshMap(self.grid, params)

    def drift_at(self, frame: int, points: F64) -> F64:
        """Drift figure (px) at still points (n, 2): bilinear between cells; 0 on the anchor."""
        if frame == self.anchor:
            return np.zeros(len(points))
        cells = self.frames[frame].drift
        x = np.clip((points[:, 0] - self.corner[0]) / CELL - 0.5, 0, cells.shape[1] - 1)
        y = np.clip((points[:, 1] - self.corner[1]) / CELL - 0.5, 0, cells.shape[0] - 1)
        ix, iy = np.minimum(x.astype(int), cells.shape[1] - 2), np.minimum(y.astype(int), cells.shape[0] - 2)
        fx, fy = x - ix, y - iy
        upper = cells[iy, ix] * (1 - fx) + cells[iy, ix + 1] * fx
        lower = cells[iy + 1, ix] * (1 - fx) + cells[iy + 1, ix + 1] * fx
        return np.asarray(upper * (1 - fy) + lower * fy, float)

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data; see ``docs/files.md``."""
        grid = self.grid
        return {
            "version": 1, "kind": self.kind, "anchor": self.anchor, "size": list(self.size),
            "corner": list(self.corner), "cell": CELL,
            "grid": None if grid is None else {
                "left": grid.left, "top": grid.top, "spacing": grid.spacing, "across": grid.across, "down": grid.down,
            },
            "frames": {str(number): frame_plain(self.frames[number]) for number in sorted(self.frames)},
            "keys": {str(number): params_plain(self.keys[number]) for number in sorted(self.keys)},
        }  # fmt: skip

    @staticmethod
    def of(data: dict[str, Any]) -> "Hold":
        """From ``plain`` data. Raises HushError when it is not a hold."""
        try:
            grid = spline.Grid(**data["grid"]) if data["grid"] else None
            hold = Hold(data["kind"], int(data["anchor"]), tuple(data["size"]), grid, tuple(data["corner"]))
            for number, stored in data["frames"].items():
                hold.frames[int(number)] = frame_of(stored)
            for number, params in data.get("keys", {}).items():
                hold.keys[int(number)] = np.asarray(params, float)
        except (KeyError, TypeError, ValueError) as error:
            raise HushError(f"This is not a hold file ({error}); write it with hush track.", "bad-hold") from error
        return hold


CELL_CODES = "0123456789o."  # a cell's code as a character: used 0..9, off the frame, not read


def params_plain(params: F64) -> list[Any]:
    """Parameters as JSON-ready lists, with the digits that matter (1e-6 px)."""
    return np.round(params, 9 if params.shape == (3, 3) else 6).tolist()  # type: ignore[no-any-return]


def frame_plain(frame: HoldFrame) -> dict[str, Any]:
    """A frame as JSON-ready data."""
    return {
        "params": params_plain(frame.params),
        "drift": np.round(frame.drift, 3).tolist(),
        "drift_rms": round(frame.drift_rms, 4), "seen": round(frame.seen, 4), "lost": frame.lost,
        "cells": None if frame.cells is None else ["".join(CELL_CODES[c] for c in row) for row in frame.cells],
        "trouble": frame.trouble, "how": frame.how,
    }  # fmt: skip


def frame_of(stored: dict[str, Any]) -> HoldFrame:
    """The reverse of ``frame_plain``."""
    rows = stored.get("cells")
    cells = None if rows is None else np.array([[CELL_CODES.index(c) for c in row] for row in rows], np.uint8)
    return HoldFrame(
        np.asarray(stored["params"], float), np.asarray(stored["drift"], np.float32),
        float(stored["drift_rms"]), float(stored["seen"]), bool(stored["lost"]), cells, stored.get("trouble", ""),
        stored.get("how", ""),
    )  # fmt: skip


def of_measured(measured: Measured, how: str = "") -> HoldFrame:
    """A tracker's result as a frame of a hold, rounded as it is stored so that both compute the same. ``how``: of ``HOW``."""
    return frame_of(frame_plain(HoldFrame(
        measured.params, measured.drift, measured.drift_rms, measured.seen, measured.lost, measured.cells,
        measured.trouble, how,
    )))  # fmt: skip


def start(tracker: Tracker, anchor: int) -> Hold:
    """An empty hold for what a tracker will measure."""
    rect = tracker.still.rect
    return Hold(tracker.kind, anchor, tracker.size, tracker.grid, (rect.left, rect.top))


def ways(first: int, last: int, anchor: int) -> tuple[list[int], list[int]]:
    """The frames after the anchor, ascending, and those before it, descending."""
    return list(range(anchor + 1, last + 1)), list(range(anchor - 1, first - 1, -1))


def follow(tracker: Tracker, read: Reader, frames: Iterable[int]) -> Iterator[tuple[int, HoldFrame]]:
    """Measure frames in order, one by one; a cut ends it, a few frames after."""
    for number in frames:
        measured = of_measured(tracker.step(read(number), number))
        yield number, measured
        if tracker.over:
            return
