"""From linear light to code values: grain as a sensor makes it, and the sRGB curve."""

import numpy as np
from numpy.typing import NDArray

from demo.noise import F32

READ_NOISE = 8.0e-6  # variance at black, linear
GAIN = 5.0e-4  # variance per unit of linear signal
GRAIN_KERNEL = np.array([0.13, 0.74, 0.13], np.float32)  # about .5 px of sigma
SHARED = 0.45  # part of the grain that all channels have in common


def encode(linear: F32) -> F32:
    """sRGB (IEC 61966-2-1): 12.92 x below .0031308, else 1.055 x^(1/2.4) - .055; clipped to 0..1."""
    x = np.clip(linear, 0, 1)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(x, 1 / 2.4) - 0.055).astype(np.float32)


TO_AP1 = np.array(
    [[0.613132, 0.339538, 0.047417], [0.070125, 0.916394, 0.013451], [0.020588, 0.109575, 0.869782]], np.float32
)  # linear BT.709 to ACES AP1 (ACES technical bulletin TB-2014-004, Bradford adaptation)


def encode_acescct(linear: F32) -> F32:
    """ACEScct (S-2016-001) of linear BT.709 light: AP1 primaries, 10.54 x + .0729 below .0078125, else a log."""
    x = linear @ TO_AP1.T
    high = (np.log2(np.maximum(x, 0.0078125)) + 9.72) / 17.52
    return np.where(x <= 0.0078125, 10.5402377416545 * x + 0.0729055341958355, high).astype(np.float32)


def grain_field(shape: tuple[int, ...], seed: int) -> F32:
    """Unit-variance grain (h, w, 3), correlated over about a pixel and partly between channels."""
    rng = np.random.default_rng(seed)
    own = rng.standard_normal(shape, np.float32)
    common = rng.standard_normal(shape[:2], np.float32)[..., None]
    return _soften(np.float32(np.sqrt(1 - SHARED)) * own + np.float32(np.sqrt(SHARED)) * common)


def add_grain(linear: F32, field: F32) -> F32:
    """Linear picture (h, w, 3) with grain laid in: variance = read noise + gain x signal."""
    channel = np.array([1.0, 0.85, 1.25], np.float32)
    return linear + field * channel * np.sqrt(READ_NOISE + GAIN * np.clip(linear, 0, None))


def _soften(field: F32) -> F32:
    side, mid = float(GRAIN_KERNEL[0]), float(GRAIN_KERNEL[1])
    field = mid * field + side * (np.roll(field, 1, 0) + np.roll(field, -1, 0))
    field = mid * field + side * (np.roll(field, 1, 1) + np.roll(field, -1, 1))
    return np.asarray(field / float((GRAIN_KERNEL**2).sum()), np.float32)


def quantise(encoded: F32) -> NDArray[np.uint16]:
    """0..1 to 16-bit code values, rounded to nearest."""
    return np.round(encoded * 65535).astype(np.uint16)
