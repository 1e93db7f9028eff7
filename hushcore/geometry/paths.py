"""Closed paths: cubic Bezier outlines, their polygons, and distances to them."""

from collections.abc import Sequence

import numpy as np
from numba import njit

from hushcore.arrays import F32, F64, Rect
from hushcore.errors import HushError


def flatten(points: F64, into: F64, out: F64, tolerance: float = 0.05) -> F64:
    """Polygon (m, 2) of a closed path within ``tolerance`` px.

    ``points`` (n, 2) are the corners; ``into`` and ``out`` (n, 2) the handles before and after each,
    relative to it (zero for a corner without curve). Segment i runs from point i to point i + 1.
    """
    parts = []
    for index in range(len(points)):
        after = (index + 1) % len(points)
        a, d = points[index], points[after]
        parts.append(_segment(np.stack([a, a + out[index], d + into[after], d]), tolerance))
    return np.concatenate(parts)


def pieces_of(points: F64, into: F64, out: F64, tolerance: float = 0.05) -> list[int]:
    """How many straight pieces ``flatten`` makes of each segment."""
    parts = []
    for index in range(len(points)):
        after = (index + 1) % len(points)
        a, d = points[index], points[after]
        parts.append(_pieces(np.stack([a, a + out[index], d + into[after], d]), tolerance))
    return parts


def _pieces(controls: F64, tolerance: float) -> int:
    bend = np.abs(np.diff(controls, 2, axis=0)).max()
    # a cubic split n times differs from its chords by at most 3/4 bend / n^2
    return max(1, int(np.ceil(np.sqrt(0.75 * bend / tolerance))))


def _segment(controls: F64, tolerance: float) -> F64:
    """Points of one cubic from its start up to but not including its end."""
    pieces = _pieces(controls, tolerance)
    t = (np.arange(pieces) / pieces)[:, None]
    a, b, c, d = controls
    s = 1 - t
    return np.asarray(s**3 * a + 3 * s * s * t * b + 3 * s * t * t * c + t**3 * d)


def area(polygon: F64) -> float:
    """Unsigned area in square px (shoelace formula)."""
    x, y = polygon[:, 0], polygon[:, 1]
    return float(abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2)


def check_polygon(points: Sequence[Sequence[float]], what: str) -> F64:
    """A polygon as an array, or a HushError that says what is wrong with it."""
    polygon = np.asarray(points, float)
    if polygon.ndim != 2 or polygon.shape[0] < 3 or polygon.shape[1] != 2:
        raise HushError(f"{what} needs at least three points; draw it as a closed shape.", "bad-path")
    if not np.isfinite(polygon).all():
        raise HushError(f"{what} has a point that is not a number.", "bad-path")
    if area(polygon) < 1.0:
        raise HushError(f"{what} has no area; draw it around something.", "no-area")
    return polygon


@njit(cache=True, nogil=True, fastmath=True)
def _distance(polygon, left, top, out):  # type: ignore[no-untyped-def]
    count = polygon.shape[0]
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            px, py = left + col, top + row
            best = 1e18
            inside = False
            jx, jy = polygon[count - 1, 0], polygon[count - 1, 1]
            for k in range(count):
                ix, iy = polygon[k, 0], polygon[k, 1]
                ex, ey = ix - jx, iy - jy
                size = ex * ex + ey * ey
                t = 0.0
                if size > 0:
                    t = min(1.0, max(0.0, ((px - jx) * ex + (py - jy) * ey) / size))
                dx, dy = px - jx - t * ex, py - jy - t * ey
                best = min(best, dx * dx + dy * dy)
                if (iy > py) != (jy > py) and px < (jx - ix) * (py - iy) / (jy - iy) + ix:
                    inside = not inside
                jx, jy = ix, iy
            out[row, col] = np.sqrt(best) if inside else -np.sqrt(best)


def signed_distance(polygon: F64, rect: Rect) -> F32:
    """Exact distance in px from every pixel of ``rect`` to the outline; positive inside."""
    out = np.empty((rect.height, rect.width), np.float32)
    _distance(np.ascontiguousarray(polygon, np.float64), float(rect.left), float(rect.top), out)
    return out
