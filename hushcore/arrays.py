"""Shared array types and the rectangle in which all work on a frame happens."""

from dataclasses import dataclass
from typing import Any, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

# float32 pictures, float64 geometry, uint8 or uint16 code values. NumPy's own signatures promote between the
# float types, so that the names say what is meant and the checker holds floats, integers and masks apart.
F32 = NDArray[np.floating[Any]]
F64 = NDArray[np.floating[Any]]
Codes = NDArray[np.integer[Any]]
Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class Rect:
    """Whole pixels: ``left``/``top`` inclusive, ``right``/``bottom`` exclusive."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def width(self) -> int:
        return self.right - self.left

    @property
    def height(self) -> int:
        return self.bottom - self.top

    @property
    def empty(self) -> bool:
        return self.width <= 0 or self.height <= 0

    @property
    def slices(self) -> tuple[slice, slice]:
        """Row and column slices that cut this rectangle out of a picture."""
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @property
    def corners(self) -> F64:
        """Top left, top right, bottom right, bottom left as points (4, 2)."""
        return np.array(
            [[self.left, self.top], [self.right, self.top], [self.right, self.bottom], [self.left, self.bottom]], float
        )

    def grown(self, by: int) -> "Rect":
        """The rectangle with ``by`` pixels more on every side."""
        return Rect(self.left - by, self.top - by, self.right + by, self.bottom + by)

    def moved(self, dx: int, dy: int) -> "Rect":
        """The rectangle at another place."""
        return Rect(self.left + dx, self.top + dy, self.right + dx, self.bottom + dy)

    def clipped(self, width: int, height: int) -> "Rect":
        """The part of it inside a picture of ``width`` x ``height``."""
        return Rect(max(0, self.left), max(0, self.top), min(width, self.right), min(height, self.bottom))

    def within(self, other: "Rect") -> "Rect":
        """The part of it inside ``other``."""
        return Rect(
            max(self.left, other.left), max(self.top, other.top),
            min(self.right, other.right), min(self.bottom, other.bottom),
        )  # fmt: skip

    @staticmethod
    def around(points: NDArray[np.floating]) -> "Rect":
        """The smallest rectangle that holds all ``points`` (..., 2) x, y."""
        flat = points.reshape(-1, 2)
        low, high = np.floor(flat.min(0)).astype(int), np.ceil(flat.max(0)).astype(int)
        return Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)


Picture = TypeVar("Picture", bound=NDArray[Any])


def padded_cut(picture: Picture, rect: Rect) -> Picture:
    """``rect`` cut out of ``picture`` (h, w[, c]); places outside repeat the border."""
    height, width = picture.shape[:2]
    rows = np.clip(np.arange(rect.top, rect.bottom), 0, height - 1)
    cols = np.clip(np.arange(rect.left, rect.right), 0, width - 1)
    if rect == rect.clipped(width, height):
        return cast(Picture, picture[rect.slices])
    return cast(Picture, picture[rows[:, None], cols[None, :]])


def most(picture: F32) -> F32:
    """The greatest channel (h, w) of a picture (h, w, 3); NumPy's own reduction of a short axis is ten times slower."""
    return np.asarray(np.maximum(np.maximum(picture[..., 0], picture[..., 1]), picture[..., 2]))


def least(picture: F32) -> F32:
    """The smallest channel (h, w) of a picture (h, w, 3)."""
    return np.asarray(np.minimum(np.minimum(picture[..., 0], picture[..., 1]), picture[..., 2]))


def mean(picture: F32) -> F32:
    """The mean of the channels (h, w) of a picture (h, w, 3)."""
    return np.asarray((picture[..., 0] + picture[..., 1] + picture[..., 2]) * np.float32(1 / 3))


def three(codes: Codes) -> Codes:
    """The three colour channels of a frame; a grey one gives them thrice."""
    return np.repeat(codes, 3, axis=2) if codes.shape[2] == 1 else codes[..., :3]


def known_percentile(pictures: NDArray[Any], percent: float) -> F32:
    """The percentile over the first axis of what is known at each place, NaN where nothing is.

    As ``numpy.nanpercentile`` (linear between the two nearest), but for all places at once.
    """
    ordered = np.sort(pictures, axis=0)  # what is not known comes last
    count = (~np.isnan(ordered)).sum(0)
    at = np.maximum(count - 1, 0) * (percent / 100)
    low = np.floor(at).astype(np.intp)
    below, above = (
        np.take_along_axis(ordered, np.minimum(low + k, np.maximum(count - 1, 0))[None], 0)[0] for k in (0, 1)
    )
    return cast(F32, (below + (above - below) * (at - low)).astype(np.float32))
