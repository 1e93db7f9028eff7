"""What takes a mark's place on a frame: plates in the frame's light, mixed, as sharp as the frame, behind what is in front."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, mean
from hushcore.edge import unmix
from hushcore.fill.borrow import in_light_of
from hushcore.fill.make import hole_of
from hushcore.light import fields, steady
from hushcore.light.fields import Light
from hushcore.light.region import halved
from hushcore.light.under import Under
from hushcore.patch import place as places
from hushcore.patch import redone
from hushcore.patch.filling import taken_from
from hushcore.patch.finish import RESAMPLED, finish_of
from hushcore.patch.fix import Fix
from hushcore.patch.look import Seen, look
from hushcore.patch.motion import Smear, blurred, usual
from hushcore.patch.passing import places_known
from hushcore.patch.sheets import Sheet
from hushcore.plates.blend import by_guides, by_light, by_time

MOST_LEFT = 0.9  # of the grain, in the plate
TINTED = 0.25  # log units by which a mark is of another colour than its surface, to be called strongly coloured
BEHIND = 0.8  # log units by which a place is brighter that is not the surface's
FALLS = 0.3  # log units over which the patch fades
LEAST_RISEN, SOFT = 5.0, 1.5  # percentile of the ring's own rise, for the light may have changed; px
PLAIN = 0.15  # alpha from which the frame's own light counts in full
SHORT = 0.2  # of a mark that the frame cannot hold: then light was read wrong
LEFT_LEAST = 0.8  # of what would be left of the frame's light, were all of it the mark's: the rest is noise
BESIDE_KEPT = 2  # before and after the lost frames
LIGHTS_KEPT = 2 * steady.REACH + 2


@dataclass(frozen=True)
class Candidate:
    """What takes a mark's place, on the still surface: ``scale`` (h, w, 3) of the frame's own picture (None: nothing of
    it) plus ``added`` (h, w, 3); the share ``cover`` (h, w) of the matte that it takes (None: all); ``grain``: times
    the measured strength that is laid on it; ``lights`` of the plates that were used; ``least`` (h, w, 3): the share of the
    frame's own light that is left at least (0: nothing is known of it)."""

    scale: F32 | None
    added: F32
    cover: F32 | None
    grain: float
    lights: dict[int, Light]
    least: F32 | None = None


def candidate(seen: Seen, codes: Codes, frame: int, fix: Fix) -> Candidate:
    """What takes the mark's place on a frame; ``codes``: the frame itself."""
    return _SOURCES.get(fix.plan.source, _from_plates)(seen, codes, frame, fix)


def _from_plates(seen: Seen, codes: Codes, frame: int, fix: Fix) -> Candidate:
    """Plates in the frame's light, mixed."""
    match = fix.plan.match
    # artwork is as sharp as it was drawn, whatever its plate's frame was
    smears = [
        seen.smeared if sheet.cover is not None else blur.plate
        for sheet, blur in zip(fix.sheets, seen.blurs, strict=True)
    ]
    weights = _weights(fix, frame)
    timed = fix.plan.blend == "time" or fix.plan.source == "fill"
    used = [k for k, weight in enumerate(weights) if weight > 0] if timed else range(len(weights))
    lights = {k: light_at(frame, k, seen, fix) for k in used}
    parts = {k: _part(fix.sheets[k], lights[k], smears[k]) for k in used}
    shares: dict[int, F32 | float] = {k: weights[k] for k in used}
    if not timed and len(used) > 1:
        allowed = [_uncovered(fix, sheet) for sheet in fix.sheets]
        shares = dict(enumerate(by_light([lights[k].gain for k in used], allowed)))
    added = _sum([np.asarray(shares[k] * parts[k][1], np.float32) for k in used])
    scale = (
        _sum([np.asarray(shares[k] * parts[k][0], np.float32) for k in used])
        if fix.sheets[0].ratio is not None
        else None
    )
    cover, smeared = fix.sheets[used[0]].cover, smears[used[0]]
    if cover is not None and smeared is not None:
        cover = blurred(np.repeat(cover[..., None], 3, 2), smeared)[..., 0]
    grain = 0.0
    live = _live(seen, codes, frame, fix, added)
    if live is not None:
        added, grain = live, _lost_grain(fix)
    elif fix.evidence.grain is not None and match.grain != "off":
        left = min(fix.sheets[used[0]].left / max(1.0, 0.0 if smeared is None else usual(smeared)), MOST_LEFT)
        finish = finish_of(
            seen.current, added, seen.region, fix.evidence.grain, left, fix.encoding, match.sharpness, seen.maps
        )
        grain, added = match.grain_amount * finish.grain, finish.on(added)
    if seen.gleam is not None:
        added = added + seen.gleam
    shown = _shown_as_lit_beside(frame, used[0], lights[used[0]], seen, fix)
    if shown is not None:
        cover = shown if cover is None else cover * shown
    made = Candidate(scale, added, cover, grain, lights)
    if seen.covering is None:
        return made
    mark = lights[used[0]].on(blurred(fix.sheets[used[0]].original, seen.blurs[used[0]].plate))
    return _in_front(seen.covering, made, mark, seen.current)


