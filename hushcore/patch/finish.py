"""The last of matching: softness, finest detail and grain, held against the frame in the ring, where both show the
same surface."""

from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask
from hushcore.colour.encoding import Encoding
from hushcore.geometry import sampling
from hushcore.grain.lay import fresh
from hushcore.grain.model import BLOCK, LUMA, Grain, luma_of
from hushcore.light.region import HALF, Region, halved

SMOOTH = 2.0  # px over which brightness is read for the grain's strength
FINEST = 1.0  # px: the finest band is what a Gaussian of this takes away
RESAMPLED = 0.93  # share of the finest band's energy of detail that one resampling by cubic B-spline leaves
TRIED, TRIED_MOST, EDGE = 96, 512, 8  # px: of the maps, and of grain at most, that a resampling is tried on; beside it
BROUGHT_LEAST = 0.3
LEAST_GRAIN = 0.3  # times the measured strength
DETAIL_MOST = 1.6  # times its own: detail that is not there cannot be made stronger
SMALLEST_RING = 600  # px
MIDDLE = 0.8, 2.4  # px: the band that tells whether a frame is out of focus
STEPS = (0.0, 0.6, 0.9, 1.3, 1.8, 2.5, 3.5)  # px of softness that are tried
ENOUGH = 6.0  # times the grain's energy in the band: with less there is no detail to tell it from
LEAST_LOSS = 0.78  # share of energy: smaller losses come from resampling and chance


Maps = tuple[F32, F32]


@dataclass(frozen=True)
class Finish:
    """``soft``: px (sigma) that the patch is to be softened by; ``detail``: times its finest band; ``grain``: times the
    measured strength that is to be laid on it, beside what is left in it."""

    soft: float = 0.0
    detail: float = 1.0
    grain: float = 1.0

    def on(self, picture: F32) -> F32:
        """A picture made as soft or as fine as the frame; grain is laid later, in the frame."""
        if self.soft >= 0.3:
            return np.asarray(cv2.GaussianBlur(picture, (0, 0), self.soft))
        if self.detail <= 1.01:
            return picture
        fine = picture - cv2.GaussianBlur(picture, (0, 0), FINEST)
        return np.asarray(picture + np.float32(self.detail - 1) * fine, np.float32)


