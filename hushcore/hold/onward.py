"""From a frame that is held on to the next one that is not, by what the frame beside it shows.

Every frame is measured against the anchor's picture. Where moving reflections, a lamp, or a turn have changed the look of the
ground so much that it is lost, the frame beside it still looks nearly the same. Such steps add up, so that they are taken only
where nothing else says where the surface is, and as long as the mark itself looks as it did one frame before.
"""

from collections.abc import Iterator

import numpy as np

from hushcore.arrays import F32, F64
from hushcore.errors import HushError
from hushcore.hold.confidence import WORST
from hushcore.hold.likeness import held_still, likeness, rect_of
from hushcore.hold.method import Method, channel_of
from hushcore.hold.record import Hold, HoldFrame, Reader, of_measured
from hushcore.hold.refound import apart, nowhere
from hushcore.hold.still import Ground
from hushcore.hold.tracker import make_tracker

STEPS = 16  # frames, at most, from one that was held
SEES = 0.8  # of the ground as it looks on the frame beside
ALIKE, ALIKE_SHARE = 0.6, 0.85  # correlation of the mark with the frame beside, and of what that is between held frames
PAIRS = 4  # held frames that say how alike the mark is from one to the next
# px, and of the last motion seen: a lost surface is not thought to have gone further at once
JUMP, JUMP_SHARE = 5.0, 2.0
NOTHING_KNOWN = 0.99 * WORST  # px: figures are stored rounded
UNSURE = 6.0  # px of drift: further on from what is itself as doubtful leads nowhere


def onward(hold: Hold, ground: Ground, method: Method, read: Reader, mark: F64) -> Iterator[tuple[int, HoldFrame]]:
    """Frames of which nothing is known, next to held ones, as far as they can be followed from there. ``mark``: its outline
    (n, 2), anchor px."""
    if method.kind in ("point", "two-point"):
        return
    for way in (1, -1):
        frames = sorted({hold.anchor, *hold.frames}, reverse=way < 0)
        for near in frames:
            if (near - hold.anchor) * way >= 0 and _firm(hold, near) and _unknown(hold, near + way, way):
                yield from _Walk(hold, ground, method, read, mark, way).on_from(near)


def _unknown(hold: Hold, number: int, way: int) -> bool:
    """Whether a frame is lost, and no bridge could be laid over it: it has no other side, or that says nothing."""
    row = hold.frames.get(number)
    if row is None or number in hold.keys or not row.lost:
        return False
    beyond = (n for n in hold.frames if (n - number) * way > 0)
    return row.drift_rms >= NOTHING_KNOWN or all(hold.frames[n].lost for n in beyond)


def _firm(hold: Hold, number: int) -> bool:
    if number == hold.anchor or number in hold.keys:
        return True
    row = hold.frames[number]
    return not row.lost and row.drift_rms < UNSURE


class _Walk:
    """Steps one way from a held frame."""

    def __init__(
        self, hold: Hold, ground: Ground, method: Method, read: Reader, mark: F64, way: int
    ) -> None:  # fmt: skip
        self.hold, self.ground, self.method, self.read, self.way = hold, ground, method, read, way
        self.rect, self.mark = rect_of(mark, hold.size), mark
        self.first = read(hold.anchor)

    def on_from(self, near: int) -> Iterator[tuple[int, HoldFrame]]:
        """The frames that can be reached, and those beyond that are said to be where the surface cannot have gone."""
        least, followed = self._least(near), True
        number = near + self.way
        while _unknown(self.hold, number, self.way):
            found = self._step(number, least) if followed and abs(number - near) <= STEPS else None
            followed = found is not None
            found = found or self._stays(number)
            if found is not None:
                self.hold.frames[number] = found
                yield number, found
            number += self.way

    def _stays(self, number: int) -> HoldFrame | None:
        """A lost frame where the surface was a frame before; None where it is not said to have jumped."""
        hold, near = self.hold, number - self.way
        went = self._apart(near, near - self.way) if hold.has(near - self.way) else 0.0
        if self._apart(number, near) <= JUMP + JUMP_SHARE * went:
            return None
        return nowhere(hold.frames[number], hold.params_at(near))

    def _apart(self, one: int, other: int) -> float:
        return apart(self.hold, self.mark, self.hold.params_at(one), self.hold.params_at(other))

    def _least(self, near: int) -> float:
        """How alike the mark must be from one frame to the next: nearly as it is between the held frames before."""
        behind = [near - k * self.way for k in range(PAIRS + 1)]
        pairs = [
            self._alike(one, self.hold.params_at(two), two)
            for one, two in zip(behind[1:], behind, strict=False)
            if self._held(one) and self._held(two)
        ]
        return max(ALIKE, ALIKE_SHARE * float(np.median(pairs))) if pairs else 1.0

    def _held(self, number: int) -> bool:
        return self.hold.has(number) and (number == self.hold.anchor or not self.hold.frames[number].lost)

    def _alike(self, near: int, params: F64, number: int) -> float:
        """Correlation of the mark on a frame, under parameters, with how it is held on another."""
        one = held_still(self._luma(near), self.hold.at(near), self.rect)
        other = held_still(self._luma(number), self.hold.map_of(params), self.rect)
        return float(np.nan_to_num(likeness(one, other)))

    def _luma(self, number: int) -> F32:
        return channel_of(self.read(number), self.method.prep.channel)

    def _step(self, number: int, least: float) -> HoldFrame | None:
        """A frame measured against the one beside it, wherever that no longer looks as the anchor; None where it cannot be."""
        hold, near = self.hold, number - self.way
        tracker = make_tracker(self.first, self.ground, self.method, hold.anchor)
        codes, params = self.read(near), hold.params_at(near)
        behind = near - self.way
        before = hold.params_at(behind) if self._held(behind) else params
        try:
            tracker.renew(codes, near, params)
            tracker.place(codes, near, params, before)
            measured = tracker.step(self.read(number), number)
        except HushError as error:
            if error.kind not in ("lost", "bad-hold"):
                raise
            return None
        if measured.lost or measured.seen < SEES or self._alike(near, measured.params, number) < least:
            return None
        own = 0.0 if near == hold.anchor else hold.frames[near].drift_rms
        rms = min(WORST, float(np.hypot(own, measured.drift_rms)))  # such errors add up
        return of_measured(measured.off_by(rms), "beside")
