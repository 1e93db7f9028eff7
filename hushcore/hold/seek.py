"""Finding a mark again where its hold was lost or is unsure: the mark is looked for by its own detail, and the ground measured
from there.

A ground follows what has most contrast on it: a shadow's edge, a reflection, what passes. The mark itself is the one thing on it
that is known to be the surface's and to stand out.
"""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace

import numpy as np

from hushcore.arrays import F32, F64
from hushcore.errors import HushError
from hushcore.hold.bridge import AGREE, BEND_SHARE, between, runs
from hushcore.hold.likeness import held_still, likeness, likenesses, rect_of
from hushcore.hold.mark import Picture, picture_of, place_of
from hushcore.hold.method import Method, channel_of
from hushcore.hold.record import Hold, HoldFrame, Reader, of_measured
from hushcore.hold.redo import corners_of
from hushcore.hold.refound import ALIKE, Pace, apart, nowhere, unbelieved
from hushcore.hold.search import grown, moved
from hushcore.hold.still import Ground
from hushcore.hold.tracker import MOST_STRETCH, NEXT_TO_ANCHOR, Tracker, make_tracker

WEAK = 5.0  # px of drift from which a hold is looked at once more
TELLS = 0.6  # correlation of the mark on the frame that shows it best: with less its detail says nothing
UNLIKE = 0.5  # of that: with less the mark is not where the hold says
FOUND = 0.65  # of it, and by how much more like itself than where it was held, for a place to be the mark's
BETTER_BY = 0.1
FADED, FADES = 0.5, 0.9  # of it, and of the frame beside it, where the mark turns away or is lit otherwise
DOUBTFUL, DOUBT = 2.5, 0.9  # px of drift from which less unlikeness is enough
DIP, BESIDE = 0.85, 4  # of the median of so many frames on both sides: the hold slipped for a moment
TEMPLATES = 8  # frames that share in the mark's picture
ROUNDS = (4, 24)  # px round the mark that are compared: a long or faint one is alone only with what lies beside it
REACH, REACH_EACH, REACH_MOST = 24.0, 16.0, 320.0  # px round the prediction: at least, for each frame gone, and at most
SEEN_SHARE = 0.25  # of its motion, by which a mark that is seen may lie beside a smooth way
SHORT = 5  # frames over which a way is smooth, whatever the surface does
GAP = 40  # frames for which a way is kept up
GROWTH_OVER = 6  # frames that tell how it grows
GROWTH_STEP, GROWTH_MOST = 0.06, 0.7  # logs of its size: between those that are tried, and at most
SIZE_COSTS = 0.1  # of correlation, for its old size: a long mark looks much the same at any


def sought(hold: Hold, ground: Ground, method: Method, read: Reader, mark: F64) -> Iterator[tuple[int, HoldFrame]]:
    """Frames on which the mark was not where the hold said and is found again, measured from there. ``mark``: its outline
    (n, 2) on the anchor frame. Nothing where the mark's own detail does not tell it from other places."""
    weak = [n for n, row in hold.frames.items() if (row.lost or row.drift_rms > WEAK) and n not in hold.keys]
    if not weak or method.kind in ("point", "two-point"):
        return
    alike, usual = seen_again(hold, read, mark, None, method.prep.channel)  # nothing of the rest may be held
    if usual <= 0:
        return
    numbers = sorted(hold.frames)
    firm = [n for n in numbers if n not in weak]
    pace = Pace.of(hold, mark, alike, usual)
    wrong = unbelieved(hold, pace, alike, usual)
    gone = [
        n for n in numbers
        if n in wrong or (n not in hold.keys and alike[n] < _least(hold.frames[n], usual, _around(alike, n)))
    ]  # fmt: skip
    if not gone:
        return
    held = [n for n in firm if n not in gone]
    clear = [hold.anchor, *sorted(held, key=lambda n: -alike[n])[:TEMPLATES]]
    pictures = [picture_of(hold, read, mark, clear, around, method.prep.channel) for around in ROUNDS]
    yield from _Seeker(hold, ground, method, read, mark, pictures, usual, alike, pace).run(gone, wrong)


