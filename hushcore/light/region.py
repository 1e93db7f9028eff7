"""Where a light field is solved, and how much each place of it can be trusted.

All pictures are scene-linear (h, w, 3), in the anchor's pose: ``original`` is the plate's frame with the mark still on
it, ``current`` the frame to be patched. The mark's own colour is in both and cancels in their ratio.
"""

from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from hushcore.arrays import F32, F64, Mask, least
from hushcore.light import kernels

RING_INNER, RING_OUTER = 3.0, 26.0  # px outside the matte
HALF = 2  # fields are solved at half size
BLACK = 0.003  # linear; keeps the ratio finite in the darks
CLIP_AT = 0.95  # of white: over it a sensor no longer says what the light was
CLIP_GUARD = 2  # px round a clipped place
MISPLACED = 0.25  # px of hold error that the weights allow for everywhere
CHANGE_SIGMA, ROUGH_SIGMA = 1.0, 2.0  # half-size px: grain is no change; light is smooth over this
STEEP, FEW_STEEP = 0.01, 60  # squared log units over two px; places and channels
TIMES, MOST_MISPLACED = 4.0, 4.0  # of the variance that is found; px
LEAST_VARIANCE = 4e-4
LEAST_SNR = 1.5
RING_SAMPLES = 3000  # places of the ring that tell its noise and its extremes
HUBER, ROUNDS = 1.5, 4  # of the affine fit: robust deviations, rounds
SLOPE_SAMPLES = 1500  # places of the ring that fit six numbers
SMALLEST_RING = 64  # half-size px; with fewer nothing is fitted
BEYOND = 0.7  # log units: a ring that is seen on one side only says little of the light far from it


