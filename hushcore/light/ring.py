"""Light from the rim alone: one gain, a slope, or a membrane from the ring inwards."""

import cv2
import numpy as np

from hushcore.arrays import F32, least, most
from hushcore.geometry.membrane import membrane
from hushcore.light.region import SMALLEST_RING, Pair

HUBER = 1.5
ROUNDS = 4
SLOPE_SAMPLES = 1500  # places of the ring that fit six numbers
RIM_SIGMA = 3.0  # half-size px along which the ring's ratio is averaged
RIM_OUTLIER = 2.5  # robust deviations from the slope, beyond which a place of the ring counts little


def even(pair: Pair) -> F32:
    """One robust gain a channel from the ring, everywhere."""
    inside = pair.region.in_ring
    level = np.median(pair.q[inside], axis=0) if inside.sum() >= SMALLEST_RING else np.zeros(3)
    return np.broadcast_to(level, pair.q.shape).astype(np.float32)


def slope(pair: Pair) -> F32:
    """Affine fit of q on the ring, by iteratively reweighted least squares (Huber)."""
    q, weight = pair.q, pair.weight
    height, width = q.shape[:2]
    inside = pair.region.in_ring & (least(weight) > 0)
    out = np.zeros_like(q)
    if inside.sum() < SMALLEST_RING:
        return out
    at = np.flatnonzero(inside)
    at = at[:: max(1, len(at) // SLOPE_SAMPLES)]
    y, x = np.divmod(at, width)
    a = np.stack([np.ones(len(at)), x / width - 0.5, y / height - 0.5], -1)
    values, weights = (side.reshape(-1, 3)[at].astype(float) for side in (q, weight))
    for k in range(3):
        b, w = values[:, k], weights[:, k]
        robust = np.ones_like(b)
        for _ in range(ROUNDS):
            weighted = a * (w * robust)[:, None]
            solved = np.linalg.solve(weighted.T @ a + 1e-9 * np.eye(3), weighted.T @ b)
            rest = np.abs(b - a @ solved)
            limit = HUBER * 1.4826 * np.median(rest) + 1e-9
            robust = np.minimum(1, limit / np.maximum(rest, 1e-12))
        across = solved[0] + solved[1] * (np.arange(width) / width - 0.5)
        out[..., k] = across[None, :] + (solved[2] * (np.arange(height) / height - 0.5))[:, None]
    return out


def rim(pair: Pair) -> F32:
    """A membrane inwards from the ring's log ratio, smoothed along the ring and cleared of what does not belong."""
    inside = pair.region.in_ring & (least(pair.weight) > 0)
    start = slope(pair)
    if inside.sum() < SMALLEST_RING:
        return start
    rest = pair.q - start
    spread = 1.4826 * np.median(np.abs(rest[inside]), axis=0) + 1e-4
    belongs = 1 / (1 + most(np.abs(rest) / (RIM_OUTLIER * spread).astype(np.float32))[..., None] ** 4)
    weight = pair.weight * inside[..., None] * belongs
    total = cv2.GaussianBlur(weight, (0, 0), RIM_SIGMA)
    smooth = cv2.GaussianBlur(weight * rest, (0, 0), RIM_SIGMA) / np.maximum(total, 1e-9)
    return start + membrane(np.asarray(smooth, np.float32), inside)
