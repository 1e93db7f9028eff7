"""Stretches on which the surface was hidden, bridged from both sides once the range is done.

Where something passes, the map may be lost, or pulled along, for some frames, and is found again behind. The way between
two places that are sure is a smooth one: it is taken as the prediction, and corrected by what can be seen beside what
hides the surface.
"""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace
from itertools import groupby

import numpy as np

from hushcore.arrays import F64
from hushcore.errors import HushError
from hushcore.geometry import homography
from hushcore.hold import confidence
from hushcore.hold.method import Method, channel_of
from hushcore.hold.record import Hold, HoldFrame, Reader, of_measured
from hushcore.hold.redo import corners_of
from hushcore.hold.still import Ground
from hushcore.hold.tracker import NEXT_TO_ANCHOR, Tracker, make_tracker

SEEN_LEAST = 0.65  # share of the ground: frames that see less are bridged
SURE = 0.85  # share of the ground that the frames on both sides must see
LONGEST = 40  # frames
BEND, BEND_SHARE = 4.0, 0.5  # px a frame squared, and share of the motion, by which a motion may change
SEES_ENOUGH = 0.25  # of the ground: with less the smooth way alone counts
AGREE = 3.0  # px: what can be seen may correct the smooth way by this, and a share of how far off it may be


def hidden_stretches(hold: Hold, sure: Collection[int] = ()) -> list[tuple[int, int]]:
    """First and last frame of each stretch that is bridged: hidden, between two frames that are sure."""
    frames = sorted(hold.frames)
    weak = [n for n in frames if n not in sure and (hold.frames[n].lost or hold.frames[n].seen < SEEN_LEAST)]
    out = []
    for first, last in runs(weak):
        while hold.has(first - 1) and first - 1 not in sure and not _stands(hold, first - 1, -1):
            first -= 1
        while hold.has(last + 1) and last + 1 not in sure and not _stands(hold, last + 1, 1):
            last += 1
        fixed = [n for n in range(first, last + 1) if n in hold.keys]
        if hold.has(first - 1) and hold.has(last + 1) and last - first < LONGEST and not fixed:
            out.append((first, last))
    return sorted(set(out))


def runs(numbers: Sequence[int]) -> list[tuple[int, int]]:
    """First and last of each unbroken run of ascending numbers."""
    parts = [[n for _, n in run] for _, run in groupby(enumerate(numbers), key=lambda pair: pair[1] - pair[0])]
    return [(part[0], part[-1]) for part in parts]


def _sure(hold: Hold, frame: int) -> bool:
    if frame == hold.anchor or frame in hold.keys:
        return True
    row = hold.frames[frame]
    return not row.lost and row.seen >= SURE


def _stands(hold: Hold, frame: int, way: int) -> bool:
    """Whether a frame can bear a bridge's end: it is sure, and the surface goes on from it, away from the stretch, as
    smoothly as surfaces do."""
    if frame == hold.anchor or frame in hold.keys:
        return True
    if not _sure(hold, frame):
        return False
    beyond = [frame + way, frame + 2 * way]
    if not all(hold.has(n) for n in beyond):
        return True
    middle = np.array([[hold.size[0] / 2, hold.size[1] / 2]]) if hold.grid is None else hold.grid.rect.corners
    at = [hold.at(n).forward(middle) for n in (frame, *beyond)]
    first, second = at[1] - at[0], at[2] - at[1]
    bend = float(np.hypot(*(second - first).T).mean())
    return bend <= BEND + BEND_SHARE * float(np.hypot(*second.T).mean())


def bridge(
    hold: Hold, ground: Ground, method: Method, read: Reader, sure: Collection[int] = ()
) -> Iterator[tuple[int, HoldFrame]]:  # fmt: skip
    """The frames of hidden stretches, measured anew; those in ``sure`` stay as they are. Drift of what nobody
    sees grows with the length of the bridge."""
    stretches = hidden_stretches(hold, sure)
    if not stretches or method.kind in ("point", "two-point"):
        return
    tracker = make_tracker(read(hold.anchor), ground, method, hold.anchor)
    corners = corners_of(hold, ground)
    for first, last in stretches:
        _learn(tracker, hold, read, first - 1)
        way = between(hold, first, last, corners)
        for number, params in way.items():
            yield number, _bridged(tracker, hold, read, number, params, min(number - first, last - number) + 1)