def seen_again(
    hold: Hold, read: Reader, mark: F64, numbers: Sequence[int] | None = None, channel: str = "luma"
) -> tuple[dict[int, float], float]:  # fmt: skip
    """How like itself the mark is (correlation) on frames (None: all that are measured), and on the one that shows it best; 0
    for the latter where its own detail tells nothing. ``mark``: its outline (n, 2), anchor px; looked at in a ``channel``."""
    numbers = sorted(hold.frames) if numbers is None else numbers
    found = likenesses(read, (hold,), mark, hold.anchor, numbers, channel)[0]
    alike = dict(zip(numbers, np.nan_to_num(found), strict=True))
    usual = max(alike.values(), default=0.0)
    return alike, usual if usual >= TELLS else 0.0


def _around(alike: dict[int, float], number: int) -> float:
    """How like itself the mark usually is about a frame."""
    return float(np.median([alike[n] for n in range(number - BESIDE, number + BESIDE + 1) if n in alike]))


def _least(row: HoldFrame, usual: float, around: float) -> float:
    """How like itself the mark must be for a frame's hold to be left alone."""
    doubtful = row.lost or row.drift_rms > DOUBTFUL
    return max((DOUBT if doubtful else UNLIKE) * usual, (DOUBT if doubtful else DIP) * around)


