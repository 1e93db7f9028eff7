"""Smooth random fields for the demo's textures (numpy only; deterministic by seed)."""

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]


def value_noise(shape: tuple[int, int], cell: float, seed: int) -> F32:
    """Smooth noise of about unit standard deviation whose features are ``cell`` pixels wide."""
    rng = np.random.default_rng(seed)
    rows, cols = shape
    lattice = rng.normal(size=(int(rows / cell) + 4, int(cols / cell) + 4)).astype(np.float32)
    across = _smooth_rows(lattice, cols, cell, axis=1)
    return _smooth_rows(across, rows, cell, axis=0) * np.float32(1.6)


def _smooth_rows(lattice: F32, size: int, cell: float, axis: int) -> F32:
    at = np.arange(size, dtype=np.float32) / np.float32(cell)
    base = at.astype(np.int64)
    frac = at - base
    frac = frac * frac * (3 - 2 * frac)
    low = np.take(lattice, base, axis=axis)
    high = np.take(lattice, base + 1, axis=axis)
    weight = frac[None, :] if axis == 1 else frac[:, None]
    return (low + (high - low) * weight).astype(np.float32)


def fractal(shape: tuple[int, int], cell: float, seed: int, octaves: int = 4) -> F32:
    """Sum of octaves of value noise, each half as wide and .55 as strong."""
    total = np.zeros(shape, np.float32)
    strength = 1.0
    for octave in range(octaves):
        if cell < 1:
            break
        total += strength * value_noise(shape, cell, seed + 101 * octave)
        cell /= 2
        strength *= 0.55
    return total


def smoothstep(low: float, high: float, value: F32) -> F32:
    """Cubic ramp from 0 at ``low`` to 1 at ``high``."""
    ramp = np.clip((value - low) / (high - low), 0, 1)
    return np.asarray(ramp * ramp * (3 - 2 * ramp), np.float32)
