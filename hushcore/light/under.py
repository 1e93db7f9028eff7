"""The light that fell on the mark itself: J = exp(F) O + b, read from wide scales to narrow ones.

One estimator for light that multiplies (``multiplies`` = 1: b is nothing), for highlights, which add (0), and for all
between. Each correction is taken only as far as it stands out from its own noise, and where the mark has nothing to
read the field comes from around it.
"""

from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, least, mean, most
from hushcore.light import kernels, ring
from hushcore.light.region import BLACK, HALF, SMALLEST_RING, Pair, wide

SCALES = (32.0, 16.0, 8.0, 5.6, 4.0, 4.0, 2.8)  # px; the narrow ones twice over: each takes part of what is left
GATE = 3.5  # a correction must exceed its own variance by this before it counts
MOMENTS = 10.0  # px: local means, variances and covariances
GAIN_BLUR, GAIN_PRIOR = 40.0, 0.01  # px, and how far the means' ratio steps in where there is no contrast
CAP_LEVEL, CAP_CHROMA, CAP_MORE = 99.9, 95.0, 0.003  # percentiles of the ring's corrections, log units
TINT_SIGMA = 8.0  # half-size px over which the ring's colours of light are told
TINTS, TINT_MORE = 90.0, np.float32(0.005)  # percentile of them, log units beyond it
CHROMA_LEAST, CHROMA_MOST = 0.5, 1.6
READ_SIGMA = 6.0  # half-size px; where less than half can be read within this, the rim steps in
FULL = 1.0


@dataclass(frozen=True)
class Under:
    """How the field is read. ``capped`` keeps the mark's own shading out of the light."""

    multiplies: float = FULL
    capped: bool = False


def under(pair: Pair, how: Under) -> tuple[F32, F32 | None]:
    """The field F of log gains and the added light b (None when nothing adds), half size."""
    m = float(np.clip(how.multiplies, 0, 1))
    gain = pair.slope
    if m < 1:
        gain = (m * gain + (1 - m) * np.log(_contrast_gain(pair))).astype(np.float32)
    added = None if m >= 1 else np.zeros_like(gain)
    for scale in SCALES:
        gain, added = _corrected(pair, gain, added, scale, m, how.capped)
    if added is not None:
        gain, added = _guarded(pair, gain, added, m)
    return _rim_where_blind(pair, _tinted_as_ring(pair, gain)), added


def _corrected(
    pair: Pair, gain: F32, added: F32 | None, scale: float, m: float, capped: bool
) -> tuple[F32, F32 | None]:
    """Both fields after one scale's correction."""
    sigma = scale / HALF
    if m > 0:
        base = pair.q if added is None else np.log((np.maximum(pair.now - added, 0) + BLACK) / (pair.then + BLACK))
        step = _gated(base - gain, pair.weight, sigma, scale)
        gain = gain + m * (_capped(step, pair) if capped else step)
    if added is not None:
        rest = pair.now - np.exp(gain) * pair.then - added
        # the variance of a difference of lights is that of the log ratio times the light squared
        step = _gated(rest, pair.weight / (pair.now + BLACK) ** 2, sigma, scale)
        added = added + (1 - m) * step
    return gain, added


def _gated(rest: F32, weight: F32, sigma: float, scale: float) -> F32:
    """What is left at a scale, as far as it stands out from its own noise."""
    step, chi = np.empty_like(rest), np.empty(rest.shape[:2], np.float32)
    kernels.divided(wide(weight * rest, sigma), wide(weight, sigma), scale, step, chi)
    kernels.gated(step, wide(chi, sigma / 2), GATE)
    return step


def _capped(step: F32, pair: Pair) -> F32:
    """No correction under the mark greater than those of the ring."""
    at = pair.region.ring_places
    if len(at) < SMALLEST_RING:
        return step
    some = step.reshape(-1, 3)[at]
    level = mean(some)[:, None]
    limit = _percentile(np.abs(level), CAP_LEVEL) + CAP_MORE
    tint = _percentile(np.abs(some - level), CAP_CHROMA) + CAP_MORE
    kernels.capped(step, limit, tint)
    return step


