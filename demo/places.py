"""The truth of a surface that is seen in depth: where its places are on every frame, and whether they are seen."""

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from demo import raster

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
Points = Callable[[F64, F64, float], F64]  # camera positions of places (one, two) at a time
Buffers = Callable[[float, tuple[float, float]], tuple[F32, F32]]  # depth, and the places themselves first

STEP = 1e-3  # of a place, for derivatives
ROUNDS = 6


def truth(
    points: Points,
    buffers: Buffers,
    frames: Sequence[int],
    anchor: int,
    reach: tuple[float, float],
    too_far: float,
    step: int,
) -> dict[str, NDArray[np.generic]]:
    """Positions (frames, rows, cols, 2) and visibility of the anchor pose's grid, ``step`` px apart, at mid-shutter.

    ``reach``: the largest Newton step in either coordinate; ``too_far``: cm behind the front surface that are hidden.
    """
    depth, buf = buffers(float(anchor), (0.0, 0.0))
    height, width = depth.shape
    ys, xs = np.mgrid[0:height:step, 0:width:step]
    on = depth[ys, xs] < raster.NOTHING
    places = buf[ys, xs, 0].astype(float), buf[ys, xs, 1].astype(float)
    one, two = _exact(points, places, np.stack([xs, ys], -1), on, float(anchor), reach)
    positions = np.zeros((len(frames), *xs.shape, 2), np.float32)
    visible = np.zeros((len(frames), *xs.shape), bool)
    for k, frame in enumerate(frames):
        there = points(one, two, float(frame))
        at = raster.project(there)
        front, _ = buffers(float(frame), (0.0, 0.0))
        x, y = np.round(at[..., 0]).astype(int), np.round(at[..., 1]).astype(int)
        inside = (x >= 0) & (y >= 0) & (x < width) & (y < height)
        near = front[y.clip(0, height - 1), x.clip(0, width - 1)]
        positions[k], visible[k] = at, on & inside & (there[..., 2] < near + too_far)
    return {
        "frames": np.array(frames), "anchor": np.array(anchor), "step": np.array(step),
        "positions": positions, "visible": visible,
    }  # fmt: skip


def _exact(
    points: Points, places: tuple[F64, F64], target: NDArray[np.integer], on: NDArray[np.bool_], time: float,
    reach: tuple[float, float],
) -> tuple[F64, F64]:  # fmt: skip
    """Newton steps onto the anchor's grid points."""
    one, two = places
    for _ in range(ROUNDS):
        at = raster.project(points(one, two, time))
        a = (raster.project(points(one + STEP, two, time)) - at) / STEP
        b = (raster.project(points(one, two + STEP, time)) - at) / STEP
        miss = target - at
        det = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
        det = np.where(np.abs(det) < 1.0, 1.0, det)
        one = one + np.clip((miss[..., 0] * b[..., 1] - miss[..., 1] * b[..., 0]) / det, -reach[0], reach[0]) * on
        two = two + np.clip((miss[..., 1] * a[..., 0] - miss[..., 0] * a[..., 1]) / det, -reach[1], reach[1]) * on
    return one, two
