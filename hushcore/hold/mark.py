"""The mark itself: its picture on the still surface, and where on a frame that is found again."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Rect
from hushcore.hold.likeness import detail
from hushcore.hold.maps import HoldMap
from hushcore.hold.method import channel_of
from hushcore.hold.record import Hold, Reader
from hushcore.hold.still import Ground

ALONE_BY = 0.15  # of correlation by which any other place must be less like it
FAR_COSTS = 0.1  # of correlation, at the end of the reach: another place is less likely the further it is from the way
BORDER = 8  # px beyond what is compared that are read
FLAT = 1e-6  # spread of a picture of nothing
LARGEST = 96  # samples across the picture


@dataclass(frozen=True)
class Mark:
    """The mark on a ground: its ``outline`` (n, 2; px of the anchor frame), by which a hold is judged; ``around``: a wider
    ground to try where the own one is poor."""

    outline: F64
    around: Ground | None = None


@dataclass(frozen=True)
class Picture:
    """The mark's ``detail`` over ``rect`` (px of the still surface), a sample every ``step`` px; ``mask``: 1 where it is
    compared."""

    rect: Rect
    step: float
    detail: F32
    mask: F32

    @property
    def middle(self) -> F64:
        """Its middle, still px."""
        return np.array([(self.rect.left + self.rect.right - 1) / 2, (self.rect.top + self.rect.bottom - 1) / 2])


def picture_of(
    hold: Hold, read: Reader, outline: F64, frames: Sequence[int], around: int, channel: str = "luma"
) -> Picture:  # fmt: skip
    """The mean of a mark (``outline``: (n, 2), still px) over frames on which it is held; ``around``: px round it that are
    compared with it; in a ``channel``."""
    rect = Rect.around(outline).grown(around + BORDER)
    step = max(1.0, max(rect.width, rect.height) / LARGEST)
    rows, cols = (max(8, round(side / step)) for side in (rect.height, rect.width))
    middle = np.array([(rect.left + rect.right - 1) / 2, (rect.top + rect.bottom - 1) / 2])
    polygon = (outline - middle) / step + [(cols - 1) / 2, (rows - 1) / 2]
    mask = np.zeros((rows, cols), np.float32)
    cv2.fillPoly(mask, [np.round(polygon).astype(np.int32)], 1.0)
    mask = cv2.dilate(mask, np.ones((2 * max(1, round(around / step)) + 1,) * 2))
    still = _lattice(rows, cols) * step + middle
    total = np.zeros((rows, cols), np.float32)
    for number in frames:
        one = detail(_sampled(channel_of(read(number), channel), hold.at(number).forward(still), step))
        total += one / max(FLAT, float(one.std()))
    return Picture(rect, step, np.ascontiguousarray(total / len(frames)), mask)


@dataclass(frozen=True)
class Found:
    """A place at which a mark was found: how far (``move``, px of the frame) from where a map puts it, and how ``like`` itself
    it is there (correlation)."""

    move: F64
    like: float


def place_of(
    luma: F32, at: HoldMap, expected: F64, reach: float, picture: Picture, least: float, size: float = 1.0
) -> Found | None:  # fmt: skip
    """Where the mark is found, ``size`` times as large as a map says, within ``reach`` px of ``expected`` beside it; None where
    it is nowhere, or in more than one place."""
    slope = size * at.jacobian(picture.middle)
    scale = float(np.sqrt(max(abs(np.linalg.det(slope)), 1e-3)))
    wide = int(np.ceil(reach / (scale * picture.step)))
    centre = at.forward(picture.middle) + expected
    window = _window(luma, centre, slope, picture, wide)
    scores = cv2.matchTemplate(detail(window), picture.detail, cv2.TM_CCOEFF_NORMED, mask=picture.mask)
    scores = np.nan_to_num(scores, nan=-1.0, posinf=-1.0, neginf=-1.0)
    y, x = np.mgrid[-wide : wide + 1, -wide : wide + 1] / max(1, wide)
    likely = scores - FAR_COSTS * (x * x + y * y)
    row, col = np.unravel_index(int(likely.argmax()), scores.shape)
    down, across = (max(3, round(side / 4)) for side in picture.detail.shape)  # the slopes of the same peak
    others = likely.copy()
    others[max(0, row - down) : row + down + 1, max(0, col - across) : col + across + 1] = -1.0
    like = float(scores[row, col])
    if like < least or likely[row, col] < float(others.max()) + ALONE_BY:
        return None
    move = expected + slope @ (np.array([col - wide, row - wide], float) * picture.step)
    return Found(np.asarray(move), like)


def _window(luma: F32, centre: F64, slope: F64, picture: Picture, wide: int) -> F32:
    """The frame as a still surface would show it that lies at ``centre`` with ``slope``: the mark's picture and ``wide``
    samples round it."""
    rows, cols = picture.detail.shape
    still = _lattice(rows, cols, wide) * picture.step
    return _sampled(luma, still @ slope.T + centre, picture.step)


def _lattice(rows: int, cols: int, wide: int = 0) -> F64:
    """Places (..., 2) of samples about the middle of ``rows`` x ``cols`` of them, and of ``wide`` more on every side."""
    y, x = np.mgrid[-wide : rows + wide, -wide : cols + wide].astype(np.float64)
    return np.stack([x - (cols - 1) / 2, y - (rows - 1) / 2], -1)


def _sampled(luma: F32, places: F64, step: float) -> F32:
    """A frame at places (..., 2) that lie ``step`` px apart."""
    soft = luma if step <= 1 else cv2.GaussianBlur(luma, (0, 0), 0.5 * step)
    x, y = np.moveaxis(places.astype(np.float32), -1, 0)
    return np.asarray(cv2.remap(soft, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)