def _tinted_as_ring(pair: Pair, gain: F32) -> F32:
    """No light under the mark of a colour that the ring has nowhere. A channel in which a mark is dark is read wrong where the
    picture's darks are not quite light's, or a codec has mixed the mark's colours with those beside it: a shadow on red ink
    would come out green."""
    inside = pair.region.in_ring & (least(pair.weight) > 0)
    if inside.sum() < SMALLEST_RING:
        return gain
    level = mean(gain)[..., None]
    tint, here = gain - level, inside.astype(np.float32)
    shown = wide(here[..., None] * tint, TINT_SIGMA)[inside] / wide(here, TINT_SIGMA)[inside][:, None]
    lowest, highest = (
        np.array([_percentile(shown[:, k], share) for k in range(3)], np.float32) for share in (100 - TINTS, TINTS)
    )
    return np.asarray(level + np.clip(tint, lowest - TINT_MORE, highest + TINT_MORE), np.float32)


def _percentile(values: F32, share: float) -> float:
    """The nearest value to a percentile: many times quicker than one between values."""
    at = round(share / 100 * (values.size - 1))
    return float(np.partition(values.ravel(), at)[at])


def _contrast_gain(pair: Pair) -> F32:
    """How contrasts, not levels, have changed: cov(J, O) / var(O), pulled to the levels' ratio where there are none."""
    sigma = MOMENTS / HALF
    here = (least(pair.weight) > 0).astype(np.float32)[..., None]
    count = wide(here[..., 0], sigma)[..., None] + 1e-6
    mean_o = wide(here * pair.then, sigma) / count
    mean_j = wide(here * pair.now, sigma) / count
    noise = _noise_of_then(pair)
    var = np.maximum(wide(here * pair.then**2, sigma) / count - mean_o**2 - noise, 0)
    cov = wide(here * pair.then * pair.now, sigma) / count - mean_o * mean_j
    weight = here / np.maximum(mean_o, BLACK) ** 2
    broad = GAIN_BLUR / HALF
    above = wide(weight * cov, broad) + GAIN_PRIOR * wide(weight * mean_o * mean_j, broad)
    below = wide(weight * var, broad) + GAIN_PRIOR * wide(weight * mean_o**2, broad)
    return np.asarray(np.clip(above / np.maximum(below, 1e-9), 0.02, 50), np.float32)


def _noise_of_then(pair: Pair) -> F32:
    """Grain variance of the original at half size, from the weights' own noise estimate."""
    return np.asarray(pair.gain * (pair.then + BLACK), np.float32)


def _guarded(pair: Pair, gain: F32, added: F32, m: float) -> tuple[F32, F32]:
    """White glints over saturated colour make one channel's gain explode: one gain for all, the ring's chroma."""
    inside = pair.region.in_ring
    linear = np.exp(gain)
    level = mean(linear)[..., None]
    chroma = np.ones(3)
    if inside.sum() >= SMALLEST_RING:
        chroma = np.median((linear / level)[inside], axis=0)
    guarded = np.log(np.maximum(level * chroma, 1e-4))
    light = mean(added)[..., None]
    tint = np.clip(added / np.where(np.abs(light) < 1e-4, 1e-4, light), CHROMA_LEAST, CHROMA_MOST)
    gain = m * gain + (1 - m) * guarded
    added = m * added + (1 - m) * light * tint
    return np.asarray(gain, np.float32), np.asarray(added, np.float32)


def _rim_where_blind(pair: Pair, gain: F32) -> F32:
    """Where a place and its surroundings cannot be read, the membrane from the ring, without a seam."""
    readable = (most(pair.weight) > 0).astype(np.float32)
    if readable.all():
        return gain
    ones = np.ones_like(readable)
    share = wide(readable, READ_SIGMA) / np.maximum(wide(ones, READ_SIGMA), 1e-6)
    t = np.clip(share / 0.5, 0, 1)[..., None]
    if t.min() >= 1:
        return gain
    t = t * t * (3 - 2 * t)
    return np.asarray(t * gain + (1 - t) * ring.rim(pair), np.float32)
