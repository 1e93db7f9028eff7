"""From outlines with growth and softness to a matte."""

from collections.abc import Iterable
from dataclasses import dataclass, field

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Rect
from hushcore.edge.outline import Outline
from hushcore.errors import HushError

LARGEST_GROWTH, LARGEST_SOFTNESS = 200.0, 200.0


@dataclass(frozen=True)
class Within:
    """How much of a matte is kept: ``share`` (h, w) 0..1 over ``rect``, nothing outside it."""

    rect: Rect
    share: F32

    def over(self, rect: Rect) -> F32:
        """The share over another rectangle."""
        out = np.zeros((rect.height, rect.width), np.float32)
        both = rect.within(self.rect)
        if not both.empty:
            there = self.share[both.moved(-self.rect.left, -self.rect.top).slices]
            out[both.moved(-rect.left, -rect.top).slices] = there
        return out


@dataclass(frozen=True)
class Edge:
    """Outlines in anchor px (or in frame px, for a mark that stands still in the frame), grown by ``growth`` px.

    The matte is full up to ``inside`` px within the grown outline and falls to nothing ``softness`` px outside it; of that
    only what is ``kept`` counts, if anything says so.
    """

    outlines: tuple[Outline, ...]
    growth: float = 6.0
    softness: float = 14.0
    inside: float = 0.0
    kept: Within | None = field(default=None, compare=False)

    @staticmethod
    def of(polygon: F64, growth: float = 6.0, softness: float = 14.0, inside: float = 0.0) -> "Edge":
        """One closed outline (n, 2)."""
        return Edge((Outline.of(polygon),), growth, softness, inside)

    def check(self) -> None:
        """Raises HushError when nothing would be inside or a number is out of range."""
        if not any(not outline.takes for outline in self.outlines):
            raise HushError("The edge has no area; draw it around the mark.", "no-area")
        for outline in self.outlines:
            outline.check()
        soft = (self.softness, self.inside)
        if not abs(self.growth) <= LARGEST_GROWTH or not all(0 <= value <= LARGEST_SOFTNESS for value in soft):
            raise HushError(
                f"Growth goes to {LARGEST_GROWTH:.0f} px and softness from 0 to {LARGEST_SOFTNESS:.0f} px.", "bad-edge"
            )

    @property
    def changes(self) -> bool:
        """Whether it is another one on other frames."""
        return any(len(one.keys) > 1 or one.span is not None or one.only is not None for one in self.outlines)

    def rect(self) -> Rect:
        """Whole pixels that hold the matte on all frames."""
        corners = np.concatenate([outline.bounds() for outline in self.outlines if not outline.takes])
        return Rect.around(corners).grown(int(np.ceil(max(self.growth, 0) + self.softness)) + 1)

    def rect_at(self, frame: int) -> Rect:
        """Whole pixels that hold the matte on one frame; empty when there is none."""
        on = [outline.bounds_at(frame) for outline in self.outlines if outline.on(frame) and not outline.takes]
        if not on:
            return Rect(0, 0, 0, 0)
        return Rect.around(np.concatenate(on)).grown(int(np.ceil(max(self.growth, 0) + self.softness)) + 1)

    def unmasked(self, frames: Iterable[int]) -> list[tuple[int, int]]:
        """Stretches, first and last frame, of those ``frames`` on which nothing is masked."""
        out: list[tuple[int, int]] = []
        for frame in sorted(frames):
            if any(outline.on(frame) for outline in self.outlines if not outline.takes):
                continue
            if out and out[-1][1] == frame - 1:
                out[-1] = (out[-1][0], frame)
            else:
                out.append((frame, frame))
        return out

    def matte(self, rect: Rect, frame: int = 0) -> F32:
        """Coverage 0..1 over ``rect`` on a frame. Raises HushError when there is none on any frame."""
        self.check()
        matte = self._drawn(rect, frame)
        if not matte.any() and not self.changes:
            raise HushError("The edge has no area left; grow it or draw it larger.", "no-area")
        return matte

    def _drawn(self, rect: Rect, frame: int) -> F32:
        matte: F32 = np.zeros((rect.height, rect.width), np.float32)
        for outline in self.outlines:
            if not outline.on(frame):
                continue  # nothing of it here
            distance, own = outline.distance(frame, rect)
            # a shape that is taken away grows and softens the other way round: its fall lies within the rest
            growth = -self.growth if outline.takes else self.growth
            cover = ramp(distance + np.float32(growth), self.softness + own, self.inside)
            matte = np.asarray(matte * (1 - cover) if outline.takes else np.maximum(matte, cover), np.float32)
        return matte if self.kept is None else np.asarray(np.minimum(matte, self.kept.over(rect)), np.float32)


def ramp(distance: F32, outside: float | F32, inside: float = 0.0) -> F32:
    """1 from ``inside`` px within, a smooth fall to 0 at ``outside`` px out; a hard edge is covered by the share of
    the pixel."""
    fall = np.asarray(np.float32(inside) + np.float32(outside))
    soft = np.clip((distance + outside) / np.maximum(fall, 1e-3), 0, 1)
    soft = soft * soft * (3 - 2 * soft)
    return np.asarray(np.where(fall < 1, np.clip(distance + 0.5, 0, 1), soft), np.float32)


def lines(edge: Edge, rect: Rect, frame: int) -> tuple[list[F64], list[F64]]:
    """The line within which the patch is full, and the line where it ends, as closed polygons in px."""
    matte = edge.matte(rect, frame)
    return _contours(matte, 0.995, rect), _contours(matte, 0.005, rect)


def _contours(matte: F32, level: float, rect: Rect) -> list[F64]:
    found, _ = cv2.findContours((matte >= level).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_TC89_L1)
    corner = np.array([rect.left, rect.top], float)
    return [contour[:, 0, :] + corner for contour in found if len(contour) >= 3]
