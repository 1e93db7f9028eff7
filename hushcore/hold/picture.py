"""What the tracker sees: pyramids of locally normalised luma, and the reading weights."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Rect, padded_cut
from hushcore.geometry import sampling
from hushcore.hold.method import Prep, channel_of

LEVELS = 4
PRE_BLUR_FINE, PRE_BLUR_COARSE = 0.5, 0.6
NORMALISE_SIGMA = 3.5  # px; at 5 moving shading pulls at deep folds (on the demo: .58 px RMS against .30)
CLIPPED = 0.985
MASK_BITS = 4  # sub-pixel bits of the polygon rasteriser
PLAIN = Prep()


@dataclass(frozen=True)
class Level:
    """One pyramid level of a crop: normalised picture and 1 where it can be read."""

    picture: F32
    readable: F32
    whole: bool = False  # every pixel can be read


@dataclass(frozen=True)
class View:
    """A crop of a frame as the tracker sees it, finest level first."""

    rect: Rect
    levels: tuple[Level, ...]

    def to_level(self, x: F32, y: F32, level: int) -> tuple[F32, F32]:
        """Frame pixels to pixels of a level's array."""
        scale = np.float32(0.5**level)
        shift_x = np.float32((0.5 - self.rect.left) * scale - 0.5)
        shift_y = np.float32((0.5 - self.rect.top) * scale - 0.5)
        return x * scale + shift_x, y * scale + shift_y

    def sample(self, x: F32, y: F32, level: int) -> tuple[F32, F32]:
        """A level's picture at frame places (full-resolution px), and where it could be read (boolean)."""
        map_x, map_y = self.to_level(x, y, level)
        source = self.levels[level]
        warped = np.empty(map_x.shape, np.float32)
        (sampling.catmull_rom if level == 0 else sampling.bilinear)(source.picture, map_x, map_y, warped)
        height, width = source.picture.shape
        inside = (map_x >= 0) & (map_y >= 0) & (map_x <= width - 1) & (map_y <= height - 1)
        if source.whole:
            return warped, inside
        readable = np.empty_like(warped)
        sampling.bilinear(source.readable, map_x, map_y, readable)
        return warped, (readable > 0.99) & inside


def luma(codes: Codes) -> F32:
    """Encoded luma 0..1 of codes (h, w, c) or (h, w)."""
    return channel_of(codes)


def normalise(picture: F32) -> F32:
    """Local contrast normalisation: n = d / (s + .3 median(s) + .3 p90(s)), d = v - G*v, s^2 = G*d^2."""
    mean = cv2.GaussianBlur(picture, (0, 0), NORMALISE_SIGMA, borderType=cv2.BORDER_REFLECT_101)
    detail = picture - mean
    spread = cv2.sqrt(cv2.GaussianBlur(detail * detail, (0, 0), NORMALISE_SIGMA, borderType=cv2.BORDER_REFLECT_101))
    middle, high = np.percentile(spread[::4, ::4], (50, 90))
    return np.asarray(detail / (spread + np.float32(0.3 * middle + 0.3 * high + 1e-4)))


def look_at(frame_luma: F32, rect: Rect, prep: Prep = PLAIN, hidden: Sequence[F64] = ()) -> View:
    """Pyramid of a crop, prepared for the tracker.

    Pixels outside the frame, near clipping, or inside the polygons ``hidden`` (frame px) are marked unreadable.
    """
    multiple = 1 << (LEVELS - 1)
    wide = -(-rect.width // multiple) * multiple
    tall = -(-rect.height // multiple) * multiple
    rect = Rect(rect.left, rect.top, rect.left + wide, rect.top + tall)
    picture = np.ascontiguousarray(padded_cut(frame_luma, rect), np.float32)
    readable = (picture < CLIPPED).astype(np.float32)
    _mask_outside(readable, rect, frame_luma.shape[1], frame_luma.shape[0])
    fill(readable, hidden, rect, 0)
    picture = prep.apply(picture)
    levels = []
    for level in range(LEVELS):
        blurred = cv2.GaussianBlur(picture, (0, 0), PRE_BLUR_FINE if level == 0 else PRE_BLUR_COARSE)
        levels.append(Level(normalise(blurred), readable, bool(readable.all())))
        size = (picture.shape[1] // 2, picture.shape[0] // 2)
        picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        readable = (cv2.resize(readable, size, interpolation=cv2.INTER_AREA) > 0.9).astype(np.float32)
    return View(rect, tuple(levels))


def fill(out: F32 | Codes, shapes: Sequence[F64], rect: Rect, value: float) -> None:
    """Set what lies inside polygons (n, 2, px) in a picture of ``rect``."""
    corner, scale = np.array([rect.left, rect.top]), 1 << MASK_BITS
    for shape in shapes:
        cv2.fillPoly(out, [np.round((shape - corner) * scale).astype(np.int32)], value, shift=MASK_BITS)


def _mask_outside(readable: F32, rect: Rect, width: int, height: int) -> None:
    readable[: max(0, -rect.top)] = 0
    readable[:, : max(0, -rect.left)] = 0
    if rect.bottom > height:
        readable[height - rect.bottom :] = 0
    if rect.right > width:
        readable[:, width - rect.right :] = 0
