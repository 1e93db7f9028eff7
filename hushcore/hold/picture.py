"""What the tracker sees: pyramids of locally normalised luma, and the reading weights."""

from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Rect, padded_cut
from hushcore.colour import curves

LEVELS = 4
# Rec. 709 luma weights on encoded values: the tracker wants contrast, not colorimetry
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
PRE_BLUR_FINE, PRE_BLUR_COARSE = 0.5, 0.6
NORMALISE_SIGMA = 3.5  # px; at 5 moving shading pulls at deep folds (on the demo: .58 px RMS against .30)
CLIPPED = 0.985


@dataclass(frozen=True)
class Level:
    """One pyramid level of a crop: normalised picture and 1 where it can be read."""

    picture: F32
    readable: F32


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


def luma(codes: Codes) -> F32:
    """Encoded luma 0..1 of codes (h, w, c) or (h, w); float ones count as linear light and are taken in ACEScct."""
    if codes.dtype.kind == "f":
        return _weighed(np.asarray(curves.linear_to_acescct(np.nan_to_num(codes.astype(np.float32))), np.float32), 1.0)
    return _weighed(codes, 1.0 / np.iinfo(codes.dtype).max)


def _weighed(values: Codes | F32, scale: float) -> F32:
    if values.ndim == 2:
        return np.asarray(values, np.float32) * np.float32(scale)
    if values.shape[2] < 3:
        return np.asarray(values[..., 0], np.float32) * np.float32(scale)
    return np.asarray(cv2.transform(np.asarray(values[..., :3], np.float32), (LUMA * np.float32(scale))[None, :]))


def normalise(picture: F32) -> F32:
    """Local contrast normalisation: n = d / (s + .3 median(s) + .3 p90(s)), d = v - G*v, s^2 = G*d^2."""
    mean = cv2.GaussianBlur(picture, (0, 0), NORMALISE_SIGMA, borderType=cv2.BORDER_REFLECT_101)
    detail = picture - mean
    spread = cv2.sqrt(cv2.GaussianBlur(detail * detail, (0, 0), NORMALISE_SIGMA, borderType=cv2.BORDER_REFLECT_101))
    middle, high = np.percentile(spread[::4, ::4], (50, 90))
    return np.asarray(detail / (spread + np.float32(0.3 * middle + 0.3 * high + 1e-4)))


def look_at(frame_luma: F32, rect: Rect) -> View:
    """Pyramid of a crop; pixels outside the frame or near clipping are marked unreadable."""
    multiple = 1 << (LEVELS - 1)
    wide = -(-rect.width // multiple) * multiple
    tall = -(-rect.height // multiple) * multiple
    rect = Rect(rect.left, rect.top, rect.left + wide, rect.top + tall)
    picture = np.ascontiguousarray(padded_cut(frame_luma, rect), np.float32)
    readable = (picture < CLIPPED).astype(np.float32)
    _mask_outside(readable, rect, frame_luma.shape[1], frame_luma.shape[0])
    levels = []
    for level in range(LEVELS):
        blurred = cv2.GaussianBlur(picture, (0, 0), PRE_BLUR_FINE if level == 0 else PRE_BLUR_COARSE)
        levels.append(Level(normalise(blurred), readable))
        size = (picture.shape[1] // 2, picture.shape[0] // 2)
        picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        readable = (cv2.resize(readable, size, interpolation=cv2.INTER_AREA) > 0.9).astype(np.float32)
    return View(rect, tuple(levels))


def _mask_outside(readable: F32, rect: Rect, width: int, height: int) -> None:
    readable[: max(0, -rect.top)] = 0
    readable[:, : max(0, -rect.left)] = 0
    if rect.bottom > height:
        readable[height - rect.bottom :] = 0
    if rect.right > width:
        readable[:, width - rect.right :] = 0
