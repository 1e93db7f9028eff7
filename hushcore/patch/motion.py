"""Motion blur: how the surface moves while the shutter is open, and pictures smeared along it.

A plate is a frame of the shot, smeared by its own motion already: what is laid on it is only what another frame has beyond
that, and what it has beyond the other frame is laid on that one where the two are held against each other.
"""

from dataclasses import dataclass

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


@dataclass(frozen=True)
class Blur:
    """What a frame and a plate lack of each other's motion blur: ``plate`` is smeared by the one, ``frame`` by the other (None:
    by nothing) to be alike."""

    plate: Smear | None = None
    frame: Smear | None = None


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
    return _over(motion(hold, frame, held, rect), rect, shutter)


def blur_between(hold: Hold, frame: int, held: HoldMap, own: int | None, rect: Rect, shutter: float) -> Blur:
    """The blur that a frame, held by ``held``, and the plate of frame ``own`` (None: a picture without any) lack of each
    other."""
    there = motion(hold, frame, held, rect)
    here = None if own is None or not hold.has(own) else motion(hold, own, hold.at(own), rect)
    if here is None or there is None:
        return Blur(_over(there, rect, shutter), _over(here, rect, shutter))
    more, less = _beyond(there, here)
    return Blur(_over(more, rect, shutter), _over(less, rect, shutter))


def apart(hold: Hold, frame: int, own: int, rect: Rect) -> float:
    """Px by which a frame and the plate of frame ``own`` are smeared otherwise, with a shutter that never closes: the median over
    ``rect``; 0 where a neighbour of the frame is not held."""
    there = motion(hold, frame, hold.at(frame), rect)
    here = motion(hold, own, hold.at(own), rect)
    if there is None or not (hold.has(frame - 1) and hold.has(frame + 1)):
        return 0.0
    more, less = _beyond(there, np.zeros_like(there) if here is None else here)
    return float(np.median(np.hypot(np.hypot(*np.moveaxis(more, -1, 0)), np.hypot(*np.moveaxis(less, -1, 0)))))


def _beyond(there: F64, here: F64) -> tuple[F64, F64]:
    """What two smears (..., 2) have beyond each other: by the variance that each spreads a point with, t t' - h h', which falls
    apart into one direction in which the first is longer and one, across it, in which the second is."""
    a = there[..., 0] ** 2 - here[..., 0] ** 2
    b = there[..., 0] * there[..., 1] - here[..., 0] * here[..., 1]
    d = there[..., 1] ** 2 - here[..., 1] ** 2
    middle, spread = (a + d) / 2, np.hypot((a - d) / 2, b)
    angle = np.arctan2(2 * b, a - d) / 2
    along = np.stack([np.cos(angle), np.sin(angle)], -1)
    across = np.stack([-along[..., 1], along[..., 0]], -1)
    more = np.sqrt(np.maximum(middle + spread, 0))[..., None] * _pointing(along, there)
    less = np.sqrt(np.maximum(spread - middle, 0))[..., None] * _pointing(across, here)
    return more, less


def _pointing(direction: F64, vectors: F64) -> F64:
    """Directions turned round where they point against vectors: a smear has no sign, but is read between its places."""
    return direction * np.where((direction * vectors).sum(-1) < 0, -1.0, 1.0)[..., None]


def _over(grid: F64 | None, rect: Rect, shutter: float) -> Smear | None:
    """A motion grid as vectors over ``rect``; None where none is a pixel long."""
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


def blurred_where(picture: F32, readable: F32, vectors: Smear | None) -> F32:
    """The same of what is ``readable`` (h, w), 0 or 1, alone; all that is not keeps what it is."""
    if vectors is None:
        return picture
    share = blurred(np.repeat(readable[..., None], 3, 2), vectors)
    made = blurred(picture * readable[..., None], vectors) / np.maximum(share, np.float32(1e-6))
    return np.asarray(np.where((readable > 0)[..., None] & (share > 0), made, picture), np.float32)


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
