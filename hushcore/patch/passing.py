"""What passes in front of a mark on a frame: shapes, strands, and what was drawn to correct them."""

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from hushcore.arrays import F32, Mask, Rect, least, mean
from hushcore.edge import front, strands, unmix
from hushcore.edge.signs import Signs
from hushcore.hold.confidence import CELL
from hushcore.hold.record import Hold
from hushcore.light.fields import light_of
from hushcore.light.region import HALF, Pair, affine, full, halved
from hushcore.light.under import Under
from hushcore.patch.fix import Fix
from hushcore.patch.reading import Maps, Reading

ANYWHERE = 90.0  # px of drift
AGAIN = 2  # times that an edge is unmixed with what the last one told of the light
RESTLESS = 0.3  # log units of light that are usually not explained: its streaks would be taken for strands
COVERED = 0.05  # of a place; light is read where less than this is in front
SURE_LEAST, MISSED = 300, 0.2  # half-size places; log units of light by which they are missed
BY_CHANCE = 3.0  # spreads of their light, beyond which places are not the surface after all


def passing(reading: Reading, usable: Mask) -> tuple[unmix.Covering | None, Pair]:
    """What passes in front on a frame that can be read where it is ``usable`` (h, w); and now and then of the first plate, read
    where nothing is in front."""
    pair = reading.pair(usable)
    drawn = _drawn(reading)
    covering = _shapes(reading, pair, usable, drawn)
    if covering is not None:
        usable = usable & (covering.alpha < COVERED)
        pair = reading.pair(usable)
    thin = _strands(reading, pair, usable)
    if thin is None:
        return covering, pair
    thin = unmix.without(thin, drawn)
    return unmix.both(covering, thin), reading.pair(usable & (thin.alpha < COVERED))


def _shapes(
    reading: Reading, pair: Pair, usable: Mask, drawn: Sequence[tuple[F32, bool]]
) -> unmix.Covering | None:  # fmt: skip
    """Shapes in front, found as far as they are looked for, and drawn; None for nowhere."""
    shown = reading.shown(pair)
    found = _found(reading, shown) if _looked_for(reading) else None
    if found is None and not drawn:
        return None
    half, most_of_it = (np.zeros(shown.now.shape[:2], bool), None) if found is None else found
    there = cv2.resize(half.astype(np.uint8), shown.region.shape[::-1], interpolation=cv2.INTER_LINEAR) > 0
    return _unmixed(reading, front.corrected(np.asarray(there), drawn), drawn, usable, most_of_it)


def _looked_for(reading: Reading) -> bool:
    plan = reading.fix.plan
    return plan.front.auto and not plan.stands and places_known(reading.fix.hold, reading.frame)


def _found(reading: Reading, pair: Pair) -> tuple[Mask, F32] | None:
    """Where something passes in front, at half size, and how far it can be at most, at full size; None for nowhere."""
    fix, rect = reading.fix, reading.spot.rect
    usual, size = fix.evidence.usual, (pair.q.shape[0], pair.q.shape[1])
    here = None if usual is None else usual.over(rect.left, rect.top, size)
    shown = _signs(pair, reading.maps, reading.painted)
    half = front.found(
        shown, here, hidden_on(fix.hold, reading.frame, rect), fix.evidence.multiplies,
        lambda: front.gone(pair.now, pair.then, pair.slope),
    )  # fmt: skip
    half = front.spread(half, pair.now, shown, here)
    if not half.any():
        return None
    most_of_it = front.at_most(pair.now, pair.then, reading.painted, pair.slope, pair.gain)
    return half, full(most_of_it, pair.region)


def places_known(hold: Hold, frame: int) -> bool:
    """Whether it is known where the surface is. A lost frame that was bridged knows how far off it may be; any other may be
    anywhere."""
    row = hold.frames.get(frame)
    return row is None or not row.lost or row.drift_rms < ANYWHERE


