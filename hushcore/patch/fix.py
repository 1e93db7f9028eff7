"""Laying a fix into a frame: relight the plates on the still surface, carry them to the frame, mix them in by the matte.

Light is matched and mixed in scene-linear; grain is laid in tonal values; codes outside the matte are never touched.
"""

import zlib
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Mask, Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.edge import front
from hushcore.geometry import sampling
from hushcore.hold.maps import HoldMap, dense_forward
from hushcore.hold.record import Hold
from hushcore.light import fields, ring, steady
from hushcore.light.fields import Light
from hushcore.light.region import CLIP_AT, HALF, Pair, Region, full, halved
from hushcore.light.under import Under
from hushcore.patch import place as places
from hushcore.patch.finish import finish_of, grained
from hushcore.patch.motion import Smear, blurred, halved_smear, smear
from hushcore.patch.place import Place
from hushcore.patch.plan import Evidence, Plan
from hushcore.patch.sheets import Sheet, prepared
from hushcore.plates.art import Art
from hushcore.plates.blend import by_light, by_time
from hushcore.plates.plate import Plate, sample_linear

Reader = Callable[[int], Codes]
MARGIN = 28  # px round the matte for the ring
LEAST_COVER = 1 / 4096  # of a mix; below it no code changes
LIGHTS_KEPT = 2 * steady.REACH + 2


@dataclass(frozen=True)
class Fix:
    """Everything that stays the same through the shot. ``rect`` of the still surface holds the mark and its ring.

    ``matte``: on the still surface, when it is the same on all frames. ``read``: frames for light that is averaged
    over time. ``seed`` names the fix, so that grain differs between fixes and not between runs.
    """

    hold: Hold
    plan: Plan
    rect: Rect
    sheets: tuple[Sheet, ...]
    matte: F32 | None
    outside: F32 | None
    evidence: Evidence = field(default_factory=Evidence)
    encoding: Encoding = SRGB
    read: Reader | None = None
    seed: int = 0
    lights: OrderedDict[tuple[int, int], Light] = field(default_factory=OrderedDict, compare=False)

    @property
    def reach(self) -> int:
        """How many frames either side of one the hold must know to lay it."""
        return steady.REACH + 1 if self.plan.match.steady > 0 else 1


@dataclass(frozen=True)
class Laid:
    """A patched frame: codes, the rectangle that was worked on, and the matte (h, w) within it."""

    codes: Codes
    rect: Rect
    matte: F32


@dataclass(frozen=True)
class Seen:
    """A frame on the still surface: linear picture, where it can be read, and what passes in front."""

    current: F32
    region: Region
    covering: front.Covering | None


@dataclass(frozen=True)
class Candidate:
    """What takes a mark's place, on the still surface: ``scale`` (h, w, 3) of the frame's own picture (None: nothing of
    it) plus ``added`` (h, w, 3); the share ``cover`` (h, w) of the matte that it takes (None: all); ``grain``: times
    the measured strength that is laid on it."""

    scale: F32 | None
    added: F32
    cover: F32 | None
    grain: float


def make_fix(
    hold: Hold,
    plan: Plan,
    plates: Sequence[tuple[int, Plate]],
    evidence: Evidence | None = None,
    art: Art | None = None,
    read: Reader | None = None,
    seed: int = 0,
) -> Fix:
    """Prepare a fix from its plates (frame and plate each). Raises HushError for a plan that cannot be laid."""
    plan.check()
    evidence = evidence or Evidence()
    encoding = plates[0][1].encoding
    rect = _still_rect(hold, plan).within(_union([plate.rect for _, plate in plates]).grown(MARGIN))
    fixed = not plan.stands and not plan.edge.changes
    matte = plan.edge.matte(rect) if fixed else None
    sheets = tuple(
        prepared(plate, frame, rect, plan, evidence, art, encoding.white("uint16")) for frame, plate in plates
    )
    outside = None if matte is None else places.outside_of(matte)
    return Fix(hold, plan, rect, sheets, matte, outside, evidence, encoding, read, seed)


def _still_rect(hold: Hold, plan: Plan) -> Rect:
    """What a fix needs of the still surface: round the edge, or all that a standing mark passes over."""
    rect = plan.edge.rect()
    if not plan.stands:
        return rect.grown(MARGIN)
    corners = [hold.at(frame).inverse(rect.corners) for frame in (hold.anchor, *hold.frames)]
    return Rect.around(np.concatenate(corners)).grown(MARGIN)


