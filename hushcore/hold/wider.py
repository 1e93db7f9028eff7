"""Whether a hold is poor, and whether the same surface measured otherwise beats it: in another channel, or on a wider ground.

A mark in a colour as bright as its ground is hardly there in luma, and stands out in a channel: it is then what can be held on
to. So does dark ink in red, on red paint full of white reflections.

A loop's own ground is small, so that it stays on one piece of surface; where there is too little on it to hold on to, what lies
round about often has more (tracking an area larger than the mark is common practice). It may also lie on something else and
move as that does, and be very sure of it: so the mark itself is the judge, which must look under the better hold as it does on
the anchor frame.
"""

from collections.abc import Callable

import cv2
import numpy as np

from hushcore.arrays import F64, Codes
from hushcore.hold.likeness import detail, likenesses, rect_of
from hushcore.hold.method import CHANNELS, channel_of
from hushcore.hold.picture import fill
from hushcore.hold.record import Hold

MOST = 10.0  # px of drift that count: beyond it all is lost alike
POOR = 3.0  # px: the mean drift from which a hold is looked at again
BETTER_BY = 0.1  # of mean correlation
CLEARER = 1.4  # times as much as in luma must the mark stand out in another channel
ROUND_ABOUT, RIM = 26, 4  # px round the mark that it stands out from, and its own soft edge
FLAT = 1e-4  # encoded: what varies less is even
FRAMES = 12  # over the shot, on which the mark is looked at


def unsure(hold: Hold) -> float:
    """Mean drift (px) over the frames, at most ``MOST`` on each; ``MOST`` where it was lost."""
    drifts = [MOST if row.lost else min(row.drift_rms, MOST) for row in hold.frames.values()]
    return sum(drifts) / len(drifts) if drifts else 0.0


def poor(hold: Hold) -> bool:
    """Whether the hold is unsure enough for another ground to be tried."""
    return unsure(hold) > POOR


def clearest(codes: Codes, mark: F64, size: tuple[int, int], chosen: str = "luma") -> str:
    """The channel of the anchor frame's ``codes`` in which the mark (outline (n, 2), px) stands out: luma, unless in another it
    does so far more, or an artist has ``chosen`` one. ``size``: width and height of the frame."""
    rect = rect_of(mark, size)
    if chosen != "luma" or codes.ndim < 3 or min(rect.width, rect.height) < 2:
        return chosen
    rect = rect.grown(ROUND_ABOUT).clipped(*size)
    inside = np.zeros((rect.height, rect.width), np.uint8)
    fill(inside, [mark], rect, 1)
    beside = cv2.dilate(inside, np.ones((2 * RIM + 1,) * 2)) == 0
    stands_out = {}
    for channel in CHANNELS:
        seen = detail(channel_of(codes[rect.slices], channel))
        stands_out[channel] = float(seen[inside > 0].std()) / max(
            float(seen[beside].std()) if beside.any() else 0.0, FLAT
        )
    best = max(stands_out, key=stands_out.__getitem__)
    return best if stands_out[best] > CLEARER * stands_out["luma"] else "luma"


def better(read: Callable[[int], Codes], hold: Hold, rival: Hold, mark: F64, channel: str = "luma") -> bool:
    """Whether the mark looks clearly more like itself under the rival, in the ``channel`` that shows it; a frame that it is said
    to have left counts as unlike."""
    numbers = sorted(set(hold.frames) & set(rival.frames))
    if not numbers:
        return False
    some = [numbers[k] for k in np.unique(np.linspace(0, len(numbers) - 1, FRAMES).round().astype(int))]
    own, other = np.nan_to_num(likenesses(read, (hold, rival), mark, hold.anchor, some, channel)).mean(1)
    return bool(other >= own + BETTER_BY)
