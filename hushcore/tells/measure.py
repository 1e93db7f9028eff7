"""The six tells of a laid fix on one frame, each in units in which 1.0 is about where a careful viewer would notice.

All pictures lie on the still surface, so that the ring and the patch can be held against the plate's own frame: what the
surface looks like by itself is no tell. Calibrated by injecting known errors; see ``bench tells`` and docs/measuring.md.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Mask, least, most, three
from hushcore.colour import difference, spaces
from hushcore.colour.encoding import Encoding
from hushcore.grain.model import LUMA, luma_of
from hushcore.light.standing import without
from hushcore.patch.fix import Fix, on_frame
from hushcore.patch.lay import Laid
from hushcore.patch.look import Seen
from hushcore.patch.motion import Smear, blurred
from hushcore.patch.place import Place
from hushcore.patch.plan import ON_ITS_OWN
from hushcore.plates.plate import still_picture

NAMES = ("drift", "seam", "light", "texture", "grain", "flicker")
DRIFT_PX = 1.0  # of the hold's drift figure, which is a careful upper bound
LIGHT_LOG = 0.05  # of gain: 5 % is about one CIEDE2000
SEAM_DE = 1.0
TEXTURE_OCTAVES = 0.4  # log2 of energy
GRAIN_LOG = 0.25  # of sigma
FLICKER_L = 0.5  # L*
OUTLINE_TONAL, FLICKER_TONAL = 0.012, 0.005  # of what is left of a veil, or burnt in; by which it changes on a frame
LIGHT_SIGMA = 6.0  # px
INSIDE, OUTSIDE, ARC = 1.5, 6.0, 41.0  # px: the strips either side of the edge, and the arc that is averaged
RING = 24.0  # px
BANDS = ((1.0, 4.0), (4.0, 16.0))  # px (sigmas are half of it)
LEAST_PLACES = 200
STRIP_MORE = 6.0  # px: the fall of a soft edge lies in the strip
FLICKER_SIGMA = 4.0  # px
BLACK = 0.003
SPREAD = 1.4826  # of a median deviation to a standard deviation (normal distribution)
RATIO_MOST = 12.0  # by which a mark can have changed the light before it is too dark to read
LINEAR709 = "Linear Rec.709 (sRGB)"


@dataclass(frozen=True)
class Tells:
    """One figure a tell; ``loudest`` names the greatest."""

    drift: float = 0.0
    seam: float = 0.0
    light: float = 0.0
    texture: float = 0.0
    grain: float = 0.0
    flicker: float = 0.0

    @property
    def loudest(self) -> str:
        return max(NAMES, key=lambda name: getattr(self, name))

    @property
    def quiet(self) -> bool:
        """Whether nothing would be noticed."""
        return all(getattr(self, name) < 1 for name in NAMES)

    def plain(self) -> dict[str, float]:
        """By name, rounded."""
        return {name: round(float(getattr(self, name)), 3) for name in NAMES}


@dataclass(frozen=True)
class Remembered:
    """What a frame's patch is lighter than expected, L* (h, w), for the flicker of the next; of what is unveiled, how much of its
    outline is left in lightness and colours, and how much by chance (2, 3)."""

    frame: int
    lighter: F32


def judge(laid: Laid, frame: int, fix: Fix, before: Remembered | None) -> tuple[Tells, Remembered | None]:
    """The tells of ``fix`` as it was ``laid`` on a frame. ``before``: of the frame before, for flicker. A frame on which
    the fix does not show has no tells."""
    if fix.plan.unveils:
        return _judged_bare(laid, frame, fix, before)
    seen, light = laid.seen, laid.light
    fix = on_frame(fix, frame)
    if seen is None or (light is None and fix.plan.source not in ON_ITS_OWN):
        return Tells(), None
    spot, smeared = seen.spot, seen.blurs[0].plate
    drift = _drift(fix, frame, spot)
    if fix.plan.stands and laid.lights:
        return _judged_beside(laid, seen, frame, fix, before, drift)
    here = _places(seen, spot)
    if here is None:
        return Tells(drift=drift), None
    inside, ring = here
    made = still_picture(laid.codes, fix.hold, frame, spot.rect, fix.encoding)
    if seen.gleam is not None:
        made = without(made, seen.gleam)
    plate = fix.sheets[0].asleft if fix.sheets[0].asleft is not None else fix.sheets[0].painted
    original = blurred(fix.sheets[0].original, smeared)
    expected, readable = _expected(seen.current, plate, original, smeared)
    lab = [_lab(side, fix.encoding) for side in (made, expected)]
    lighter = np.asarray(lab[0][..., 0] - lab[1][..., 0], np.float32)
    return Tells(
        drift=drift,
        seam=_seam(lab[0] - lab[1], spot, inside & readable),
        light=0.0 if light is None else _light(seen.current, light.on(original), inside | ring),
        texture=_texture(made, plate, inside, ring, fix.encoding),
        grain=_grain(made, plate, inside, ring, fix.encoding),
        flicker=_flicker(lighter, before, frame, inside & readable),
    ), Remembered(frame, lighter)


def _judged_beside(
    laid: Laid, seen: Seen, frame: int, fix: Fix, before: Remembered | None, drift: float
) -> tuple[Tells, Remembered | None]:
    """The tells of a mark that stands in the frame: what is under it cannot be read, so that the frame just outside the
    edge is held against what would have been laid there."""
    spot = seen.spot
    clear = cv2.resize(seen.region.usable, seen.region.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0.5
    inside, ring = spot.matte > 0.9, (spot.outside > 2) & (spot.outside <= RING) & clear
    if min(inside.sum(), ring.sum()) < LEAST_PLACES:
        return Tells(drift=drift), None
    nearest = min(laid.lights, key=lambda k: abs(fix.sheets[k].frame - frame))
    sheet, light = fix.sheets[nearest], laid.lights[nearest]
    made = still_picture(laid.codes, fix.hold, frame, spot.rect, fix.encoding)
    shown = sheet.asleft if sheet.asleft is not None else sheet.painted
    lit = light.on(blurred(shown, seen.blurs[nearest].plate))
    apart = np.asarray(_lab(seen.current, fix.encoding) - _lab(lit, fix.encoding), np.float32)
    beside = ring & (spot.outside >= INSIDE) & (spot.outside <= OUTSIDE + STRIP_MORE)
    return Tells(
        drift=drift,
        # what else stands or passes beside the edge is no fault of the patch: the middle of the arcs and places tells
        seam=_along_the_edge(apart, spot, beside, usual=True),
        light=_light(seen.current, lit, ring, usual=True),
        texture=_texture(made, shown, inside, ring, fix.encoding),
        grain=_grain(made, shown, inside, ring, fix.encoding),
        flicker=_flicker(apart[..., 0], before, frame, beside, usual=True),
    ), Remembered(frame, apart[..., 0])


def _judged_bare(
    laid: Laid, frame: int, fix: Fix, before: Remembered | None
) -> tuple[Tells, Remembered | None]:  # fmt: skip
    """The tells of a frame whose own picture came back from under a veil: an outline of it that is left or was taken too much,
    how that changes, and grain that is not the frame's beside it."""
    veil = fix.evidence.veil
    if veil is None or not (laid.matte > 0).any():
        return Tells(), None
    light = np.maximum(fix.encoding.decode(three(laid.codes[veil.rect.slices])), 0)
    bare = np.asarray(light if veil.linear else fix.encoding.tonal_of(light), np.float32)
    left, chance = ((1 - veil.share) * size for size in veil.told(bare))
    rough = veil.roughness(bare, bare)
    flicker = 0.0
    if before is not None and abs(before.frame - frame) == 1 and before.lighter.shape == (2, *left.shape):
        was, usual = before.lighter
        flicker = _beyond(left - was, np.hypot(chance, usual)) / FLICKER_TONAL
    return Tells(
        seam=_beyond(left, chance) / OUTLINE_TONAL,
        grain=0.0 if not np.isfinite(rough) or rough <= 0 else float(abs(np.log(rough))) / GRAIN_LOG / 2,
        flicker=flicker,
    ), Remembered(frame, np.stack([left, chance]))


