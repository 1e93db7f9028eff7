"""Where something stands in the frame while the picture behind it moves.

The medians over a shot of a picture's slopes are those of what stands (Weiss 2001, *Deriving intrinsic images from image
sequences*); put together again they say where it lies and how much it changes the picture.
"""

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.fft import dstn, idstn

from hushcore.arrays import F32, F64, Mask
from hushcore.grain.model import luma_of

Stack = NDArray[np.float32]
SEED, LINE, NOISE = 0.5, 0.15, 4.0  # of its usual level, or of the noise: what is surely it, and what may be
REACH, BORDER = 3, 3  # px from what is surely it; px round all of it that its soft borders take
STILL, STILL_SIGMA = 0.8, 1.5  # of the picture's slopes that stand beside it: nothing can be told; px
TOP, FULL = 0.6, 0.8  # of the strongest, for the usual level of its lines; of that, for full ones
ABSENT, GROWS = 0.35, 1.03  # of its usual strength: it is not there; times the frame before's: it fades in
LEAST_PLACES = 40
TONE_SIGMA, TINY = 0.7, 1e-4  # px, against grain; tonal
LEAST_TAKEN = 0.02  # of the picture, for its soft borders


@dataclass(frozen=True)
class Shape:
    """Where it lies: its ``cover`` (h, w) with soft borders, its ``core`` of full lines, and the ``level`` of those."""

    cover: Mask
    core: Mask
    level: float


def shape_of(frames: Stack, inside: Mask) -> Shape | None:
    """What stands within ``inside`` (h, w) on frames (n, h, w, 3); None where nothing does, or the picture does too."""
    beyond = ~grown(inside, 1)
    if _stands(frames, beyond):
        return None
    usual = _usual(_slopes(frames))
    noise = NOISE * 1.4826 * float(np.median(np.abs(usual[:, beyond])))
    height = _put_together(usual, ~beyond)
    level = float(np.median(height[inside & (height > TOP * height[inside].max())]))
    surely = inside & (height > max(SEED * level, noise))
    if surely.sum() < LEAST_PLACES:
        return None
    maybe = inside & (height > max(LINE * level, noise)) & grown(surely, REACH)
    core = surely & (height > FULL * level)
    inner = cv2.erode(core.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return Shape(grown(surely | maybe, BORDER), inner if inner.sum() > core.sum() / 4 else core, level)


def cover_against(frames: Stack, inside: Mask, known: Shape, tone: F32) -> Mask:
    """Where (h, w) a mark of a known ``tone`` (3,) lies, also where the picture has nearly that tone on most frames. ``known``:
    its shape as found before."""
    taken = np.abs(taken_by(frames, inside, tone))
    beyond = inside & ~grown(known.cover, REACH)
    noise = NOISE * 1.4826 * float(np.median(taken[beyond if beyond.sum() > LEAST_PLACES else inside]))
    surely = inside & (taken > max(LINE * float(np.median(taken[known.core])), noise))
    maybe = inside & (taken > max(LEAST_TAKEN, noise / 2)) & grown(surely, REACH)
    return grown(surely | maybe, BORDER)


def taken_by(frames: Stack, inside: Mask, tone: F32) -> F32:
    """How much (h, w) of the picture a mark of one ``tone`` (3,) takes within ``inside``; less than nothing where it is darkened.
    The picture's distance from that tone is as much smaller as passes, whatever the picture is: in logarithms the weighted
    medians of its slopes are those of what passes alone."""
    apart = np.stack([luma_of(cv2.GaussianBlur(one, (0, 0), TONE_SIGMA) - tone) for one in frames])
    where = grown(inside, 1)
    slopes = np.zeros((2, *inside.shape))
    for slope, axis in zip(slopes, (1, 0), strict=True):
        one, other = (np.roll(apart, -by, axis + 1)[:, where] for by in (0, 1))
        weights = np.where(one * other > 0, np.minimum(np.abs(one), np.abs(other)) ** 2, 0) + TINY
        ratio = np.log(np.maximum(np.abs(other), TINY) / np.maximum(np.abs(one), TINY))
        slope[where] = np.quantile(ratio, 0.5, axis=0, weights=weights, method="inverted_cdf")
    return np.asarray(1 - np.exp(_solved(*slopes)), np.float32)


def standing_in(frames: Stack, inside: Mask) -> F32:
    """By how much (h, w) what stands within ``inside`` changes the picture."""
    return _put_together(_usual(_slopes(frames)), grown(inside, 1))


def shown_on(frames: Stack, inside: Mask) -> NDArray[np.bool_]:
    """On which frames (n,) what stands within ``inside`` is there, and does not fade in or out."""
    slopes = _slopes(frames)[:, :, inside]
    usual = np.median(slopes, 1)
    strength = (slopes * usual[:, None]).sum((0, 2, 3)) / max(float((usual**2).sum()), 1e-9)
    shown = strength > ABSENT * np.percentile(strength, 75)
    for way in (1, -1):  # from where it is not there up to where it grows no more
        for before, here in pairwise(range(len(shown))[::way]):
            if not shown[before] and strength[here] > GROWS * strength[before]:
                shown[here] = False
    return np.asarray(shown)


def grown(mask: Mask, by: int) -> Mask:
    """With all that is up to ``by`` px from it."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * by + 1,) * 2)
    return np.asarray(cv2.dilate(mask.astype(np.uint8), disc) > 0)


def _slopes(frames: Stack) -> Stack:
    """To the right and downwards (2, n, h, w, 3)."""
    made = np.zeros((2, *frames.shape), np.float32)
    made[0, :, :, :-1], made[1, :, :-1] = np.diff(frames, axis=2), np.diff(frames, axis=1)
    return made


def _usual(slopes: Stack) -> F32:
    return np.asarray(np.median(slopes, 1), np.float32)


def _stands(frames: Stack, beyond: Mask) -> bool:
    """Whether the picture itself stands: its usual slopes are all that it has."""
    low = np.stack([cv2.GaussianBlur(luma_of(one), (0, 0), STILL_SIGMA) for one in frames])
    slopes = np.stack([np.diff(low, axis=2)[:, :-1], np.diff(low, axis=1)[:, :, :-1]])[:, :, beyond[:-1, :-1]]
    return bool(np.median(np.abs(np.median(slopes, 1))) > STILL * np.median(np.abs(slopes)))


def _put_together(slopes: F32, where: Mask) -> F32:
    """How far (h, w; RMS of the channels) the picture that has these ``slopes`` (2, h, w, 3) where they count, and none
    elsewhere, is from nothing."""
    along, down = np.where(where[None, ..., None], slopes, 0).astype(np.float64)
    picture = np.stack([_solved(along[..., k], down[..., k]) for k in range(along.shape[-1])])
    return np.asarray(np.sqrt((picture**2).mean(0)), np.float32)


def _solved(along: F64, down: F64) -> F64:
    """The picture (h, w) that has slopes to the right and downwards: Poisson's equation, by sine transforms."""
    bent = along + down
    bent[:, 1:] -= along[:, :-1]
    bent[1:] -= down[:-1]
    steps = [2 * np.cos(np.pi * np.arange(1, n + 1) / (n + 1)) - 2 for n in bent.shape]
    return np.asarray(idstn(dstn(bent, type=1) / (steps[0][:, None] + steps[1][None]), type=1))
