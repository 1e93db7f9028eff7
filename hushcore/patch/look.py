"""A frame looked at on the still surface: what can be read there, and what passes in front."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Mask, Rect, least, mean, most
from hushcore.edge import front, strands, unmix
from hushcore.edge.signs import Signs
from hushcore.hold.confidence import CELL
from hushcore.hold.maps import HoldMap, dense_forward
from hushcore.hold.record import Hold
from hushcore.light.fields import light_of
from hushcore.light.region import CLIP_AT, HALF, Pair, Region, affine, full, halved
from hushcore.light.standing import without
from hushcore.light.under import Under
from hushcore.patch import place as places
from hushcore.patch.fix import LEAST_COVER, Fix, place_of
from hushcore.patch.motion import Blur, Smear, blur_between, blurred, blurred_where, halved_smear, longest, smear
from hushcore.patch.place import Place
from hushcore.patch.sheets import Sheet
from hushcore.plates.plate import sample_linear

Maps = tuple[F32, F32]


@dataclass(frozen=True)
class Seen:
    """A frame on the still surface: where the fix lies, the linear picture ``current`` (h, w, 3), what of it can be
    read, how it is ``smeared`` by motion, the ``blurs`` between it and each plate, what passes in front, and now and then of
    the first plate; without the ``gleam`` (h, w, 3) of a highlight that stands in the frame."""

    spot: Place
    smeared: Smear | None
    blurs: tuple[Blur, ...]
    current: F32
    covering: unmix.Covering | None
    first: Pair
    gleam: F32 | None = None
    maps: Maps | None = None

    @property
    def region(self) -> Region:
        """Where light is read."""
        return self.first.region

    def shown(self, fix: Fix) -> Pair:
        """Now, as it is, and then of the first plate: what is in front keeps its own edge."""
        return _as_it_is(self.first, halved(self.current), fix.sheets[0], self.blurs[0])

    def pair(self, k: int, fix: Fix) -> Pair:
        """Now and then of plate ``k``, at half size."""
        if k == 0:
            return self.first
        return _pair(halved(self.current), fix.sheets[k], self.blurs[k], self.region)


def _pair(now: F32, sheet: Sheet, blur: Blur, region: Region) -> Pair:
    """Now, and a plate then, at half size, each with what it lacks of the other's motion blur."""
    alike = blurred_where(now, region.usable, halved_smear(blur.frame))
    return Pair.of(alike, blurred(sheet.half, halved_smear(blur.plate)), region, sheet.steep)


def _as_it_is(pair: Pair, now: F32, sheet: Sheet, blur: Blur) -> Pair:
    """A pair whose frame is not smeared."""
    return pair if blur.frame is None else _pair(now, sheet, Blur(blur.plate), pair.region)


def look(codes: Codes, frame: int, fix: Fix) -> Seen | None:
    """A frame pulled back to the still surface, with what can be read of it; None where the fix does not show."""
    held = fix.hold.at(frame)
    smeared = smear(fix.hold, frame, held, fix.rect, fix.evidence.shutter)
    spot = place_of(fix, held, frame, codes, 0.0 if smeared is None else longest(smeared))
    if spot is None:
        return None
    if not fix.plan.match.blur:
        smeared = None
    blurs = tuple(_blur(fix, sheet, frame, held) for sheet in fix.sheets)
    maps = dense_forward(held, spot.rect)
    current = sample_linear(codes, *maps, fix.encoding)
    usable = _usable(codes, frame, fix, spot, maps)
    standing = fix.plan.gleam(fix.evidence)
    gleam = None if standing is None else standing.at(*maps)
    if gleam is not None:
        current = without(current, gleam)
        usable &= _free_of(gleam, spot)
        if fix.sheets[0].gleam is not None:
            usable &= _free_of(fix.sheets[0].gleam, spot)
    clip = CLIP_AT * fix.encoding.white(codes.dtype)

    def pair_of(usable: Mask) -> Pair:
        region = Region.around(spot.outside, usable.astype(np.float32), clip)
        return _pair(now, fix.sheets[0], blurs[0], region)

    now, smear_of_plate = halved(current), blurs[0].plate

    def shown_by(pair: Pair) -> Pair:
        return _as_it_is(pair, now, fix.sheets[0], blurs[0])

    first = pair_of(usable)
    shown = shown_by(first)
    drawn = _drawn(maps, frame, fix)
    mask, most_of_it = _found(shown, smear_of_plate, maps, frame, fix, spot.rect, bool(drawn))
    covering = None
    if mask is not None:
        mask = front.corrected(mask, drawn)
        covering = _unmixed(mask, drawn, current, usable, pair_of, fix, smear_of_plate, most_of_it)
    if covering is not None:
        usable = usable & (covering.alpha < COVERED)
        first = pair_of(usable)
        shown = shown_by(first)
    thin = _strands(shown, current, usable, smear_of_plate, frame, fix, spot.rect)
    if thin is not None:
        thin = unmix.without(thin, drawn)
        covering = unmix.both(covering, thin)
        first = pair_of(usable & (thin.alpha < COVERED))
    return Seen(spot, smeared, blurs, current, covering, first, gleam, maps)


