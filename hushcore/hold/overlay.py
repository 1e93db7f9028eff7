"""Whether what lies in a loop stands still in the frame while its surroundings move: an overlay in a finished film."""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Mask, Rect
from hushcore.geometry.paths import signed_distance
from hushcore.hold.picture import luma

APART = (4, 9, 15)  # frames
RING = 8.0, 40.0  # px round the loop
HIGH = 4.0  # px: wider differences are light
# correlation at the same place of the frame: of the loop at least, of its surroundings at most. A see-through mark over a busy
# wall stays .5 like itself; what rides a surface at most .35 (103 random shots)
STAYS, MOVES = 0.45, 0.5
BEYOND = 0.25  # by which the loop must be more alike than its surroundings
FEWEST = 3  # frames
CONTRAST = 0.006  # encoded: a loop without any says nothing


def stands_still(read: Callable[[int], Codes], outline: F64, frame: int, first: int, last: int) -> bool:
    """``outline`` (n, 2): a loop in frame px; compared between ``frame`` and others of first..last."""
    others = [frame + sign * k for k in APART for sign in (1, -1) if first <= frame + sign * k <= last]
    if len(others) < FEWEST:
        return False
    codes = read(frame)
    rect = Rect.around(outline).grown(int(RING[1]) + 4).clipped(codes.shape[1], codes.shape[0])
    outside = -signed_distance(outline, rect)
    inside, ring = outside < 0, (outside > RING[0]) & (outside < RING[1])
    own = _detail(codes, rect)
    if inside.sum() < 64 or ring.sum() < 64 or min(own[inside].std(), own[ring].std()) < CONTRAST:
        return False
    found = [_alike(own, _detail(read(number), rect), (inside, ring)) for number in others]
    stays, moves = (float(np.median([pair[k] for pair in found])) for k in range(2))
    return stays > STAYS and moves < MOVES and stays > moves + BEYOND


def _detail(codes: Codes, rect: Rect) -> F32:
    part = luma(codes[rect.slices])
    return np.asarray(part - cv2.GaussianBlur(part, (0, 0), HIGH), np.float32)


def _alike(one: F32, other: F32, places: Sequence[Mask]) -> tuple[float, ...]:
    return tuple(float(np.corrcoef(one[where], other[where])[0, 1]) for where in places)