def _union(rects: Sequence[Rect]) -> Rect:
    return Rect.around(np.concatenate([rect.corners for rect in rects]))


def lay(codes: Codes, frame: int, fix: Fix) -> Laid:
    """One fix on one frame. ``codes`` (h, w, c) is not changed. Raises HushError when the frame is not held."""
    held = fix.hold.at(frame)
    spot = place_of(fix, held, frame, codes)
    if spot is None:
        return Laid(codes, Rect(0, 0, 0, 0), np.zeros((0, 0), np.float32))
    made_of = candidate(codes, frame, held, spot, fix)
    scale, added, cover = made_of.scale, made_of.added, made_of.cover
    laid = _warped(added, spot)
    own = None if scale is None else _warped(scale, spot)
    matte = spot.cover if cover is None else spot.cover * _plane(cover, spot)
    inside = matte > LEAST_COVER
    if not inside.any():
        return Laid(codes, spot.target, np.zeros_like(matte))
    beneath = _linear(codes[spot.target.slices], fix.encoding)
    made = laid if own is None else laid + own * beneath
    grain = fix.evidence.grain
    if grain is not None and made_of.grain > 0:
        kept = None if own is None else np.clip(own, 0, 1)
        seed = zlib.crc32(f"{fix.seed} {frame}".encode())
        made = grained(made, matte, grain, made_of.grain, kept, seed, fix.encoding)
    return Laid(mix(codes, spot.target, made, matte, fix.encoding), spot.target, matte)


def place_of(fix: Fix, held: HoldMap, frame: int, codes: Codes) -> Place | None:
    """Where the fix lies on a frame; None when it does not show there."""
    size = (codes.shape[1], codes.shape[0])
    if fix.plan.stands:
        return places.in_frame(held, fix.rect, fix.plan.edge, frame, size)
    matte = fix.matte if fix.matte is not None else fix.plan.edge.matte(fix.rect, frame)
    outside = fix.outside if fix.outside is not None else places.outside_of(matte)
    return places.on_surface(held, fix.rect, matte, outside, size) if matte.any() else None


def candidate(codes: Codes, frame: int, held: HoldMap, spot: Place, fix: Fix) -> Candidate:
    """What takes the mark's place on a frame."""
    match = fix.plan.match
    smeared = smear(fix.hold, frame, held, spot.rect, fix.evidence.shutter) if match.blur else None
    seen = look(codes, frame, held, spot, fix, smeared)
    weights = _weights(fix, frame)
    used = [k for k, weight in enumerate(weights) if weight > 0] if fix.plan.blend == "time" else range(len(weights))
    lights = {k: light_at(frame, k, seen, smeared, fix) for k in used}
    parts = {k: _part(fix.sheets[k], lights[k], smeared) for k in used}
    shares: dict[int, F32 | float] = {k: weights[k] for k in used}
    if fix.plan.blend == "light" and len(used) > 1:
        allowed = [_uncovered(fix, sheet) for sheet in fix.sheets]
        shares = dict(enumerate(by_light([lights[k].gain for k in used], allowed)))
    added = _sum([np.asarray(shares[k] * parts[k][1], np.float32) for k in used])
    scale = (
        _sum([np.asarray(shares[k] * parts[k][0], np.float32) for k in used])
        if fix.sheets[0].ratio is not None
        else None
    )
    cover = fix.sheets[used[0]].cover
    if cover is not None and smeared is not None:
        cover = blurred(np.repeat(cover[..., None], 3, 2), smeared)[..., 0]
    grain = 0.0
    if fix.evidence.grain is not None and match.grain != "off":
        finish = finish_of(seen.current, added, seen.region, fix.evidence.grain, fix.encoding, match.sharpness)
        grain, added = match.grain_amount * finish.grain, finish.on(added)
    made = Candidate(scale, added, cover, grain)
    if seen.covering is None:
        return made
    return _in_front(seen.covering, made, blurred(fix.sheets[used[0]].original, smeared), lights[used[0]])


def _sum(parts: Sequence[F32]) -> F32:
    return parts[0] if len(parts) == 1 else np.asarray(np.add.reduce(parts), np.float32)


def _in_front(covering: front.Covering, made: Candidate, original: F32, light: Light) -> Candidate:
    """Where something passes in front, only the difference of patch and mark is laid, by what is not covered.

    The frame there is a f + (1 - a) mark, so that adding (1 - a) (patch - mark) gives a f + (1 - a) patch exactly.
    """
    near, share = covering.near[..., None], 1 - covering.alpha
    scale = np.zeros_like(made.added) if made.scale is None else made.scale
    beneath = light.on(original)
    # near the front the frame's own picture is kept, and the mark as it is lit taken off it
    added = made.added - near * ((1 - scale) * beneath)
    cover = share if made.cover is None else share * made.cover
    return Candidate(scale + near * (1 - scale), added, cover, made.grain)


