"""Texture of the surface round a hole: taken off its tone, described by its spectrum, made anew in the hole.

Source: Galerne, Gousseau & Morel 2011, *Random Phase Textures: Theory and Synthesis*, for what a spectrum alone can say.
"""

import cv2
import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.fill.soak import mean_outside

TONE = 6.0  # px (sigma): texture is finer
RING = 48.0  # px outside the hole where its texture is read
BLOCK = 32  # px of the blocks whose spectra are averaged
BANDS = ((0.5, 2.0), (2.0, 8.0))  # px (sigmas): each is brought to the ring's own energy
GAIN_MOST = 2.0


def texture_of(tonal: F32, hole: Mask, tone: float = TONE) -> F32:
    """What is finer than the tone outside the hole; 0 within."""
    weight = (~hole).astype(np.float32)
    return np.asarray((tonal - mean_outside(tonal, weight, tone)) * weight[..., None], np.float32)


def ring_of(hole: Mask, reach: float = RING) -> Mask:
    """Places round a hole, not quite at its rim."""
    far = cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray((far > 1.5) & (far <= reach))


def random_phase(texture: F32, ring: Mask, seed: int) -> F32:
    """Noise (h, w, 3) with the spectrum that ``texture`` has on the ring, colours as they go together there."""
    height, width = ring.shape
    spectrum = _spectrum(texture, ring)
    rng = np.random.default_rng(seed)
    white = rng.standard_normal((height + BLOCK, width + BLOCK)).astype(np.float32)
    out = np.empty((height, width, 3), np.float32)
    for k in range(3):
        # the square root of the block's power is a kernel of that many px: noise blurred by it has the spectrum
        kernel = np.fft.fftshift(np.real(np.fft.ifft2(spectrum[..., k]))).astype(np.float32)
        out[..., k] = cv2.filter2D(white, cv2.CV_32F, kernel)[BLOCK // 2 : -BLOCK // 2, BLOCK // 2 : -BLOCK // 2]
    return out


def _spectrum(texture: F32, ring: Mask) -> F32:
    """Root of the mean power (BLOCK, BLOCK, 3) of the ring's blocks, each signed by how it goes with green."""
    window = np.hanning(BLOCK)[:, None] * np.hanning(BLOCK)[None]
    total, cross = np.zeros((BLOCK, BLOCK, 3)), np.zeros((BLOCK, BLOCK, 3))
    count = 0
    for top in range(0, ring.shape[0] - BLOCK + 1, BLOCK // 2):
        for left in range(0, ring.shape[1] - BLOCK + 1, BLOCK // 2):
            part = ring[top : top + BLOCK, left : left + BLOCK]
            if part.mean() < 0.6:
                continue
            turned = np.fft.fft2(texture[top : top + BLOCK, left : left + BLOCK] * window[..., None], axes=(0, 1))
            total += np.abs(turned) ** 2
            cross += np.real(turned * np.conj(turned[..., 1:2]))
            count += 1
    if not count:
        return np.zeros((BLOCK, BLOCK, 3), np.float32)
    sign = np.where(cross >= 0, 1.0, -1.0)
    return np.asarray(sign * np.sqrt(total / count / (window**2).sum()), np.float32)


def as_strong(made: F32, hole: Mask, texture: F32, ring: Mask) -> F32:
    """``made`` (h, w, 3), texture in the hole, with each band as strong as on the ring."""
    out = np.zeros_like(made)
    rest = made
    for fine, broad in BANDS:
        upper = cv2.GaussianBlur(rest, (0, 0), fine)
        lower = cv2.GaussianBlur(rest, (0, 0), broad)
        band = (rest - lower) if fine == BANDS[0][0] else upper - lower
        wanted = _band(texture, fine, broad, fine == BANDS[0][0])[ring].std()
        own = band[hole].std()
        out += band * np.float32(np.clip(wanted / max(float(own), 1e-9), 1 / GAIN_MOST, GAIN_MOST))
        rest = rest - band
    return np.asarray(out + rest, np.float32)


def _band(texture: F32, fine: float, broad: float, finest: bool) -> F32:
    above = texture if finest else cv2.GaussianBlur(texture, (0, 0), fine)
    return np.asarray(above - cv2.GaussianBlur(texture, (0, 0), broad))
