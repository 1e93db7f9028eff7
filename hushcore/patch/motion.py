"""Motion blur: how the surface moves while the shutter is open, and pictures smeared along it."""

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Rect
from hushcore.geometry import sampling
from hushcore.hold.maps import HoldMap, forward_grid, jacobian_grid
from hushcore.hold.record import Hold
from hushcore.light.region import halved

VECTOR_STEP = 16  # px between the places where motion is worked out
LEAST = 1.0  # px; shorter smears change nothing

Smear = tuple[F32, F32]


def motion(hold: Hold, frame: int, held: HoldMap, rect: Rect) -> F64 | None:
    """Motion over one frame, in still px, on a grid of ``VECTOR_STEP``: (W[t+1] - W[t-1]) / 2; None without neighbours."""
    neighbours = [number for number in (frame - 1, frame + 1) if hold.has(number)]
    if not neighbours:
        return None
    step = VECTOR_STEP
    xs = np.arange(rect.left, rect.right + step, step, dtype=float)
    ys = np.arange(rect.top, rect.bottom + step, step, dtype=float)
    ends = [forward_grid(hold.at(number), xs, ys) for number in neighbours]
    one_sided = len(ends) == 1
    moved = (ends[0] - forward_grid(held, xs, ys)) * (neighbours[0] - frame) if one_sided else (ends[1] - ends[0]) / 2
    return _turned(jacobian_grid(held, xs, ys), moved)


def smear(hold: Hold, frame: int, held: HoldMap, rect: Rect, shutter: float) -> Smear | None:
    """Vectors (h, w) of the blur over ``rect``, full length in still px; None when it is shorter than a pixel."""
    grid = motion(hold, frame, held, rect)
    if grid is None or np.hypot(grid[..., 0], grid[..., 1]).max() * shutter < LEAST:
        return None
    full = cv2.resize(
        np.ascontiguousarray(grid * shutter, np.float32), None, fx=VECTOR_STEP, fy=VECTOR_STEP,
        interpolation=cv2.INTER_LINEAR,
    )[: rect.height, : rect.width]  # fmt: skip
    return np.ascontiguousarray(full[..., 0]), np.ascontiguousarray(full[..., 1])


def _turned(jacobian: F64, vectors: F64) -> F64:
    """Frame vectors (..., 2) as still vectors."""
    a, b, c, d = jacobian[..., 0, 0], jacobian[..., 0, 1], jacobian[..., 1, 0], jacobian[..., 1, 1]
    det = a * d - b * c
    det = np.where(np.abs(det) < 0.1, 0.1, det)
    x, y = vectors[..., 0], vectors[..., 1]
    return np.stack([(d * x - b * y) / det, (a * y - c * x) / det], -1)


def blurred(picture: F32, vectors: Smear | None) -> F32:
    """A picture (h, w, 3) smeared along per-pixel vectors of their full length."""
    if vectors is None:
        return picture
    return sampling.motion_blur_colour(picture, *vectors)


def halved_smear(vectors: Smear | None) -> Smear | None:
    """The same blur for a picture at half size."""
    if vectors is None:
        return None
    across, down = (np.ascontiguousarray(halved(side) / 2) for side in vectors)
    return across, down


def usual(vectors: Smear) -> float:
    """The median length in px of the smears."""
    return float(np.median(np.hypot(*(side[::4, ::4] for side in vectors))))


def longest(vectors: Smear) -> float:
    """The length in px of the longest smear."""
    return float(np.sqrt((vectors[0] ** 2 + vectors[1] ** 2).max()))