def _strands(reading: Reading, read: Pair, usable: Mask) -> unmix.Covering | None:
    """What is too thin in front to be found as a shape; None where there is none."""
    fix = reading.fix
    usual, row = fix.evidence.usual, fix.hold.frames.get(reading.frame)
    if usual is None or usual.lines is None or fix.plan.stands or not fix.plan.front.auto:
        return None
    if (row is not None and row.lost) or usual.unexplained > RESTLESS:
        return None
    pair = reading.shown(read)
    seen = _lines(pair, fix, reading.frame, always=False)
    if seen is None:
        return None
    rect = reading.spot.rect
    here = usual.over(rect.left, rect.top, (pair.q.shape[0], pair.q.shape[1])).lines
    shown = None if here is None else strands.found(seen, here, pair.region.outside)
    if shown is None:
        return None
    lit = reading.original * np.exp(full(pair.slope, pair.region))
    return unmix.Covering(*strands.covering(*shown, reading.current, lit, usable))


def _lines(pair: Pair, fix: Fix, frame: int, always: bool = True) -> strands.Lines | None:
    row = fix.hold.frames.get(frame)
    drift = 0.0 if row is None else row.drift_rms
    return strands.lines(pair.q - pair.slope, pair.then, pair.region.usable > 0, drift, always)


def _drawn(reading: Reading) -> list[tuple[F32, bool]]:
    """What was drawn to correct it: how far each place is covered, and whether it is taken away."""
    out, frame, (map_x, map_y) = [], reading.frame, reading.maps
    for shape in (shape for shape in reading.fix.plan.front.shapes if shape.on(frame)):
        reach = Rect.around(np.array([[map_x.min(), map_y.min()], [map_x.max(), map_y.max()]])).grown(2)
        distance = shape.distance(frame, reach)[0]
        x, y = map_x - np.float32(reach.left), map_y - np.float32(reach.top)
        cover = cv2.remap(np.clip(distance + 0.5, 0, 1), x, y, cv2.INTER_LINEAR)
        out.append((np.asarray(cover, np.float32), shape.takes))
    return out


def _unmixed(
    reading: Reading, mask: Mask, drawn: Sequence[tuple[F32, bool]], usable: Mask, most_of_it: F32 | None
) -> unmix.Covering | None:  # fmt: skip
    """How far each place is in front, ``most_of_it`` at most: first by the light round about, then by the light read up to it."""
    fix, current, original = reading.fix, reading.current, reading.original
    said = front.corrected(np.zeros_like(mask), drawn)
    pair = reading.pair(usable & unmix.clear_of(mask))
    lit = original * np.exp(full(pair.slope, pair.region))
    covering = unmix.unmixed(mask, current, unmix.lit_round_about(mask, current, lit), drawn=said, most=most_of_it)
    mode, multiplies = fix.plan.light(fix.evidence)
    for _ in range(AGAIN):
        if covering is None:
            return None
        mask = front.corrected(covering.alpha > 0.5, drawn)
        light = light_of(mode, reading.pair(usable & unmix.clear_of(mask)), Under(multiplies, fix.plan.match.capped))
        covering = unmix.unmixed(mask, current, light.on(original), unmix.LIGHT_READ, said, most_of_it)
    row = fix.hold.frames.get(reading.frame)
    return covering if covering is None or row is None else unmix.within_edge(covering, row.drift_rms)


def signs_of(reading: Reading, read: Pair) -> Signs:
    """What a frame shows of the surface, place by place, with its lines."""
    pair = reading.shown(read)
    made = _signs(pair, reading.maps, reading.painted)
    shown = _lines(pair, reading.fix, reading.frame)
    return made if shown is None else replace(made, lines=shown.strength)


def _signs(pair: Pair, maps: Maps, painted: F32) -> Signs:
    x, y = (halved(side) for side in maps)
    (xv, xu), (yv, yu) = np.gradient(x), np.gradient(y)
    area = np.asarray((xu * yv - xv * yu) / HALF**2, np.float32)

    def made_by(slope: F32) -> Signs:
        return front.signs(pair.now, pair.then, painted, slope, pair.gain, pair.region.usable > 0, area)

    made = made_by(pair.slope)
    slope = _slope_of_surface(pair, front.surely(made))
    return made if slope is None else made_by(slope)


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
