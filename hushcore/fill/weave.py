"""Weave: the tone by a membrane, the texture rebuilt from patches of the surface round the hole or of a chosen place.

Sources: Barnes et al. 2009, *PatchMatch*, for finding patches; Wexler, Shechtman & Irani 2007, *Space-Time Completion of
Video*, for how patches that overlap agree.
"""

from typing import Any

import cv2
import numpy as np
from numba import njit

from hushcore.arrays import F32, Mask
from hushcore.errors import HushError
from hushcore.fill.soak import mean_outside, rim_of
from hushcore.fill.texture import TONE, as_strong, random_phase, ring_of
from hushcore.geometry.membrane import membrane

SMALLEST_PATCH, LARGEST_PATCH = 5, 61
FEWEST = 64  # places that a patch can be taken from
ROUNDS = ((5, 4), (2, 3))  # of agreeing, and of looking within each: at half size, at full size
SHARP = 0.1  # of the usual misfit: the best patch has nearly all the say, so that nothing is averaged away
TOO_SMALL = "The place to take texture from is smaller than a patch; draw it larger, or make the patches smaller."


def weave(tonal: F32, hole: Mask, smooth: float, patch: int, place: Mask | None, seed: int) -> F32:
    """``tonal`` (h, w, 3) with its hole filled; ``patch`` px (odd), ``place`` (h, w): where texture is taken (None: all
    round). Deterministic for a ``seed``. Raises HushError where no patch fits."""
    weight = (~hole).astype(np.float32)
    tone = mean_outside(tonal, weight, TONE)
    texture = np.asarray((tonal - tone) * weight[..., None], np.float32)
    source = ~hole if place is None else place & ~hole
    ring = ring_of(hole) if place is None else place & ~hole
    # begun with nothing, patches would agree on the flattest place of all
    begun = as_strong(random_phase(texture, ring, seed), hole, texture, ring)
    made = _woven(np.where(hole[..., None], begun, texture), hole, source, int(patch) | 1, seed)
    made = as_strong(made, hole, texture, ring)
    under = membrane(rim_of(tonal, hole, max(smooth, TONE)), ~hole)
    return np.asarray(np.where(hole[..., None], under + made, tonal), np.float32)


