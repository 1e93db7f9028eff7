"""A surface that turns away without bending: followed as a stiff body, where its own mesh can no longer tell where it is.

Towards a silhouette a ground is seen ever more slantwise, and ever less of it: a mesh that may bend follows what is left wherever
that leads. But what turned stiffly on the frames before has one shape, and six numbers say how that stands on any other.
A body is believed only where it explains the frames that are held, and taken only where the frame looks as much like it.
"""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from hushcore.arrays import F64
from hushcore.errors import HushError
from hushcore.geometry import spline
from hushcore.hold.aligned import Laid, Template
from hushcore.hold.auto import places_on
from hushcore.hold.body import STILL, Guess, Pose, Sightings, guessed, posed
from hushcore.hold.method import Method, channel_of
from hushcore.hold.picture import View
from hushcore.hold.record import Hold, HoldFrame, Reader, of_measured
from hushcore.hold.second import SecondPass
from hushcore.hold.still import Ground

DOUBT = 2.2  # px of drift over which what a mesh says is doubted
FEWEST, MOST = 8, 36  # held frames that say what the body is
SURE = 0.4  # px of drift: a place that is surer counts no more
TURNED = 0.25  # radians that it must have turned on them: with less its shape does not show
EXPLAINED = 0.45  # px by which it may miss half of the places
TELLS, SAME = 0.7, 0.1  # of what others leave, such as its mirror image, unless they are the same, within radians
PACE = np.array([0.004] * 3 + [0.001] * 3)  # by how much its pace may change from one frame to the next, at least
ALIKE = 0.4  # of how like itself it is on held frames, at least
STRAYS, NEARLY = 2.0, 0.05  # px that the mesh must lie off, and how much more like itself the ground may be under it
CLEARLY = 0.08  # of correlation by which it is more like itself under the body, wherever the mesh is
TURNS_ON, LOOKED_FOR = 3, 12  # frames on which it is not seen, and is thought to turn on, or is looked for
FADES = 0.75  # of its pace that is left on each of them
OFF = 0.9  # times the root of what places look off, px: what is told of a body (see docs/proving.md)
JUDGES = 9  # held frames that say how like itself it is


def turned(hold: Hold, ground: Ground, method: Method, read: Reader) -> Iterator[tuple[int, HoldFrame]]:
    """The frames of a mesh's hold that are in doubt, and on which a stiff body is found instead."""
    doubtful = {n for n, row in hold.frames.items() if n not in hold.keys and row.drift_rms > DOUBT}
    known = sorted({hold.anchor, *hold.frames} - doubtful)
    held = [n for n in known if n == hold.anchor or not hold.frames[n].lost]  # others lie on a bridge
    if not (method.body and method.bends) or ground.stands or not doubtful or len(held) < FEWEST:
        return
    seen = _sightings(hold, ground, held)
    guess = _believed(seen)
    if guess is None:
        return
    sure = replace(hold, frames={n: hold.frames[n] for n in held if n != hold.anchor})
    try:
        again = SecondPass(sure, ground, method, read)
    except HushError:  # too few frames are held
        return
    yield from _Walk(hold, again, guess, _poses(hold, seen, guess, known)).found()


def _sightings(hold: Hold, ground: Ground, held: list[int]) -> Sightings:
    """Where places of the ground were on the anchor and up to ``MOST`` other held frames."""
    some = {held[k] for k in np.linspace(0, len(held) - 1, MOST).round().astype(int)}
    frames = tuple(sorted({hold.anchor, *some}))
    still = places_on(ground)
    at = np.stack([hold.at(n).forward(still) for n in frames])
    return Sightings(hold.size, still, frames, at, np.stack([_weights(hold, n, still) for n in frames]), hold.anchor)


def _weights(hold: Hold, number: int, still: F64) -> F64:
    """How far places of a held frame count."""
    return np.asarray(SURE / np.maximum(SURE, hold.drift_at(number, still) / 2))


def _believed(seen: Sightings) -> Guess | None:
    """The body that explains what was seen; None where none does, or where another, such as its mirror image, might as well."""
    best, *rest = guessed(seen)
    others = [
        guess.cost for guess in rest
        if max(_angle(one.since(two)) for one, two in zip(best.poses, guess.poses, strict=True)) >= SAME
    ]  # fmt: skip
    if best.cost > TELLS * min(others, default=np.inf):
        return None
    points = best.body.points(seen.still)
    miss = np.stack([best.body.seen(pose, points) for pose in best.poses]) - seen.at
    turned_by = max(_angle(pose.since(STILL)) for pose in best.poses)
    explains = float(np.median(np.hypot(miss[..., 0], miss[..., 1]))) <= EXPLAINED
    return best if explains and turned_by >= TURNED else None


def _angle(change: F64) -> float:
    return float(np.linalg.norm(change[:3]))