def _beyond(found: F32, chance: F32) -> float:
    """The greatest size of what was found, beyond what chance finds anyway (RMS)."""
    return float(np.sqrt(np.maximum(found**2 - chance**2, 0)).max())


def _expected(current: F32, plate: F32, original: F32, smeared: Smear | None) -> tuple[F32, Mask]:
    """What the surface would look like without the mark: the frame times what the retouch changed. Noisy, but in the
    frame's own light; averaged over a strip it tells an error of light from the surface's own shading. And where the
    ratio is small enough to be believed."""
    painted = blurred(plate, smeared)
    ratio = (np.maximum(painted, 0) + BLACK) / (np.maximum(original, 0) + BLACK)
    low = cv2.GaussianBlur(ratio, (0, 0), 2.0)
    return current * np.clip(ratio, 1 / RATIO_MOST, RATIO_MOST), (most(low) < RATIO_MOST) & (
        least(low) > 1 / RATIO_MOST
    )


def _places(seen: Seen, spot: Place) -> tuple[Mask, Mask] | None:
    """Where the patch is full and can be seen, and the ring round it; None when too little of either shows."""
    clear = cv2.resize(seen.region.usable, seen.region.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0.5
    inside, ring = (spot.matte > 0.9) & clear, (spot.outside > 2) & (spot.outside <= RING) & clear
    return (inside, ring) if min(inside.sum(), ring.sum()) >= LEAST_PLACES else None


def _drift(fix: Fix, frame: int, spot: Place) -> float:
    rows, cols = np.nonzero(spot.matte > 0.5)
    if not len(rows) or frame == fix.hold.anchor:
        return 0.0
    step = max(1, len(rows) // 400)
    points = np.stack([cols[::step] + spot.rect.left, rows[::step] + spot.rect.top], -1).astype(float)
    return float(np.sqrt((fix.hold.drift_at(frame, points) ** 2).mean())) / DRIFT_PX


def _light(current: F32, lit: F32, where: Mask, usual: bool = False) -> float:
    """RMS of what the light leaves unexplained of the surface as shot, mark and ring, at ``LIGHT_SIGMA``; ``usual``: as the
    median says it."""
    now, then = (cv2.GaussianBlur(np.maximum(side, 0), (0, 0), LIGHT_SIGMA) + BLACK for side in (current, lit))
    apart = np.log(now / then) @ LUMA.astype(np.float32)
    return _size(apart[where], usual) / LIGHT_LOG


def _size(values: F32, usual: bool) -> float:
    """Root mean square; or what it would be of a normal spread with the same median deviation from nothing."""
    return SPREAD * float(np.median(np.abs(values))) if usual else float(np.sqrt((values**2).mean()))


def _seam(apart: F32, spot: Place, inside: Mask) -> float:
    """Lab by which the strip within the edge is off, averaged over arcs, RMS along the edge. Beyond the edge nothing is
    off, so that this is the step that the edge shows."""
    within = cv2.distanceTransform((spot.matte > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    return _along_the_edge(apart, spot, (within >= INSIDE) & (within <= OUTSIDE + STRIP_MORE) & inside)


def _along_the_edge(apart: F32, spot: Place, strip: Mask, usual: bool = False) -> float:
    """RMS over arcs along the edge of what a strip beside it is off, Lab; ``usual``: the median of the arcs."""
    if strip.sum() < LEAST_PLACES / 4:
        return 0.0
    rows, cols = np.nonzero(spot.matte > 0.5)
    y, x = np.nonzero(strip)
    angle = np.arctan2(y - rows.mean(), x - cols.mean())
    bins = int(np.clip(2 * np.sqrt(np.pi * len(rows)) / ARC, 4, 48))
    at = np.minimum(((angle + np.pi) / (2 * np.pi) * bins).astype(int), bins - 1)
    count = np.bincount(at, minlength=bins)
    sums = np.stack([np.bincount(at, apart[y, x, k], minlength=bins) for k in range(3)], -1)
    means = sums[count >= 12] / count[count >= 12, None]
    if not len(means):
        return 0.0
    sizes = np.sqrt((means**2).sum(-1))
    return float(np.median(sizes) if usual else np.sqrt((sizes**2).mean())) / SEAM_DE


def _709(linear: F32, encoding: Encoding) -> F32:
    if encoding.linear_space == LINEAR709:
        return linear
    return spaces.apply(spaces.between(encoding.linear_space, LINEAR709, encoding.config), linear)


def _lab(picture: F32, encoding: Encoding) -> F32:
    low = cv2.GaussianBlur(np.maximum(_709(picture, encoding), 0), (0, 0), 2.0)
    return np.asarray(difference.linear_to_lab(low), np.float32)


def _tonal(picture: F32, encoding: Encoding) -> F32:
    return luma_of(encoding.tonal_of(np.maximum(picture, 0)))


def _energy(luma: F32, where: Mask, fine: float, broad: float) -> float:
    above = luma if fine == 0 else cv2.GaussianBlur(luma, (0, 0), fine)
    return float(((above - cv2.GaussianBlur(luma, (0, 0), broad))[where] ** 2).mean()) + 1e-12


def _texture(made: F32, plate: F32, inside: Mask, ring: Mask, encoding: Encoding) -> float:
    """The greater of two bands: energy in the patch over that in the ring, against the same on the plate's frame."""
    now, then = _tonal(made, encoding), _tonal(plate, encoding)
    apart = []
    for fine, broad in BANDS:
        ratios = [
            _energy(side, inside, fine / 2, broad / 2) / _energy(side, ring, fine / 2, broad / 2)
            for side in (now, then)
        ]
        apart.append(abs(np.log2(ratios[0] / ratios[1])))
    return float(max(apart)) / (2 * TEXTURE_OCTAVES)


def _grain(made: F32, plate: F32, inside: Mask, ring: Mask, encoding: Encoding) -> float:
    """The finest band's strength in the patch over that in the ring, against the same on the plate's frame."""
    now, then = _tonal(made, encoding), _tonal(plate, encoding)
    ratios = [np.sqrt(_energy(side, inside, 0, 0.8) / _energy(side, ring, 0, 0.8)) for side in (now, then)]
    return float(abs(np.log(ratios[0] / ratios[1]))) / GRAIN_LOG


def _flicker(lighter: F32, before: Remembered | None, frame: int, inside: Mask, usual: bool = False) -> float:
    """Change since the frame before of how much lighter than expected the patch is, RMS of L*."""
    if before is None or abs(before.frame - frame) != 1 or before.lighter.shape != lighter.shape or not inside.any():
        return 0.0
    change = cv2.GaussianBlur(lighter - before.lighter, (0, 0), FLICKER_SIGMA)
    return _size(change[inside], usual) / FLICKER_L
