"""Places found after a loss that are further off than the mark could have gone: not believed unless it looks like itself there.

What stands out in a ground may be a reflection, which is found again, clearly, wherever it has moved to.
"""

from dataclasses import dataclass, replace

import numpy as np

from hushcore.arrays import F64
from hushcore.hold.confidence import WORST
from hushcore.hold.record import Hold, HoldFrame
from hushcore.hold.state import OFF_FRAME

ALIKE = 0.85  # of how like itself the mark is at best, from which a place far off is believed
# px, and of its fastest motion on each frame, that a mark may have gone while it was hidden
SLACK, SLACK_SHARE = 4.0, 1.5


@dataclass(frozen=True)
class Pace:
    """How fast a mark was seen to go: ``fastest``, px a frame."""

    hold: Hold
    mark: F64
    fastest: float

    @staticmethod
    def of(hold: Hold, mark: F64, alike: dict[int, float], usual: float) -> "Pace":
        """``mark``: its outline (n, 2), still px; ``alike``: how like itself it is on each frame, ``usual``: at best."""
        clear = {n for n, row in hold.frames.items() if not row.lost and alike.get(n, 0.0) >= ALIKE * usual}
        clear.add(hold.anchor)
        pairs = [(n, n + 1) for n in sorted(clear) if n + 1 in clear]
        went = [apart(hold, mark, hold.params_at(one), hold.params_at(two)) for one, two in pairs]
        return Pace(hold, mark, max(went, default=0.0))

    def having_gone(self, params: F64, near: int, frames: int) -> "Pace":
        """The same, once the mark was seen so far from where it is held on ``near``, so many frames on."""
        went = apart(self.hold, self.mark, params, self.hold.params_at(near)) / frames
        return replace(self, fastest=max(self.fastest, went))

    def too_far(self, params: F64, near: int, frames: int) -> bool:
        """Whether a place is further from the hold on ``near`` than the mark could have gone in so many frames."""
        reach = SLACK + SLACK_SHARE * self.fastest * frames
        return apart(self.hold, self.mark, params, self.hold.params_at(near)) > reach


def apart(hold: Hold, mark: F64, params: F64, others: F64) -> float:
    """Px by which two maps put the mark apart."""
    one, other = (hold.map_of(each).forward(mark) for each in (params, others))
    return float(np.hypot(*(one - other).T).mean())


def unbelieved(hold: Hold, pace: Pace, alike: dict[int, float], usual: float) -> set[int]:
    """Held frames after a loss, walking away from the anchor, that lie too far off, and those that go on from there, while
    the mark does not look like itself. Keys are believed."""
    out: set[int] = set()
    for way in (1, -1):
        frames = sorted((n for n in hold.frames if (n - hold.anchor) * way > 0), reverse=way < 0)
        near = hold.anchor
        for n in frames:
            if hold.frames[n].lost:
                continue
            goes_on, gap = n - way in out, abs(n - near)
            far = goes_on or (gap > 1 and pace.too_far(hold.params_at(n), near, gap))
            if far and n not in hold.keys and alike[n] < ALIKE * usual:
                out.add(n)
            else:
                near = n
    return out


def nowhere(row: HoldFrame, params: F64) -> HoldFrame:
    """A frame on which nothing says where the surface is: thought to be at ``params``."""
    cells = None if row.cells is None else np.where(row.cells < OFF_FRAME, 0, row.cells)
    drift = np.full_like(row.drift, WORST)
    return replace(row, params=params, drift=drift, drift_rms=WORST, seen=0.0, lost=True, cells=cells)