def _woven(texture: F32, hole: Mask, source: Mask, patch: int, seed: int) -> F32:
    """The texture with its hole rebuilt, coarse to fine."""
    if not SMALLEST_PATCH <= patch <= LARGEST_PATCH:
        raise HushError(f"Patches are {SMALLEST_PATCH} to {LARGEST_PATCH} px.", "bad-fill")
    nearest: Any = None
    out = texture
    for level, (rounds, looks) in enumerate(ROUNDS):
        small = 2 ** (len(ROUNDS) - 1 - level)
        size = max(SMALLEST_PATCH, patch // small | 1)
        image, gap, allowed = _at_size(texture, hole, source, small)
        image, gap, allowed, around = _framed(image, gap, allowed, size)
        sources = cv2.erode(allowed.astype(np.uint8), np.ones((size, size), np.uint8), borderValue=0) > 0
        if sources.sum() < FEWEST:
            if small > 1:
                continue
            raise HushError(TOO_SMALL, "place-small")
        targets = cv2.dilate(gap.astype(np.uint8), np.ones((size, size), np.uint8)) > 0
        targets[: size // 2], targets[-(size // 2) :], targets[:, : size // 2], targets[:, -(size // 2) :] = (
            False,
        ) * 4
        found = _begun(nearest, targets, sources, around, seed + level)
        for turn in range(rounds):
            _look(_grey(image), targets, sources, found, size // 2, looks, seed + 7 * turn + level)
            misfit = _misfits(_grey(image), targets, found, size // 2)
            usual = float(np.percentile(misfit[targets], 75)) + 1e-9
            image = _agreed(image, gap, targets, found, misfit, size // 2, usual * SHARP)
        nearest = (found - around, small)
        inner = (slice(around, around + hole.shape[0]), slice(around, around + hole.shape[1]))
        out = image[inner]
    return np.asarray(out, np.float32)


def _at_size(texture: F32, hole: Mask, source: Mask, small: int) -> tuple[F32, Mask, Mask]:
    if small == 1:
        return texture, hole, source
    size = (texture.shape[1] // small, texture.shape[0] // small)
    image = cv2.resize(texture, size, interpolation=cv2.INTER_AREA)
    gap = cv2.resize(hole.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.01
    allowed = cv2.resize(source.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    return image, gap, allowed & ~gap


def _framed(image: F32, gap: Mask, allowed: Mask, size: int) -> tuple[F32, Mask, Mask, int]:
    """With a mirrored border, so that a hole may reach the picture's own."""
    pad = size
    mirrored = cv2.copyMakeBorder(image, *(pad,) * 4, cv2.BORDER_REFLECT_101)
    masks = [cv2.copyMakeBorder(m.astype(np.uint8), *(pad,) * 4, cv2.BORDER_CONSTANT) > 0 for m in (gap, allowed)]
    return mirrored, masks[0], masks[1], pad


def _grey(image: F32) -> F32:
    return np.ascontiguousarray(image.mean(-1), np.float32)


def _begun(nearest: Any, targets: Mask, sources: Mask, around: int, seed: int) -> np.ndarray:
    """Where each place takes from at first: as found at the coarser size, else anywhere."""
    rng = np.random.default_rng(seed)
    at = np.argwhere(sources)
    found = at[rng.integers(0, len(at), targets.shape)].astype(np.int32)
    if nearest is None:
        return found
    coarse, small = nearest
    rows, cols = np.nonzero(targets)
    pad = (coarse.shape[0] - (targets.shape[0] - 2 * around) // small) // 2
    r = np.clip((rows - around) // 2 + pad, 0, coarse.shape[0] - 1)
    c = np.clip((cols - around) // 2 + pad, 0, coarse.shape[1] - 1)
    taken = coarse[r, c] * 2 + np.stack([(rows - around) % 2, (cols - around) % 2], -1) + around
    ok = (taken >= 0).all(-1) & (taken < np.array(targets.shape)).all(-1)
    ok[ok] = sources[taken[ok, 0], taken[ok, 1]]
    found[rows[ok], cols[ok]] = taken[ok]
    return found


@njit(cache=True, nogil=True, fastmath=True)
def _apart(grey, ty, tx, sy, sx, r, most):  # type: ignore[no-untyped-def]
    total = np.float32(0)
    for i in range(-r, r + 1):
        for j in range(-r, r + 1):
            d = grey[ty + i, tx + j] - grey[sy + i, sx + j]
            total += d * d
        if total >= most:
            return total
    return total


@njit(cache=True, nogil=True)
def _look(grey, targets, sources, found, r, looks, seed):  # type: ignore[no-untyped-def]
    height, width = targets.shape
    best = np.empty((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            if targets[y, x]:
                best[y, x] = _apart(grey, y, x, found[y, x, 0], found[y, x, 1], r, np.float32(1e30))
    state = np.uint64(88172645463325252 + 7919 * seed)
    for turn in range(looks):
        step = 1 if turn % 2 == 0 else -1
        for n in range(height):
            y = n if step > 0 else height - 1 - n
            for m in range(width):
                x = m if step > 0 else width - 1 - m
                if not targets[y, x]:
                    continue
                for side in range(2):
                    ny, nx = (y - step, x) if side == 0 else (y, x - step)
                    if 0 <= ny < height and 0 <= nx < width and targets[ny, nx]:
                        sy, sx = found[ny, nx, 0] + y - ny, found[ny, nx, 1] + x - nx
                        if 0 <= sy < height and 0 <= sx < width and sources[sy, sx]:
                            d = _apart(grey, y, x, sy, sx, r, best[y, x])
                            if d < best[y, x]:
                                best[y, x], found[y, x, 0], found[y, x, 1] = d, sy, sx
                reach = max(height, width)
                while reach >= 1:
                    state ^= state << np.uint64(13)
                    state ^= state >> np.uint64(7)
                    state ^= state << np.uint64(17)
                    dy = np.int64(state % np.uint64(2 * reach + 1)) - reach
                    dx = np.int64((state >> np.uint64(24)) % np.uint64(2 * reach + 1)) - reach
                    sy, sx = found[y, x, 0] + dy, found[y, x, 1] + dx
                    if 0 <= sy < height and 0 <= sx < width and sources[sy, sx]:
                        d = _apart(grey, y, x, sy, sx, r, best[y, x])
                        if d < best[y, x]:
                            best[y, x], found[y, x, 0], found[y, x, 1] = d, sy, sx
                    reach //= 2


@njit(cache=True, nogil=True)
def _misfits(grey, targets, found, r):  # type: ignore[no-untyped-def]
    out = np.zeros(targets.shape, np.float32)
    for y in range(targets.shape[0]):
        for x in range(targets.shape[1]):
            if targets[y, x]:
                out[y, x] = _apart(grey, y, x, found[y, x, 0], found[y, x, 1], r, np.float32(1e30))
    return out


@njit(cache=True, nogil=True)
def _agreed(image, gap, targets, found, misfit, r, usual):  # type: ignore[no-untyped-def]
    """Each place of the gap as the mean of what all patches over it lay there, the better ones weighing more."""
    height, width, channels = image.shape
    out = image.copy()
    sums = np.empty(channels)
    for y in range(height):
        for x in range(width):
            if not gap[y, x]:
                continue
            least = 1e30
            for i in range(-r, r + 1):
                for j in range(-r, r + 1):
                    v, u = y + i, x + j
                    if 0 <= v < height and 0 <= u < width and targets[v, u]:
                        least = min(least, misfit[v, u])
            total = 0.0
            sums[:] = 0
            for i in range(-r, r + 1):
                for j in range(-r, r + 1):
                    v, u = y + i, x + j
                    if 0 <= v < height and 0 <= u < width and targets[v, u]:
                        w = np.exp(-(misfit[v, u] - least) / usual)
                        sy, sx = found[v, u, 0] - i, found[v, u, 1] - j
                        total += w
                        for k in range(channels):
                            sums[k] += w * image[sy, sx, k]
            if total > 0:
                for k in range(channels):
                    out[y, x, k] = sums[k] / total
    return out
