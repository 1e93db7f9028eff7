"""A stiff body, as the anchor frame shows it: how far off each of its places is, and how it stands on other frames.

What turns without bending is seen on every frame through one camera: the shape is the same, and six numbers say how it stands.
Shape, stands and focal length are found together from where a hold put its places (bundle adjustment: Triggs and others,
*Bundle Adjustment, a Modern Synthesis*, 2000), by Levenberg and Marquardt's steps.
"""

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial.transform import Rotation

from hushcore.arrays import F64, Rect
from hushcore.geometry import spline

CELLS = 3  # of the depth's spline along the longer side
BENDS = 10.0  # px that a place may miss for as much bending of the depth as the depth itself
MISSES = 0.5  # px beyond which a place that is missed counts less (pseudo-Huber)
FOCAL, FOCAL_SPREAD = 1.4, 0.4  # of the frame's width, and how far off that may be (of its logarithm): common lenses
STEADY = np.array([0.03] * 3 + [0.01] * 3)  # by how much a frame's turn (radians) and shift may differ from the last
TURNS = 0.6  # radians by which a first guess turns to the frame that is furthest from the anchor
ROUNDS, POSE_ROUNDS = 60, 8
GAIN = 1e-4  # of what is missed: with less to win it is done
FIXED = 1e9
NEAREST = 0.1  # of the body's distance: nothing of it comes nearer to the camera
AHEAD = np.array([0.0, 0.0, 1.0])


@dataclass(frozen=True)
class Body:
    """``focal`` in px, ``centre`` of the frame in px; ``depth`` (rows, cols): spline coefficients of the distance, less one,
    in units of the body's own distance."""

    focal: float
    centre: F64
    grid: spline.Grid
    depth: F64

    def points(self, still: F64) -> F64:
        """Places of the still surface (..., 2; anchor px) in the camera's space (..., 3)."""
        twice = np.stack([self.depth, self.depth], -1)
        off = 1 + spline.evaluate(self.grid, twice, still)[..., 0]
        ray = np.concatenate([(still - self.centre) / self.focal, np.ones((*still.shape[:-1], 1))], -1)
        return np.asarray(ray * off[..., None])

    def seen(self, pose: "Pose", points: F64) -> F64:
        """Where points (..., 3) are on a frame, px (..., 2)."""
        at = pose.moved(points)
        return np.asarray(self.focal * at[..., :2] / np.maximum(at[..., 2:], NEAREST) + self.centre)

    def slopes(self, at: F64) -> F64:
        """How px (..., 2) change with the place in the camera's space (..., 2, 3)."""
        x, y, z = np.moveaxis(at, -1, 0)
        z, nought = np.maximum(z, NEAREST), np.zeros_like(z)
        across = np.stack([self.focal / z, nought, -self.focal * x / z**2], -1)
        down = np.stack([nought, self.focal / z, -self.focal * y / z**2], -1)
        return np.stack([across, down], -2)


@dataclass(frozen=True)
class Pose:
    """How a body stands on a frame: turned (3, 3) about a point in its middle, then shifted (3,)."""

    turn: F64
    shift: F64

    def moved(self, points: F64) -> F64:
        return np.asarray((points - AHEAD) @ self.turn.T + AHEAD + self.shift)

    def changed(self, by: F64) -> "Pose":
        """Turned on by the first three (radians about the camera's axes), shifted on by the others."""
        return Pose(Rotation.from_rotvec(by[:3]).as_matrix() @ self.turn, self.shift + by[3:])

    def since(self, other: "Pose") -> F64:
        """What would bring ``other`` here (6,)."""
        return np.asarray(np.r_[Rotation.from_matrix(self.turn @ other.turn.T).as_rotvec(), self.shift - other.shift])

    def onward(self, before: "Pose") -> "Pose":
        """As far again as from ``before`` to here."""
        return self.changed(self.since(before))

    def slopes(self, points: F64) -> F64:
        """How moved points (..., 3) change with ``changed`` (..., 3, 6)."""
        x, y, z = np.moveaxis((points - AHEAD) @ self.turn.T, -1, 0)
        nought = np.zeros_like(x)
        turned = np.stack(
            [np.stack([nought, z, -y], -1), np.stack([-z, nought, x], -1), np.stack([y, -x, nought], -1)], -2
        )
        return np.concatenate([turned, np.broadcast_to(np.eye(3), turned.shape)], -1)


STILL = Pose(np.eye(3), np.zeros(3))


@dataclass(frozen=True)
class Sightings:
    """Where places (``still``, (n, 2); anchor px) were seen on ``frames``, in order: ``at`` (frames, n, 2) px, with ``weight``
    (frames, n); ``anchor``: the frame that shows them still, one of these; ``size`` of the frame, px."""

    size: tuple[int, int]
    still: F64
    frames: tuple[int, ...]
    at: F64
    weight: F64
    anchor: int


@dataclass(frozen=True)
class Guess:
    """A body and its poses, a frame of the sightings each; ``cost``: what they leave."""

    body: Body
    poses: tuple[Pose, ...]
    cost: float = np.inf


