"""Plain transfer curves between encoded values (0..1) and linear light, in whatever float type comes in.

Linear light is 1.0 at reference white: display white for sRGB and BT.1886, 100 cd/m2 for PQ, the scene's own unit for
HLG, ACEScct and linear. Values below zero are mirrored, so that float footage survives a round trip.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32

Curve = Callable[[F32], F32]


def _mirrored(curve: Curve) -> Curve:
    def both(x: F32) -> F32:
        x = np.asarray(x)
        return np.asarray(np.copysign(curve(np.abs(x)), x), x.dtype)

    return both


# IEC 61966-2-1
SRGB_CUT, SRGB_CUT_LINEAR, SRGB_SLOPE, SRGB_OFFSET, SRGB_POWER = 0.04045, 0.0031308, 12.92, 0.055, 2.4


def srgb_to_linear(x: F32) -> F32:
    """IEC 61966-2-1, decoding."""
    high = ((np.maximum(x, SRGB_CUT) + SRGB_OFFSET) / (1 + SRGB_OFFSET)) ** SRGB_POWER
    return np.asarray(np.where(x <= SRGB_CUT, x / SRGB_SLOPE, high))


def linear_to_srgb(x: F32) -> F32:
    """IEC 61966-2-1, encoding."""
    high = (1 + SRGB_OFFSET) * np.maximum(x, SRGB_CUT_LINEAR) ** (1 / SRGB_POWER) - SRGB_OFFSET
    return np.asarray(np.where(x <= SRGB_CUT_LINEAR, x * SRGB_SLOPE, high))


def bt1886_to_linear(x: F32) -> F32:
    """ITU-R BT.1886 with a black of zero: L = V^2.4."""
    return np.asarray(x**2.4)


def linear_to_bt1886(x: F32) -> F32:
    """The inverse of BT.1886 with a black of zero."""
    return np.asarray(x ** (1 / 2.4))


# SMPTE ST 2084
PQ_M1, PQ_M2 = 2610 / 16384, 2523 / 4096 * 128
PQ_C1, PQ_C2, PQ_C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
PQ_PEAK, PQ_UNIT = 10000.0, 100.0  # cd/m2


def pq_to_linear(x: F32) -> F32:
    """SMPTE ST 2084 EOTF in units of 100 cd/m2."""
    power = np.clip(x, 0, 1) ** (1 / PQ_M2)
    light = (np.maximum(power - PQ_C1, 0) / (PQ_C2 - PQ_C3 * power)) ** (1 / PQ_M1)
    return np.asarray(light * (PQ_PEAK / PQ_UNIT))


def linear_to_pq(x: F32) -> F32:
    """SMPTE ST 2084, inverse EOTF, of light in units of 100 cd/m2."""
    light = np.clip(x * (PQ_UNIT / PQ_PEAK), 0, 1) ** PQ_M1
    return np.asarray(((PQ_C1 + PQ_C2 * light) / (1 + PQ_C3 * light)) ** PQ_M2)


# ITU-R BT.2100, table 5
HLG_A, HLG_B, HLG_C = 0.17883277, 0.28466892, 0.55991073


def hlg_to_linear(x: F32) -> F32:
    """ITU-R BT.2100 HLG, inverse OETF: scene light 0..1."""
    high = (np.exp((np.maximum(x, 0.5) - HLG_C) / HLG_A) + HLG_B) / 12
    return np.asarray(np.where(x <= 0.5, x * x / 3, high))


def linear_to_hlg(x: F32) -> F32:
    """ITU-R BT.2100 HLG OETF."""
    high = HLG_A * np.log(12 * np.maximum(x, 1 / 12) - HLG_B) + HLG_C
    return np.asarray(np.where(x <= 1 / 12, np.sqrt(3 * x), high))


# S-2016-001
ACESCCT_CUT, ACESCCT_CUT_LINEAR = 0.155251141552511, 0.0078125
ACESCCT_SLOPE, ACESCCT_OFFSET = 10.5402377416545, 0.0729055341958355


def acescct_to_linear(x: F32) -> F32:
    """S-2016-001, decoding; the straight part runs on below zero."""
    return np.asarray(
        np.where(x <= ACESCCT_CUT, (x - ACESCCT_OFFSET) / ACESCCT_SLOPE, np.exp2(np.minimum(x, 1.47) * 17.52 - 9.72))
    )


def linear_to_acescct(x: F32) -> F32:
    """S-2016-001, encoding."""
    high = (np.log2(np.maximum(x, ACESCCT_CUT_LINEAR)) + 9.72) / 17.52
    return np.asarray(np.where(x <= ACESCCT_CUT_LINEAR, ACESCCT_SLOPE * x + ACESCCT_OFFSET, high))


def _same(x: F32) -> F32:
    return np.asarray(x)


@dataclass(frozen=True)
class Plain:
    """A plain encoding: its words, its two curves, its primaries (as OpenColorIO's built-in names), how it is shown."""

    words: str
    decode: Curve
    encode: Curve
    primaries: str
    display: bool  # a finished picture, shown as it is; else scene light, which needs a view


PLAIN = {
    "srgb": Plain("sRGB", _mirrored(srgb_to_linear), _mirrored(linear_to_srgb), "Linear Rec.709 (sRGB)", True),
    "bt1886": Plain(
        "BT.709 video (BT.1886)", _mirrored(bt1886_to_linear), _mirrored(linear_to_bt1886),
        "Linear Rec.709 (sRGB)", True,
    ),
    "pq": Plain("PQ, BT.2020", pq_to_linear, linear_to_pq, "Linear Rec.2020", False),
    "hlg": Plain("HLG, BT.2020", _mirrored(hlg_to_linear), _mirrored(linear_to_hlg), "Linear Rec.2020", False),
    "acescct": Plain("ACEScct", acescct_to_linear, linear_to_acescct, "ACEScg", False),
    "linear": Plain("Linear, BT.709 primaries", _same, _same, "Linear Rec.709 (sRGB)", False),
}  # fmt: skip
