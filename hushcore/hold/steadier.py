"""A second pass by itself, where the first one was held up by grain: tried on a few frames, done where it moves the mark.

On clean footage with much texture a second pass changes next to nothing, and so little may as well be for the worse; where
it moves the mark by a fifth of a pixel and more it was nearer the truth on all shots it was tried on (see docs/proving.md).
"""

from collections.abc import Iterator

import numpy as np

from hushcore.arrays import F64
from hushcore.errors import HushError
from hushcore.hold.method import Method
from hushcore.hold.record import Hold, HoldFrame, Reader
from hushcore.hold.second import SecondPass
from hushcore.hold.still import Ground

MOVES = 0.2  # px, mean over the mark, from which a second pass is worth it
TRIED = 9  # frames over the shot


def steadied(hold: Hold, ground: Ground, method: Method, read: Reader, mark: F64) -> Iterator[tuple[int, HoldFrame]]:
    """The frames of a second pass; none where half of the frames are lost, or where it would hardly move the ``mark``
    (n, 2; anchor px).

    Frames that are lost, set by hand, or would fit worse stay as they are (see ``SecondPass.frame``).
    """
    held = [number for number, row in sorted(hold.frames.items()) if not row.lost and number not in hold.keys]
    if method.kind in ("point", "two-point") or len(held) <= len(hold.frames) / 2:
        return
    try:
        again = SecondPass(hold, ground, method, read)
    except HushError:  # too few frames are held
        return
    some = [held[k] for k in np.unique(np.linspace(0, len(held) - 1, TRIED).round().astype(int))]
    tried = {number: again.frame(number) for number in some}
    if np.mean([_moved(hold, number, frame, mark) for number, frame in tried.items()]) < MOVES:
        return
    for number in held:
        yield number, tried[number] if number in tried else again.frame(number)


def _moved(hold: Hold, number: int, frame: HoldFrame, mark: F64) -> float:
    """Px by which a frame puts the mark elsewhere."""
    return float(np.hypot(*(hold.map_of(frame.params).forward(mark) - hold.at(number).forward(mark)).T).mean())
