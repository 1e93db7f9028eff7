"""Measuring a stretch again so that it passes through keys: from both its ends, meeting in the middle."""

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from hushcore.arrays import F64, Codes
from hushcore.geometry import homography
from hushcore.hold.method import Method
from hushcore.hold.record import Hold, HoldFrame, Reader, of_measured
from hushcore.hold.state import Measured
from hushcore.hold.still import Ground
from hushcore.hold.tracker import Tracker, make_tracker

LOST_COUNTS = 0.05  # weight of a side that has lost the surface, against one that sees it
STILL_THERE = 0.05  # px: a key closer than this to what is measured needs no offset


def stretch_of(hold: Hold, frame: int, first: int, last: int) -> tuple[int | None, int | None]:
    """The keys (the anchor counts as one) before and after a frame within first..last; None at an open end."""
    fixed = sorted({hold.anchor, *hold.keys})
    before = [key for key in fixed if key < frame and key >= first]
    after = [key for key in fixed if key > frame and key <= last]
    return (before[-1] if before else None), (after[0] if after else None)


def corners_of(hold: Hold, ground: Ground) -> F64:
    """Four still points by which a plane's places are compared and mixed."""
    return ground.rect(*hold.size).corners


class Redo:
    """One stretch of a hold, measured again.

    ``before``, ``after``: its fixed frames (keys or the anchor), None where it is open to ``first`` or ``last``;
    ``passed`` is called for every frame that the first side has measured.
    """

    def __init__(
        self, hold: Hold, ground: Ground, method: Method, read: Reader, before: int | None, after: int | None,
        first: int, last: int, passed: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self.passed = passed
        self.hold, self.ground, self.read, self.method = hold, ground, read, method
        self.before, self.after = before, after
        self.first = first if before is None else before + 1
        self.last = last if after is None else after - 1
        self.corners = corners_of(hold, ground)
        self._anchor_codes = read(hold.anchor)

    def run(self) -> Iterator[tuple[int, HoldFrame]]:
        """The stretch's frames with their new measures; nothing is kept of it before the second side has been."""
        ahead: dict[int, tuple[F64, bool]] = {}
        if self.before is not None and self.after is not None:
            for number, params, measured, _, _ in self._side(self.before, 1):
                ahead[number] = (params, measured.lost)
                self.passed()
        key, way = (self.after, -1) if self.after is not None else (self.before, 1)
        assert key is not None
        for number, params, measured, tracker, codes in self._side(key, way):
            if number not in ahead and params is measured.params:
                yield number, of_measured(measured)
                continue
            final = self._mixed(number, ahead[number], (params, measured.lost)) if number in ahead else params
            seen_by_none = measured.lost and (number not in ahead or ahead[number][1])
            judged = tracker.judge(codes, number, final)
            yield number, of_measured(replace(judged, lost=judged.lost or seen_by_none))

    def _side(self, key: int, way: int) -> Iterator[tuple[int, F64, Measured, Tracker, Codes]]:
        """Measures from one fixed frame onwards, brought onto it."""
        tracker = make_tracker(self._anchor_codes, self.ground, self.method, self.hold.anchor)
        shift = None
        if key != self.hold.anchor:
            shift = self._begin(tracker, key, way)
        for number in range(key + way, (self.last if way > 0 else self.first) + way, way):
            codes = self.read(number)
            measured = tracker.step(codes, number)
            yield number, self._moved(measured.params, shift), measured, tracker, codes
            if tracker.over:
                return

    def _begin(self, tracker: Tracker, key: int, way: int) -> F64 | None:
        """Place the tracker on a key; what the key adds to what is measured there, or None when that is nothing."""
        wanted = self.hold.keys[key]
        codes = self.read(key)
        velocity = self._velocity(key, way)
        tracker.place(codes, key, wanted)
        found = tracker.step(codes, key)
        if found.lost:
            tracker.place(codes, key, wanted, velocity)
            return None
        tracker.state.previous = found.params if velocity is None else self._like(found.params, wanted, velocity)
        shift = self._places(wanted) - self._places(found.params)
        return shift if np.abs(shift).max() > STILL_THERE else None

    def _velocity(self, key: int, way: int) -> F64 | None:
        """The key's place one frame earlier, from how the hold moved there before it was corrected."""
        behind = key - way
        if not (self.hold.has(behind) and self.hold.has(key)):
            return None
        return self._like(self.hold.keys[key], self.hold.params_at(key), self.hold.params_at(behind))

    def _like(self, params: F64, now: F64, before: F64) -> F64:
        """Where ``params`` would have been a frame earlier, moving as from ``before`` to ``now``."""
        return self._from_places(self._places(params) - self._places(now) + self._places(before))

    def _places(self, params: F64) -> F64:
        return params if self.hold.bends else homography.apply(params, self.corners)

    def _from_places(self, places: F64) -> F64:
        return places if self.hold.bends else homography.fit(self.corners, places)

    def _moved(self, params: F64, shift: F64 | None) -> F64:
        return params if shift is None else self._from_places(self._places(params) + shift)

    def _mixed(self, number: int, ahead: tuple[F64, bool], back: tuple[F64, bool]) -> F64:
        """Both sides' answers: each rules near its own end, and one that is lost hardly counts."""
        assert self.before is not None
        assert self.after is not None
        part = (number - self.before) / (self.after - self.before)
        share = part * part * (3 - 2 * part)
        to_ahead = (1 - share) * (LOST_COUNTS if ahead[1] and not back[1] else 1)
        to_back = share * (LOST_COUNTS if back[1] and not ahead[1] else 1)
        both = to_ahead * self._places(ahead[0]) + to_back * self._places(back[0])
        return self._from_places(both / (to_ahead + to_back))
