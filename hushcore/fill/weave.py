"""Weave: the tone by a membrane, the texture rebuilt from patches of the surface round the hole or of a chosen place.

Source: Efros & Freeman 2001, *Image Quilting for Texture Synthesis and Transfer*: each patch is chosen by how well it goes on
with what is there already, and laid as it is, so that nothing is averaged away.
"""

import cv2
import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.errors import HushError
from hushcore.fill.soak import mean_outside, rim_of
from hushcore.fill.texture import TONE, as_strong, ring_of
from hushcore.geometry.membrane import membrane

SMALLEST_PATCH, LARGEST_PATCH = 7, 61
FEWEST = 24  # places that a patch can be taken from
OVERLAP = 0.34  # of a patch: where it must go on with what is there
LEAST_OVERLAP = 3  # px
MELTS = 1.6  # px (sigma) over which a patch goes over into what is there
NEARLY = 1.12  # times the least misfit: any of these may be taken
LIVELY = 0.75  # times the usual spread of a patch: what is flatter is not copied
AGAIN = 0.35  # of a patch: nearer to a place that was taken just before, nothing is taken
SEARCH, MANY = 130, 1500  # px either side that are looked through, and places that must be there
REMEMBERED = 6  # patches taken last
TOO_SMALL = "The place to take texture from is smaller than a patch; draw it larger, or make the patches smaller."


def weave(tonal: F32, hole: Mask, smooth: float, patch: int, place: Mask | None, seed: int) -> F32:
    """``tonal`` (h, w, 3) with its hole filled; ``patch`` px, ``place`` (h, w): where texture is taken (None: all round).
    Deterministic for a ``seed``. Raises HushError where no patch fits."""
    if not SMALLEST_PATCH <= patch <= LARGEST_PATCH:
        raise HushError(f"Patches are {SMALLEST_PATCH} to {LARGEST_PATCH} px.", "bad-fill")
    weight = (~hole).astype(np.float32)
    tone = mean_outside(tonal, weight, TONE)
    texture = np.asarray((tonal - tone) * weight[..., None], np.float32)
    source = ~hole if place is None else place & ~hole
    ring = ring_of(hole) if place is None else place & ~hole
    made = as_strong(quilted(texture, hole, source, patch, seed), hole, texture, ring)
    under = membrane(rim_of(tonal, hole, max(smooth, TONE)), ~hole)
    return np.asarray(np.where(hole[..., None], under + made, tonal), np.float32)


def quilted(texture: F32, hole: Mask, source: Mask, patch: int, seed: int) -> F32:
    """The texture (h, w, 3) with its hole covered by patches of ``source``, from the rim inwards."""
    pad = patch
    image = cv2.copyMakeBorder(texture, *(pad,) * 4, cv2.BORDER_REFLECT_101)
    gap, allowed = (
        cv2.copyMakeBorder(mask.astype(np.uint8), *(pad,) * 4, cv2.BORDER_CONSTANT) > 0 for mask in (hole, source)
    )
    corners = _corners(image, allowed, patch)
    known, rng = ~gap, np.random.default_rng(seed)
    step = patch - max(LEAST_OVERLAP, round(OVERLAP * patch))
    waiting, grey = _blocks(gap, patch, step), image.mean(-1)
    last: list[tuple[int, int]] = []
    while waiting:
        row, col = max(waiting, key=lambda at: (int(known[_part(at, patch)].sum()), -at[0], -at[1]))
        waiting.remove((row, col))
        here = _part((row, col), patch)
        if known[here].all():
            continue
        at = _fitting(grey, (row, col), known[here], corners, last, patch, rng)
        last = [*last, at][-REMEMBERED:]
        cover = _cover(known[here], gap[here])
        image[here] += cover[..., None] * (image[_part(at, patch)] - image[here])
        grey[here] = image[here].mean(-1)
        known[here] = True
    inner = (slice(pad, pad + hole.shape[0]), slice(pad, pad + hole.shape[1]))
    return np.asarray(image[inner], np.float32)