def _blur(fix: Fix, sheet: Sheet, frame: int, held: HoldMap) -> Blur:
    """Between a frame and a plate; pictures put together from several frames are taken as sharp."""
    if not fix.plan.match.blur:
        return Blur()
    own = None if fix.plan.from_others else sheet.frame
    return blur_between(fix.hold, frame, held, own, fix.rect, fix.evidence.shutter)


ANYWHERE = 90.0  # px of drift
READ_LEAST = 0.12  # how square-on a place is seen: with less it has all but turned away
AGAIN = 2  # times that an edge is unmixed with what the last one told of the light
RESTLESS = 0.3  # log units of light that are usually not explained: its streaks would be taken for strands
COVERED = 0.05  # of a place; light is read where less than this is in front
SURE_LEAST, MISSED = 300, 0.2  # half-size places; log units of light by which they are missed
BY_CHANCE = 3.0  # spreads of their light, beyond which places are not the surface after all
FAINT, STRONG = 0.02, 0.15  # linear: a highlight that does not matter; one under which nothing can be read


def _free_of(gleam: F32, spot: Place) -> Mask:
    """Where light can be read beside a highlight: not where it is strong, for little is left when it is taken off; and
    not on the mark where it would be seen at all, for the mark may be dull."""
    level = most(gleam)
    return np.asarray(np.where(spot.outside > 0, level < STRONG, level < FAINT))


def _usable(codes: Codes, frame: int, fix: Fix, spot: Place, maps: Maps) -> Mask:
    """Where the frame shows the surface."""
    map_x, map_y = maps
    height, width = codes.shape[:2]
    usable = (map_x >= 0) & (map_y >= 0) & (map_x <= width - 1) & (map_y <= height - 1)
    if spot.slant is not None:
        usable &= spot.slant > READ_LEAST
    if fix.plan.stands:
        # pictures put together from other frames are without the mark
        others = () if fix.plan.from_others else tuple(sheet.frame for sheet in fix.sheets)
        for number in (frame, *others):
            if fix.hold.has(number):
                usable &= places.standing(fix.hold.at(number), spot.rect, fix.plan.edge, number)[0] < LEAST_COVER
    return np.asarray(usable)


def _found(
    pair: Pair, smeared: Smear | None, maps: Maps, frame: int, fix: Fix, rect: Rect, drawn: bool
) -> tuple[Mask | None, F32 | None]:  # fmt: skip
    """Where something passes in front, as far as it is looked for, and how far it can be at most; None for nowhere, unless
    something is ``drawn``."""
    most_of_it: F32 | None = None
    placed = places_known(fix.hold, frame)
    half: Mask = np.zeros((pair.q.shape[0], pair.q.shape[1]), bool)
    if fix.plan.front.auto and not fix.plan.stands and placed:
        usual, size = fix.evidence.usual, (half.shape[0], half.shape[1])
        here = None if usual is None else usual.over(rect.left, rect.top, size)
        hidden = hidden_on(fix.hold, frame, rect)
        shown = signs_of(pair, fix, maps, smeared)
        gone = front.gone(pair.now, pair.then, pair.slope) if shown.brighter.any() else None
        half = front.spread(front.found(shown, here, hidden, fix.evidence.multiplies, gone), pair.now, shown, here)
        if half.any():
            most = front.at_most(pair.now, pair.then, _painted(fix, smeared), pair.slope, pair.gain)
            most_of_it = full(most, pair.region)
    if not drawn and not half.any():
        return None, None
    there = cv2.resize(half.astype(np.uint8), pair.region.shape[::-1], interpolation=cv2.INTER_LINEAR) > 0
    return np.asarray(there), most_of_it


def places_known(hold: Hold, frame: int) -> bool:
    """Whether it is known where the surface is. A lost frame that was bridged knows how far off it may be; any other may be
    anywhere."""
    row = hold.frames.get(frame)
    return row is None or not row.lost or row.drift_rms < ANYWHERE


def _strands(
    pair: Pair, current: F32, usable: Mask, smeared: Smear | None, frame: int, fix: Fix, rect: Rect
) -> unmix.Covering | None:  # fmt: skip
    """What is too thin in front to be found as a shape; None where there is none."""
    usual, row = fix.evidence.usual, fix.hold.frames.get(frame)
    if usual is None or usual.lines is None or fix.plan.stands or not fix.plan.front.auto:
        return None
    if (row is not None and row.lost) or usual.unexplained > RESTLESS:
        return None
    seen = _lines(pair, fix, frame, always=False)
    if seen is None:
        return None
    here = usual.over(rect.left, rect.top, (pair.q.shape[0], pair.q.shape[1])).lines
    shown = None if here is None else strands.found(seen, here, pair.region.outside)
    if shown is None:
        return None
    original = blurred(fix.sheets[0].original, smeared)
    lit = original * np.exp(full(pair.slope, pair.region))
    return unmix.Covering(*strands.covering(*shown, current, lit, usable))


