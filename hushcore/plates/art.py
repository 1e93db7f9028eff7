"""Artwork laid on the still surface: placed by four corners, blended into the plate's picture.

Source of the blend formulas: W3C, *Compositing and Blending Level 1* (separable modes, and the non-separable colour
mode). They work on tonal values 0..1, except ``normal`` and ``multiply``, which are light and work in linear.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Rect
from hushcore.colour import spaces
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.errors import HushError
from hushcore.geometry import homography
from hushcore.geometry.paths import area

LINEAR709 = "Linear Rec.709 (sRGB)"
LUM = np.array([0.3, 0.59, 0.11], np.float32)  # the W3C's own weights


@dataclass(frozen=True)
class Art:
    """``picture`` (h, w, 4): linear RGB, not premultiplied, and alpha; ``corners`` (4, 2): where its corners lie on the
    still surface, top left first, clockwise; ``mode``: one of ``MODES``."""

    picture: F32
    corners: F64
    mode: str = "normal"
    opacity: float = 1.0

    def check(self) -> None:
        """Raises HushError for artwork that cannot be placed."""
        if self.mode not in MODES:
            raise HushError(f"There is no blend mode {self.mode!r}; choose {', '.join(MODES)}.", "bad-mode")
        if self.corners.shape != (4, 2) or area(self.corners) < 1:
            raise HushError("The artwork has no area; pull its corners apart.", "no-area")

    def placed(self, rect: Rect) -> tuple[F32, F32]:
        """Linear RGB (h, w, 3) and alpha (h, w) over ``rect`` of the still surface, opacity included."""
        self.check()
        height, width = self.picture.shape[:2]
        own = np.array([[-0.5, -0.5], [width - 0.5, -0.5], [width - 0.5, height - 0.5], [-0.5, height - 0.5]])
        matrix = homography.fit(own, self.corners - [rect.left, rect.top])
        pre = np.dstack([self.picture[..., :3] * self.picture[..., 3:], self.picture[..., 3:]]).astype(np.float32)
        # shrinking needs an average: take it down by halves first
        scale = np.sqrt(area(self.corners) / max(1, width * height))
        while scale < 0.5 and min(pre.shape[:2]) > 4:
            tall, wide = pre.shape[0] // 2, pre.shape[1] // 2
            pre = cv2.resize(pre, (wide, tall), interpolation=cv2.INTER_AREA)
            matrix = matrix @ np.array(
                [[width / wide, 0, (width / wide - 1) / 2], [0, height / tall, (height / tall - 1) / 2], [0, 0, 1]]
            )
            width, height, scale = wide, tall, scale * 2
        laid = cv2.warpPerspective(pre, matrix, (rect.width, rect.height), flags=cv2.INTER_CUBIC)
        alpha = np.clip(laid[..., 3], 0, 1)
        colour = laid[..., :3] / np.maximum(laid[..., 3:], 1e-4)
        return np.maximum(colour, 0).astype(np.float32), np.asarray(alpha * np.float32(self.opacity), np.float32)


def in_light(pixels: F32, whole: bool, encoding: Encoding) -> F32:
    """A file's RGB and alpha as linear, not premultiplied, in ``encoding``'s light. Integers (``whole``) are taken as
    sRGB and not premultiplied, floats as linear BT.709 and premultiplied, as OpenEXR says."""
    alpha = np.clip(pixels[..., 3:4], 0, 1)
    colour = SRGB.linear(pixels[..., :3]) if whole else pixels[..., :3] / np.maximum(alpha, 1e-4)
    if encoding.linear_space != LINEAR709:
        colour = spaces.apply(spaces.between(LINEAR709, encoding.linear_space, encoding.config), colour)
    return np.concatenate([np.maximum(colour, 0), alpha], -1).astype(np.float32)


def blended(under: F32, art: F32, mode: str, encoding: Encoding) -> F32:
    """What the mode makes of linear ``art`` over linear ``under`` (h, w, 3), before opacity."""
    if mode == "normal":
        return art
    if mode == "multiply":
        return np.asarray(under * art)
    b, s = (np.clip(encoding.tonal_of(side), 0, 1) for side in (under, art))
    return encoding.from_tonal(np.asarray(MODES[mode](b, s), np.float32))


def _overlay(b: F32, s: F32) -> F32:
    return _hard_light(s, b)


def _hard_light(b: F32, s: F32) -> F32:
    return np.asarray(np.where(s <= 0.5, b * 2 * s, b + (2 * s - 1) - b * (2 * s - 1)))


def _soft_light(b: F32, s: F32) -> F32:
    root = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
    return np.asarray(np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (root - b)))


def _colour(b: F32, s: F32) -> F32:
    """SetLum(Cs, Lum(Cb)) with ClipColor."""
    moved = s + (b @ LUM - s @ LUM)[..., None]
    level = (moved @ LUM)[..., None]
    low, high = moved.min(-1, keepdims=True), moved.max(-1, keepdims=True)
    out = np.where(low < 0, level + (moved - level) * level / np.maximum(level - low, 1e-6), moved)
    return np.asarray(np.where(high > 1, level + (out - level) * (1 - level) / np.maximum(high - level, 1e-6), out))


MODES: dict[str, Callable[[F32, F32], F32]] = {
    "normal": lambda b, s: s,
    "multiply": lambda b, s: b * s,
    "screen": lambda b, s: b + s - b * s,
    "overlay": _overlay,
    "soft light": _soft_light,
    "colour": _colour,
}