def between(hold: Hold, first: int, last: int, corners: F64) -> dict[int, F64]:
    """Parameters of first..last on a smooth way (cubic Hermite) between the frames on both sides."""

    def place(number: int) -> F64:
        params = hold.params_at(number)
        return params if hold.bends else homography.apply(params, corners)

    start, end = first - 1, last + 1
    span = end - start
    one, two = place(start), place(end)
    straight = (two - one) / span
    leave = one - place(start - 1) if _known(hold, start - 1) else straight
    reach = place(end + 1) - two if _known(hold, end + 1) else straight
    # velocities that the stretch contradicts are those of what hides the surface
    away, towards = _calmed(leave, straight), _calmed(reach, straight)
    out = {}
    for number in range(first, last + 1):
        t = (number - start) / span
        h = (2 * t**3 - 3 * t**2 + 1, t**3 - 2 * t**2 + t, -2 * t**3 + 3 * t**2, t**3 - t**2)
        at = h[0] * one + h[1] * span * away + h[2] * two + h[3] * span * towards
        out[number] = at if hold.bends else homography.fit(corners, at)
    return out


def _known(hold: Hold, number: int) -> bool:
    return hold.has(number) and _sure(hold, number)


def _calmed(velocity: F64, straight: F64) -> F64:
    """A velocity, drawn to the mean one as far as it is much larger than that."""
    apart = float(np.sqrt(((velocity - straight) ** 2).mean()))
    size = float(np.sqrt((straight**2).mean())) + 2.0
    return straight + (velocity - straight) * min(1.0, size / max(apart, 1e-9))


def _learn(tracker: Tracker, hold: Hold, read: Reader, frame: int) -> None:
    """What the surface usually looks like, from the frame before the stretch."""
    luma = channel_of(read(frame), tracker.method.prep.channel)
    params = hold.params_at(frame)
    now = tracker.judged(tracker.look(luma, frame, params), params)[1]
    tracker.state = replace(
        tracker.state, params=params, previous=params, steps=NEXT_TO_ANCHOR, baseline=now.value, first_mean=now.value,
        seen=np.ones_like(now.value), lost_for=0,
    )  # fmt: skip


def _bridged(tracker: Tracker, hold: Hold, read: Reader, number: int, params: F64, deep: int) -> HoldFrame:
    luma = channel_of(read(number), tracker.method.prep.channel)
    tracker.state = replace(tracker.state, params=params, previous=params)
    view = tracker.look(luma, number, params)
    old = hold.frames[number]
    if not old.lost and old.seen >= SEES_ENOUGH and tracker._apart(old.params, params) <= AGREE + 0.5 * deep:
        return old  # what was seen beside the thing agrees with the smooth way, and knows better
    plain = tracker.judged(view, params)[0]
    found = _corrected(tracker, view, params, deep)
    best = plain if found is None else found
    # what nobody sees may be off by what bridges of this length are off
    hidden = best.cells < 4
    drift = np.where(hidden, np.minimum(best.drift, 1.0 + 0.5 * deep), best.drift).astype(np.float32)
    used = best.cells <= 9
    rms = float(np.sqrt((drift[used] ** 2).mean())) if used.any() else float(drift.mean())
    return of_measured(replace(best, drift=drift, drift_rms=rms, lost=found is None, trouble=old.trouble), "hidden")


def _corrected(tracker: Tracker, view: object, params: F64, deep: int):  # type: ignore[no-untyped-def]
    """The smooth way corrected by what is seen; None when too little is, or when it says something else entirely."""
    now = tracker._correlated(view, params, tracker.still)[0]  # type: ignore[arg-type]
    visible = confidence.visibility(now, tracker.state.baseline)
    if visible.share < SEES_ENOUGH:
        return None
    weight = np.where(now.known & (visible.weight < 0.5), 0, visible.weight).astype(np.float32)
    try:
        fit = tracker._solve(view, params, params, tracker.spread(weight))  # type: ignore[arg-type]
    except HushError as error:
        if error.kind != "lost":
            raise
        return None
    measured = tracker.judged(view, fit.coefficients)[0]  # type: ignore[arg-type]
    far = tracker._apart(measured.params, params) > AGREE + 0.5 * deep
    return None if measured.lost or far or measured.seen < visible.share else measured
