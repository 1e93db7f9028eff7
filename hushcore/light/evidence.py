"""How much of a shot's light multiplies and how much adds, from the shot itself.

Where light multiplies, a place's contrast grows with its level; where a highlight adds, the level moves and the
contrast stays. rho is the slope of the one against the other over several frames: 1 multiplies, 0 adds.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64
from hushcore.light.region import BLACK, HALF, Pair, wide

BLUR = 1.5  # half-size px: 3 px in all
MOMENTS = 6.0  # px
NEAR = 15.0  # px outside the matte that are still read
CONTRAST = 0.03  # of the level, beyond the noise: less says nothing
NOISE_TIMES = 3.0
MOST = 2.0  # log-like units; beyond it something else is going on
WEIGHT_MOST = 0.05
SPREAD_PRIOR = 0.25  # variance of rho about 1 that is expected before looking
ERROR_FLOOR = 0.01
ADDS, MULTIPLIES = 0.3, 0.5  # of the shrunk rho: below it light adds, above it multiplies
UNPHYSICAL = -0.35
ALIKE_LEAST = 0.4
FEWEST = 200  # places of a frame
SPREAD_FRAMES = 9  # frames over the shot that are looked at


@dataclass(frozen=True)
class Sample:
    """One frame's sums over channels: w x y and w x x."""

    xy: float
    xx: float


def sample(pair: Pair) -> Sample | None:
    """Read one frame; None when there is too little to read."""
    now, then = (cv2.GaussianBlur(side, (0, 0), BLUR) for side in (pair.now, pair.then))
    here = ((pair.weight.min(-1) > 0) & (pair.region.usable > 0)).astype(np.float32)[..., None]
    sigma = MOMENTS / HALF
    count = wide(here[..., 0], sigma)[..., None] + 1e-6
    mean_o, mean_j = wide(here * then, sigma) / count, wide(here * now, sigma) / count
    noise = _left_of_noise(pair) * (mean_o + BLACK)
    var = np.maximum(wide(here * then * then, sigma) / count - mean_o**2 - noise, 1e-9)
    noise_j = _left_of_noise(pair) * (mean_j + BLACK)
    var_j = np.maximum(wide(here * now * now, sigma) / count - mean_j**2 - noise_j, 1e-9)
    cov = wide(here * then * now, sigma) / count - mean_o * mean_j
    base = np.exp(pair.slope)
    x = mean_j / (base * np.maximum(mean_o, 1e-4)) - 1
    near = (pair.region.outside <= NEAR)[..., None] & (here > 0)
    textured = near & (var > NOISE_TIMES * noise + (CONTRAST * mean_o) ** 2)
    if textured.sum() < FEWEST:
        return None
    # a hold that misses by a part of a pixel lowers every covariance alike; that is not light
    alike = float(np.clip(np.median((cov / np.sqrt(var * var_j))[textured]), ALIKE_LEAST, 1))
    y = cov / (alike * base * var) - 1
    good = textured & (np.abs(x) < MOST) & (np.abs(y) < MOST)
    return _sums(x, y, np.where(good, np.minimum(var / np.maximum(mean_o, 1e-4) ** 2, WEIGHT_MOST), 0))


def _sums(x: F32, y: F32, weight: F32) -> Sample:
    """Both centred by channel, so that one gain for the whole frame says nothing."""
    xy = xx = 0.0
    for k in range(x.shape[2]):
        w = weight[..., k].astype(float)
        total = w.sum()
        if total <= 0:
            continue
        dx, dy = x[..., k] - (w * x[..., k]).sum() / total, y[..., k] - (w * y[..., k]).sum() / total
        xy += float((w * dx * dy).sum())
        xx += float((w * dx * dx).sum())
    return Sample(xy, xx)


def _left_of_noise(pair: Pair) -> F64:
    """Grain variance per unit of light after the blur (a Gaussian leaves 1 / (4 pi sigma^2) of white noise)."""
    return pair.gain / (4 * np.pi * BLUR**2)


def multiplies(samples: Sequence[Sample | None]) -> float:
    """0 where the shot's light adds, 1 where it multiplies; 1 when the shot does not say."""
    known = [one for one in samples if one is not None and one.xx > 0]
    if len(known) < 3:
        return 1.0
    xy, xx = (np.array([getattr(one, name) for one in known]) for name in ("xy", "xx"))
    rho = xy.sum() / xx.sum()
    if rho < UNPHYSICAL:
        return 1.0
    left_out = (xy.sum() - xy) / (xx.sum() - xx)
    error = (len(known) - 1) / len(known) * ((left_out - left_out.mean()) ** 2).sum()
    trust = 1 / (error + ERROR_FLOOR)
    shrunk = (rho * trust + 1 / SPREAD_PRIOR) / (trust + 1 / SPREAD_PRIOR)
    return float(np.clip((shrunk - ADDS) / (MULTIPLIES - ADDS), 0, 1))


def spread(frames: Sequence[int], count: int = SPREAD_FRAMES) -> list[int]:
    """Frames evenly over a shot."""
    if len(frames) <= count:
        return list(frames)
    return [frames[round(k * (len(frames) - 1) / (count - 1))] for k in range(count)]
