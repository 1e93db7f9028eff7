"""Choosing a donor, and how far its tone is from the place that it will cover."""

from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, Rect, padded_cut
from hushcore.bands.split import low_pass
from hushcore.colour import difference, spaces
from hushcore.colour.encoding import Encoding
from hushcore.errors import HushError

NEAR, FAR, RINGS = 2.3, 4.5, 4  # radii from the spot at which donors are tried
ANGLES = 16
BUSY_COSTS = 0.6  # of a donor whose middle is busier than the surface round the spot
LINEAR709 = "Linear Rec.709 (sRGB)"


@dataclass(frozen=True)
class Apart:
    """Donor against target: CIEDE2000 of their mean colours, and how much lighter (L*) the donor is."""

    difference: float
    lighter: float


def tone_apart(target: F32, donor: F32, encoding: Encoding) -> Apart:
    """Two linear pictures (h, w, 3) of the same round spot. Over about 2 a shift of colour is seen (common practice)."""
    lab = [difference.linear_to_lab(_709(_disc_mean(side), encoding)[None, None])[0, 0] for side in (target, donor)]
    apart = float(difference.ciede2000(lab[0][None], lab[1][None])[0])
    return Apart(apart, float(lab[1][0] - lab[0][0]))


def _709(linear: F32, encoding: Encoding) -> F32:
    if encoding.linear_space == LINEAR709:
        return linear
    return np.asarray(spaces.apply(spaces.between(encoding.linear_space, LINEAR709, encoding.config), linear[None])[0])


def _disc_mean(picture: F32) -> F32:
    """Mean over the disc that fits in."""
    height, width = picture.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    inside = np.hypot((x - (width - 1) / 2) / (width / 2), (y - (height - 1) / 2) / (height / 2)) <= 1
    return np.asarray(np.maximum(picture[inside], 0).mean(0), np.float32)


def nearby(picture: F32, origin: Rect, x: float, y: float, radius: float, encoding: Encoding) -> tuple[int, int]:
    """The offset (whole px) of the best donor round a small spot: its rim looks like the spot's rim, and its middle is
    no busier than that. ``picture`` linear over ``origin``. Raises HushError when there is no room for one."""
    half = int(np.ceil(radius * 1.6)) + 1
    reach = int(np.ceil(FAR * radius)) + half + 2
    around = Rect(int(x) - reach, int(y) - reach, int(x) + reach + 1, int(y) + reach + 1)
    tonal = encoding.tonal_of(np.maximum(padded_cut(picture, around.moved(-origin.left, -origin.top)), 0))
    rows, cols = np.mgrid[-half : half + 1, -half : half + 1]
    far = np.hypot(rows, cols)
    rim, middle = (far > radius) & (far <= half), far <= radius
    fine = tonal - low_pass(tonal, max(1.5, radius / 2))

    def part(source: F32, dx: int, dy: int) -> F32:
        top, left = reach + dy - half, reach + dx - half
        return source[top : top + 2 * half + 1, left : left + 2 * half + 1]

    own, busy = part(tonal, 0, 0)[rim], float((part(fine, 0, 0)[rim] ** 2).mean())
    best: tuple[float, tuple[int, int]] | None = None
    for ring in np.linspace(NEAR, FAR, RINGS):
        for angle in np.arange(ANGLES) * 2 * np.pi / ANGLES:
            dx, dy = round(ring * radius * np.cos(angle)), round(ring * radius * np.sin(angle))
            place = Rect(int(x) + dx - half, int(y) + dy - half, int(x) + dx + half + 1, int(y) + dy + half + 1)
            inside = place.within(origin)
            if (inside.width, inside.height) != (place.width, place.height):
                continue
            rest = part(tonal, dx, dy)[rim] - own
            more = max(0.0, float((part(fine, dx, dy)[middle] ** 2).mean()) - busy)
            cost = float((rest**2).mean()) + BUSY_COSTS * more
            if best is None or cost < best[0]:
                best = cost, (dx, dy)
    if best is None:
        raise HushError(
            "There is no clean place near enough to heal from; use clone with a donor of your own.", "no-donor"
        )
    return best[1]
