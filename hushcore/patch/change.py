"""Where a retouch changes anything: the patch is laid there and a little round it, however large the edge was drawn.

Where the plate is as it was shot, the frame's own pixels are better than any plate: there the patch can only do harm
(a background that comes into the edge, a hand that passes, a light that was read a little wrong).
"""

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask
from hushcore.colour.encoding import Encoding
from hushcore.grain.model import BLOCK, Grain, luma_of

SCALES = (0.7, 1.5, 3.0, 6.0)  # px at which a change is looked for: a hair's width to a shade
SURE = 4.0  # times the grain of both pictures that is left at a scale
LEAST = 0.004  # tonal: a code of 8 bits
CLOSED = 9  # px: gaps within a mark that are laid with it
FULL = 5.0  # px round the change that are laid in full: the hold may be off by as much
MOST_FALL = 8.0  # px of softness beyond that
SMALLEST = 6  # px: less is chance


def changed(painted: F32, original: F32, grain: Grain | None, encoding: Encoding) -> Mask:
    """Where two linear pictures (h, w, 3) differ by more than their grain."""
    tonal = [encoding.tonal_of(np.maximum(side, 0)) for side in (painted, original)]
    apart = np.asarray(tonal[0] - tonal[1], np.float32)
    sigma = np.zeros((), np.float32)
    if grain is not None:
        touched = (apart != 0).any(-1)[..., None]
        sigma = grain.sigma_at(cv2.GaussianBlur(luma_of(tonal[1]), (0, 0), 2.0)) * touched
    out = np.zeros(apart.shape[:2], bool)
    for scale in SCALES:
        limit = SURE * np.float32(np.sqrt(2)) * sigma * (1.0 if grain is None else _left(grain, scale))
        # what is found already is taken out, so that a wide blur does not carry it beyond itself
        found = cv2.dilate(out.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        rest = np.where(found[..., None], 0, apart).astype(np.float32)
        out |= (np.abs(cv2.GaussianBlur(rest, (0, 0), scale)) > np.maximum(limit, LEAST)).any(-1)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(out.astype(np.uint8))
    keep = np.array([k > 0 and stats[k, cv2.CC_STAT_AREA] >= SMALLEST for k in range(count)])
    return np.asarray(keep[labels])


def _left(grain: Grain, scale: float) -> F32:
    """Share of the grain's standard deviation, a channel, that a Gaussian of ``scale`` leaves."""
    line = np.fft.fftfreq(BLOCK)
    square = line[:, None] ** 2 + line[None, :] ** 2
    passed: F64 = np.exp(-4 * np.pi**2 * scale**2 * square)
    power = np.stack([grain.spectrum[..., k, k] for k in range(3)], -1)
    return np.asarray(
        np.sqrt((power * passed[..., None]).mean((0, 1)) / np.maximum(power.mean((0, 1)), 1e-9)), np.float32
    )


def away(changes: Mask, closed: int = CLOSED) -> F32 | None:
    """Px from every place to what is changed, gaps of ``closed`` px with it; None when nothing is: the edge alone says."""
    if not changes.any():
        return None
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * closed + 1,) * 2)
    padded = cv2.copyMakeBorder(changes.astype(np.uint8), *(closed + 1,) * 4, cv2.BORDER_CONSTANT)
    whole = cv2.morphologyEx(padded, cv2.MORPH_CLOSE, disc)[closed + 1 : -closed - 1, closed + 1 : -closed - 1]
    return np.asarray(cv2.distanceTransform((whole == 0).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE))


def kept(distance: F32, softness: float, more: float = 0.0) -> F32:
    """How far (0..1) a patch is laid at a distance from what is changed. ``more``: px that the frame's motion smears."""
    fall = float(np.clip(softness, 2.0, MOST_FALL))
    t = np.clip((FULL + more + fall - distance) / fall, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
