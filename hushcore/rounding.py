"""Rounding a smooth change to whole samples without scattering it between two, and without moving its level."""

import cv2
import numpy as np
from numba import njit

from hushcore.arrays import F64, Mask

LEVEL = 8.0  # px over which the level is kept


def add_whole(plane: np.ndarray, change: F64, cover: Mask, peak: int, lean: float) -> None:
    """Add ``change`` (h, w) to whole samples where ``cover``, in place; each rounding leans by ``lean`` towards the misses of
    those beside it (``add_smoothly``). On a slope these misses go on in one direction: what they add up to is found first,
    and taken off."""
    tried = np.array(plane)
    add_smoothly(tried, change, cover, peak, lean)
    missed = np.where(cover, tried.astype(np.float64) - plane - change, 0)
    share = cv2.GaussianBlur(cover.astype(np.float64), (0, 0), LEVEL)
    level = cv2.GaussianBlur(missed, (0, 0), LEVEL) / np.maximum(share, 1e-3)
    add_smoothly(plane, np.ascontiguousarray(change - level), cover, peak, lean)


@njit(cache=True, nogil=True)
def add_smoothly(plane, change, cover, peak, lean):  # type: ignore[no-untyped-def]
    """Whole samples nearest to ``plane`` plus ``change`` where ``cover``, in place, each leaning by ``lean`` towards the miss of
    those above and before it: a smooth change stays smooth, and does not scatter between two codes."""
    rows, cols = plane.shape
    misses = np.zeros((rows, cols))
    for row in range(rows):
        for col in range(cols):
            if not cover[row, col]:
                continue
            total, count = 0.0, 0
            if col > 0:
                total, count = total + misses[row, col - 1], count + 1
            if row > 0:
                total, count = total + misses[row - 1, col], count + 1
            wanted = plane[row, col] + change[row, col]
            made = np.rint(wanted + lean * total / max(count, 1))
            misses[row, col] = made - wanted
            plane[row, col] = min(max(made, 0), peak)
