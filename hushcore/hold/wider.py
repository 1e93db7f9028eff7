"""Whether a hold is poor, and whether the same surface measured on a wider ground beats it.

A loop's own ground is small, so that it stays on one piece of surface; where there is too little on it to hold on to, what lies
round about often has more (tracking an area larger than the mark is common practice). It may also lie on something else and
move as that does, and be very sure of it: so the mark itself is the judge, which must look under the better hold as it does on
the anchor frame.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Rect
from hushcore.hold.maps import dense_forward
from hushcore.hold.method import channel_of
from hushcore.hold.record import Hold
from hushcore.hold.still import Ground

MOST = 10.0  # px of drift that count: beyond it all is lost alike
POOR = 3.0  # px: the mean drift from which a hold is looked at again
BETTER_BY = 0.1  # of mean correlation
FRAMES = 12  # over the shot, on which the mark is looked at
AROUND = 6  # px round it
FINE, COARSE = 1.2, 6.0  # px: the detail that is compared


@dataclass(frozen=True)
class Wider:
    """A ground to try, and the ``mark`` (n, 2; px of the anchor frame) that judges."""

    ground: Ground
    mark: F64


def unsure(hold: Hold) -> float:
    """Mean drift (px) over the frames, at most ``MOST`` on each; ``MOST`` where it was lost."""
    drifts = [MOST if row.lost else min(row.drift_rms, MOST) for row in hold.frames.values()]
    return sum(drifts) / len(drifts) if drifts else 0.0


def poor(hold: Hold) -> bool:
    """Whether the hold is unsure enough for another ground to be tried."""
    return unsure(hold) > POOR


def better(read: Callable[[int], Codes], hold: Hold, rival: Hold, mark: F64) -> bool:
    """Whether the mark looks clearly more like itself under the rival."""
    numbers = sorted(set(hold.frames) & set(rival.frames))
    some = (
        [numbers[k] for k in np.unique(np.linspace(0, len(numbers) - 1, FRAMES).round().astype(int))] if numbers else []
    )
    own, other = (alike(read, one, mark, some) for one in (hold, rival))
    return other >= own + BETTER_BY


def alike(read: Callable[[int], Codes], hold: Hold, mark: F64, frames: list[int]) -> float:
    """Mean correlation of the mark's detail on ``frames``, brought to the anchor's pose, with its own there; a frame that the
    mark is said to have left counts as 0."""
    rect = Rect.around(mark).grown(AROUND).clipped(*hold.size)
    there = _detail(read(hold.anchor), hold, hold.anchor, rect)
    if not frames or there is None:
        return 0.0
    found = [_detail(read(number), hold, number, rect) for number in frames]
    return float(np.mean([0.0 if one is None else _correlation(there, one) for one in found]))


def _correlation(one: F32, other: F32) -> float:
    spread = float(one.std() * other.std())
    return float(((one - one.mean()) * (other - other.mean())).mean()) / spread if spread > 0 else 0.0


def _detail(codes: Codes, hold: Hold, frame: int, rect: Rect) -> F32 | None:
    """Detail of a frame in the anchor's pose over ``rect``; None where that is not all on the frame."""
    x, y = dense_forward(hold.at(frame), rect)
    if not (np.isfinite(x).all() and np.isfinite(y).all()):
        return None
    if min(x.min(), y.min()) < 0 or x.max() > codes.shape[1] - 1 or y.max() > codes.shape[0] - 1:
        return None
    still = cv2.remap(channel_of(codes), x, y, cv2.INTER_CUBIC)
    return np.asarray(cv2.GaussianBlur(still, (0, 0), FINE) - cv2.GaussianBlur(still, (0, 0), COARSE))
