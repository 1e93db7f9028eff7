"""The second pass: when a range is done, a cleaner template from many of its frames, and every frame measured against it.

The anchor frame's own grain puts one error on all frames. The mean of many frames, each brought to the anchor's pose
by the first pass, has next to none. Where frames are grainy or the surface has little texture the hold gains a
quarter; on clean, textured footage it stays as it was (see docs/measuring.md).
"""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from hushcore.arrays import F32, F64
from hushcore.errors import HushError
from hushcore.hold.method import Method, channel_of
from hushcore.hold.picture import Level, View
from hushcore.hold.record import Hold, HoldFrame, Reader, of_measured
from hushcore.hold.state import OFF_FRAME, Measured
from hushcore.hold.still import Ground, Still
from hushcore.hold.tracker import NEXT_TO_ANCHOR, Tracker, make_tracker

TEMPLATES = 24  # frames that share in the template
FEWEST = 5
RELAXED = 0.3  # of the stiffness: a clean template and a near place can do with less (apron .276 px to .265)
OUTLIER = 3.0  # of normalised contrast: highlights and specks count no more than this
WORSE = 0.01  # of correlation: a frame that fits worse than before keeps its first measure


def choose(hold: Hold) -> list[int]:
    """Up to ``TEMPLATES`` frames for the template: evenly through the range, the best of each part."""
    sound = [number for number, frame in sorted(hold.frames.items()) if not frame.lost and hold.has(number)]
    parts = np.array_split(np.array(sound, int), min(TEMPLATES, len(sound))) if sound else []
    return [int(min(part, key=lambda number: hold.frames[int(number)].drift_rms)) for part in parts if len(part)]


class SecondPass:
    """Measures a hold's frames once more. Raises HushError when too few frames are held."""

    def __init__(self, hold: Hold, ground: Ground, method: Method, read: Reader) -> None:
        self.hold, self.read = hold, read
        self.chosen = choose(hold)
        if len(self.chosen) < FEWEST:
            raise HushError(
                f"A second pass needs at least {FEWEST} frames that are held; track more first.", "not-held"
            )
        codes = read(hold.anchor)
        soft = method.stiffness
        soft = replace(soft, bend=RELAXED * soft.bend, change=RELAXED * soft.change)
        self.tracker: Tracker = make_tracker(codes, ground, replace(method, stiffness=soft), hold.anchor)
        # drift is calibrated against the anchor frame's own picture: it goes on judging
        self.judge: Tracker = make_tracker(codes, ground, method, hold.anchor)
        self._channel = method.prep.channel
        self._clean_template()
        self._baseline()

    def _view(self, number: int) -> tuple[View, F64]:
        params = self.hold.params_at(number)
        return self.tracker.look(channel_of(self.read(number), self._channel), number, params), params

    def _clean_template(self) -> None:
        """The mean of the chosen frames in the anchor's pose, level by level, the anchor among them."""
        old = self.tracker.still
        totals = [np.clip(level.picture, -OUTLIER, OUTLIER) * level.readable for level in old.view.levels]
        counts = [level.readable.copy() for level in old.view.levels]
        for number in self.chosen:
            view, params = self._view(number)
            for level, (total, count) in enumerate(zip(totals, counts, strict=True)):
                warped, readable = self.tracker.solver.unwarp(view, params, level)
                total += np.clip(warped, -OUTLIER, OUTLIER) * readable
                count += readable
        levels = tuple(
            Level(np.ascontiguousarray(total / np.maximum(count, 1), np.float32), level.readable)
            for total, count, level in zip(totals, counts, old.view.levels, strict=True)
        )
        clean = Still(View(old.view.rect, levels), old.weights, old.ground)
        self.tracker.still = self.tracker.solver.still = clean

    def _baseline(self) -> None:
        """How well frames fit the anchor: the chosen ones for what is seen, those next to it for the drift's zero."""
        found, near = [], []
        for number in self.chosen:
            view, params = self._view(number)
            found.append(self.judge.judged(view, params)[1].value)
        around = [number for number in self.hold.frames if abs(number - self.hold.anchor) <= NEXT_TO_ANCHOR]
        for number in around:
            view, params = self._view(number)
            near.append(self.judge.judged(view, params)[1].value)
        mean = np.mean(found, 0).astype(np.float32)
        first = np.mean(near, 0).astype(np.float32) if near else mean
        self.judge.state = replace(self.judge.state, steps=NEXT_TO_ANCHOR, baseline=mean, first_mean=first)

    def frame(self, number: int) -> HoldFrame:
        """One frame's new measure; a lost one, a key, or one that would fit worse stays as it was."""
        old = self.hold.frames[number]
        if old.lost or number in self.hold.keys:
            return old
        view, params = self._view(number)
        behind = number - 1 if number > self.hold.anchor else number + 1
        previous = self.hold.params_at(behind) if self.hold.has(behind) else params
        try:
            made = self.tracker.solver.polish(
                view, params, previous, self.tracker.spread(_used(old, self.tracker))
            ).coefficients
        except HushError as error:
            if error.kind != "lost":
                raise
            return old
        before, after = (self.tracker.agreement(view, place) for place in (params, made))
        if after < before - WORSE:
            return old
        return of_measured(
            replace(self.judged(number, view, made), lost=False, trouble=old.trouble), old.how or "second"
        )

    def judged(self, number: int, view: View, params: F64) -> Measured:
        """A frame that is held by ``params``, as the anchor frame's own picture judges what is seen of it."""
        self.judge.state = replace(self.judge.state, steps=max(NEXT_TO_ANCHOR, abs(number - self.hold.anchor)))
        return self.judge.judged(view, params)[0]

    def run(self) -> Iterator[tuple[int, HoldFrame]]:
        """All frames in order."""
        for number in sorted(self.hold.frames):
            yield number, self.frame(number)


def _used(frame: HoldFrame, tracker: Tracker) -> F32:
    """Weights per cell as the first pass had them."""
    if frame.cells is None:
        return np.ones_like(tracker.state.seen)
    return np.where(frame.cells < OFF_FRAME, frame.cells / 9.0, 1.0).astype(np.float32)
