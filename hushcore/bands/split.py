"""A picture as tone and texture, in its tonal (evenly stepped) values; they add up to it.

Source: Burt & Adelson 1983 for the split into a low-pass and what is left.
"""

import cv2
import numpy as np

from hushcore.arrays import F32

TONE_SIGMA = 6.0  # px: tone holds shading, texture what a hand would feel
GRAIN_SIGMA = 1.2  # px: above it mostly grain


def low_pass(picture: F32, sigma: float = TONE_SIGMA) -> F32:
    """Gaussian low-pass (h, w[, c]); ``sigma`` in px."""
    return np.asarray(
        cv2.GaussianBlur(np.asarray(picture, np.float32), (0, 0), sigma, borderType=cv2.BORDER_REFLECT_101)
    )


def split(picture: F32, sigma: float = TONE_SIGMA) -> tuple[F32, F32]:
    """Tone and texture (h, w[, c]): tone + texture is the picture, to one unit in the last place."""
    tone = low_pass(picture, sigma)
    return tone, np.asarray(picture, np.float32) - tone
