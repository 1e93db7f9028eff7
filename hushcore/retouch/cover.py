"""How far a brush stroke covers each place."""

import numpy as np
from numba import njit

from hushcore.arrays import F32, F64

SMALLEST_SHARE = 0.15  # of the radius (or the opacity) at no pressure


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _fall(d, reach, hardness):  # type: ignore[no-untyped-def]
    core = reach * hardness
    # a fall of at least a pixel, so that a hard brush has no stairs
    fall = max(reach - core, 1.0)
    v = min(1.0, max(0.0, (core + fall - d) / fall))
    return v * v * (3 - 2 * v)


@njit(cache=True, nogil=True, fastmath=True)
def swept(points, radius, hardness, size_least, strength_least, left, top, out):  # type: ignore[no-untyped-def]
    """Coverage by the nearest point of the path (n, 3: x, y, pressure); pressure scales size and strength."""
    count = points.shape[0]
    for k in range(max(1, count - 1)):
        ax, ay, ap = points[k, 0], points[k, 1], points[k, 2]
        b = min(k + 1, count - 1)
        ex, ey, ep = points[b, 0] - ax, points[b, 1] - ay, points[b, 2] - ap
        size = ex * ex + ey * ey
        x0, x1 = int(np.floor(min(ax, ax + ex) - radius - left)), int(np.ceil(max(ax, ax + ex) + radius - left))
        y0, y1 = int(np.floor(min(ay, ay + ey) - radius - top)), int(np.ceil(max(ay, ay + ey) + radius - top))
        for row in range(max(0, y0), min(out.shape[0], y1 + 1)):
            for col in range(max(0, x0), min(out.shape[1], x1 + 1)):
                px, py = left + col - ax, top + row - ay
                t = min(1.0, max(0.0, (px * ex + py * ey) / size)) if size > 0 else 0.0
                dx, dy = px - t * ex, py - t * ey
                pressure = ap + t * ep
                reach = radius * (size_least + (1 - size_least) * pressure)
                v = _fall(np.sqrt(dx * dx + dy * dy), reach, hardness)
                v *= strength_least + (1 - strength_least) * pressure
                if v > out[row, col]:
                    out[row, col] = v


@njit(cache=True, nogil=True, fastmath=True)
def dabbed(points, radius, hardness, flow, spacing, size_least, strength_least, left, top, out):  # type: ignore[no-untyped-def]
    """Coverage that builds up from dabs along the path, ``spacing`` radii apart, each laying ``flow`` of what is left."""
    count = points.shape[0]
    ahead = 0.0
    for k in range(max(1, count - 1)):
        b = min(k + 1, count - 1)
        ax, ay, ap = points[k, 0], points[k, 1], points[k, 2]
        ex, ey, ep = points[b, 0] - ax, points[b, 1] - ay, points[b, 2] - ap
        length = np.sqrt(ex * ex + ey * ey)
        at = ahead
        while at <= length:
            t = at / length if length > 0 else 0.0
            x, y, pressure = ax + t * ex, ay + t * ey, ap + t * ep
            reach = radius * (size_least + (1 - size_least) * pressure)
            strength = flow * (strength_least + (1 - strength_least) * pressure)
            for row in range(
                max(0, int(np.floor(y - reach - top))), min(out.shape[0], int(np.ceil(y + reach - top)) + 1)
            ):
                for col in range(
                    max(0, int(np.floor(x - reach - left))), min(out.shape[1], int(np.ceil(x + reach - left)) + 1)
                ):
                    dx, dy = left + col - x, top + row - y
                    v = strength * _fall(np.sqrt(dx * dx + dy * dy), reach, hardness)
                    out[row, col] += v * (1 - out[row, col])
            at += max(spacing * reach, 0.5)
        ahead = at - length


def covered(
    points: F64, radius: float, hardness: float, flow: float, spacing: float, pressure: str, corner: tuple[int, int],
    shape: tuple[int, int],
) -> F32:  # fmt: skip
    """Coverage 0..1 (h, w) with its first pixel at ``corner``. At full flow a stroke does not build up on itself and
    does not depend on how densely the pointer was sampled. ``pressure``: what it drives: size, opacity, both, none."""
    out = np.zeros(shape, np.float32)
    points = np.ascontiguousarray(points, np.float64)
    size = SMALLEST_SHARE if pressure in ("size", "both") else 1.0
    strength = SMALLEST_SHARE if pressure in ("opacity", "both") else 1.0
    left, top = float(corner[0]), float(corner[1])
    if flow >= 1:
        swept(points, float(radius), float(hardness), size, strength, left, top, out)
    else:
        dabbed(points, float(radius), float(hardness), float(flow), float(spacing), size, strength, left, top, out)
    return out
