"""Light from the rim alone: one gain, a slope, or a membrane from the ring inwards."""

import cv2
import numpy as np

from hushcore.arrays import F32, least, most
from hushcore.geometry.membrane import membrane
from hushcore.light.region import SMALLEST_RING, Pair

RIM_SIGMA = 3.0  # half-size px along which the ring's ratio is averaged
RIM_OUTLIER = 2.5  # robust deviations from the slope, beyond which a place of the ring counts little


def even(pair: Pair) -> F32:
    """One robust gain a channel from the ring, everywhere."""
    inside = pair.region.in_ring
    level = np.median(pair.q[inside], axis=0) if inside.sum() >= SMALLEST_RING else np.zeros(3)
    return np.broadcast_to(level, pair.q.shape).astype(np.float32)


def rim(pair: Pair) -> F32:
    """A membrane inwards from the ring's log ratio, smoothed along the ring and cleared of what does not belong."""
    inside = pair.region.in_ring & (least(pair.weight) > 0)
    start = pair.slope
    if inside.sum() < SMALLEST_RING:
        return start
    rest = pair.q - start
    spread = 1.4826 * np.median(np.abs(rest[inside]), axis=0) + 1e-4
    belongs = 1 / (1 + most(np.abs(rest) / (RIM_OUTLIER * spread).astype(np.float32))[..., None] ** 4)
    weight = pair.weight * inside[..., None] * belongs
    total = cv2.GaussianBlur(weight, (0, 0), RIM_SIGMA)
    smooth = cv2.GaussianBlur(weight * rest, (0, 0), RIM_SIGMA) / np.maximum(total, 1e-9)
    return start + membrane(np.asarray(smooth, np.float32), inside)