def guessed(seen: Sightings) -> list[Guess]:
    """What explains the sightings, the better first: found from flat bodies that turn evenly, to either side and up or down, for
    a body that turns little and its mirror image are both at hand, and neither is left for the other once it is taken. The
    mirror image looks the same from afar; perspective tells."""
    ways = [axis * sign for axis in np.eye(3)[:2] for sign in (1.0, -1.0)]
    return sorted((_from(seen, way) for way in ways), key=lambda guess: guess.cost)


def _from(seen: Sightings, way: F64) -> Guess:
    """Fitted from a flat body that turns about an axis."""
    fit = _Fit(seen)
    since = np.array(seen.frames) - seen.anchor
    turns = Rotation.from_rotvec(TURNS * (since / np.abs(since).max())[:, None] * way).as_matrix()
    flat = Body(fit.focal, fit.centre, fit.grid, np.zeros(fit.grid.shape))
    return fit.better(Guess(flat, tuple(Pose(turn, np.zeros(3)) for turn in turns)))


def posed(body: Body, points: F64, at: F64, weight: F64, start: Pose) -> Pose:
    """How a body stands whose ``points`` (n, 3) were seen ``at`` px (n, 2), with ``weight`` (n,): Gauss and Newton's steps."""
    pose = start
    for _ in range(POSE_ROUNDS):
        slopes = body.slopes(pose.moved(points)) @ pose.slopes(points)
        miss = body.seen(pose, points) - at
        sure = weight**2 / np.sqrt(1 + ((miss**2).sum(-1) * weight**2) / MISSES**2)
        heavy = (slopes * sure[:, None, None]).reshape(-1, 6).T
        pose = pose.changed(-np.linalg.solve(heavy @ slopes.reshape(-1, 6) + 1e-9 * np.eye(6), heavy @ miss.ravel()))
    return pose


def _stacked(guess: Guess) -> tuple[F64, F64]:
    """Turns (frames, 3, 3) and shifts (frames, 3)."""
    return np.stack([pose.turn for pose in guess.poses]), np.stack([pose.shift for pose in guess.poses])


