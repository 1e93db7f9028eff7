"""Contour: the lines that meet the rim are carried inwards, and the texture of the ring is laid on them."""

import cv2
import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.fill.soak import mean_outside
from hushcore.fill.texture import as_strong, random_phase, ring_of, texture_of

WAYS = {"flow": cv2.INPAINT_NS, "march": cv2.INPAINT_TELEA}
RADIUS = 5.0  # px that are looked at round a place
LEAST_TONE = 1.0  # px
WHOLE = 65535.0


def contour(tonal: F32, hole: Mask, smooth: float, way: str, seed: int) -> F32:
    """``tonal`` (h, w, 3) with its hole filled by OpenCV's inpainting of the tone (coarser than ``smooth`` px).

    Sources: Bertalmio, Bertozzi & Sapiro 2001 (``flow``), Telea 2004 (``march``).
    """
    sigma = max(smooth / 3, LEAST_TONE)
    tone = np.where(hole[..., None], 0, mean_outside(tonal, (~hole).astype(np.float32), sigma)).astype(np.float32)
    mask = hole.astype(np.uint8)
    made = np.stack([_carried(tone[..., k], mask, way) for k in range(3)], -1)
    texture, ring = texture_of(tonal, hole, sigma), ring_of(hole)
    made = made + as_strong(random_phase(texture, ring, seed), hole, texture, ring)
    return np.asarray(np.where(hole[..., None], made, tonal), np.float32)


def _carried(tone: F32, mask: np.ndarray, way: str) -> F32:
    """One channel; OpenCV's march is right on whole numbers alone."""
    known = tone[mask == 0]
    low, high = float(known.min()), float(known.max())
    scale = WHOLE / max(high - low, 1e-6)
    codes = np.rint(np.clip((tone - low) * scale, 0, WHOLE)).astype(np.uint16)
    return np.asarray(cv2.inpaint(codes, mask, RADIUS, WAYS[way]).astype(np.float32) / scale + low, np.float32)
