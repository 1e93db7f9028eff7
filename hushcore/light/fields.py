"""Light fields on the still surface.

All pictures are scene-linear (h, w, 3), in the anchor's pose: ``original`` is the plate's frame with the mark still on
it, ``current`` the frame to be patched. The mark's own colour is in both and cancels in their ratio.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64

MODES = ("off", "even", "under")
RING_INNER, RING_OUTER = 3.0, 26.0  # px outside the matte
HALF = 2  # fields are solved at half size
BLACK = 0.003  # linear; keeps the ratio finite in the darks
CLIP_AT = 0.95  # of white: over it a sensor no longer says what the light was
CLIP_GUARD = 2  # px round a clipped place
MISPLACED = 0.25  # px of hold error that the weights allow for
LEAST_VARIANCE = 4e-4
LEAST_SNR = 1.5
SCALES = (32.0, 16.0, 8.0, 5.6, 4.0, 4.0, 2.8)  # px; the narrow ones twice over: each takes part of what is left
GATE = 3.5  # a correction must exceed its own variance by this before it counts
HUBER = 1.5
ROUNDS = 8


@dataclass(frozen=True)
class Region:
    """Where a light field is solved: full-size shape, and at half size the ring and what may be read."""

    shape: tuple[int, int]
    ring: F32
    usable: F32
    clip: float = CLIP_AT

    @staticmethod
    def around(outside: F32, usable: F32, clip: float = CLIP_AT) -> "Region":
        """``outside`` (h, w): px outside the matte (0 within); ``usable`` (h, w): 1 where the frame can be read;
        ``clip``: the light over which the footage no longer says what it was."""
        ring = ((outside >= RING_INNER) & (outside <= RING_OUTER)).astype(np.float32)
        small = _halved(usable) > 0.99
        return Region(outside.shape[:2], _halved(ring) * small, small.astype(np.float32), clip)


def field(mode: str, current: F32, original: F32, region: Region) -> F32:
    """The field F (h, w, 3) of log gains for a mode of ``MODES``."""
    if mode == "off":
        return np.zeros((*region.shape, 3), np.float32)
    now, then = _halved(current), _halved(original)
    q = np.log((np.maximum(now, 0) + BLACK) / (np.maximum(then, 0) + BLACK))
    if mode == "even":
        return np.broadcast_to(_even(q, region), (*region.shape, 3)).astype(np.float32)
    weight = _weights(q, now, then, region)
    solved = _pyramid(q, weight, _affine(q, weight, region))
    return np.asarray(cv2.resize(solved, region.shape[::-1], interpolation=cv2.INTER_LINEAR))


def _halved(picture: F32) -> F32:
    height, width = picture.shape[:2]
    return np.asarray(cv2.resize(picture, (-(-width // HALF), -(-height // HALF)), interpolation=cv2.INTER_AREA))


def _even(q: F32, region: Region) -> F32:
    """One robust gain a channel from the ring."""
    inside = region.ring > 0.5
    if inside.sum() < 16:
        return np.zeros(3, np.float32)
    return np.asarray(np.median(q[inside], axis=0), np.float32)


def _weights(q: F32, now: F32, then: F32, region: Region) -> F32:
    """1 / variance of q per pixel and channel: grain, misplacement, a floor; 0 where nothing can be known."""
    gain = _grain_gain(q, now, then, region)
    grain = gain * (1 / (now + BLACK) + 1 / (then + BLACK))
    log_then = np.log(np.maximum(then, 0) + BLACK)
    dy, dx = np.gradient(log_then, axis=(0, 1))
    slope = (dx * dx + dy * dy) / HALF**2
    variance = grain + MISPLACED**2 * slope + LEAST_VARIANCE
    clipped = (np.maximum(now, then).max(-1) > region.clip).astype(np.uint8)
    guard = cv2.dilate(clipped, np.ones((2 * CLIP_GUARD // HALF + 1,) * 2, np.uint8))
    signal = np.sqrt((np.minimum(now, then) + BLACK) / np.maximum(gain, 1e-9))
    sure = np.clip(signal - LEAST_SNR, 0, 1)
    return np.asarray(sure / variance * (region.usable * (guard == 0))[..., None], np.float32)


def _grain_gain(q: F32, now: F32, then: F32, region: Region) -> F64:
    """Grain variance per unit of light and channel, from what is left of q in the ring after a high-pass."""
    rough = q - cv2.GaussianBlur(q, (0, 0), 2.0)
    inside = region.ring > 0.5
    if inside.sum() < 64:
        return np.full(3, 1e-4)
    scaled = rough[inside] ** 2 / (1 / (now[inside] + BLACK) + 1 / (then[inside] + BLACK))
    # the median of a squared normal is .455 of its variance
    return np.asarray(np.median(scaled, axis=0) / 0.455 + 1e-9)


def _affine(q: F32, weight: F32, region: Region) -> F32:
    """Affine fit of q on the ring, by iteratively reweighted least squares (Huber)."""
    height, width = q.shape[:2]
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    design = np.stack([np.ones_like(x), x / width - 0.5, y / height - 0.5], -1)
    inside = (region.ring > 0.5) & (weight.min(-1) > 0)
    inside[::2, 1::2] = inside[1::2, ::2] = False  # half the ring says as much of six numbers
    out = np.zeros_like(q)
    if inside.sum() < 64:
        return out
    a = design[inside]
    for k in range(3):
        b, w = q[inside][:, k].astype(float), weight[inside][:, k].astype(float)
        robust = np.ones_like(b)
        for _ in range(ROUNDS):
            weighted = a * (w * robust)[:, None]
            solved = np.linalg.solve(weighted.T @ a + 1e-9 * np.eye(3), weighted.T @ b)
            rest = np.abs(b - a @ solved)
            limit = HUBER * 1.4826 * np.median(rest) + 1e-9
            robust = np.minimum(1, limit / np.maximum(rest, 1e-12))
        out[..., k] = design @ solved
    return out


def _pyramid(q: F32, weight: F32, start: F32) -> F32:
    """Corrections from wide to narrow, each as far as it stands out from its own noise."""
    out = start.copy()
    for scale in SCALES:
        sigma = scale / HALF
        total = _wide(weight, sigma) + np.float32(1e-9)
        step = _wide(weight * (q - out), sigma) / total
        variance = 8 / (4 * np.pi * scale**2 * total)
        chi = _wide((step * step / variance).mean(-1), sigma / 2)
        out += step * np.maximum(0, 1 - GATE / np.maximum(chi, 1e-6))[..., None]
    return out


def _wide(field_of: F32, sigma: float) -> F32:
    """Gaussian blur with zeros outside; wide ones at reduced size, where they are as exact and quicker."""
    shrink = 4 if sigma >= 12 else 2 if sigma >= 6 else 1
    field_of = np.ascontiguousarray(field_of, np.float32)
    if shrink == 1:
        return np.asarray(cv2.GaussianBlur(field_of, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT))
    height, width = field_of.shape[:2]
    tall, wide = -(-height // shrink) * shrink, -(-width // shrink) * shrink
    padded = cv2.copyMakeBorder(field_of, 0, tall - height, 0, wide - width, cv2.BORDER_CONSTANT)
    small = cv2.resize(padded, (wide // shrink, tall // shrink), interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigma / shrink, borderType=cv2.BORDER_CONSTANT)
    return np.asarray(cv2.resize(small, (wide, tall), interpolation=cv2.INTER_LINEAR)[:height, :width])