class _Fit:
    """What does not change from round to round."""

    def __init__(self, seen: Sightings) -> None:
        self.seen = seen
        self.centre = (np.array(seen.size) - 1) / 2
        rect = Rect.around(seen.still)
        self.grid = spline.Grid.over(rect, max(rect.width, rect.height) / CELLS, 0.0)
        self.gram = BENDS**2 * spline.bending_gram(self.grid).toarray()
        in_x = spline.basis_rows(seen.still[:, 0], self.grid.left, self.grid.spacing, self.grid.across)
        in_y = spline.basis_rows(seen.still[:, 1], self.grid.top, self.grid.spacing, self.grid.down)
        self.basis = (in_y[:, :, None] * in_x[:, None, :]).reshape(len(in_x), -1)
        self.focal = FOCAL * seen.size[0]

    def better(self, guess: Guess) -> Guess:
        """Levenberg and Marquardt's steps, until one gains next to nothing of what is missed."""
        damp, cost = 1e-3, self._cost(guess)
        for _ in range(ROUNDS):
            hessian, force = self._normal(guess)
            before = cost
            while damp < 1e6:
                solved = np.linalg.solve(hessian + np.diag(damp * np.diag(hessian) + 1e-9), -force)
                trial = self._stepped(guess, solved)
                left = self._cost(trial)
                if left < cost:
                    guess, cost = trial, left
                    break
                damp *= 5
            damp = max(damp / 5, 1e-7)
            if before - cost <= GAIN * before:
                break
        return replace(guess, cost=cost)

    def _stepped(self, guess: Guess, step: F64) -> Guess:
        own = step[: 6 * len(guess.poses)].reshape(-1, 6)
        turns, shifts = _stacked(guess)
        turns, shifts = Rotation.from_rotvec(own[:, :3]).as_matrix() @ turns, shifts + own[:, 3:]
        poses = [Pose(turn, shift) for turn, shift in zip(turns, shifts, strict=True)]
        shape = guess.body.depth + step[6 * len(poses) : -1].reshape(self.grid.shape)
        focal = guess.body.focal * float(np.exp(np.clip(step[-1], -0.2, 0.2)))
        return Guess(replace(guess.body, depth=shape, focal=focal), tuple(poses))

    def _missed(self, guess: Guess) -> tuple[F64, F64, F64]:
        """Points of the body, those points on every frame, and the px by which they are missed."""
        body, (turns, shifts) = guess.body, _stacked(guess)
        points = self._points(body)
        at = (points - AHEAD) @ np.swapaxes(turns, 1, 2) + AHEAD + shifts[:, None]
        return points, at, body.focal * at[..., :2] / at[..., 2:] + body.centre - self.seen.at

    def _points(self, body: Body) -> F64:
        """``body.points`` of the places that were seen, by the basis at hand."""
        ray = np.concatenate([(self.seen.still - self.centre) / body.focal, np.ones((len(self.seen.still), 1))], 1)
        return np.asarray(ray * (1 + self.basis @ body.depth.ravel())[:, None])

    def _cost(self, guess: Guess) -> float:
        _, at, miss = self._missed(guess)
        if not at[..., 2].min() > NEAREST:
            return np.inf
        off = np.hypot(miss[..., 0], miss[..., 1]) * self.seen.weight
        data = float((2 * MISSES**2 * (np.sqrt(1 + (off / MISSES) ** 2) - 1)).sum())
        depth = guess.body.depth.ravel()
        focal = np.log(guess.body.focal / self.focal) / FOCAL_SPREAD
        uneven = float((self._uneven(guess) ** 2).sum())
        return data + float(depth @ self.gram @ depth) + float(focal**2) + uneven

    def _uneven(self, guess: Guess) -> F64:
        """By how much the motion changes at each frame between two others (frames - 2, 6), over how much it may."""
        turns, shifts = _stacked(guess)
        on = Rotation.from_matrix(turns[1:] @ np.swapaxes(turns[:-1], 1, 2)).as_rotvec()
        went = np.concatenate([on, np.diff(shifts, axis=0)], 1)
        return np.asarray(self._changes @ went / STEADY)

    @property
    def _changes(self) -> F64:
        """What makes the change of pace at each frame between two others, a frame's worth, of the ways from frame to frame
        (frames - 2, frames - 1)."""
        gaps = np.diff(np.array(self.seen.frames))
        return np.diff(np.diag(1 / gaps), axis=0) * (2 / (gaps[1:] + gaps[:-1]))[:, None]

    def _normal(self, guess: Guess) -> tuple[F64, F64]:
        """Gauss and Newton's matrix and force: poses first, then the depth, then the focal length's logarithm."""
        body, basis, count = guess.body, self.basis, len(guess.poses)
        points, at, miss = self._missed(guess)
        weight = self.seen.weight
        off = np.hypot(miss[..., 0], miss[..., 1]) * weight
        weight = weight**2 / np.sqrt(1 + (off / MISSES) ** 2)
        slopes = body.slopes(at)
        turns, _ = _stacked(guess)
        turned = (points - AHEAD) @ np.swapaxes(turns, 1, 2)
        by_pose = np.concatenate([np.cross(turned[..., None, :], slopes), slopes], -1)
        rays = points / (basis @ body.depth.ravel() + 1)[:, None]
        by_depth = (slopes @ (rays @ np.swapaxes(turns, 1, 2))[..., None])[..., 0]
        by_focal = -(slopes @ (points * [1, 1, 0] @ np.swapaxes(turns, 1, 2))[..., None])[..., 0]
        by_focal += body.focal * at[..., :2] / at[..., 2:]
        shape = np.concatenate([by_depth[..., None] * basis[None, :, None, :], by_focal[..., None]], -1)
        heavy = weight[..., None, None]
        mine, others = (each.reshape(count, -1, each.shape[-1]) for each in (by_pose, shape))
        mine_heavy = np.swapaxes((by_pose * heavy).reshape(mine.shape), 1, 2)
        own, shared = mine_heavy @ mine, mine_heavy @ others
        hessian = np.zeros((6 * count + basis.shape[1] + 1,) * 2)
        rest = slice(6 * count, None)
        for k in range(count):
            part = slice(6 * k, 6 * k + 6)
            hessian[part, part], hessian[part, rest], hessian[rest, part] = own[k], shared[k], shared[k].T
        flat = shape.reshape(-1, shape.shape[-1])
        hessian[rest, rest] = (flat * np.repeat(weight.ravel(), 2)[:, None]).T @ flat
        force = np.r_[
            (mine_heavy @ miss.reshape(count, -1, 1)).ravel(),
            flat.T @ (np.repeat(weight.ravel(), 2) * miss.ravel()),
        ]
        self._add_priors(guess, hessian, force)
        return hessian, force

    def _add_priors(self, guess: Guess, hessian: F64, force: F64) -> None:
        count = len(guess.poses)
        bend = slice(6 * count, -1)
        depth, mean = guess.body.depth.ravel(), self.basis.mean(0)
        hessian[bend, bend] += self.gram + 1e6 * np.outer(
            mean, mean
        )  # the mean distance is one: else there is no scale
        force[bend] += self.gram @ depth + 1e6 * mean * (mean @ depth)
        hessian[-1, -1] += 1 / FOCAL_SPREAD**2
        force[-1] += np.log(guess.body.focal / self.focal) / FOCAL_SPREAD**2
        second = self._changes @ np.diff(np.eye(count), axis=0)
        even = np.einsum("kf,kg,i,ij->figj", second, second, 1 / STEADY**2, np.eye(6))
        hessian[: 6 * count, : 6 * count] += even.reshape(6 * count, 6 * count)
        force[: 6 * count] += (second.T @ (self._uneven(guess) / STEADY)).ravel()
        still = np.arange(6) + 6 * self.seen.frames.index(self.seen.anchor)
        hessian[still, still] += FIXED
