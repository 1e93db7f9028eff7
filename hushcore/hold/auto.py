"""Choosing how a ground is held, by trying: the plainest surface that fits a few frames either side of the anchor.

A plane cannot be pulled out of shape, a stiff mesh hardly, cloth's mesh can follow anything, what is not the surface too:
each is taken only where the plainer ones explain the frames clearly worse.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from hushcore.arrays import F64, Codes, Rect
from hushcore.errors import HushError
from hushcore.hold.method import Method, Stiffness, channel_of
from hushcore.hold.still import Ground
from hushcore.hold.tracker import make_tracker

# frames from the anchor: slow bends show late; longer strides would ask more of a soft mesh than tracking does
STEPS = (*range(1, 13), 14, 16, 18, 20, 22, 24)
JUDGED_FROM = 5  # frames from the anchor; of a short shot, those beyond a third of it
# of correlation, and of what the best leaves, by which the plainer may fit worse
WORSE, WORSE_SHARE, WORSE_MOST = 0.003, 0.03, 0.008
FAR_SHARE = 0.85  # of the frames on which the plainer must fit as well: it fails first where the surface bends most
WELL_SEEN = 0.9  # share of the ground: with less, the more flexible is pulled about
# px by which two surfaces may differ, RMS over those of POINTS x POINTS places that lie in the ground; less is none
SAME, ALIKE, POINTS = 0.2, 0.1, 9
BEYOND = 3.0  # px by which a plane may differ where the mark comes to lie beyond the ground
HIDES = 0.05  # of the ground that the plainer may see less of
TELLS_FROM = 0.7  # mean correlation: with less, grain hides what the surfaces differ by
FITS_LEAST, SEEN_LEAST = 0.3, 0.7  # correlation, and share of the ground: with less a frame says nothing
FEWEST = 3  # frames that must be judged
FALLBACK = "cloth"

SURFACES = {
    "plane": Method("planar"),
    "stiff": Method("mesh", stiffness=Stiffness.of(72, 3)),
    "cloth": Method("mesh"),
}


@dataclass(frozen=True)
class Trial:
    """How a surface fitted: by frame, the correlation with the anchor frame, the share of the ground that was seen, and
    where it put some points (n, 2) of the ground."""

    surface: str
    fits: dict[int, float]
    seen: dict[int, float]
    at: dict[int, F64] = field(default_factory=dict)

    @property
    def mean(self) -> float:
        """Mean correlation."""
        return float(np.mean(list(self.fits.values())))


def chosen(
    read: Callable[[int], Codes], ground: Ground, method: Method, anchor: int, first: int, last: int,
    trying: Callable[[str], None] = lambda surface: None,
) -> tuple[str, Method, list[Trial]]:  # fmt: skip
    """The surface's name, the method for it (with the preparation of ``method``), and what was tried. ``trying`` is told each
    surface's name before it is tried, for that takes a while.

    Raises HushError when the ground cannot be held at all.
    """
    read = lru_cache(maxsize=len(STEPS) * 2 + 1)(read)
    reach = max(anchor - first, last - anchor)
    from_here = max(1, min(JUDGED_FROM, reach // 3))
    ways = [[anchor + sign * k for k in STEPS if first <= anchor + sign * k <= last] for sign in (1, -1)]
    trials = []
    for name, surface in SURFACES.items():
        trying(name)
        tried = _tried(name, _like(surface, method), read, ground, anchor, ways, from_here)
        if tried is not None:
            trials.append(tried)
    name = plainest(trials, bool(ground.stands))
    return name, _like(SURFACES[name], method), trials


def _like(surface: Method, method: Method) -> Method:
    asked = {name: getattr(method, name) for name in ("prep", "search", "renew", "seeks", "body")}
    return replace(surface, **asked)


def _tried(
    name: str,
    method: Method,
    read: Callable[[int], Codes],
    ground: Ground,
    anchor: int,
    ways: list[list[int]],
    judged_from: int,
) -> Trial | None:
    """A surface over some frames; None when there are too few of them."""
    fits: dict[int, float] = {}
    seen: dict[int, float] = {}
    at: dict[int, F64] = {}
    points = places_on(ground)
    for way in ways:
        tracker = make_tracker(read(anchor), ground, method, anchor)
        last, stride = anchor, 1
        for frame in way:
            try:
                codes = read(frame)
            except HushError:
                break  # a frame that is missing is told when the tracker comes to it
            tracker.strides(abs(frame - last) / stride)
            last, stride = frame, abs(frame - last)
            try:
                measured = tracker.step(codes, frame)
            except HushError as error:
                if error.kind not in ("lost", "bad-hold"):
                    raise
                fits[frame], seen[frame] = 0.0, 0.0
                break
            if abs(frame - anchor) >= judged_from:
                view = tracker.look(channel_of(codes, method.prep.channel), frame, measured.params)
                fits[frame], seen[frame] = tracker.agreement(view, measured.params), measured.seen
                at[frame] = tracker.map_of(measured.params).forward(points)
    return Trial(name, fits, seen, at) if len(fits) >= FEWEST else None


def places_on(ground: Ground) -> F64:
    """Places (n, 2) spread over the ground; beyond it a flexible surface is not held by anything."""
    box = np.concatenate(ground.read)
    across, down = (np.linspace(box[:, k].min(), box[:, k].max(), POINTS) for k in range(2))
    points = np.stack(np.meshgrid(across, down), -1).reshape(-1, 2)
    rect = Rect.around(box)
    cols, rows = np.minimum(points - [rect.left, rect.top], [rect.width - 1, rect.height - 1]).astype(int).T
    inside = ground.mask(rect)[rows, cols] > 0
    return points[inside] if inside.sum() >= POINTS else points


def plainest(trials: list[Trial], stands: bool = False) -> str:
    """The first that fits nearly as well as the best on nearly all frames, and sees as much of the ground; cloth when
    nothing tells. Frames on which no surface fits say nothing. ``stands``: the mark stands in the frame and comes to lie
    beyond the ground, where a mesh is held by nothing and a plane goes on."""
    if not trials:
        return FALLBACK
    best = max(trials, key=lambda one: one.mean)
    frames = [n for n, fit in best.fits.items() if fit >= FITS_LEAST and best.seen[n] >= SEEN_LEAST]
    if len(frames) < FEWEST:
        return FALLBACK
    if best.mean < TELLS_FROM:
        return FALLBACK
    for one in trials:
        short = [best.fits[n] - one.fits.get(n, 0.0) - allowed(best.fits[n]) for n in frames]
        hides = [best.seen[n] - one.seen.get(n, 0.0) for n in frames]
        apart = _apart(one, best, frames)
        limit = BEYOND if stands and one.surface == "plane" else ALIKE
        fits = apart <= limit or (apart <= SAME and np.quantile(short, FAR_SHARE) <= 0)
        if fits and np.quantile(hides, FAR_SHARE) <= HIDES:
            return one.surface
    return best.surface


def _apart(one: Trial, best: Trial, frames: list[int]) -> float:
    """Px by which a plainer surface puts the ground elsewhere than the best one, on nearly all frames: bends that it cannot
    follow show there."""
    apart = [
        float(np.sqrt(((one.at[n] - best.at[n]) ** 2).sum(-1).mean()))
        for n in frames if n in one.at and best.seen[n] >= WELL_SEEN
    ]  # fmt: skip
    return float(np.quantile(apart, FAR_SHARE)) if apart else SAME


def allowed(best: float) -> float:
    """Correlation by which a plainer surface may fit worse: flexible ones fit a little of the grain."""
    return min(WORSE + WORSE_SHARE * (1 - best), WORSE_MOST)
