"""Borrow: a place beside, moved, turned, scaled, mirrored; brightness and colour set to fit."""

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask, Rect
from hushcore.bands.split import low_pass
from hushcore.errors import HushError
from hushcore.fill.plan import BorrowKey, Fill
from hushcore.fill.soak import mean_outside, rim_of
from hushcore.geometry.membrane import membrane
from hushcore.geometry.placed import takes_from
from hushcore.grain.model import LUMA

FIT_SIGMA = 3.0  # px along the rim at which both are compared
LIT_SIGMA = 8.0  # px: what is coarser is light, and is the mark's own
LIT_MOST = 1.5  # natural log
OUTSIDE_MOST, ON_MARK_MOST = 0.01, 0.02  # share of the donor
BLACK = 0.003  # linear
OUTSIDE = "The place to borrow from lies partly outside the picture; drag it back in, or make it smaller."
ON_MARK = "The place to borrow from lies on the mark itself; drag it farther away."


def where(rect: Rect, centre: tuple[float, float], at: BorrowKey, flip: bool) -> tuple[F32, F32]:
    """Still position (x, y) that each place of ``rect`` borrows from; turned and scaled about ``centre``."""
    return takes_from(rect, centre, at.offset, at.turn, at.zoom, flip)


def centre_of(hole: Mask, rect: Rect) -> tuple[float, float]:
    """The middle of a hole's box, still px."""
    rows, cols = np.nonzero(hole)
    return rect.left + (cols.min() + cols.max()) / 2, rect.top + (rows.min() + rows.max()) / 2


def check_donor(x: F32, y: F32, hole: Mask, rect: Rect, inside: Rect) -> None:
    """Raises HushError for a donor that is not in the picture (``inside``), or lies under its own matte."""
    dx, dy = x[hole], y[hole]
    out = (dx < inside.left) | (dy < inside.top) | (dx > inside.right - 1) | (dy > inside.bottom - 1)
    if out.mean() > OUTSIDE_MOST:
        raise HushError(OUTSIDE, "donor-outside")
    covered = cv2.remap(hole.astype(np.uint8), x - rect.left, y - rect.top, cv2.INTER_NEAREST)
    if covered[hole].mean() > ON_MARK_MOST:
        raise HushError(ON_MARK, "donor-on-mark")


def set_to_fit(linear: F32, fill: Fill) -> F32:
    """With its exposure and saturation."""
    made = linear * np.float32(2.0**fill.exposure)
    if fill.saturation != 1:
        level = (made @ LUMA.astype(np.float32))[..., None]
        made = np.maximum(level + np.float32(fill.saturation) * (made - level), 0)
    return np.asarray(made, np.float32)


def borrow(tonal: F32, hole: Mask, donor: F32, fit: bool) -> F32:
    """``tonal`` (h, w, 3) with the tonal ``donor`` in its hole; ``fit``: its tone brought to the rim's by a membrane."""
    if fit:
        apart = np.where(hole[..., None], 0, tonal - donor).astype(np.float32)
        donor = donor + membrane(rim_of(apart, hole, FIT_SIGMA), ~hole)
    return np.asarray(np.where(hole[..., None], donor, tonal), np.float32)


def in_light_of(donor: F32, wanted: F32, weight: F32) -> F32:
    """A frame's own donor (linear) with the tone of ``wanted``, both read where ``weight`` (h, w) is."""
    low = [low_pass(np.log(np.maximum(side, 0) + BLACK), 1.0) for side in (wanted, donor)]
    light = mean_outside(np.asarray(low[0] - low[1], np.float32), weight, LIT_SIGMA)
    return np.asarray(donor * np.exp(np.clip(light, -LIT_MOST, LIT_MOST)), np.float32)


def line_normals(points: F64, rect: Rect) -> F64:
    """For each place of ``rect`` the direction (h, w, 2) to the nearest point of an open line (n, 2)."""
    blank = np.full((rect.height, rect.width), 255, np.uint8)
    at = np.rint(points - [rect.left, rect.top]).astype(np.int32)
    cv2.polylines(blank, [at.reshape(-1, 1, 2)], False, 0)
    far = cv2.GaussianBlur(cv2.distanceTransform(blank, cv2.DIST_L2, 5), (0, 0), 1.5)
    dy, dx = np.gradient(far.astype(float))
    size = np.hypot(dx, dy)
    along = np.stack([dx, dy], -1) / np.maximum(size, 1e-6)[..., None]
    flat = size < 0.3  # on the line itself: as beside it
    return _through_flat(along, flat)


def _through_flat(along: F64, flat: Mask) -> F64:
    """On the line itself the direction of its neighbours; opposite ones are the same."""
    double = np.stack([along[..., 0] ** 2 - along[..., 1] ** 2, 2 * along[..., 0] * along[..., 1]], -1)
    weight = (~flat).astype(np.float32)
    sums = cv2.GaussianBlur((double * weight[..., None]).astype(np.float32), (0, 0), 3.0)
    half = np.arctan2(sums[..., 1], sums[..., 0]) / 2
    return np.stack([np.cos(half), np.sin(half)], -1)