def _live(seen: Seen, codes: Codes, frame: int, fix: Fix, wanted: F32) -> F32 | None:
    """A donor as this very frame shows it, in the light that is ``wanted`` at the mark; None where it is not taken anew, or
    cannot be seen."""
    fill = fix.plan.fill
    if fix.plan.source != "fill" or fill is None or fill.kind != "borrow":
        return None
    if not fill.moves and fix.donor is None:
        return None
    # the hole's own rectangle may be smaller: both are over the fix's
    around, part = hole_of(fix.plan.edge, frame, seen.spot.rect)
    hole = np.zeros(seen.spot.matte.shape, bool)
    hole[around.moved(-seen.spot.rect.left, -seen.spot.rect.top).slices] = part
    taken = taken_from(codes, frame, seen.spot.rect, hole, fill, fix.donor or fix.hold, fix.encoding)
    return None if taken is None else in_light_of(taken, wanted, (seen.spot.matte > 0).astype(np.float32))


def _lost_grain(fix: Fix) -> float:
    """Times the measured grain: what two resamplings have taken off the frame's own."""
    if fix.evidence.grain is None or fix.plan.match.grain == "off":
        return 0.0
    return fix.plan.match.grain_amount * float(np.sqrt(1 - RESAMPLED**2))


def _redone(seen: Seen, codes: Codes, frame: int, fix: Fix) -> Candidate:
    """The strokes on the frame's own pixels."""
    strokes = list(fix.plan.strokes)
    made, cover = redone.painted_on(seen.current, seen.spot.rect, strokes, frame, fix.encoding, fix.donors)
    return Candidate(None, made, _behind(seen, cover), _lost_grain(fix), {})


def _softened(seen: Seen, codes: Codes, frame: int, fix: Fix) -> Candidate:
    """The frame's own tone, smoothed."""
    assert fix.plan.soften is not None
    scale, added = redone.softened_on(seen.current, fix.plan.soften, fix.creases, fix.encoding)
    cover = None if seen.covering is None else _behind(seen, np.ones(seen.spot.matte.shape, np.float32))
    return Candidate(scale, added, cover, 0.0, {})


def _behind(seen: Seen, cover: F32) -> F32:
    """A cover with what passes in front left as it is."""
    return cover if seen.covering is None else np.asarray(cover * (1 - seen.covering.alpha), np.float32)


Source = Callable[[Seen, Codes, int, Fix], Candidate]
_SOURCES: dict[str, Source] = {"retrace": _redone, "soften": _softened}


def _sum(parts: Sequence[F32]) -> F32:
    return parts[0] if len(parts) == 1 else np.asarray(np.add.reduce(parts), np.float32)


def _in_front(covering: unmix.Covering, made: Candidate, mark: F32, current: F32) -> Candidate:
    """Where something passes in front, only the difference of patch and ``mark``, as it is lit, is laid, by what is not covered.

    The frame there is a f + (1 - a) mark, so that adding (1 - a) (patch - mark) gives a f + (1 - a) patch exactly. As f gives
    light and takes none, at least patch / mark of the frame is left, however wrong the edge or the light was read. Where hardly
    anything is in front, the frame itself is made as dark as that, for its grain is that of a brighter mark.
    """
    near = covering.near[..., None]
    share = 1 - covering.alpha
    held = unmix.at_most(current, share[..., None] * mark)
    share = np.asarray(share * (1 - covering.near * (1 - held)), np.float32)
    scale = np.zeros_like(made.added) if made.scale is None else made.scale
    left = np.clip((scale * mark + made.added) / np.maximum(mark, unmix.BLACK), 0, 1)
    plain = (1 - np.clip(covering.alpha / PLAIN, 0, 1)) * np.clip(1 - (1 - held) / SHORT, 0, 1)
    own = 1 - (1 - left) * plain[..., None]
    # near the front the frame's own picture is kept, and the mark taken off it
    added = made.added - near * ((own - scale) * mark)
    cover = share if made.cover is None else share * made.cover
    bound = np.asarray(LEFT_LEAST * near * left, np.float32)
    return Candidate(scale + near * (own - scale), added, cover, made.grain, made.lights, bound)


