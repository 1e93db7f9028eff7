"""How far what is in a loop looks the same on other frames, held still: the mark itself says whether a hold is right."""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Rect
from hushcore.hold.maps import HoldMap, dense_forward
from hushcore.hold.method import channel_of
from hushcore.hold.record import Hold

AROUND = 6  # px round the loop that are looked at with it
FINE, COARSE = 1.2, 6.0  # px: the detail that is compared; light and grain are left out


def likenesses(
    read: Callable[[int], Codes], holds: Sequence[Hold], loop: F64, own: int, frames: Sequence[int], channel: str = "luma"
) -> F64:  # fmt: skip
    """Correlation (holds, frames) of the detail in a loop (n, 2; px of the still surface) with that of frame ``own``,
    in a ``channel``; not a number where the loop is not all on a frame. Each frame is read once."""
    rect = rect_of(loop, holds[0].size)
    out = np.full((len(holds), len(frames)), np.nan)
    if min(rect.width, rect.height) < 2 * AROUND:
        return out
    luma = channel_of(read(own), channel)
    there = [held_still(luma, hold.at(own), rect) for hold in holds]
    for column, number in enumerate(frames):
        luma = channel_of(read(number), channel)
        for row, hold in enumerate(holds):
            out[row, column] = likeness(there[row], held_still(luma, hold.at(number), rect))
    return out


def rect_of(loop: F64, size: tuple[int, int]) -> Rect:
    """What is looked at of a loop, px of the still surface."""
    return Rect.around(loop).grown(AROUND).clipped(*size)


def likeness(one: F32 | None, other: F32 | None) -> float:
    """Correlation of two details; not a number where there is none."""
    if one is None or other is None:
        return float("nan")
    spread = float(one.std() * other.std())
    return float(((one - one.mean()) * (other - other.mean())).mean()) / spread if spread > 0 else 0.0


def held_still(luma: F32, at: HoldMap, rect: Rect) -> F32 | None:
    """Detail of a frame in the still pose over ``rect``; None where that is not all on the frame."""
    x, y = dense_forward(at, rect)
    if not (np.isfinite(x).all() and np.isfinite(y).all()):
        return None
    if min(x.min(), y.min()) < 0 or x.max() > luma.shape[1] - 1 or y.max() > luma.shape[0] - 1:
        return None
    return detail(np.asarray(cv2.remap(luma, x, y, cv2.INTER_CUBIC), np.float32))


def detail(picture: F32) -> F32:
    """What is neither light nor grain of a picture."""
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), FINE) - cv2.GaussianBlur(picture, (0, 0), COARSE), np.float32)
