"""CIE Lab and the CIEDE2000 colour difference.

Sources: CIE 15:2004 for Lab under D65; Sharma, Wu & Dalal 2005 for the difference formula.
"""

import numpy as np

from hushcore.arrays import F64

# IEC 61966-2-1: linear sRGB to XYZ, D65
TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
WHITE = TO_XYZ.sum(1)


def linear_to_lab(linear: F64) -> F64:
    """Lab (..., 3) of linear sRGB light (..., 3)."""
    ratio = (np.asarray(linear, float) @ TO_XYZ.T) / WHITE
    cut = (6 / 29) ** 3
    f = np.where(ratio > cut, np.cbrt(ratio), ratio / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def ciede2000(one: F64, two: F64) -> F64:
    """Difference (...) of Lab colours (..., 3). Equation numbers: Sharma, Wu & Dalal 2005."""
    l1, a1, b1 = np.moveaxis(np.asarray(one, float), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(two, float), -1, 0)
    mean_c = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2  # (3)
    g = 0.5 * (1 - np.sqrt(mean_c**7 / (mean_c**7 + 25.0**7)))  # (4)
    a1, a2 = (1 + g) * a1, (1 + g) * a2  # (5)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)  # (6)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360  # (7)
    grey = c1 * c2 == 0
    turn = (h2 - h1 + 180) % 360 - 180
    turn = np.where(grey, 0, turn)  # (10)
    d_h = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))  # (11)
    apart = np.abs(h1 - h2) > 180
    mean_h = (h1 + h2 + np.where(apart, np.where(h1 + h2 < 360, 360, -360), 0)) / 2
    mean_h = np.where(grey, h1 + h2, mean_h)  # (14)
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    t = (
        1 - 0.17 * _cos(mean_h - 30) + 0.24 * _cos(2 * mean_h) + 0.32 * _cos(3 * mean_h + 6)
        - 0.20 * _cos(4 * mean_h - 63)
    )  # (15)  # fmt: skip
    s_l = 1 + 0.015 * (mean_l - 50) ** 2 / np.sqrt(20 + (mean_l - 50) ** 2)  # (18)
    s_c, s_h = 1 + 0.045 * mean_c, 1 + 0.015 * mean_c * t  # (19), (20)
    theta = 30 * np.exp(-(((mean_h - 275) / 25) ** 2))  # (16)
    r_t = -2 * np.sqrt(mean_c**7 / (mean_c**7 + 25.0**7)) * np.sin(np.radians(2 * theta))  # (17), (21)
    dl, dc, dh = (l2 - l1) / s_l, (c2 - c1) / s_c, d_h / s_h
    return np.asarray(np.sqrt(np.maximum(dl * dl + dc * dc + dh * dh + r_t * dc * dh, 0)))  # (22)


def _cos(degrees: F64) -> F64:
    return np.asarray(np.cos(np.radians(degrees)))
