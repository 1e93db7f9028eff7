"""Lift: only what the retouch changed is carried, as a ratio that multiplies each frame's own picture.

The frame keeps its own light, folds, texture and grain. Where the ratio would make grain louder, or where its edges
would show a misplacement, it gives way to the plate.
"""

import cv2
import numpy as np

from hushcore.arrays import F32, most
from hushcore.colour.encoding import Encoding
from hushcore.grain.model import Grain, luma_of

BLACK = 0.003
LOUDER_FROM, LOUDER_TO = 1.15, 1.6  # times the grain's own strength, between which trust ends
EDGE_PX, EDGE_LOG = 0.3, 0.05  # a misplacement of .3 px may change the log ratio by this
ERODED, TRUST_BLUR = 3, 2.0  # px
RATIO_LEAST, RATIO_MOST = 0.05, 20.0
SHRINK_SIGMA = 2.0  # px: below it the ratio's own grain is averaged away


def ratio_of(painted: F32, original: F32, steady_grain: bool = True) -> F32:
    """Clean plate over original plate (h, w, 3), linear; nothing but 1 where nothing was painted."""
    changed = np.abs(painted - original).max(-1) > 1e-6
    log = np.log((np.maximum(painted, 0) + BLACK) / (np.maximum(original, 0) + BLACK))
    if steady_grain:
        # grain of both plates is in the ratio at the finest scale, where a stain or an ink has little to say
        soft = cv2.GaussianBlur(log, (0, 0), SHRINK_SIGMA)
        fine = log - soft
        power = cv2.GaussianBlur(fine * fine, (0, 0), SHRINK_SIGMA)
        floor = np.median(power[changed], axis=0) if changed.any() else np.zeros(3)
        log = soft + fine * np.clip(1 - floor / np.maximum(power, 1e-9), 0, 1)
    log *= changed[..., None]
    return np.clip(np.exp(log), RATIO_LEAST, RATIO_MOST).astype(np.float32)


def trust_of(ratio: F32, original: F32, clip: float, grain: Grain | None, encoding: Encoding) -> F32:
    """How far (h, w, 1) the ratio can be trusted."""
    louder = _louder(ratio, original, grain, encoding)
    trust = np.clip((LOUDER_TO - louder) / (LOUDER_TO - LOUDER_FROM), 0, 1)
    gy, gx = np.gradient(np.log(ratio), axis=(0, 1))
    trust = trust * np.exp(-((EDGE_PX * np.hypot(gx, gy).max(-1) / EDGE_LOG) ** 2))
    trust = trust * (original.max(-1) < clip)
    eroded = cv2.erode(trust.astype(np.float32), np.ones((2 * ERODED + 1,) * 2, np.uint8))
    return np.asarray(cv2.GaussianBlur(eroded, (0, 0), TRUST_BLUR))[..., None]


def _louder(ratio: F32, original: F32, grain: Grain | None, encoding: Encoding) -> F32:
    """By how much the ratio makes grain stronger than the grain that belongs to the new brightness.

    Without a measured grain: linear light's own, whose variance grows with the light.
    """
    lifted = original * ratio
    if grain is None:
        return most(np.asarray(np.sqrt(ratio)))
    steps = []
    for side in (original, lifted):
        tonal = np.asarray(encoding.tonal_of(side), np.float32)
        sigma = grain.sigma_at(luma_of(tonal))
        up = encoding.from_tonal(tonal + sigma)
        steps.append(np.maximum(np.abs(up - encoding.from_tonal(tonal)), 1e-7))
    return np.asarray((ratio * steps[0] / steps[1]).max(-1))