def finish_of(
    current: F32, made: F32, region: Region, grain: Grain, left: float, encoding: Encoding, sharpness: bool, maps: Maps
) -> Finish:
    """What brings the patch to the frame's own sharpness and grain; both pictures linear, on the still surface, the frame's
    own brought there by ``maps`` (x and y in the frame). ``left``: share of the grain's finest variance that is still in
    the patch.

    Grain first: as much as was measured and is not there. What the patch's finest band then still lacks is what carrying
    it has cost: its detail is made stronger; where it has more than the frame, less grain is laid. Where the ring does not
    tell, the patch stays as it is and gets the measured grain.
    """
    ring = cv2.resize(region.ring, region.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0.5
    if ring.sum() < SMALLEST_RING:
        return Finish(grain=float(np.sqrt(1 - left)))
    now, then = (_tonal_luma(side, encoding) for side in (current, made))
    variance = float((grain.sigma_at(now[ring][::3])[:, 1] ** 2).mean())
    soft = _softness(now, then, ring, variance * _share(grain, _middle)) if sharpness else 0.0
    if soft >= STEPS[1] / 2:
        return Finish(soft=soft)
    # as the frame shows it on the still surface: its grain after one resampling, the patch's detail after two
    noise = variance * _share(grain, _finest) * brought(grain, maps)
    frame, own = _energy(now, ring, 0, FINEST), _energy(then, ring, 0, FINEST) * RESAMPLED**2
    lacking = frame - own - (1 - left) * noise
    if lacking > 0:
        detail = float(min(np.sqrt(1 + lacking / max(own, 1e-12)), DETAIL_MOST)) if sharpness else 1.0
        return Finish(detail=detail, grain=float(np.sqrt(1 - left)))
    return Finish(
        grain=float(np.sqrt(np.clip((frame - own) / max(noise, 1e-12), LEAST_GRAIN**2 * (1 - left), 1 - left)))
    )


def brought(grain: Grain, maps: Maps) -> float:
    """Share of the grain's finest energy that is left when a frame is sampled at ``maps``: three quarters of white grain
    between pixels, nearly all of soft grain; tried on grain of the kind itself, in the middle of the maps."""
    rows, cols = maps[0].shape
    part = (
        slice(max(0, (rows - TRIED) // 2), (rows + TRIED) // 2),
        slice(max(0, (cols - TRIED) // 2), (cols + TRIED) // 2),
    )
    x, y = (np.ascontiguousarray(side[part]) for side in maps)
    left, top = np.floor(x.min()) - EDGE, np.floor(y.min()) - EDGE
    wide, tall = (int(min(np.ceil(side.max() - low) + EDGE, TRIED_MOST)) for side, low in ((x, left), (y, top)))
    tried = fresh(grain, (tall, wide), 0)
    there = sampling.sampled(tried, x - np.float32(left), y - np.float32(top))
    before, after = (_energy(luma_of(one), np.ones(one.shape[:2], bool), 0, FINEST) for one in (tried, there))
    return float(np.clip(after / max(before, 1e-12), BROUGHT_LEAST, 1.0))


def _softness(now: F32, then: F32, ring: Mask, noise: float) -> float:
    """Sigma in px of the Gaussian that makes the patch as soft as the frame; 0 when it does not tell."""
    wanted, whole = _energy(now, ring, *MIDDLE) - noise, _energy(then, ring, *MIDDLE)
    if whole < ENOUGH * noise or wanted > LEAST_LOSS * whole or wanted <= 0:
        return 0.0
    levels = [whole] + [_energy(np.asarray(cv2.GaussianBlur(then, (0, 0), s)), ring, *MIDDLE) for s in STEPS[1:]]
    return float(np.interp(-wanted, -np.minimum.accumulate(levels), STEPS))


def _tonal_luma(linear: F32, encoding: Encoding) -> F32:
    """Tonal values of a linear picture's luma: for one channel's curve as good as luma of the tonal channels."""
    if encoding.plain:
        return encoding.tonal_of(np.maximum(linear @ LUMA.astype(np.float32), 0))
    return luma_of(encoding.tonal_of(np.maximum(linear, 0)))


def _energy(luma: F32, ring: Mask, fine: float, broad: float) -> float:
    above = luma if fine == 0 else cv2.GaussianBlur(luma, (0, 0), fine)
    return float(((above - cv2.GaussianBlur(luma, (0, 0), broad))[ring] ** 2).mean())


def _finest(square: F64) -> F64:
    return np.asarray(1 - np.exp(-2 * np.pi**2 * FINEST**2 * square))


def _middle(square: F64) -> F64:
    return np.asarray(np.exp(-2 * np.pi**2 * MIDDLE[0] ** 2 * square) - np.exp(-2 * np.pi**2 * MIDDLE[1] ** 2 * square))


def _share(grain: Grain, response: object) -> float:
    """Share of luma grain's variance, over green's, that lies in a band given by its response to squared frequency."""
    line = np.fft.fftfreq(BLOCK)
    square = line[:, None] ** 2 + line[None, :] ** 2
    luma = np.einsum("k,ijkl,l->ij", LUMA, grain.spectrum, LUMA)
    return float((luma * response(square) ** 2).sum() / max(grain.spectrum[..., 1, 1].sum(), 1e-9))  # type: ignore[operator]


def grained(
    mixed: F32, matte: F32, grain: Grain, amount: float, kept: F32 | None, seed: int, encoding: Encoding
) -> F32:
    """A linear picture (h, w, 3) into which a patch was mixed by ``matte``, with ``amount`` times the measured grain laid where
    the frame's own has gone.

    ``kept``: how much of the frame's own grain the patch holds already. In the fall of the matte the frame's own grain
    fades out, and as much is laid as keeps both together as strong: never more than the grain itself.
    """
    tonal = encoding.tonal_of(mixed)
    sigma = sigma_at(grain, luma_of(tonal))
    own = (1 - matte)[..., None] if kept is None else 1 - matte[..., None] * (1 - kept)
    share = np.sqrt(np.maximum(1 - own**2, 0)) * np.float32(amount)
    noise = fresh(grain, matte.shape, seed) * sigma * share
    return encoding.from_tonal(np.asarray(tonal + noise, np.float32))


def with_grain(mixed: F32, matte: F32, noise: F32, encoding: Encoding) -> F32:
    """A linear picture (h, w, 3) into which a patch was mixed by ``matte``, with the tonal ``noise`` (h, w, 3) laid as
    ``grained`` lays it: where the frame's own has gone."""
    share = np.sqrt(np.maximum(1 - (1 - matte[..., None]) ** 2, 0))
    return encoding.from_tonal(np.asarray(encoding.tonal_of(mixed) + noise * share, np.float32))


def sigma_at(grain: Grain, luma: F32) -> F32:
    """The grain's strength per channel at a luma smoothed by ``SMOOTH``; at half size, for it is smooth itself."""
    low = cv2.GaussianBlur(halved(luma), (0, 0), SMOOTH / HALF)
    return np.asarray(cv2.resize(grain.sigma_at(low), luma.shape[::-1], interpolation=cv2.INTER_LINEAR))
