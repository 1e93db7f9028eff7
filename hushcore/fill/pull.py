"""Pull: what lies beside the hole is stretched over it along a direction; its texture is mirrored in at the rim."""

import numpy as np
from numba import njit

from hushcore.arrays import F32, F64, Mask
from hushcore.errors import HushError
from hushcore.fill.soak import LEAST_SMOOTH, mean_outside

RAYS = 16  # of a hole that is drawn in from all sides
STEP = 1.0  # px of a ray
SIDES = ("behind", "ahead")


def pull(tonal: F32, hole: Mask, direction: float | None, side: float, smooth: float, field: F64 | None = None) -> F32:
    """``tonal`` (h, w, 3) with its hole filled along ``direction`` (degrees; None: from all sides).

    ``side``: -1 what lies behind alone, 1 what lies ahead alone, between: both, each by how near it is. ``smooth``: px
    over which the stretched tone is averaged. ``field`` (h, w, 2): a direction for each place instead (along a line, its
    normal). Raises HushError where a direction finds nothing to pull.
    """
    sigma = max(smooth / 2, LEAST_SMOOTH)
    tone = mean_outside(tonal, (~hole).astype(np.float32), sigma)
    rows, cols = np.nonzero(hole)
    made = np.zeros((len(rows), tonal.shape[2]), np.float32)
    if direction is None and field is None:
        angles = np.arange(RAYS) * 2 * np.pi / RAYS
        ways = np.stack([np.cos(angles), np.sin(angles)], -1)
        _from_all(tonal, tone, hole, rows, cols, ways, made)
    else:
        if field is None:
            assert direction is not None
            turn = np.radians(direction)
            ways = np.broadcast_to([np.cos(turn), np.sin(turn)], (len(rows), 2))
        else:
            ways = field[rows, cols]
        found = np.zeros(2, np.int64)
        _along(tonal, tone, hole, rows, cols, np.ascontiguousarray(ways, np.float64), float(side), made, found)
        _check(found, side)
    out = np.array(tonal, np.float32)
    out[rows, cols] = made
    return out


def _check(found: np.ndarray, side: float) -> None:
    for k, name in enumerate(SIDES):
        alone = side <= -1 if k == 0 else side >= 1
        if alone and not found[k]:
            raise HushError(
                f"There is nothing {name} the mark to pull along this direction; turn the arrow, or pull from both sides.",
                "nothing-to-pull",
            )
    if not found.any():
        raise HushError("There is nothing beside the mark along this direction; turn the arrow.", "nothing-to-pull")


@njit(cache=True, nogil=True)
def _reach(hole, x, y, dx, dy):  # type: ignore[no-untyped-def]
    """Px along a way until the hole ends; negative when the picture ends first."""
    height, width = hole.shape
    far = 0.0
    while True:
        far += STEP
        u, v = x + far * dx, y + far * dy
        if u < 0 or v < 0 or u > width - 1 or v > height - 1:
            return -1.0
        if not hole[int(v + 0.5), int(u + 0.5)]:
            return far


@njit(cache=True, nogil=True)
def _at(picture, x, y, k):  # type: ignore[no-untyped-def]
    """Bilinear; places outside repeat the border."""
    height, width = picture.shape[0], picture.shape[1]
    x, y = min(max(x, 0.0), width - 1.001), min(max(y, 0.0), height - 1.001)
    i, j = int(y), int(x)
    fy, fx = y - i, x - j
    upper = picture[i, j, k] + fx * (picture[i, j + 1, k] - picture[i, j, k])
    lower = picture[i + 1, j, k] + fx * (picture[i + 1, j + 1, k] - picture[i + 1, j, k])
    return upper + fy * (lower - upper)


@njit(cache=True, nogil=True)
def _mirrored(picture, tone, hole, x, y, dx, dy, far, k):  # type: ignore[no-untyped-def]
    """The texture as far beyond the rim as the place is within; none where that is hole again."""
    u, v = x + (2 * far + 1) * dx, y + (2 * far + 1) * dy
    height, width = hole.shape
    if u < 1 or v < 1 or u > width - 2 or v > height - 2 or hole[int(v + 0.5), int(u + 0.5)]:
        return 0.0
    iu, iv = int(u + 0.5), int(v + 0.5)
    return picture[iv, iu, k] - tone[iv, iu, k]


@njit(cache=True, nogil=True)
def _along(tonal, tone, hole, rows, cols, ways, side, made, found):  # type: ignore[no-untyped-def]
    for n in range(rows.shape[0]):
        x, y = float(cols[n]), float(rows[n])
        dx, dy = ways[n, 0], ways[n, 1]
        back, ahead = _reach(hole, x, y, -dx, -dy), _reach(hole, x, y, dx, dy)
        if back > 0:
            found[0] += 1
        if ahead > 0:
            found[1] += 1
        share = 0.0  # of what lies ahead
        if back > 0 and ahead > 0:
            share = back / (back + ahead)
            share = share * (1 + side) if side < 0 else share + (1 - share) * side
        elif ahead > 0:
            share = 1.0
        elif back < 0:
            back = 0.0
        nearer = -1.0 if share < 0.5 else 1.0
        far = back if nearer < 0 else ahead
        for k in range(made.shape[1]):
            value = 0.0
            if share < 1:
                value += (1 - share) * _at(tone, x - (back + 1) * dx, y - (back + 1) * dy, k)
            if share > 0:
                value += share * _at(tone, x + (ahead + 1) * dx, y + (ahead + 1) * dy, k)
            made[n, k] = value + _mirrored(tonal, tone, hole, x, y, nearer * dx, nearer * dy, far, k)


@njit(cache=True, nogil=True)
def _from_all(tonal, tone, hole, rows, cols, ways, made):  # type: ignore[no-untyped-def]
    """Mean of what all rays meet, by how near it is; the texture of the nearest."""
    far = np.empty(ways.shape[0])
    for n in range(rows.shape[0]):
        x, y = float(cols[n]), float(rows[n])
        total, best = 0.0, -1
        for r in range(ways.shape[0]):
            far[r] = _reach(hole, x, y, ways[r, 0], ways[r, 1])
            if far[r] > 0:
                total += 1 / far[r]
                if best < 0 or far[r] < far[best]:
                    best = r
        if best < 0:
            for k in range(made.shape[1]):
                made[n, k] = tonal[rows[n], cols[n], k]
            continue
        for k in range(made.shape[1]):
            value = 0.0
            for r in range(ways.shape[0]):
                if far[r] > 0:
                    u, v = x + (far[r] + 1) * ways[r, 0], y + (far[r] + 1) * ways[r, 1]
                    value += _at(tone, u, v, k) / far[r]
            made[n, k] = value / total + _mirrored(tonal, tone, hole, x, y, ways[best, 0], ways[best, 1], far[best], k)