class _Seeker:
    """Walks from frames that are held through those that are not."""

    def __init__(
        self, hold: Hold, ground: Ground, method: Method, read: Reader, mark: F64, pictures: Sequence[Picture], usual: float,
        alike: dict[int, float], pace: Pace,
    ) -> None:  # fmt: skip
        self.hold, self.read, self.mark, self.pictures, self.usual = hold, read, mark, pictures, usual
        self.alike, self.pace = {hold.anchor: 1.0, **alike}, pace
        codes = read(hold.anchor)
        self.tracker: Tracker = make_tracker(codes, ground, method, hold.anchor)
        self.rect = rect_of(mark, hold.size)
        self.own = held_still(channel_of(codes, method.prep.channel), hold.at(hold.anchor), self.rect)
        self.channel = method.prep.channel
        self.corners = corners_of(hold, ground)

    def run(self, gone: Sequence[int], wrong: Collection[int] = ()) -> Iterator[tuple[int, HoldFrame]]:
        """First away from the first frame, then towards it for what is still missing. ``wrong``: frames that are lost where
        they are not found."""
        left = set(gone)
        for way, frames in ((1, sorted(gone)), (-1, sorted(gone, reverse=True))):
            for number in frames:
                near = self._near(number, -way, left) if number in left else None
                if near is None:
                    continue
                found = self._found(number, near, left)
                if found is not None:
                    left.discard(number)
                    self.hold.frames[number] = found
                    yield number, found
        yield from self._unbelieved(left & set(wrong))
        yield from self._unseen(left - set(wrong))

    def _unbelieved(self, wrong: set[int]) -> Iterator[tuple[int, HoldFrame]]:
        """Frames that are lost: the surface is thought to be where it was on the frame before, as seen from the anchor."""
        for number in sorted(wrong, key=lambda n: abs(n - self.hold.anchor)):
            row = self.hold.frames[number]
            params = self.hold.params_at(number - 1 if number > self.hold.anchor else number + 1)
            found = nowhere(row, params)
            self.hold.frames[number] = found
            yield number, found

    def _unseen(self, left: set[int]) -> Iterator[tuple[int, HoldFrame]]:
        """Frames on which the mark is nowhere to be found and which are said to be elsewhere than the way past them: they are
        lost, and are bridged as such."""
        for first, last in runs(sorted(left)):
            whole = self.hold.has(first - 1) and self.hold.has(last + 1)
            way = between(self.hold, first, last, self.corners) if whole else {}
            speed = self._speed(first - 1, last + 1, left) if whole else 0.0
            for number in range(first, last + 1):
                row = self.hold.frames[number]
                deep = min(number - first, last - number) + 1
                alike = self.alike[number]
                unseen = row.drift_rms > WEAK and alike < UNLIKE * self.usual
                # a mark that is seen, partly hidden, may lie further from a way that is only smooth
                reach = AGREE + deep + (SEEN_SHARE * speed if alike >= FOUND * self.usual else 0)
                off = apart(self.hold, self.mark, row.params, way[number]) > reach if whole else unseen
                if off and not row.lost:
                    found = replace(row, lost=True, seen=0.0)
                    self.hold.frames[number] = found
                    yield number, found

    def _near(self, number: int, way: int, left: set[int]) -> int | None:
        """The next frame that way (its sign counts) on which the surface is held."""
        way = 1 if way > 0 else -1
        others = range(number + way, number + (GAP + 1) * way, way)
        return next((n for n in others if self.hold.has(n) and n not in left), None)

    def _starts(self, luma: F32, number: int, near: int, left: set[int]) -> Iterator[tuple[F64, float]]:
        """Where the mark may be on a frame, and how large (times that on ``near``): where its pictures are found, and where the
        frames on both sides put it."""
        beyond = near + (near - number) // abs(near - number)
        known = beyond if self.hold.has(beyond) and beyond not in left else near
        yield from self._pictured(luma, number, near, known, self._sizes(near, number, left))
        other = 2 * number - near
        if abs(number - near) == 1 and self.hold.has(other) and other not in left:
            yield (self.hold.params_at(near) + self.hold.params_at(other)) / 2, 1.0

    def _pictured(
        self, luma: F32, number: int, near: int, beyond: int, sizes: Sequence[float]
    ) -> Iterator[tuple[F64, float]]:
        """Where the mark's pictures are found about where it should have got to, as it went from ``beyond`` to ``near``."""
        hold, middle, gap = self.hold, self.pictures[0].middle, abs(number - near)
        at, least = hold.at(near), self._least(number, near)
        speed = at.forward(middle) - hold.at(beyond).forward(middle)
        reach = min(REACH_MOST, REACH + REACH_EACH * (gap - 1) + float(np.hypot(*speed)))
        for picture in self.pictures:
            found = [(place_of(luma, at, speed * gap, reach, picture, least, size), size) for size in sizes]
            likely = [
                (place.like - SIZE_COSTS * k / len(sizes), place.move, size)
                for k, (place, size) in enumerate(found) if place is not None
            ]  # fmt: skip
            if likely:
                _, move, size = max(likely, key=lambda one: one[0])
                yield moved(grown(hold.params_at(near), hold.grid, at.forward(middle), size), move), size

    def _sizes(self, near: int, number: int, left: set[int]) -> list[float]:
        """Sizes of the mark, times that on ``near``: what it should have grown or shrunk to, for it comes nearer while it is
        hidden, too; then back to what it was."""
        gap, way = abs(number - near), (near - number) // abs(near - number)
        frames = [near + k * way for k in range(GROWTH_OVER + 1)]
        back = next((k for k, n in enumerate(frames) if k and (n in left or not self.hold.has(n))), len(frames)) - 1
        if gap == 1 or back < 1:
            return [1.0]
        after, before = (self.hold.at(n).jacobian(self.pictures[0].middle) for n in (near, frames[back]))
        ratio = abs(float(np.linalg.det(after))) / max(abs(float(np.linalg.det(before))), 1e-6)
        growth = float(np.clip(gap / back * np.log(max(ratio, 1e-6)) / 2, -GROWTH_MOST, GROWTH_MOST))
        return [float(size) for size in np.exp(np.linspace(growth, 0, 1 + round(abs(growth) / GROWTH_STEP)))]

    def _found(self, number: int, near: int, left: set[int]) -> HoldFrame | None:
        """A frame measured from the better start; None where the mark is not clearly more like itself there than where it was
        held, or could not have got there."""
        luma = channel_of(self.read(number), self.channel)
        places = [
            place for start, size in self._starts(luma, number, near, left)
            for place in (start, *self._measured(luma, number, start))
            if self._whole(place, near, size) and self._on_the_way(number, near, left, place)
        ]  # fmt: skip
        if not places:
            return None
        likes = [self._like(luma, place) for place in places]
        best, like = places[int(np.argmax(likes))], max(likes)
        if like < max(self._least(number, near), self.alike[number] + BETTER_BY):
            return None
        if like < ALIKE * self.usual and self.pace.too_far(best, near, abs(number - near)):
            return None
        if like >= FOUND * self.usual:  # a surface that was slow while it was held may have become faster
            self.pace = self.pace.having_gone(best, near, abs(number - near))
        self.alike[number] = like
        measured = self.tracker.judged(self.tracker.look(luma, number, best), best)[0]
        return of_measured(replace(measured, lost=False, trouble=self.hold.frames[number].trouble), "mark")

    def _least(self, number: int, near: int) -> float:
        """How like itself the mark must be to be found: less where it fades from frame to frame."""
        fading = max(FADED * self.usual, FADES * self.alike[near]) if abs(number - near) == 1 else 1.0
        return min(FOUND * self.usual, fading)

    def _whole(self, params: F64, near: int, size: float) -> bool:
        """Whether the mark keeps its shape, and is of about such a ``size``: a mesh can make itself look like much."""
        middle = self.pictures[0].middle
        before, after = (each.jacobian(middle) for each in (self.hold.at(near), self.hold.map_of(params)))
        sizes = np.linalg.svd(after @ np.linalg.pinv(before), compute_uv=False) / size
        return bool(sizes.max() < MOST_STRETCH and sizes.min() > 1 / MOST_STRETCH)

    def _on_the_way(self, number: int, near: int, left: set[int], params: F64) -> bool:
        """Whether a place lies about where the way between the held frames on both sides passes, if those are near."""
        far = self._near(number, number - near, left)
        if far is None or abs(far - near) > SHORT:
            return True
        ends = sorted((near, far))
        way = between(self.hold, ends[0] + 1, ends[1] - 1, self.corners)
        speed = self._speed(ends[0], ends[1], left)
        deep = min(number - ends[0], ends[1] - number)
        return apart(self.hold, self.mark, params, way[number]) <= AGREE + deep * (1 + BEND_SHARE * speed)

    def _speed(self, start: int, end: int, left: set[int]) -> float:
        """Px a frame by which the mark moves between two held frames, or next to them."""
        speed = apart(self.hold, self.mark, self.hold.params_at(start), self.hold.params_at(end)) / (end - start)
        for number, beyond in ((start, start - 1), (end, end + 1)):
            if self.hold.has(beyond) and beyond not in left:
                speed = max(
                    speed, apart(self.hold, self.mark, self.hold.params_at(number), self.hold.params_at(beyond))
                )
        return speed

    def _measured(self, luma: F32, number: int, start: F64) -> Iterator[F64]:
        tracker = self.tracker
        tracker.state = replace(
            tracker.state, params=start, previous=start, steps=max(tracker.state.steps, NEXT_TO_ANCHOR)
        )
        view = tracker.look(luma, number, start)
        try:
            yield tracker._solve(view, start, start, np.ones_like(tracker.still.ground, np.float32)).coefficients
        except HushError as error:
            if error.kind != "lost":
                raise

    def _like(self, luma: F32, params: F64) -> float:
        """How like itself the mark is under a map."""
        return float(np.nan_to_num(likeness(self.own, held_still(luma, self.hold.map_of(params), self.rect))))
