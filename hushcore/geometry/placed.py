"""A part of a picture moved, turned, scaled and mirrored: where each place takes from, and what lies there."""

import numpy as np

from hushcore.arrays import F32, Rect, padded_cut
from hushcore.geometry import sampling

MARGIN = 16  # px beyond what is sampled, for the spline


def takes_from(
    rect: Rect, centre: tuple[float, float], offset: tuple[float, float], turn: float, zoom: float, flip: bool
) -> tuple[F32, F32]:
    """Position (x, y) that each place of ``rect`` takes from: ``offset`` px away, turned by ``turn`` degrees, ``zoom`` times
    as large and mirrored if ``flip``, all about ``centre``."""
    x, y = np.meshgrid(np.arange(rect.left, rect.right) - centre[0], np.arange(rect.top, rect.bottom) - centre[1])
    x, y = (-x if flip else x) / zoom, y / zoom
    angle = np.radians(-turn)
    cos, sin = np.cos(angle), np.sin(angle)
    return (
        np.asarray(centre[0] + offset[0] + cos * x - sin * y, np.float32),
        np.asarray(centre[1] + offset[1] + sin * x + cos * y, np.float32),
    )


def taken(picture: F32, origin: Rect, x: F32, y: F32) -> F32:
    """``picture`` (h, w, 3) over ``origin`` at positions, by cubic B-spline; beyond it its border repeats."""
    need = Rect.around(np.array([[x.min(), y.min()], [x.max(), y.max()]])).grown(MARGIN)
    part = np.ascontiguousarray(padded_cut(picture, need.moved(-origin.left, -origin.top)), np.float32)
    return sampling.sampled(part, x - np.float32(need.left), y - np.float32(need.top))
