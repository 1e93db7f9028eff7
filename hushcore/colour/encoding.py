"""Between a clip's own code values and scene-linear light.

Source: IEC 61966-2-1 (sRGB).
"""

from functools import lru_cache

import numpy as np

from hushcore.arrays import F32, Codes

CUT_ENCODED, CUT_LINEAR = 0.04045, 0.0031308
SLOPE, OFFSET, POWER = 12.92, 0.055, 2.4


def srgb_to_linear(encoded: F32) -> F32:
    """Encoded 0..1 to linear light 0..1."""
    x = np.asarray(encoded)
    high = ((np.maximum(x, CUT_ENCODED) + OFFSET) / (1 + OFFSET)) ** POWER
    return np.asarray(np.where(x <= CUT_ENCODED, x / SLOPE, high), x.dtype)


def linear_to_srgb(linear: F32) -> F32:
    """Linear light to encoded; values outside 0..1 are clipped."""
    x = np.clip(linear, 0, 1)
    high = (1 + OFFSET) * np.maximum(x, CUT_LINEAR) ** (1 / POWER) - OFFSET
    return np.asarray(np.where(x <= CUT_LINEAR, x * SLOPE, high), x.dtype)


@lru_cache(maxsize=4)
def _table(depth: str) -> F32:
    top = np.iinfo(np.dtype(depth)).max
    return srgb_to_linear(np.arange(top + 1, dtype=np.float64) / top).astype(np.float32)


def decode(codes: Codes) -> F32:
    """Linear light (float32) of integer code values of any shape, through an exact table."""
    return np.asarray(_table(str(codes.dtype))[codes])


def encode(linear: F32, depth: str) -> Codes:
    """Code values of linear light, rounded to nearest. ``depth``: ``uint8`` or ``uint16``."""
    top = np.iinfo(np.dtype(depth)).max
    return np.asarray(np.rint(linear_to_srgb(linear) * np.float32(top)), np.dtype(depth))
