"""Whether something of an overlay is left as a stain: what an outline does not tell, for it has none.

The picture moves, so what its mean shows under the lines, and not beside them, differs between the two halves of a shot; a stain
is in both.
"""

from collections.abc import Sequence

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask
from hushcore.geometry.membrane import membrane
from hushcore.patch.standing import LEAST_PLACES, Stack, grown

AROUND, WIDE = 3, 2.0  # px beside the lines, from where on the surroundings tell; px below which nothing is a stain
COLOUR = 2.0  # times as much as it is in tone: a tint is seen sooner
AS_BESIDE = 1.2  # times what stands beside the lines: as much may stand under them, too


def stain_of(bare: Stack, cover: Mask, linear: bool = False) -> float:
    """What stays (RMS, tonal) within a ``cover`` (h, w) in pictures taken from under it (n, h, w, 3; tonal, or ``linear``) and is
    not carried on from beside it, in tone, or ``COLOUR`` times in colour; 0 where as much stands beside it, as in a picture that
    hardly moves."""
    known = ~grown(cover, AROUND)
    if known.sum() < LEAST_PLACES or len(bare) < 2:
        return 0.0
    halves = [_tonal(side.mean(0), linear) for side in np.array_split(bare, 2)]
    under = [_low(half - membrane(half, known)) for half in halves]
    beside = [_low(_without_slope(half, known)) for half in halves]
    found = 0.0
    for seen, times in ((_itself, 1.0), (_tint, COLOUR)):
        stays, usual = (_alike([seen(half) for half in sides], where)
                        for sides, where in ((under, cover), (beside, ~grown(cover, 2 * AROUND))))  # fmt: skip
        if stays > AS_BESIDE * usual:
            found = max(found, times * stays)
    return found


def _itself(picture: F32) -> F32:
    return picture


def _tint(picture: F32) -> F32:
    return np.asarray(picture - picture.mean(-1, keepdims=True), np.float32)


def _tonal(picture: F32, linear: bool) -> F32:
    return np.ascontiguousarray(np.sqrt(np.maximum(picture, 0)) if linear else picture, np.float32)


def _low(picture: F32) -> F32:
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), WIDE), np.float32)


def _alike(pictures: Sequence[F32], where: Mask) -> float:
    """What two pictures have in common (RMS) in a place."""
    one, other = pictures
    common = float((one * other).mean(-1)[where].mean()) if where.any() else 0.0
    return float(np.sqrt(max(common, 0.0)))


def _without_slope(picture: F32, where: Mask) -> F32:
    """A picture less the plane that fits it in a place."""
    rows, cols = np.indices(where.shape)
    plane: F64 = np.stack([rows, cols, np.ones_like(rows)], -1).astype(float)
    fit = np.linalg.lstsq(plane[where], picture[where], rcond=None)[0]
    return np.asarray(picture - plane @ fit, np.float32)
