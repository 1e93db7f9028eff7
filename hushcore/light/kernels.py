"""Inner loops of the light fields, over pictures (h, w, 3) float32."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True, fastmath=True)
def divided(weighted, total, scale, step, chi):  # type: ignore[no-untyped-def]
    """``step`` = weighted / total, and ``chi`` (h, w): the mean over channels of its square over its variance,
    8 / (4 pi scale^2 total)."""
    share = np.float32(4 * np.pi * scale**2 / 8 / 3)
    height, width, _ = step.shape
    for y in range(height):
        for x in range(width):
            loud = np.float32(0)
            for k in range(3):
                t = total[y, x, k] + np.float32(1e-9)
                s = weighted[y, x, k] / t
                step[y, x, k] = s
                loud += s * s * t
            chi[y, x] = loud * share


@njit(cache=True, nogil=True, fastmath=True)
def gated(step, chi, gate):  # type: ignore[no-untyped-def]
    """``step`` in place, as far as ``chi`` exceeds ``gate``."""
    height, width, _ = step.shape
    for y in range(height):
        for x in range(width):
            c = chi[y, x]
            part = np.float32(1) - np.float32(gate) / c if c > gate else np.float32(0)
            for k in range(3):
                step[y, x, k] *= part


@njit(cache=True, nogil=True, fastmath=True)
def capped(step, level_most, chroma_most):  # type: ignore[no-untyped-def]
    """``step`` in place: its mean over channels, and what each differs from it, no greater than the limits."""
    most, tint = np.float32(level_most), np.float32(chroma_most)
    height, width, _ = step.shape
    for y in range(height):
        for x in range(width):
            mean = (step[y, x, 0] + step[y, x, 1] + step[y, x, 2]) * np.float32(1 / 3)
            level = min(max(mean, -most), most)
            for k in range(3):
                step[y, x, k] = level + min(max(step[y, x, k] - mean, -tint), tint)


@njit(cache=True, nogil=True, fastmath=True)
def weights(now, then, log_then, gain, usable, black, half, misplaced, least_variance, least_snr, out, bright):  # type: ignore[no-untyped-def]
    """1 / variance of log(now / then) into ``out``, and the brightest channel of both (h, w) into ``bright``.

    Variance: grain (``gain`` per unit of light and channel), ``misplaced`` px of hold error times the slope of
    ``log_then``, and a floor; times how far the darker of the two stands above its noise.
    """
    height, width, _ = now.shape
    across = np.float32(misplaced**2 / (4.0 * half**2))
    for y in range(height):
        up, down = max(y - 1, 0), min(y + 1, height - 1)
        for x in range(width):
            left, right = max(x - 1, 0), min(x + 1, width - 1)
            top = np.float32(0)
            for k in range(3):
                a, b, g = now[y, x, k] + black, then[y, x, k] + black, gain[k]
                dx = log_then[y, right, k] - log_then[y, left, k]
                dy = log_then[down, x, k] - log_then[up, x, k]
                variance = g / a + g / b + across * (dx * dx + dy * dy) + least_variance
                sure = min(max(np.sqrt(min(a, b) / max(g, np.float32(1e-9))) - least_snr, np.float32(0)), np.float32(1))
                out[y, x, k] = usable[y, x] * sure / variance
                top = max(top, a, b)
            bright[y, x] = top - black