def _weights(fix: Fix, frame: int) -> list[float]:
    if len(fix.sheets) == 1:
        return [1.0]
    if fix.plan.source == "fill" and not fix.plan.from_others:
        return by_guides([sheet.frame for sheet in fix.sheets], frame)
    return by_time([sheet.frame for sheet in fix.sheets], frame)


def _uncovered(fix: Fix, sheet: Sheet) -> F32 | None:
    """Where a plate shows the surface: a standing mark lies elsewhere on each."""
    if not fix.plan.stands or not fix.hold.has(sheet.frame):
        return None
    matte = places.standing(fix.hold.at(sheet.frame), fix.rect, fix.plan.edge, sheet.frame)[0]
    painted = np.abs(sheet.painted - sheet.original).max(-1) > 1e-5
    return np.where(painted, 1, 1 - matte).astype(np.float32)


def light_at(frame: int, k: int, seen: Seen, fix: Fix) -> Light:
    """The light of a frame for plate ``k``, averaged over time if that is asked. Where nobody knows where a strongly coloured
    mark is, it is of the colour of that of the next frame that is held: what lies there instead would be taken for the mark."""
    match = fix.plan.match
    mode, multiplies = fix.plan.light(fix.evidence)
    light = fields.light_of(mode, seen.pair(k), Under(multiplies, match.capped))
    if match.steady > 0 and fix.read is not None and mode not in ("off", "even", "slope"):
        light = steady.steadied(_around(frame, k, light, fix), frame, match.steady)
    beside = _light_beside(frame, k, fix) if fix.sheets[k].tint > TINTED else None
    return (light if beside is None else light.coloured_as(beside)).times(match.strength)


def _light_beside(frame: int, k: int, fix: Fix) -> Light | None:
    """The light for plate ``k`` on the held frame next to a lost one; None where it has its own. Lost frames come in a row: it is
    kept from one to the next."""
    held = _held_next_to(frame, fix)
    if held is None:
        return None
    kept = fix.beside
    if (held, k) in kept:
        return kept[held, k]
    assert fix.read is not None
    there = look(fix.read(held), held, fix)
    mode, multiplies = fix.plan.light(fix.evidence)
    how = Under(multiplies, fix.plan.match.capped)
    light = None if there is None else fields.light_of(mode, there.pair(k), how)
    kept[held, k] = light
    while len(kept) > BESIDE_KEPT * len(fix.sheets):
        kept.popitem(last=False)
    return light


def _shown_as_lit_beside(frame: int, k: int, light: Light, seen: Seen, fix: Fix) -> F32 | None:
    """Share (h, w) of the matte that a lost frame takes: nothing where what lies there is far brighter than the mark was on the
    held frame next to it, and than its surroundings have become since. It is what is behind, and a patch lit as that would
    show on it. None where all of it is taken."""
    beside = _light_beside(frame, k, fix)
    if beside is None:
        return None
    over = mean(light.gain) - mean(beside.times(fix.plan.match.strength).gain)
    ring = seen.region.in_ring
    if not ring.any():
        return None
    over = cv2.GaussianBlur(over - max(0.0, float(np.percentile(halved(over)[ring], LEAST_RISEN))), (0, 0), SOFT)
    shown = np.clip((BEHIND + FALLS - over) / FALLS, 0, 1)
    return None if shown.min() == 1 else np.asarray(shown, np.float32)


def _held_next_to(frame: int, fix: Fix) -> int | None:
    """The frame that a lost one takes its light from: the nearest that is held; None where it has its own."""
    if places_known(fix.hold, frame) or fix.read is None or fix.plan.stands:
        return None
    others = [number for number in (fix.hold.anchor, *fix.hold.frames) if places_known(fix.hold, number)]
    return min(others, key=lambda number: abs(number - frame))


def _around(frame: int, k: int, light: Light, fix: Fix) -> dict[int, Light]:
    """The lights of the frames about one, kept from frame to frame."""
    assert fix.read is not None
    kept = fix.lights
    kept[frame, k] = light
    plain = replace(fix, plan=replace(fix.plan, match=replace(fix.plan.match, steady=0.0, strength=1.0)))
    for number in range(frame - steady.REACH, frame + steady.REACH + 1):
        if (number, k) in kept or not fix.hold.has(number):
            continue
        seen = look(fix.read(number), number, plain)
        if seen is not None:
            kept[number, k] = light_at(number, k, seen, plain)
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