def _part(at: tuple[int, int], patch: int) -> tuple[slice, slice]:
    return slice(at[0], at[0] + patch), slice(at[1], at[1] + patch)


def _blocks(gap: Mask, patch: int, step: int) -> list[tuple[int, int]]:
    """Top left corners of the patches that cover the gap, each over its neighbours by the overlap."""
    rows, cols = np.flatnonzero(gap.any(1)), np.flatnonzero(gap.any(0))
    overlap = patch - step
    tops = range(max(0, int(rows[0]) - overlap), int(rows[-1]) + 1, step)
    lefts = range(max(0, int(cols[0]) - overlap), int(cols[-1]) + 1, step)
    height, width = gap.shape
    made = [(min(top, height - patch), min(left, width - patch)) for top in tops for left in lefts]
    return [at for at in dict.fromkeys(made) if gap[_part(at, patch)].any()]


def _corners(image: F32, allowed: Mask, patch: int) -> Mask:
    """Top left corners (h - patch + 1, w - patch + 1) of the patches that may be taken: whole, and with about as much texture
    as is usual, for of patches that do not fit, flat ones would fit best. Raises HushError when there are too few."""
    whole = cv2.filter2D(allowed.astype(np.float32), cv2.CV_32F, np.ones((patch, patch), np.float32), anchor=(0, 0))
    height, width = allowed.shape
    corners = np.asarray(whole[: height - patch + 1, : width - patch + 1] > patch * patch - 0.5)
    if corners.sum() < FEWEST:
        raise HushError(TOO_SMALL, "place-small")
    grey = image.mean(-1)
    mean, square = (cv2.blur(side, (patch, patch), anchor=(0, 0)) for side in (grey, grey * grey))
    spread = np.sqrt(np.maximum(square - mean * mean, 0))[: height - patch + 1, : width - patch + 1]
    lively = corners & (spread >= LIVELY * np.median(spread[corners]))
    return lively if lively.sum() >= FEWEST else corners


def _fitting(
    grey: F32, here: tuple[int, int], known: Mask, corners: Mask, last: list[tuple[int, int]], patch: int,
    rng: np.random.Generator,
) -> tuple[int, int]:  # fmt: skip
    """A patch that goes on with what is known here nearly as well as the best does; not one that was just taken. Looked for
    round about, and everywhere when there are few."""
    free = corners.copy()
    near = max(1, round(AGAIN * patch))
    for row, col in last:
        free[max(0, row - near) : row + near + 1, max(0, col - near) : col + near + 1] = False
    free = free if free.any() else corners
    if not known.any():
        rows, cols = np.nonzero(free)
        k = int(rng.integers(len(rows)))
        return int(rows[k]), int(cols[k])
    top, left = max(0, here[0] - SEARCH), max(0, here[1] - SEARCH)
    low, right = here[0] + SEARCH + 1, here[1] + SEARCH + 1
    if free[top:low, left:right].sum() < MANY:
        top, left, low, right = 0, 0, *free.shape
    area = np.ascontiguousarray(grey[top : low + patch - 1, left : right + patch - 1])
    template = np.ascontiguousarray(grey[_part(here, patch)])
    apart = cv2.matchTemplate(area, template, cv2.TM_SQDIFF, mask=known.astype(np.float32))
    apart = np.where(free[top:low, left:right], np.maximum(apart, 0), np.inf)
    rows, cols = np.nonzero(apart <= NEARLY * apart.min() + 1e-9)
    k = int(rng.integers(len(rows)))
    return top + int(rows[k]), left + int(cols[k])


def _cover(known: Mask, gap: Mask) -> F32:
    """How far (h, w) a patch is laid over what is there: all of it where nothing is known, half way into the overlap at
    most, and nothing beyond the hole."""
    far = cv2.distanceTransform(known.astype(np.uint8), cv2.DIST_L2, 3)
    taken = (far <= max(1.0, far[gap].max(initial=0) / 2)).astype(np.float32)
    soft = cv2.GaussianBlur(taken, (0, 0), MELTS)
    return np.asarray(np.where(known, np.where(gap, soft, 0), 1), np.float32)
