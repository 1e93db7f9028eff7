"""Clean places beside a mark, to heal it from: where the surface looks most like the surface round the mark."""

from collections.abc import Sequence

import numpy as np

from hushcore.arrays import F32, F64, Mask, Rect, padded_cut
from hushcore.bands.split import low_pass
from hushcore.geometry.paths import signed_distance
from hushcore.plates.mark import tonal_of, wider
from hushcore.plates.plate import Plate

BEYOND = 6.0  # px more that are healed, so that the rim is the surface's own
ANGLES = 24
FARTHER = (1.0, 1.2, 1.5, 2.0, 2.7)  # of the way at which a donor is free of the mark
FARTHEST = 420.0  # px
COLOUR_COSTS = 30.0  # of a chromaticity that is 1 away in all
FAR_COSTS = 0.12  # of a donor one size of the mark away
FINE = 2.0  # px: texture is finer


def donors(plate: Plate, outline: F64, taboo: Mask, skip: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Whole offsets at which the surface looks most like the surface round a part, the best first."""
    wide = wider(outline, BEYOND)
    rect = Rect.around(wide).grown(10)
    distance = signed_distance(wide, rect)
    own = tonal_of(plate.painted, plate, rect)
    body, rim = distance > -2, (distance <= -1) & (distance > -8)
    fine = own - low_pass(own, FINE)
    usual = float(fine[rim].std()) + 1e-5
    size = float(max(np.ptp(wide, axis=0)))
    found: list[tuple[float, tuple[int, int]]] = []
    for angle in np.arange(ANGLES) * 2 * np.pi / ANGLES:
        way = np.array([np.cos(angle), np.sin(angle)])
        free = _free(plate, rect, body, taboo, way, size)
        for times in FARTHER if free else ():
            dx, dy = (int(v) for v in np.round(way * free * times))
            if float(np.hypot(dx, dy)) > FARTHEST or any(np.hypot(dx - x, dy - y) < 0.3 * size for x, y in skip):
                continue
            moved = rect.moved(dx, dy)
            if not _holds(plate.rect, moved) or _covers(plate, taboo, body, moved):
                continue
            cost = _unlike(own, tonal_of(plate.painted, plate, moved), body, rim, usual)
            found.append((cost + FAR_COSTS * float(np.hypot(dx, dy)) / size, (dx, dy)))
    return [offset for _, offset in sorted(found)]


def _unlike(own: F32, donor: F32, body: Mask, rim: Mask, usual: float) -> float:
    """How badly a donor suits: its rim against the rim here beyond an even slope of tone, what else is in it, its texture,
    its colour. Another colour is another material, however well its tone could be brought round."""
    rest = own[rim] - donor[rim]
    rows, cols = np.nonzero(rim)
    sloped = np.stack([np.ones(len(rows)), rows, cols], -1)
    rest = rest - sloped @ np.linalg.lstsq(sloped, rest, rcond=None)[0]
    fine = donor - low_pass(donor, FINE)
    middle = low_pass(donor, FINE) - low_pass(donor, 4 * FINE)
    round_it = low_pass(own, FINE) - low_pass(own, 4 * FINE)
    busy = float(middle[body].std()) / (float(round_it[rim].std()) + usual / 4 + 1e-5)
    alike = abs(float(np.log((fine[body].std() + 1e-5) / usual)))
    rough = float(np.sqrt((rest**2).mean())) / usual
    return rough + 1.5 * max(0.0, busy - 1) + 2 * alike + COLOUR_COSTS * _other_colour(own[rim], donor[body])


def _other_colour(own: F32, donor: F32) -> float:
    """Distance of two mean colours once both are as bright: of chromaticities, which light and shade leave alone."""
    a, b = (np.maximum(side.mean(0), 1e-3) for side in (own, donor))
    return float(np.abs(a / a.sum() - b / b.sum()).sum())


def _free(plate: Plate, rect: Rect, body: Mask, taboo: Mask, way: F64, size: float) -> float:
    """How far along a way the donor is clear of the mark; 0 when it never is."""
    for far in np.linspace(0.3 * size, 2.5 * size, 23):
        dx, dy = (int(v) for v in np.round(way * far))
        if not _covers(plate, taboo, body, rect.moved(dx, dy)):
            return float(far) + 1
    return 0.0


def _covers(plate: Plate, taboo: Mask, body: Mask, moved: Rect) -> bool:
    local = moved.moved(-plate.rect.left, -plate.rect.top)
    part = padded_cut(taboo[..., None].astype(np.uint8), local)[..., 0]
    return bool((part.astype(bool) & body).any())


def _holds(whole: Rect, part: Rect) -> bool:
    inside = part.within(whole)
    return (inside.width, inside.height) == (part.width, part.height)