def look(codes: Codes, frame: int, held: HoldMap, spot: Place, fix: Fix, smeared: Smear | None) -> Seen:
    """The frame pulled back to the still surface, with what can be read of it."""
    map_x, map_y = dense_forward(held, spot.rect)
    height, width = codes.shape[:2]
    usable = (map_x >= 0) & (map_y >= 0) & (map_x <= width - 1) & (map_y <= height - 1)
    current = sample_linear(codes, map_x, map_y, fix.encoding)
    if fix.plan.stands:
        for number in (frame, *(sheet.frame for sheet in fix.sheets)):
            if fix.hold.has(number):
                usable &= places.standing(fix.hold.at(number), spot.rect, fix.plan.edge, number)[0] < LEAST_COVER
    clip = CLIP_AT * fix.encoding.white(codes.dtype)
    covering = _covering(current, smeared, usable, spot, (map_x, map_y), frame, fix, clip)
    if covering is not None:
        usable = usable & (covering.alpha < 0.05)
    region = Region.around(spot.outside, usable.astype(np.float32), clip)
    return Seen(current, region, covering)


def _covering(
    current: F32,
    smeared: Smear | None,
    usable: Mask,
    spot: Place,
    maps: tuple[F32, F32],
    frame: int,
    fix: Fix,
    clip: float,
) -> front.Covering | None:
    """What passes in front, found and corrected; None for nothing."""
    plan = fix.plan.front
    shapes = [shape for shape in plan.shapes if shape.on(frame)]
    hidden = hidden_on(fix.hold, frame, spot.rect) if plan.auto and not fix.plan.stands else None
    if not shapes and (hidden is None or (hidden > 0.5).mean() < front.HIDDEN_SHARE * front.SMALLEST_SHARE):
        return None
    region = Region.around(spot.outside, usable.astype(np.float32), clip)
    now, then = halved(current), blurred(fix.sheets[0].half, halved_smear(smeared))
    light = ring.slope(Pair.of(now, then, region))
    half = front.found(now, then * np.exp(light), region.usable > 0, hidden, fix.evidence.multiplies)
    if not shapes and not half.any():
        return None
    mask = cv2.resize(half.astype(np.uint8), region.shape[::-1], interpolation=cv2.INTER_LINEAR) > 0
    lit = blurred(fix.sheets[0].original, smeared) * np.exp(full(light, region))
    drawn = []
    for shape in shapes:
        reach = Rect.around(np.array([[maps[0].min(), maps[1].min()], [maps[0].max(), maps[1].max()]])).grown(2)
        distance = shape.distance(frame, reach)[0]
        x, y = maps[0] - np.float32(reach.left), maps[1] - np.float32(reach.top)
        drawn.append((cv2.remap(np.clip(distance + 0.5, 0, 1), x, y, cv2.INTER_LINEAR), shape.takes))
    return front.unmixed(front.corrected(mask, drawn), current, lit)


