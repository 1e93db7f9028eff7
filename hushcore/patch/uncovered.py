"""Other frames: what lay behind a mark, from the frames on which it was uncovered, in the hold's still pose.

One picture is put together for a few frames over the shot, each from the nearest and sharpest frames first and in its
own frame's light; between them they are mixed, and lit anew on every frame like any plate. So it holds still over time.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Mask, Rect, known_percentile
from hushcore.bands.split import low_pass
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.fill.plan import Fill
from hushcore.fill.soak import mean_outside, soak
from hushcore.fill.weave import weave
from hushcore.hold.maps import dense_forward
from hushcore.hold.record import Hold
from hushcore.light.region import affine, halved
from hushcore.patch.fix import reaches, still_rect
from hushcore.patch.plan import Plan
from hushcore.plates.plate import Plate, sample_linear

Reader = Callable[[int], Codes]
MOST_SHEETS = 5  # over a shot
SHEET_EVERY = 32  # frames, where the reach is longer
COARSE = 8  # px between the places that frames are chosen by
FAR = 12.0  # frames away at which a frame must show twice as much
UNSEEN = 4.0  # times as much worth is a place that no frame has shown yet
NEEDED = 24  # px round the mark, where light is read
MOST_FRAMES = 14  # that one picture is put together from
GUARD = 4  # px round the mark that are not taken either
BLUR_COSTS = 2.0  # frames away that a pixel of motion is worth
DRIFT_COSTS = 12.0  # and a pixel of drift
LIT_SIGMA = 16.0  # half-size px over which two frames' light is compared
OUTLIER = 2.5  # robust deviations from the slope beyond which a place says little of the light
FEWEST = 64  # places
AROUND = 60  # px round the mark where light is compared
ENOUGH = 5  # frames that must have shown a place to tell what is usual there
USUAL_SIGMA = 3.0  # px
USUAL_MOST = 0.08  # natural log: further from the usual is something else
BARE_MOST = 0.7  # of the mark: with more, its edge does not leave its place
LIT_MOST = 1.2  # natural log
BLACK = 0.003  # linear
BEYOND_MOST = 0.1  # of the frames
BEYOND = (
    "The hold does not reach where the mark lies on {} of {} frames, so nothing can be put together there. Hold the surface as "
    "a plane (Hold, Planar), or draw a larger ground."
)
NO_GUIDE = (
    "Some of it is never uncovered, and there is no plate to take it from: take one and paint it in there, or let it be "
    "woven."
)
REST_AROUND = 1.0  # times its size: what is looked at round a place that is filled
WOVEN_MOST = 90_000  # places; more is soaked
NEVER = (
    "The mark lies on this place on nearly all frames within reach, so little can be taken from other frames. Give it a longer "
    "reach, see that the edge moves with what is to go, or choose another fill."
)


def uncovered_plates(
    hold: Hold, plan: Plan, read: Reader, encoding: Encoding, guides: Sequence[tuple[int, Plate]] = ()
) -> list[tuple[int, Plate]]:
    """Pictures without the mark put together from other frames, as plates. ``guides``: plates of the artist's for what no
    frame shows. Raises HushError where nothing can be taken from other frames."""
    assert plan.fill is not None
    rect = still_rect(hold, plan)
    on = _masked(hold, plan.edge)
    beyond = [n for n in on if not reaches(hold, plan, rect, n)]
    if len(beyond) > BEYOND_MOST * max(1, len(on)):
        raise HushError(BEYOND.format(len(beyond), len(on)), "beyond-hold")
    made = []
    for frame, serves in sheets_at(hold, plan.edge, plan.fill.reach).items():
        picture = uncovered(read, hold, plan.edge, rect, frame, plan.fill, encoding, serves, guides)
        made.append((frame, Plate(rect, picture, picture, encoding)))
    return made


def sheets_at(hold: Hold, edge: Edge, reach: int) -> dict[int, list[int]]:
    """The frames that a picture is put together for, evenly over those on which something is masked, and the frames that
    each of them serves."""
    on = _masked(hold, edge)
    if not on:
        raise HushError("Nothing is masked on any held frame, so there is nothing to fill.", "nothing-masked")
    count = int(np.clip(round(len(on) / max(min(reach, SHEET_EVERY), 1)), 1, MOST_SHEETS))
    at = sorted({on[int((k + 0.5) * len(on) / count)] for k in range(count)})
    return {
        frame: [n for n in on if (k == 0 or n > at[k - 1]) and (k == len(at) - 1 or n < at[k + 1])]
        for k, frame in enumerate(at)
    }  # fmt: skip


def _masked(hold: Hold, edge: Edge) -> list[int]:
    """The frames that are held and on which something is masked."""
    held = [n for n in sorted({hold.anchor, *hold.frames}) if n == hold.anchor or not hold.frames[n].lost]
    return [n for n in held if not edge.rect_at(n).empty]


def uncovered(
    read: Reader, hold: Hold, edge: Edge, rect: Rect, frame: int, fill: Fill, encoding: Encoding,
    serves: Sequence[int] = (), guides: Sequence[tuple[int, Plate]] = (),
) -> F32:  # fmt: skip
    """The linear still picture (h, w, 3) of ``frame`` over ``rect`` without the mark, wherever the mark lies on the frames that
    it ``serves`` too. ``guides``: plates for what is never uncovered.

    Raises HushError when nothing of what the mark covers is ever uncovered.
    """
    picture, free, _ = _still(read, hold, edge, rect, frame, encoding)
    marked = np.zeros((rect.height, rect.width), bool)
    for number in {frame, *serves}:
        x, y = dense_forward(hold.at(number), rect)
        marked |= _covered(edge, number, x, y)
    if not marked.any():
        return picture
    part = _around(marked)
    own = _View(frame, picture[part.slices], free[part.slices])
    disc = np.ones((2 * NEEDED + 1,) * 2, np.uint8)
    wanted = cv2.dilate(marked[part.slices].astype(np.uint8), disc) > 0
    views = _views(read, hold, edge, part.moved(rect.left, rect.top), wanted, fill.reach, encoding, own)
    made, taken = _agreed(views)
    gap = (taken < 0) & marked[part.slices]
    picture = np.array(picture)
    picture[part.slices] = np.where((taken < 0)[..., None], own.picture, made)
    if gap.sum() > BARE_MOST * marked.sum():
        raise HushError(NEVER, "never-uncovered")
    if gap.any():
        left, unknown = np.zeros_like(marked), ~free
        left[part.slices], unknown[part.slices] = gap, taken < 0
        picture = _rest(picture, unknown, left, fill, encoding, _nearest(guides, frame), rect)
    return picture


def _nearest(guides: Sequence[tuple[int, Plate]], frame: int) -> Plate | None:
    return min(guides, key=lambda one: abs(one[0] - frame))[1] if guides else None


def _around(wanted: Mask) -> Rect:
    """The part of the picture that the mark covers, and enough round it to compare light."""
    rows, cols = np.flatnonzero(wanted.any(1)), np.flatnonzero(wanted.any(0))
    return (
        Rect(int(cols[0]), int(rows[0]), int(cols[-1]) + 1, int(rows[-1]) + 1)
        .grown(AROUND)
        .clipped(wanted.shape[1], wanted.shape[0])
    )


@dataclass(frozen=True)
class _View:
    """Another frame held still and lit as the frame that is filled, and where it shows the surface."""

    frame: int
    picture: F32
    shows: Mask


def _views(
    read: Reader, hold: Hold, edge: Edge, rect: Rect, wanted: Mask, reach: int, encoding: Encoding, own: _View
) -> list[_View]:
    """The frame itself and others that together show every place that is ``wanted`` often enough to tell what is usual."""
    made = [own]
    for number in _chosen(hold, edge, rect, wanted, own, reach):
        there, shows, _ = _still(read, hold, edge, rect, number, encoding)
        made.append(_View(number, _in_light(there, shows, own.picture, own.shows), shows))
    return made


def _chosen(hold: Hold, edge: Edge, rect: Rect, wanted: Mask, own: _View, reach: int) -> list[int]:
    """Frames within reach, one by one those that show most of what has been seen too seldom; of those that show as much the
    nearest, sharpest and best held."""
    rows, cols = np.nonzero(wanted[::COARSE, ::COARSE])
    places = np.stack([rect.left + COARSE * cols, rect.top + COARSE * rows], -1).astype(float)
    shown = {n: _shown(hold, edge, places, n) for n in _within(hold, own.frame, reach)}
    costs = {n: 1 + _cost(hold, edge, n, own.frame) / FAR for n in shown}
    count = own.shows[::COARSE, ::COARSE][rows, cols].astype(int)
    out: list[int] = []
    while len(out) < MOST_FRAMES and shown:
        worth = np.where(count == 0, UNSEEN, 1.0) * (count < ENOUGH)
        best = max(shown, key=lambda n: (float(worth[shown[n]].sum()) / costs[n], -n))
        if not worth[shown[best]].any():
            break
        out.append(best)
        count += shown.pop(best)
    return sorted(out, key=lambda n: costs[n])


def _shown(hold: Hold, edge: Edge, places: F64, frame: int) -> Mask:
    """Which still ``places`` (n, 2) a frame shows without the mark on them."""
    at = hold.at(frame).forward(places)
    width, height = hold.size
    inside = (at >= 0).all(-1) & (at[:, 0] <= width - 1) & (at[:, 1] <= height - 1)
    mark = edge.rect_at(frame)
    if mark.empty:
        return np.asarray(inside)
    x, y = (np.asarray(at[:, k : k + 1], np.float32) for k in (0, 1))
    return np.asarray(inside & ~_covered(edge, frame, x, y)[:, 0])


def _within(hold: Hold, frame: int, reach: int) -> list[int]:
    """Held frames within reach of one."""
    return [
        n for n in sorted({hold.anchor, *hold.frames})
        if n != frame and abs(n - frame) <= reach and (n == hold.anchor or not hold.frames[n].lost)
    ]  # fmt: skip


def _cost(hold: Hold, edge: Edge, number: int, frame: int) -> float:
    """How far away a frame is, motion blur and drift counted as frames."""
    row = hold.frames.get(number)
    drift = 0.0 if row is None else row.drift_rms
    return abs(number - frame) + BLUR_COSTS * _speed(hold, edge, number) + DRIFT_COSTS * drift


def _agreed(views: Sequence[_View]) -> tuple[F32, np.ndarray]:
    """For each place the first view that shows what most of them show there, and its frame; -1 where none does. So
    someone else who passes is not taken for what lies behind."""
    shape = views[0].shows.shape
    made, taken = np.zeros((*shape, 3), np.float32), np.full(shape, -1, np.int32)
    tones = np.stack([
        np.where(view.shows, np.log(np.maximum(low_pass(view.picture, USUAL_SIGMA), 0).mean(-1) + BLACK), np.nan)
        for view in views
    ])  # fmt: skip
    apart = np.abs(tones - known_percentile(tones, 50))
    least = np.where(np.isnan(apart), np.inf, apart).min(0)
    for view, far in zip(views, apart, strict=True):
        # wide on purpose: a place is taken from one frame with its neighbours, not from a patchwork
        over = np.where(view.shows & np.isfinite(least), far - least, 1.0).astype(np.float32)
        take = view.shows & (low_pass(over, USUAL_SIGMA) < USUAL_MOST) & (taken < 0)
        made[take], taken[take] = view.picture[take], view.frame
    for view, far in zip(views, apart, strict=True):
        take = view.shows & (taken < 0) & (far <= least + 1e-6)
        made[take], taken[take] = view.picture[take], view.frame
    return made, taken


def _still(read: Reader, hold: Hold, edge: Edge, rect: Rect, frame: int, encoding: Encoding) -> tuple[F32, Mask, Mask]:
    """A frame held still, where it shows the surface, and where it shows anything."""
    held = hold.at(frame)
    codes = read(frame)
    height, width = codes.shape[:2]
    x, y = dense_forward(held, rect)
    seen = (x >= 0) & (y >= 0) & (x <= width - 1) & (y <= height - 1)
    covered = _covered(edge, frame, x, y)
    return sample_linear(codes, x, y, encoding), np.asarray(seen & ~covered), np.asarray(seen)


def _covered(edge: Edge, frame: int, x: F32, y: F32) -> Mask:
    """Where the mark, and ``GUARD`` px round it, lies at frame positions. Filled and grown by whole pixels, and nothing of it
    taken away: it need only be large enough."""
    mark = edge.rect_at(frame).grown(GUARD + 1)
    if edge.rect_at(frame).empty:
        return np.zeros(x.shape, bool)
    drawn = np.zeros((mark.height, mark.width), np.uint8)
    corner = np.array([mark.left, mark.top], float)
    for outline in edge.outlines:
        if outline.takes or not outline.on(frame):
            continue
        closed = outline.width is None
        line = np.rint(outline.at(frame).line(closed)[0] - corner).astype(np.int32).reshape(-1, 1, 2)
        if closed:
            cv2.fillPoly(drawn, [line], 1)
        else:
            cv2.polylines(drawn, [line], False, 1, max(1, round(outline.width or 1)))
    grow = int(np.ceil(max(0.0, edge.growth + edge.softness))) + GUARD
    wide = cv2.distanceTransform(1 - drawn, cv2.DIST_L2, 3) <= grow
    at = cv2.remap(
        wide.astype(np.uint8), x - mark.left, y - mark.top, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT
    )
    return np.asarray(at > 0)


def _speed(hold: Hold, edge: Edge, number: int) -> float:
    """Px that the surface moves about the mark from a frame to the next."""
    if not hold.has(number) or not hold.has(number + 1):
        return 0.0
    rect = edge.rect_at(number)
    if rect.empty:
        rect = edge.rect()
    middle = hold.at(number).inverse(np.array([[(rect.left + rect.right) / 2, (rect.top + rect.bottom) / 2]]))
    a, b = hold.at(number).forward(middle), hold.at(number + 1).forward(middle)
    return float(np.hypot(*(a - b)[0]))


def _in_light(there: F32, shows: Mask, picture: F32, known: Mask) -> F32:
    """Another frame in the light of the picture, compared where both show the surface: a slope, and what is left of it
    nearer by, without what is no light (someone who passes on one of them)."""
    both = halved((shows & known).astype(np.float32)) > 0.99
    if both.sum() < FEWEST:
        return there
    q = np.log(np.maximum(low_pass(halved(picture), 1.5), 0) + BLACK) - np.log(
        np.maximum(low_pass(halved(there), 1.5), 0) + BLACK
    )
    slope = affine(np.asarray(q, np.float32), np.ones_like(q), both)
    rest = q - slope
    spread = 1.4826 * np.median(np.abs(rest[both]), axis=0) + 1e-4
    belongs = both / (1 + (np.abs(rest) / (OUTLIER * spread)).max(-1) ** 4)
    field = slope + mean_outside(np.asarray(rest, np.float32), belongs.astype(np.float32), LIT_SIGMA)
    light = cv2.resize(np.clip(field, -LIT_MOST, LIT_MOST), there.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(there * np.exp(light), np.float32)


def _rest(
    picture: F32, unknown: Mask, left: Mask, fill: Fill, encoding: Encoding, guide: Plate | None, rect: Rect
) -> F32:  # fmt: skip
    """What was never uncovered: from the nearest plate, or filled. Raises HushError where there is nothing to take it from."""
    if fill.rest == "plate":
        if guide is None:
            raise HushError(NO_GUIDE, "no-plate")
        shown = guide.cut(rect)[1]
        lit = _in_light(shown, ~unknown, picture, ~unknown)
        return np.where(unknown[..., None], lit, picture).astype(np.float32)
    rows, cols = np.flatnonzero(left.any(1)), np.flatnonzero(left.any(0))
    size = int(REST_AROUND * max(np.ptp(rows), np.ptp(cols))) + 48
    part = Rect(int(cols[0]) - size, int(rows[0]) - size, int(cols[-1]) + size, int(rows[-1]) + size).clipped(
        picture.shape[1], picture.shape[0]
    )
    hole = unknown[part.slices]
    tonal = encoding.tonal_of(np.maximum(picture[part.slices], 0))
    if hole.all():
        raise HushError(NEVER, "never-uncovered")
    if fill.rest == "weave" and left.sum() < WOVEN_MOST:
        made = weave(tonal, hole, fill.smooth, fill.patch, None, fill.seed)
    else:
        made = soak(tonal, hole, fill.smooth)
    out = picture.copy()
    out[part.slices] = np.where(hole[..., None], encoding.from_tonal(made), out[part.slices])
    return out
