"""Grain taken from beside a mark, in squares: what a codec leaves of it is neither even nor Gaussian, and no spectrum says
how.

(After image quilting, Efros and Freeman 2001, for grain alone: squares lie on the frame's lattice, which codecs' blocks divide.)
"""

import cv2
import numpy as np
from numba import njit

from hushcore.arrays import F32, F64, Mask

SQUARE = 16  # px: a macroblock's side (ITU-T H.264, 6.3); smaller blocks divide it
FINE = 0.7  # px: what is finer is mixed and measured by itself
OVERLAP, COARSE_OVERLAP = 2, 4  # px either side, over which squares are mixed: what is fine, and the rest
REACH = SQUARE + 2 * OVERLAP  # what must be seen of it
WIDE = 2.5  # px: what is wider is light, or what the hold misses
MEETS = 1.7  # px: what is wider than this is added to it; midway a fifth of the power is missing
LOUD = 3.0  # times the usual energy of a square: something else than grain is there
FEWEST = 6  # squares
# odd numbers that scatter places (multiplicative hashing, Knuth 1973, 6.4)
SCATTER = np.array([0x9E3779B185EBCA87, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9, 0x27D4EB2F165667C5], np.uint64)


def grain_of(rest: F32, usable: Mask) -> F32:
    """What is finer than light of differences (h, w, channels), where they are ``usable``; 0 elsewhere."""
    share = usable.astype(np.float32)[..., None]
    around = cv2.GaussianBlur(rest * share, (0, 0), WIDE).reshape(rest.shape)
    known = np.maximum(cv2.GaussianBlur(share, (0, 0), WIDE), 1e-3)[..., None]
    return np.asarray((rest - around / known) * share, np.float32)


def split(grain: F32) -> tuple[F32, F32]:
    """The finest part of grain, and the rest."""
    coarse = cv2.GaussianBlur(grain, (0, 0), FINE).reshape(grain.shape)
    return np.asarray(grain - coarse, np.float32), coarse


def carried(
    parts: tuple[F32, F32], usable: Mask, wanted: Mask, corner: tuple[int, int], seed: int
) -> tuple[F32, F32] | None:
    """Grain over ``wanted`` from squares of grain (h, w, channels; its finest part, and the rest: ``split``) that are
    ``usable``; None where too few are.

    ``corner``: the frame's place (x, y) of the first pixel. A square is filled from the same one on every frame on which
    that can be seen: what a codec repeats from frame to frame is repeated here.
    """
    found = squares_of(parts[0] + parts[1], usable, corner)
    if len(found) < FEWEST:
        return None
    out = np.zeros_like(parts[0]), np.zeros_like(parts[0])
    for made, part, overlap in zip(out, parts, (OVERLAP, COARSE_OVERLAP), strict=True):
        _fill(made, part, found, wanted, corner[0], corner[1], np.uint64(seed), _ramp(overlap))
    return out


def squares_of(grain: F32, usable: Mask, corner: tuple[int, int]) -> np.ndarray:
    """Places (n, 2: y, x) of the lattice's squares that can be read with what is mixed round them, but for the loud ones."""
    height, width = usable.shape
    tops, lefts = (
        np.arange(-low % SQUARE, side - SQUARE - COARSE_OVERLAP + 1, SQUARE)
        for low, side in zip(corner[::-1], (height, width), strict=True)
    )
    tops, lefts = tops[tops >= COARSE_OVERLAP], lefts[lefts >= COARSE_OVERLAP]
    if not len(tops) or not len(lefts):
        return np.zeros((0, 2), int)
    whole = _sums(usable.astype(np.float64), tops - OVERLAP, lefts - OVERLAP, REACH) > REACH**2 - 0.5
    energy = _sums((grain**2).sum(-1, dtype=np.float64), tops, lefts, SQUARE)
    if not whole.any():
        return np.zeros((0, 2), int)
    quiet = whole & (energy <= LOUD * np.median(energy[whole]))
    rows, cols = np.nonzero(quiet)
    return np.column_stack([tops[rows], lefts[cols]])


def _sums(values: F64, tops: np.ndarray, lefts: np.ndarray, side: int) -> F64:
    """Sums over squares at every one of ``tops`` and ``lefts``."""
    total = cv2.integral(values)
    low, high = total[tops], total[tops + side]
    return np.asarray(high[:, lefts + side] - high[:, lefts] - low[:, lefts + side] + low[:, lefts])


def _ramp(overlap: int) -> F32:
    """Weights along a square's side: their squares add up to 1 with those of the next, so that grain stays as strong."""
    line = np.arange(SQUARE + 2 * overlap)
    return np.sqrt(np.clip((np.minimum(line, line[::-1]) + 0.5) / (2 * overlap), 0, 1)).astype(np.float32)


@njit(cache=True, nogil=True)
def _fill(out, grain, found, wanted, left, top, seed, ramp):  # type: ignore[no-untyped-def]
    """Every square of ``out`` in which something is wanted, from the first of those ``found`` in an order that its own place
    sets."""
    height, width = wanted.shape
    over = (len(ramp) - SQUARE) // 2
    for y in range(-(top % SQUARE), height, SQUARE):
        for x in range(-(left % SQUARE), width, SQUARE):
            rows = (max(0, y - over), min(height, y + SQUARE + over))
            cols = (max(0, x - over), min(width, x + SQUARE + over))
            if not wanted[rows[0] : rows[1], cols[0] : cols[1]].any():
                continue
            down, along = (y + top) // SQUARE, (x + left) // SQUARE
            chosen, least = 0, np.uint64(0xFFFFFFFFFFFFFFFF)
            for k in range(found.shape[0]):
                rank = _rank((found[k, 0] + top) // SQUARE, (found[k, 1] + left) // SQUARE, down, along, seed)
                if rank < least:
                    chosen, least = k, rank
            dy, dx = found[chosen, 0] - y, found[chosen, 1] - x
            for row in range(rows[0], rows[1]):
                for col in range(cols[0], cols[1]):
                    weight = ramp[row - y + over] * ramp[col - x + over]
                    for k in range(grain.shape[2]):
                        out[row, col, k] += weight * grain[row + dy, col + dx, k]


@njit(cache=True, nogil=True)
def _rank(from_down, from_along, down, along, seed):  # type: ignore[no-untyped-def]
    """A square's place in the order of another."""
    mixed = seed
    for k, place in enumerate((from_down - down, from_along - along, down, along)):
        mixed = (mixed ^ np.uint64(place)) * SCATTER[k]
        mixed ^= mixed >> np.uint64(29)
    return mixed