def _lines(pair: Pair, fix: Fix, frame: int, always: bool = True) -> strands.Lines | None:
    row = fix.hold.frames.get(frame)
    drift = 0.0 if row is None else row.drift_rms
    return strands.lines(pair.q - pair.slope, pair.then, pair.region.usable > 0, drift, always)


def _drawn(maps: Maps, frame: int, fix: Fix) -> list[tuple[F32, bool]]:
    """What was drawn to correct it: how far each place is covered, and whether it is taken away."""
    out = []
    for shape in (shape for shape in fix.plan.front.shapes if shape.on(frame)):
        reach = Rect.around(np.array([[maps[0].min(), maps[1].min()], [maps[0].max(), maps[1].max()]])).grown(2)
        distance = shape.distance(frame, reach)[0]
        x, y = maps[0] - np.float32(reach.left), maps[1] - np.float32(reach.top)
        cover = cv2.remap(np.clip(distance + 0.5, 0, 1), x, y, cv2.INTER_LINEAR)
        out.append((np.asarray(cover, np.float32), shape.takes))
    return out


def _unmixed(
    mask: Mask, drawn: Sequence[tuple[F32, bool]], current: F32, usable: Mask, pair_of: Callable[[Mask], Pair], fix: Fix,
    smeared: Smear | None, most_of_it: F32 | None,
) -> unmix.Covering | None:  # fmt: skip
    """How far each place is in front, ``most_of_it`` at most: first by the light round about, then by the light read up to it."""
    said = front.corrected(np.zeros_like(mask), drawn)
    original = blurred(fix.sheets[0].original, smeared)
    pair = pair_of(usable & unmix.clear_of(mask))
    lit = original * np.exp(full(pair.slope, pair.region))
    covering = unmix.unmixed(mask, current, unmix.lit_round_about(mask, current, lit), drawn=said, most=most_of_it)
    mode, multiplies = fix.plan.light(fix.evidence)
    for _ in range(AGAIN):
        if covering is None:
            return None
        mask = front.corrected(covering.alpha > 0.5, drawn)
        light = light_of(mode, pair_of(usable & unmix.clear_of(mask)), Under(multiplies, fix.plan.match.capped))
        covering = unmix.unmixed(mask, current, light.on(original), unmix.LIGHT_READ, said, most_of_it)
    return covering


def _painted(fix: Fix, smeared: Smear | None) -> F32:
    """The first plate's retouch at half size, smeared as the frame is."""
    return blurred(halved(fix.sheets[0].painted), halved_smear(smeared))


def signs_of(pair: Pair, fix: Fix, maps: Maps, smeared: Smear | None, frame: int | None = None) -> Signs:
    """What a frame shows of the surface, place by place; its ``lines`` where the ``frame`` is named."""
    painted = _painted(fix, smeared)
    x, y = (halved(side) for side in maps)
    (xv, xu), (yv, yu) = np.gradient(x), np.gradient(y)
    area = np.asarray((xu * yv - xv * yu) / HALF**2, np.float32)

    def made_by(slope: F32) -> Signs:
        return front.signs(pair.now, pair.then, painted, slope, pair.gain, pair.region.usable > 0, area)

    made = made_by(pair.slope)
    slope = _slope_of_surface(pair, front.surely(made))
    made = made if slope is None else made_by(slope)
    shown = None if frame is None else _lines(pair, fix, frame)
    return made if shown is None else replace(made, lines=shown.strength)


def _slope_of_surface(pair: Pair, sure: Mask) -> F32 | None:
    """The light of those places of the ring that are ``sure`` to show the surface, where that of all misses it; else None. Beside
    a silhouette most of a ring may show what is behind."""
    inside = sure & pair.region.in_ring & (least(pair.weight) > 0)
    if inside.sum() < SURE_LEAST:
        return None
    level = mean(pair.q)
    usual = float(np.median(level[inside]))
    apart = np.abs(level - usual)
    inside &= apart < BY_CHANCE * 1.4826 * float(np.median(apart[inside])) + MISSED  # some look like it by chance
    missed = float(np.median(np.abs(level - mean(pair.slope))[inside]))
    if missed < MISSED:
        return None
    slope = affine(pair.q, pair.weight, inside)
    if float(np.median(np.abs(level - mean(slope))[inside])) > missed / 2:
        return None
    there = slope[inside]
    return np.asarray(np.clip(slope, there.min(0), there.max(0)), np.float32)


def hidden_on(hold: Hold, frame: int, rect: Rect) -> F32 | None:
    """How far (0..1) the hold saw its ground covered, over ``rect`` at half size; None where it does not know."""
    row = hold.frames.get(frame)
    if row is None or row.cells is None:
        return None
    cells = np.where(row.cells <= 9, 1 - row.cells.astype(np.float32) / 9, 0).astype(np.float32)
    x = (np.arange(rect.left, rect.right, HALF, dtype=np.float32) + 0.5 - hold.corner[0]) / CELL - 0.5
    y = (np.arange(rect.top, rect.bottom, HALF, dtype=np.float32) + 0.5 - hold.corner[1]) / CELL - 0.5
    return np.asarray(cv2.remap(cells, *np.meshgrid(x, y), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))