def hidden_on(hold: Hold, frame: int, rect: Rect) -> F32 | None:
    """How far (0..1) the hold saw its ground covered, over ``rect`` at half size; None where it does not know."""
    row = hold.frames.get(frame)
    if row is None or row.cells is None:
        return None
    from hushcore.hold.confidence import CELL

    cells = np.where(row.cells <= 9, 1 - row.cells.astype(np.float32) / 9, 0).astype(np.float32)
    x = (np.arange(rect.left, rect.right, HALF, dtype=np.float32) + 0.5 - hold.corner[0]) / CELL - 0.5
    y = (np.arange(rect.top, rect.bottom, HALF, dtype=np.float32) + 0.5 - hold.corner[1]) / CELL - 0.5
    return np.asarray(cv2.remap(cells, *np.meshgrid(x, y), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def _weights(fix: Fix, frame: int) -> list[float]:
    if len(fix.sheets) == 1:
        return [1.0]
    return by_time([sheet.frame for sheet in fix.sheets], frame)


def _uncovered(fix: Fix, sheet: Sheet) -> F32 | None:
    """Where a plate shows the surface: a standing mark lies elsewhere on each."""
    if not fix.plan.stands or not fix.hold.has(sheet.frame):
        return None
    matte = places.standing(fix.hold.at(sheet.frame), fix.rect, fix.plan.edge, sheet.frame)[0]
    painted = np.abs(sheet.painted - sheet.original).max(-1) > 1e-5
    return np.where(painted, 1, 1 - matte).astype(np.float32)


def light_at(frame: int, k: int, seen: Seen, smeared: Smear | None, fix: Fix) -> Light:
    """The light of a frame for plate ``k``, averaged over time if that is asked."""
    match = fix.plan.match
    how = Under(fix.evidence.multiplies, match.capped)
    then = blurred(fix.sheets[k].half, halved_smear(smeared))
    light = fields.light_of(match.light, halved(seen.current), then, seen.region, how)
    if match.steady > 0 and fix.read is not None and match.light not in ("off", "even", "slope"):
        light = steady.steadied(_around(frame, k, light, fix), frame, match.steady)
    return light.times(match.strength)


def _around(frame: int, k: int, light: Light, fix: Fix) -> dict[int, Light]:
    """The lights of the frames about one, kept from frame to frame."""
    assert fix.read is not None
    kept = fix.lights
    kept[frame, k] = light
    plain = replace(fix, plan=replace(fix.plan, match=replace(fix.plan.match, steady=0.0, strength=1.0)))
    for number in range(frame - steady.REACH, frame + steady.REACH + 1):
        if (number, k) in kept or not fix.hold.has(number):
            continue
        codes, held = fix.read(number), fix.hold.at(number)
        spot = place_of(plain, held, number, codes)
        if spot is None:
            continue
        smeared = smear(fix.hold, number, held, spot.rect, fix.evidence.shutter) if fix.plan.match.blur else None
        kept[number, k] = light_at(number, k, look(codes, number, held, spot, plain, smeared), smeared, plain)
    while len(kept) > LIGHTS_KEPT * len(fix.sheets):
        kept.popitem(last=False)
    return {number: kept[number, which] for number, which in kept if which == k}


def _part(sheet: Sheet, light: Light, smeared: Smear | None) -> tuple[F32 | float, F32]:
    """One plate's share: scale of the frame's own picture, and what is added to it."""
    made = light.on(blurred(sheet.painted, smeared))
    if sheet.ratio is None or sheet.trust is None:
        return 0.0, made
    ratio, trust = blurred(sheet.ratio, smeared), sheet.trust
    # a veil of added light is not multiplied: R (J - b) + b
    veil = 0 if light.added is None else light.added * (1 - ratio)
    return trust * ratio, np.asarray(trust * veil + (1 - trust) * made, np.float32)


def _warped(picture: F32, spot: Place) -> F32:
    out = np.empty((*spot.map_x.shape, 3), np.float32)
    sampling.cubic_spline(sampling.spline_coefficients(picture), spot.map_x, spot.map_y, out)
    return out


def _plane(values: F32, spot: Place) -> F32:
    out = np.empty(spot.map_x.shape, np.float32)
    sampling.bilinear(np.ascontiguousarray(values, np.float32), spot.map_x, spot.map_y, out)
    return out


def _linear(codes: Codes, encoding: Encoding) -> F32:
    colour = codes[..., :3]
    return encoding.decode(np.repeat(colour, 3, axis=2) if colour.shape[2] < 3 else colour)


def mix(codes: Codes, target: Rect, patch: F32, matte: F32, encoding: Encoding = SRGB) -> Codes:
    """A copy of ``codes`` with the linear ``patch`` mixed into ``target`` where the matte covers."""
    out = codes.copy()
    part = out[target.slices]
    inside = matte > LEAST_COVER
    if not inside.any():
        return out
    colour = part[..., :3]
    grey = colour.shape[2] < 3
    kept = colour[inside]
    base = encoding.decode(np.repeat(kept, 3, axis=1) if grey else kept)
    cover = matte[inside][:, None]
    made = patch[inside]
    laid = encoding.encode(base + cover * (made - base), codes.dtype)
    if grey:
        luma = np.asarray(laid, np.float64) @ np.array([0.2126, 0.7152, 0.0722])
        laid = np.asarray(luma if laid.dtype.kind == "f" else np.rint(luma), laid.dtype)[:, None]
    colour[inside] = laid
    return out


def lay_all(codes: Codes, frame: int, fixes: Sequence[Fix]) -> tuple[Codes, list[Laid]]:
    """A stack of fixes in order; each sees the result of those before it."""
    laid = []
    for fix in fixes:
        result = lay(codes, frame, fix)
        codes = result.codes
        laid.append(result)
    return codes, laid