def _poses(hold: Hold, seen: Sightings, guess: Guess, known: list[int]) -> dict[int, Pose]:
    """How the body stands on all known frames, also those that did not say what it is."""
    poses = dict(zip(seen.frames, guess.poses, strict=True))
    points = guess.body.points(seen.still)
    for number in known:
        if number not in poses:
            near = min(seen.frames, key=lambda n: abs(n - number))
            weight = _weights(hold, number, seen.still)
            poses[number] = posed(guess.body, points, hold.at(number).forward(seen.still), weight, poses[near])
    return poses


class _Walk:
    """From held frames on, one after the other, with a body whose ``poses`` there are known."""

    def __init__(self, hold: Hold, again: SecondPass, guess: Guess, poses: dict[int, Pose]) -> None:
        assert hold.grid is not None
        self.hold, self.again, self.body, self.poses, self.grid = hold, again, guess.body, poses, hold.grid
        self.template = Template(again.tracker.still, guess.body)
        self.pace = self._pace()
        self.usual = self._usual()

    def found(self) -> Iterator[tuple[int, HoldFrame]]:
        """The frames in doubt that the body holds."""
        for way in (1, -1):
            beyond = sorted((n for n in self.hold.frames if (n - self.hold.anchor) * way > 0), reverse=way < 0)
            poses, taken, missed = dict(self.poses), False, 0
            for number in beyond:
                if number in self.poses:
                    taken, missed = False, 0
                    continue
                if number - way not in poses:
                    continue
                expected = self._expected(poses, number, way, missed)
                laid = self._laid(number, expected, missed)
                if laid is None:  # where it is thought to be is where it is looked for next
                    poses[number], missed = expected, missed + 1
                    continue
                poses[number], missed = laid.pose, 0
                taken = self._better(number, laid, taken)
                if taken:
                    yield number, self._held(number, laid)

    def _expected(self, poses: dict[int, Pose], number: int, way: int, missed: int) -> Pose:
        """How the body should stand: turned on from the frames before, for a while."""
        near, before = poses[number - way], poses.get(number - 2 * way)
        if before is None or missed > TURNS_ON:
            return near
        return near.changed(near.since(before) * (FADES if missed else 1))

    def _laid(self, number: int, expected: Pose, missed: int) -> Laid | None:
        """The body on a frame; None where it is not seen, or has not been for long."""
        if missed > LOOKED_FOR:
            return None
        laid = self.template.laid(self._view(number, expected), expected, self.pace * (1 + min(missed, TURNS_ON)))
        return laid if laid is not None and laid.alike >= ALIKE * self.usual else None

    def _held(self, number: int, laid: Laid) -> HoldFrame:
        measured = self.again.judged(number, laid.view, self._params(laid.pose))
        # what is judged place by place is far too careful: a body is off as a whole or not at all
        told = measured.off_by(min(measured.drift_rms, OFF * float(np.sqrt(measured.drift_rms))))
        return of_measured(replace(told, lost=False, trouble=self.hold.frames[number].trouble), "body")

    def _better(self, number: int, laid: Laid, taken: bool) -> bool:
        """Whether the body rather than the mesh says where the surface is. A mesh bends until the ground looks like itself, so
        that it must do more so; having been ``taken`` a frame before, the body is also taken where the mesh is near."""
        if self.hold.frames[number].lost:
            return True
        places = self.template.places
        at = self.template.seen(laid.pose)
        own = self.hold.at(number).forward(places.reshape(-1, 2)).reshape(places.shape)
        alike = self.template.likeness(laid.view, own)
        if laid.alike >= alike + CLEARLY:
            return True
        apart = np.average(((own - at) ** 2).sum(-1), weights=self.template.counts(at) + 1e-9)
        return bool((taken or apart >= STRAYS**2) and laid.alike >= alike - NEARLY)

    def _view(self, number: int, pose: Pose) -> View:
        tracker = self.again.tracker
        return tracker.look(
            channel_of(self.again.read(number), tracker.method.prep.channel), number, self._params(pose)
        )

    def _params(self, pose: Pose) -> F64:
        """The mesh that lies as the body does."""
        return spline.fitted(self.grid, lambda points: self.body.seen(pose, self.body.points(points)))

    def _pace(self) -> F64:
        """By how much (6,) the pace changed from one held frame to the next."""
        rest = [
            pose.since(self.poses[n - 1].onward(self.poses[n - 2]))
            for n, pose in self.poses.items() if n - 1 in self.poses and n - 2 in self.poses
        ]  # fmt: skip
        return np.maximum(np.sqrt(np.mean(np.square(rest), axis=0)), PACE) if rest else 4 * PACE

    def _usual(self) -> float:
        """How like itself the body is on held frames."""
        held = sorted(self.poses)
        some = [held[k] for k in np.unique(np.linspace(0, len(held) - 1, JUDGES).astype(int))]
        views = {n: self._view(n, self.poses[n]) for n in some}
        return float(np.median([self.template.likeness(views[n], self.template.seen(self.poses[n])) for n in some]))
