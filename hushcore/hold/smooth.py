"""Taking the jitter out of a stretch of a hold.

Source: Whittaker (1923), in the matrix form of Eilers, Analytical Chemistry 75 (2003): the smoothed series z minimises
sum w (y - z)^2 + strength sum (second difference of z)^2.
"""

from collections.abc import Mapping

import numpy as np
from scipy.linalg import solveh_banded

from hushcore.arrays import F64
from hushcore.errors import HushError
from hushcore.geometry import homography
from hushcore.hold.record import Hold

STAYS = 1e9  # weight of the frames on either side, and of keys: they are not moved
LOST_COUNTS = 1e-3
LARGEST = 1e6


def smoothed(hold: Hold, first: int, last: int, strength: float, corners: F64) -> dict[int, F64]:
    """New parameters of the frames first..last, which must all be held.

    ``strength``: 1 takes out what changes from frame to frame, 100 what changes within about ten frames;
    ``corners`` (4, 2): still points by which a plane's places are compared. Keys, the anchor and the frames next to
    the stretch stay where they are. Raises HushError for a stretch that is not held or a strength out of range.
    """
    if not 0 < strength <= LARGEST:
        raise HushError(f"Smoothing goes from above 0 to {LARGEST:g}.", "bad-smoothing")
    frames = [n for n in range(first - 1, last + 2) if first <= n <= last or _held(hold, n)]
    gone = [n for n in frames if not _held(hold, n)]
    if gone:
        raise HushError(f"The hold has not been measured on frame {gone[0]}; track there before smoothing.", "not-held")
    if len(frames) < 4:
        raise HushError("Smoothing needs a stretch of at least three frames.", "bad-range")
    fixed = {hold.anchor, *hold.keys}
    weights = [_weight(hold, n, first <= n <= last and n not in fixed) for n in frames]
    places = [_places(hold, n, corners) for n in frames]
    shape = places[0].shape
    series = whittaker(np.stack([place.ravel() for place in places]), np.array(weights), strength)
    made = {}
    for number, row in zip(frames, series, strict=True):
        if first <= number <= last and number not in fixed:
            place = row.reshape(shape)
            made[number] = place if hold.bends else homography.fit(corners, place)
    return made


def _held(hold: Hold, number: int) -> bool:
    return number == hold.anchor or number in hold.frames


def _weight(hold: Hold, number: int, free: bool) -> float:
    if not free:
        return STAYS
    return LOST_COUNTS if hold.frames[number].lost else 1.0


def _places(hold: Hold, number: int, corners: F64) -> F64:
    params = hold.params_at(number)
    return params if hold.bends else homography.apply(params, corners)


def whittaker(series: F64, weights: Mapping[int, float] | F64, strength: float) -> F64:
    """Smooth the columns of ``series`` (n, k), n >= 3, with a weight a row."""
    count = len(series)
    rows = np.zeros((count - 2, count))
    for k in range(count - 2):
        rows[k, k : k + 3] = (1, -2, 1)
    penalty = strength * rows.T @ rows
    weight = np.asarray(weights, float)
    system = penalty + np.diag(weight)
    band = np.zeros((3, count))
    for k in range(3):
        band[k, : count - k] = np.diagonal(system, -k)
    return np.asarray(solveh_banded(band, weight[:, None] * series, lower=True))
