"""A stiff body laid on a frame directly: the stand under which the still picture and the frame look most alike."""

from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, F64
from hushcore.geometry import sampling
from hushcore.hold.body import Body, Pose
from hushcore.hold.mesh import correlation
from hushcore.hold.picture import LEVELS, View
from hushcore.hold.still import Still

ROUNDS = (8, 8, 5)  # how often the stand is bettered on a coarse level, the next, and the finest
LARGEST = 60_000  # px of the finest level that is looked at: a larger one says nothing that the next does not
SLANT, SQUARE = 0.15, 0.4  # share of its still size at which a place begins to count, and counts in full
SLANTED = 0.8  # foreshortening under which the still picture is smeared as the frame's own px are
PIXEL = 0.6  # px: sigma of what a frame's px take in
OUTLIER = 2.0  # of the usual difference
FEWEST = 50  # px that must be seen


@dataclass(frozen=True)
class Laid:
    """How a body stands on a frame, what was seen of that, and how ``alike`` it is to the still picture (correlation)."""

    pose: Pose
    view: View
    alike: float


class Template:
    """A body's still picture: places, and points of the body, a level each."""

    def __init__(self, still: Still, body: Body) -> None:
        self.still, self.body = still, body
        finest = next((k for k in range(LEVELS) if still.weights[k].size <= LARGEST), LEVELS - 1)
        coarse_first = range(min(finest + len(ROUNDS), LEVELS) - 1, finest - 1, -1)
        self.rounds = dict(zip(coarse_first, ROUNDS[-len(coarse_first) :], strict=True))
        self.judged = max(1, finest)  # half size, where the weave decides
        self.places = np.stack(np.meshgrid(*still.axes(self.judged)), -1)
        self.points = {
            level: body.points(np.stack(np.meshgrid(*still.axes(level)), -1)) for level in {*self.rounds, self.judged}
        }

    def laid(self, view: View, expected: Pose, doubt: F64) -> Laid | None:
        """The body on a frame; ``expected``: how it should stand, and the ``doubt`` (6,) about that. None where too little
        is seen."""
        pose = expected
        for level, rounds in self.rounds.items():
            picture = self._as_seen(pose, level)
            for _ in range(rounds):
                step = self._step(view, pose, expected, doubt, level, picture)
                if step is None or not np.isfinite(step).all():
                    return None
                pose = pose.changed(step)
        return Laid(pose, view, self.likeness(view, self.seen(pose)))

    def seen(self, pose: Pose) -> F64:
        """Where ``places`` (h, w, 2) are on a frame, px."""
        return self.body.seen(pose, self.points[self.judged])

    def counts(self, at: F64) -> F64:
        """How far the ``places`` count on a frame where they are ``at`` px (h, w, 2)."""
        return np.asarray(self.still.weights[self.judged] * _counts(_sizes(at, 2.0**self.judged)))

    def likeness(self, view: View, at: F64) -> float:
        """Correlation of a frame with the still picture whose ``places`` are ``at`` px there (h, w, 2); -1 where nothing can
        be compared."""
        warped, readable = view.sample(*_xy(at), self.judged)
        weight = self.counts(at) * readable
        return correlation(self.still.view.levels[self.judged].picture, warped, weight.astype(np.float32))

    def _as_seen(self, pose: Pose, level: int) -> F32:
        """The picture with what a foreshortened frame's px take in."""
        at = self.body.seen(pose, self.points[level])
        shown = (self.still.weights[level] > 0) & (_sizes(at, 2.0**level) > SLANT)
        if not shown.any():
            return self.still.view.levels[level].picture
        across, down = (np.gradient(at, axis=axis)[shown] / 2.0**level for axis in (1, 0))
        slope = np.stack([np.median(across, 0), np.median(down, 0)], 1)
        _, sizes, ways = np.linalg.svd(slope)
        if sizes[1] >= SLANTED:
            return self.still.view.levels[level].picture
        # a box as wide as its variance asks for
        box = ways[1] * np.sqrt(12 * PIXEL**2 * (1 / max(sizes[1], SLANT) ** 2 - 1))
        picture = np.ascontiguousarray(self.still.view.levels[level].picture)
        out = np.empty_like(picture)
        sampling.motion_blur(picture, *(np.full(picture.shape, part, np.float32) for part in box), out)
        return out

    def _step(
        self, view: View, pose: Pose, expected: Pose, doubt: F64, level: int, picture: F32
    ) -> F64 | None:  # fmt: skip
        """Gauss and Newton's step (6,) of a pose; None where too little is seen."""
        body, points, step = self.body, self.points[level], 2.0**level
        at = body.seen(pose, points)
        x, y = _xy(at)
        warped, readable = view.sample(x, y, level)
        weight = self.still.weights[level] * readable * _counts(_sizes(at, step))
        used = weight > 0
        if used.sum() < FEWEST:
            return None
        gradient = _gradient(view, x, y, level)[used]
        seen, rest = points[used], (warped - picture)[used]
        by_place = (gradient[:, None, :] @ body.slopes(pose.moved(seen)))[:, 0]
        slopes = (by_place[:, None, :] @ pose.slopes(seen))[:, 0]
        usual = max(1e-3, 1.4826 * float(np.median(np.abs(rest))))
        sure = weight[used] / (1 + (rest / (OUTLIER * usual)) ** 2) / usual**2 * (step / 4) ** 2
        away = pose.since(expected)
        hessian = (slopes * sure[:, None]).T @ slopes + np.diag(1 / doubt**2)
        return np.asarray(-np.linalg.solve(hessian, slopes.T @ (sure * rest) + away / doubt**2))


def _xy(at: F64) -> tuple[F32, F32]:
    return np.ascontiguousarray(at[..., 0], np.float32), np.ascontiguousarray(at[..., 1], np.float32)


def _gradient(view: View, x: F32, y: F32, level: int) -> F64:
    """How a frame changes (h, w, 2) a px to the right and down, at places px, over a pixel of the level."""
    step = np.float32(2.0**level)
    half = step / 2
    across = view.sample(x + half, y, level)[0] - view.sample(x - half, y, level)[0]
    down = view.sample(x, y + half, level)[0] - view.sample(x, y - half, level)[0]
    return np.asarray(np.stack([across, down], -1) / step, float)


def _sizes(at: F64, step: float) -> F64:
    """How large each place is on the frame, over its still size; negative where the back is seen. ``step``: px between them."""
    across, down = np.gradient(at, axis=1) / step, np.gradient(at, axis=0) / step
    return np.asarray(across[..., 0] * down[..., 1] - across[..., 1] * down[..., 0])


def _counts(sizes: F64) -> F64:
    """How far places count: as many px as they are seen on, and not where they turn away."""
    return np.asarray(np.clip((sizes - SLANT) / (SQUARE - SLANT), 0, 1) * np.clip(sizes, 0, 1))