@dataclass(frozen=True)
class Region:
    """Where a light field is solved: full-size shape, and at half size the ring and what may be read.

    ``outside``: px outside the matte at half size, 0 within; ``clip``: the light over which the footage no longer says
    what it was.
    """

    shape: tuple[int, int]
    outside: F32
    ring: F32
    usable: F32
    clip: float = CLIP_AT

    @staticmethod
    def around(outside: F32, usable: F32, clip: float = CLIP_AT) -> "Region":
        """``outside`` (h, w): px outside the matte (0 within); ``usable`` (h, w): 1 where the frame can be read."""
        ring = ((outside >= RING_INNER) & (outside <= RING_OUTER)).astype(np.float32)
        small = halved(usable) > 0.99
        return Region(outside.shape[:2], halved(outside), halved(ring) * small, small.astype(np.float32), clip)

    @cached_property
    def in_ring(self) -> Mask:
        """The ring's places that can be read, half size."""
        return np.asarray(self.ring > 0.5)

    @cached_property
    def ring_places(self) -> NDArray[np.intp]:
        """Flat indices of the ring's places, at most ``RING_SAMPLES`` of them, evenly."""
        at = np.flatnonzero(self.in_ring)
        return at[:: max(1, len(at) // RING_SAMPLES)]


@dataclass(frozen=True)
class Pair:
    """Now and then at half size, the log of their ratio q, the weight 1 / variance of q per pixel and channel, and the grain's
    variance per unit of light (3,)."""

    now: F32
    then: F32
    q: F32
    weight: F32
    region: Region
    gain: F64

    @cached_property
    def slope(self) -> F32:
        """The affine fit of q on the ring, over all of the region; where the ring does not reach, at most ``BEYOND`` over or
        under what it shows."""
        inside = self.region.in_ring & (least(self.weight) > 0)
        fit = affine(self.q, self.weight, inside)
        if not inside.any():
            return fit
        shown = fit[inside]
        return np.asarray(np.clip(fit, shown.min(0) - BEYOND, shown.max(0) + BEYOND), np.float32)

    def allowing(self, variance: F32) -> "Pair":
        """With more ``variance`` (h, w, 3) of q in its weights."""
        return replace(self, weight=self.weight / (1 + self.weight * variance))

    @staticmethod
    def of(current: F32, original: F32, region: Region) -> "Pair":
        """From pictures at half size."""
        now, then = np.maximum(current, 0), np.maximum(original, 0)
        log_then = np.log(then + BLACK)
        q = np.log(now + BLACK) - log_then
        gain = grain_gain(q, now, then, region)
        return Pair(now, then, q, _weights(q, now, then, log_then, region, gain), region, gain)


def steepness(change: F32) -> F32:
    """How steep (h, w, 3) a mark is: squared differences over two half-size px of the ``change`` (log units) that it makes."""
    low = cv2.GaussianBlur(change, (0, 0), CHANGE_SIGMA)
    return np.asarray(sum(cv2.Sobel(low, -1, *way, ksize=1) ** 2 for way in ((1, 0), (0, 1))), np.float32)


def misplaced(pair: Pair, steep: F32) -> F32:
    """Variance (h, w, 3) of q where a mark of such ``steep``ness lies off on the frame, beyond what the pair's weights allow for:
    ``TIMES`` what q varies by from place to place where the mark is steep, for light does not. 0 where too little tells."""
    at = np.flatnonzero((steep > STEEP) & (pair.weight > 0))
    if len(at) < FEW_STEEP:
        return np.zeros_like(steep)
    rough = (pair.q - cv2.GaussianBlur(pair.q, (0, 0), ROUGH_SIGMA)).ravel()[at]
    # the median of a squared normal is .455 of its variance
    found = np.median((rough**2 / 0.455 - 1 / pair.weight.ravel()[at]) / steep.ravel()[at])
    return np.asarray(TIMES * np.clip(found, 0, (MOST_MISPLACED / (2 * HALF)) ** 2) * steep, np.float32)


def affine(q: F32, weight: F32, inside: Mask) -> F32:
    """Affine fit of q (h, w, 3) where ``inside``, by iteratively reweighted least squares (Huber)."""
    height, width = q.shape[:2]
    at = np.flatnonzero(inside)
    if len(at) < SMALLEST_RING:
        return np.zeros_like(q)
    at = at[:: max(1, len(at) // SLOPE_SAMPLES)]
    y, x = np.divmod(at, width)
    a = np.stack([np.ones(len(at)), x / width - 0.5, y / height - 0.5])
    squares = (a[:, None] * a[None]).reshape(9, -1)
    values, weights = (side.reshape(-1, 3)[at].T.astype(float) for side in (q, weight))
    robust = np.ones_like(values)
    for _ in range(ROUNDS):
        full_weight = weights * robust
        matrices = (full_weight @ squares.T).reshape(3, 3, 3) + 1e-9 * np.eye(3)
        solved = np.linalg.solve(matrices, ((full_weight * values) @ a.T)[..., None])[..., 0]
        rest = np.abs(values - solved @ a)
        limit = HUBER * 1.4826 * np.median(rest, axis=1, keepdims=True) + 1e-9
        robust = np.minimum(1, limit / np.maximum(rest, 1e-12))
    across = solved[:, 0] + (np.arange(width) / width - 0.5)[:, None] * solved[:, 1]
    down = (np.arange(height) / height - 0.5)[:, None] * solved[:, 2]
    return np.asarray(across[None] + down[:, None], np.float32)


def halved(picture: F32) -> F32:
    """A picture at half size, by area."""
    height, width = picture.shape[:2]
    return np.asarray(cv2.resize(picture, (-(-width // HALF), -(-height // HALF)), interpolation=cv2.INTER_AREA))


def full(field: F32, region: Region) -> F32:
    """A half-size field at the region's full size."""
    return np.asarray(cv2.resize(field, region.shape[::-1], interpolation=cv2.INTER_LINEAR))


def _weights(q: F32, now: F32, then: F32, log_then: F32, region: Region, gain: F64) -> F32:
    """1 / variance of q: grain, misplacement, a floor; 0 where nothing can be known."""
    out, bright = np.empty_like(q), np.empty(q.shape[:2], np.float32)
    numbers = (BLACK, HALF, MISPLACED, LEAST_VARIANCE, LEAST_SNR)
    kernels.weights(
        now, then, log_then, gain.astype(np.float32), region.usable, *map(np.float32, numbers),
        out, bright,
    )  # fmt: skip
    clipped = bright > region.clip
    if clipped.any():
        out[cv2.dilate(clipped.astype(np.uint8), np.ones((2 * CLIP_GUARD // HALF + 1,) * 2, np.uint8)) > 0] = 0
    return out


def grain_gain(q: F32, now: F32, then: F32, region: Region) -> F64:
    """Grain variance per unit of light and channel, from what is left of q in the ring after a high-pass."""
    inside = region.in_ring
    if inside.sum() < SMALLEST_RING:
        return np.full(3, 1e-4)
    rough = q - cv2.GaussianBlur(q, (0, 0), 2.0)
    at = region.ring_places
    now, then, rough = (side.reshape(-1, 3)[at] for side in (now, then, rough))
    scaled = rough**2 / (1 / (now + BLACK) + 1 / (then + BLACK))
    # the median of a squared normal is .455 of its variance
    return np.asarray(np.median(scaled, axis=0) / 0.455 + 1e-9)


def wide(field: F32, sigma: float) -> F32:
    """Gaussian blur with zeros outside; wide ones at reduced size, where they are as exact and quicker."""
    shrink = 4 if sigma >= 12 else 2 if sigma >= 6 else 1
    field = np.ascontiguousarray(field, np.float32)
    if shrink == 1:
        return np.asarray(cv2.GaussianBlur(field, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT))
    height, width = field.shape[:2]
    tall, broad = -(-height // shrink) * shrink, -(-width // shrink) * shrink
    padded = cv2.copyMakeBorder(field, 0, tall - height, 0, broad - width, cv2.BORDER_CONSTANT)
    small = cv2.resize(padded, (broad // shrink, tall // shrink), interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigma / shrink, borderType=cv2.BORDER_CONSTANT)
    return np.asarray(cv2.resize(small, (broad, tall), interpolation=cv2.INTER_LINEAR)[:height, :width])
