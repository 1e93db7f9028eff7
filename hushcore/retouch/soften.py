"""Soften: the tone of a place is smoothed, its creases are evened, its pores stay.

A picture's tonal values are light (coarser than four times the scale), tone, and pores (finer than ``PORES``). Only the
tone is changed, so that what is laid is a smooth difference and the frame keeps its own pixels' texture and grain.

Sources: He, Sun & Tang 2013, *Guided Image Filtering*, for smoothing that stops at edges; Lindeberg 1998, *Edge Detection
and Ridge Detection with Automatic Scale Selection*, for ridges.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.bands.split import low_pass
from hushcore.errors import HushError

PORES = 2.0  # px (sigma): finer is texture
LIGHT = 4.0  # times the scale: coarser is light, and stays
EDGE = 0.06  # tonal: steps that are larger than this are kept
WIDTHS = (1.8, 3.0, 4.8, 7.5)  # px (sigma) of creases
BLOB = 0.6  # of the strongest curvature across: with more along it is a spot, not a line
RIDGE_LEAST = 0.0025  # tonal: fainter ones are pores and grain
RIDGE_SPREADS = 3.0  # of the usual curvature round about
LONGEST_GAP, SHORTEST = 3, 14  # px
BESIDE = 1.6  # widths either side that are evened with a crease
SCALES = 2.0, 80.0  # px


@dataclass(frozen=True)
class Soften:
    """``scale`` px: tone finer than this is smoothed; ``amount`` 0..1; ``texture``: times its own; ``lines`` 0..1: how far
    creases are evened; ``take``: px to a place whose texture is taken instead, None for its own."""

    scale: float = 10.0
    amount: float = 0.5
    texture: float = 1.0
    lines: float = 0.0
    take: tuple[float, float] | None = None

    def check(self) -> None:
        """Raises HushError for numbers out of range."""
        if not SCALES[0] <= self.scale <= SCALES[1]:
            raise HushError(f"Tone is smoothed at {SCALES[0]:.0f} to {SCALES[1]:.0f} px.", "bad-soften")
        if not (0 <= self.amount <= 1 and 0 <= self.lines <= 1 and 0 <= self.texture <= 2):
            raise HushError("Amount and creases go from 0 to 100 %, texture to 200 %.", "bad-soften")


def softened(tonal: F32, how: Soften, creases: F32 | None) -> tuple[F32, F32]:
    """What ``how`` adds to ``tonal`` (h, w, 3): to its tone, which is smooth, and to its texture.

    ``creases`` (h, w), 0..1: where they are, as ``creases_of`` finds them on one frame for all.
    """
    tone = low_pass(tonal, PORES)
    change = np.zeros_like(tone)
    if creases is not None and how.lines > 0:
        change += np.float32(how.lines) * creases[..., None] * (_across(tone, creases) - tone)
    if how.amount > 0:
        evened = tone + change
        smooth = low_pass(np.float32(how.amount) * (_guided(evened, how.scale) - evened), PORES)
        change += smooth - low_pass(smooth, LIGHT * how.scale)
    texture = tonal - tone
    other = texture
    if how.take is not None:
        dx, dy = how.take
        move = np.array([[1, 0, -dx], [0, 1, -dy]], np.float32)
        other = cv2.warpAffine(
            texture, move, texture.shape[1::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101
        )
    return change, np.asarray(np.float32(how.texture) * other - texture, np.float32)


def _across(tone: F32, creases: F32) -> F32:
    """The tone that creases would have, from what lies either side."""
    weight = np.maximum(1 - creases, 0) ** 2
    out = None
    for sigma in (14.0, 7.0, 4.0):
        total = cv2.GaussianBlur(weight, (0, 0), sigma)[..., None]
        mean = cv2.GaussianBlur(tone * weight[..., None], (0, 0), sigma) / np.maximum(total, 1e-6)
        known = np.clip(total / 0.15, 0, 1)
        out = mean if out is None else out + known * (mean - out)
    assert out is not None
    return np.asarray(out, np.float32)


def _guided(tone: F32, scale: float) -> F32:
    """Self-guided, channel by channel, with Gaussian windows."""
    mean = low_pass(tone, scale)
    variance = np.maximum(low_pass(tone * tone, scale) - mean * mean, 0)
    keeps = variance / (variance + np.float32(EDGE**2))
    return np.asarray(low_pass(keeps, scale) * tone + low_pass((1 - keeps) * mean, scale), np.float32)


def creases_of(tonal: F32, inside: Mask) -> F32:
    """Dark and bright lines of the tone within ``inside`` (h, w): 1 on them, falling to 0 beside them."""
    luma = low_pass(tonal.mean(-1), 1.0)
    found = np.zeros(luma.shape, np.float32)
    for sigma in WIDTHS:
        level = low_pass(luma, sigma)
        across, along = _curvatures(level, sigma)
        ridge = np.where(np.abs(along) < BLOB * np.abs(across), np.abs(across), 0)
        usual = np.median(np.abs(across[inside])) / 0.6745 if inside.any() else 0.0
        strong = (ridge > max(RIDGE_LEAST, RIDGE_SPREADS * usual)) & inside
        wide = 2 * int(np.ceil(BESIDE * sigma)) + 1
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide, wide))
        line = cv2.dilate(_long(strong).astype(np.uint8), disc).astype(np.float32)
        found = np.maximum(found, cv2.GaussianBlur(line, (0, 0), sigma / 2))
    return np.asarray(found, np.float32)


def _curvatures(level: F32, sigma: float) -> tuple[F32, F32]:
    """Eigenvalues of the Hessian times the scale squared, the greater in size first."""
    dy, dx = np.gradient(level)
    (yy, yx), (_, xx) = np.gradient(dy), np.gradient(dx)
    middle, apart = (xx + yy) / 2, np.hypot((xx - yy) / 2, yx)
    a, b = middle + apart, middle - apart
    swap = np.abs(b) > np.abs(a)
    return np.where(swap, b, a) * sigma**2, np.where(swap, a, b) * sigma**2


def _long(strong: Mask) -> Mask:
    """Only pieces long enough to be a line."""
    gap = np.ones((LONGEST_GAP,) * 2, np.uint8)
    joined = cv2.morphologyEx(strong.astype(np.uint8), cv2.MORPH_CLOSE, gap)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(joined)
    size = np.hypot(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT])
    keep = (size >= SHORTEST) & (np.arange(count) > 0)
    return np.asarray(keep[labels])
