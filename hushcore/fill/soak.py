"""Soak: smooth from the rim inwards.

A membrane on the rim's own tone, averaged along it and cleared of what does not belong there (a hair, a speck of grain).
"""

import cv2
import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.geometry.membrane import membrane

RIM = 12.0  # px outside the hole that say what its rim is
OUTLIER = 3.0  # robust deviations beyond which a place of the rim counts little
LEAST_SMOOTH = 0.7  # px
SMALL_SIGMA = 4.0  # px: wider means are taken at reduced size


def soak(tonal: F32, hole: Mask, smooth: float) -> F32:
    """``tonal`` (h, w, 3) with its ``hole`` (h, w) filled; ``smooth``: px along the rim. All else stays as it is."""
    rim = rim_of(tonal, hole, smooth)
    made = membrane(rim, ~hole)
    return np.asarray(np.where(hole[..., None], made, tonal), np.float32)


def rim_of(tonal: F32, hole: Mask, smooth: float) -> F32:
    """The tone outside a hole, smoothed from outside alone and robustly; within ``RIM`` px of the hole it can be used."""
    smooth = max(smooth, LEAST_SMOOTH)
    weight = (~hole).astype(np.float32)
    first = mean_outside(tonal, weight, smooth)
    near = _near(hole)
    apart = np.abs(tonal - first)
    spread = 1.4826 * np.median(apart[near], axis=0) + 1e-5 if near.any() else np.full(3, 1e-5)
    belongs = 1 / (1 + (apart / (OUTLIER * spread)).max(-1) ** 4)
    return mean_outside(tonal, (weight * belongs).astype(np.float32), smooth)


def mean_outside(tonal: F32, weight: F32, sigma: float) -> F32:
    """A weighted Gaussian mean; where nothing is near, from ever farther away."""
    out = np.zeros_like(tonal, dtype=np.float32)
    for scale in (16.0, 4.0, 1.0):
        sums, total = _blurred(np.dstack([tonal * weight[..., None], weight]), sigma * scale)
        known = np.clip(total / 0.02, 0, 1)
        out = out + known * (sums / np.maximum(total, 1e-6) - out)
    return np.asarray(out, np.float32)


def _blurred(both: F32, sigma: float) -> tuple[F32, F32]:
    """Sums (h, w, 3) and total (h, w, 1) under a Gaussian; wide ones at reduced size, where they are as good."""
    height, width = both.shape[:2]
    small = int(max(1, sigma // SMALL_SIGMA))
    if small > 1:
        both = cv2.resize(both, (max(2, width // small), max(2, height // small)), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(both, (0, 0), sigma / small, borderType=cv2.BORDER_REFLECT_101)
    if small > 1:
        soft = cv2.resize(soft, (width, height), interpolation=cv2.INTER_LINEAR)
    return soft[..., :3], soft[..., 3:]


def _near(hole: Mask) -> Mask:
    far = cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray((far > 0) & (far <= RIM))
