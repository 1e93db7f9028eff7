"""Resampling with exact (unquantised) coordinates.

Coordinates are in pixels of the sampled array, the centre of its first pixel at (0, 0); places
outside repeat the border.
"""

import numpy as np
from numba import njit

from hushcore.arrays import F32
from hushcore.threads import by_rows


@njit(cache=True, nogil=True, fastmath=True)
def bilinear(picture, map_x, map_y, out):  # type: ignore[no-untyped-def]
    """Bilinear samples of a plane (h, w) at the maps (any 2-D shape) into ``out``."""
    height, width = picture.shape
    for y in range(map_x.shape[0]):
        for x in range(map_x.shape[1]):
            sx = min(max(map_x[y, x], 0.0), width - 1.0)
            sy = min(max(map_y[y, x], 0.0), height - 1.0)
            ix, iy = min(int(sx), width - 2), min(int(sy), height - 2)
            fx, fy = np.float32(sx - ix), np.float32(sy - iy)
            upper = picture[iy, ix] + fx * (picture[iy, ix + 1] - picture[iy, ix])
            lower = picture[iy + 1, ix] + fx * (picture[iy + 1, ix + 1] - picture[iy + 1, ix])
            out[y, x] = upper + fy * (lower - upper)


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _catmull_rom(t):  # type: ignore[no-untyped-def]
    # Catmull & Rom 1974, tension 1/2 (the cubic convolution of Keys 1981 with a = -1/2)
    a = ((-0.5 * t + 1.0) * t - 0.5) * t
    b = (1.5 * t - 2.5) * t * t + 1.0
    c = ((-1.5 * t + 2.0) * t + 0.5) * t
    d = (0.5 * t - 0.5) * t * t
    return a, b, c, d


@njit(cache=True, nogil=True, fastmath=True)
def catmull_rom(picture, map_x, map_y, out):  # type: ignore[no-untyped-def]
    """Catmull-Rom samples of a plane (h, w) at the maps into ``out``."""
    height, width = picture.shape
    for y in range(map_x.shape[0]):
        for x in range(map_x.shape[1]):
            sx = min(max(map_x[y, x], 1.0), width - 3.001)
            sy = min(max(map_y[y, x], 1.0), height - 3.001)
            ix, iy = int(sx), int(sy)
            x0, x1, x2, x3 = _catmull_rom(np.float32(sx - ix))
            y0, y1, y2, y3 = _catmull_rom(np.float32(sy - iy))
            r0, r1, r2, r3 = picture[iy - 1], picture[iy], picture[iy + 1], picture[iy + 2]
            s0 = x0 * r0[ix - 1] + x1 * r0[ix] + x2 * r0[ix + 1] + x3 * r0[ix + 2]
            s1 = x0 * r1[ix - 1] + x1 * r1[ix] + x2 * r1[ix + 1] + x3 * r1[ix + 2]
            s2 = x0 * r2[ix - 1] + x1 * r2[ix] + x2 * r2[ix + 1] + x3 * r2[ix + 2]
            s3 = x0 * r3[ix - 1] + x1 * r3[ix] + x2 * r3[ix + 1] + x3 * r3[ix + 2]
            out[y, x] = y0 * s0 + y1 * s1 + y2 * s2 + y3 * s3


# Recursive prefilter of the cubic B-spline (Unser, Aldroubi & Eden 1993): pole sqrt(3) - 2
_POLE = np.float32(np.sqrt(3.0) - 2.0)
_GAIN = np.float32(6.0)
_HORIZON = 14  # the pole to this power is below float32 resolution


@njit(cache=True, nogil=True, inline="always")
def _mirrored(k, count):  # type: ignore[no-untyped-def]
    k = k % (2 * count - 2)
    return k if k < count else 2 * count - 2 - k


@njit(cache=True, nogil=True, fastmath=True)
def _prefilter_lines(data):  # type: ignore[no-untyped-def]
    """In-place prefilter along the first axis of (n, m), mirrored at both ends."""
    count, lanes = data.shape
    if count < 2:
        return
    first = np.zeros(lanes, np.float32)
    weight = np.float32(1.0)
    for k in range(_HORIZON):
        at = _mirrored(k, count)
        for j in range(lanes):
            first[j] += weight * data[at, j]
        weight *= _POLE
    for j in range(lanes):
        data[0, j] = first[j]
    for i in range(1, count):
        for j in range(lanes):
            data[i, j] += _POLE * data[i - 1, j]
    end = _POLE / (_POLE * _POLE - np.float32(1.0))
    for j in range(lanes):
        data[count - 1, j] = end * (data[count - 1, j] + _POLE * data[count - 2, j])
    for i in range(count - 2, -1, -1):
        for j in range(lanes):
            data[i, j] = _POLE * (data[i + 1, j] - data[i, j])
    for i in range(count):
        for j in range(lanes):
            data[i, j] *= _GAIN


@njit(cache=True, nogil=True, fastmath=True)
def _prefilter_rows(data):  # type: ignore[no-untyped-def]
    """In-place prefilter of a picture (h, w, 3) along its second axis, mirrored at both ends."""
    height, width, _ = data.shape
    if width < 2:
        return
    end = _POLE / (_POLE * _POLE - np.float32(1.0))
    for y in range(height):
        row = data[y]
        r, g, b, weight = np.float32(0), np.float32(0), np.float32(0), np.float32(1)
        for k in range(_HORIZON):
            x = _mirrored(k, width)
            r, g, b = r + weight * row[x, 0], g + weight * row[x, 1], b + weight * row[x, 2]
            weight *= _POLE
        row[0, 0], row[0, 1], row[0, 2] = r, g, b
        for x in range(1, width):
            r, g, b = row[x, 0] + _POLE * r, row[x, 1] + _POLE * g, row[x, 2] + _POLE * b
            row[x, 0], row[x, 1], row[x, 2] = r, g, b
        r = end * (r + _POLE * row[width - 2, 0])
        g = end * (g + _POLE * row[width - 2, 1])
        b = end * (b + _POLE * row[width - 2, 2])
        row[width - 1, 0], row[width - 1, 1], row[width - 1, 2] = _GAIN * r, _GAIN * g, _GAIN * b
        for x in range(width - 2, -1, -1):
            r, g, b = _POLE * (r - row[x, 0]), _POLE * (g - row[x, 1]), _POLE * (b - row[x, 2])
            row[x, 0], row[x, 1], row[x, 2] = _GAIN * r, _GAIN * g, _GAIN * b


def spline_coefficients(picture: F32) -> F32:
    """Cubic B-spline coefficients of a picture (h, w, 3): sampling them interpolates the picture.

    Source: Unser, Aldroubi & Eden 1993; mirrored borders, as ``scipy.ndimage.spline_filter``
    with ``mode="mirror"``.
    """
    out = np.array(picture, np.float32, order="C")
    _prefilter_lines(out.reshape(out.shape[0], -1))
    _prefilter_rows(out)
    return out


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def cubic_weights(t):  # type: ignore[no-untyped-def]
    """The four uniform cubic B-spline weights at fraction ``t``."""
    s = 1.0 - t
    return (
        s * s * s / 6.0,
        (4.0 + t * t * (3.0 * t - 6.0)) / 6.0,
        (4.0 + s * s * (3.0 * s - 6.0)) / 6.0,
        t * t * t / 6.0,
    )


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _weights32(t):  # type: ignore[no-untyped-def]
    s = np.float32(1.0) - t
    sixth, four, three, six = np.float32(1.0 / 6.0), np.float32(4.0), np.float32(3.0), np.float32(6.0)
    return (
        s * s * s * sixth,
        (four + t * t * (three * t - six)) * sixth,
        (four + s * s * (three * s - six)) * sixth,
        t * t * t * sixth,
    )


@njit(cache=True, nogil=True, fastmath=True)
def cubic_spline(coefficients, map_x, map_y, out):  # type: ignore[no-untyped-def]
    """Sample B-spline ``coefficients`` (h, w, 3) at the maps into ``out`` (rows, cols, 3)."""
    height, width, _ = coefficients.shape
    flat = coefficients.reshape(height, width * 3)
    for y in range(map_x.shape[0]):
        for x in range(map_x.shape[1]):
            sx = min(max(map_x[y, x], np.float32(1.0)), np.float32(width - 2.001))
            sy = min(max(map_y[y, x], np.float32(1.0)), np.float32(height - 2.001))
            ix, iy = int(sx), int(sy)
            x0, x1, x2, x3 = _weights32(np.float32(sx - ix))
            y0, y1, y2, y3 = _weights32(np.float32(sy - iy))
            k = 3 * (ix - 1)
            r, g, b = np.float32(0), np.float32(0), np.float32(0)
            for j in range(4):
                row = flat[iy + j - 1]
                w = y0 if j == 0 else y1 if j == 1 else y2 if j == 2 else y3
                r += w * (x0 * row[k] + x1 * row[k + 3] + x2 * row[k + 6] + x3 * row[k + 9])
                g += w * (x0 * row[k + 1] + x1 * row[k + 4] + x2 * row[k + 7] + x3 * row[k + 10])
                b += w * (x0 * row[k + 2] + x1 * row[k + 5] + x2 * row[k + 8] + x3 * row[k + 11])
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b


def sampled(picture: F32, map_x: F32, map_y: F32) -> F32:
    """A picture (h, w, 3) by cubic B-spline at the maps (rows, cols): (rows, cols, 3)."""
    coefficients = spline_coefficients(picture)
    out = np.empty((*map_x.shape, 3), np.float32)
    by_rows(lambda a, b: cubic_spline(coefficients, map_x[a:b], map_y[a:b], out[a:b]), len(out))
    return out


LONGEST_BLUR = 64.0  # px; longer smears carry nothing


@njit(cache=True, nogil=True, fastmath=True)
def motion_blur(still, across, down, out):  # type: ignore[no-untyped-def]
    """Box blur of ``still`` (h, w) along the per-pixel vector (``across``, ``down``) of its full length in px."""
    height, width = still.shape
    for y in range(height):
        for x in range(width):
            vx, vy = across[y, x], down[y, x]
            length = np.sqrt(vx * vx + vy * vy)
            if length < 1:
                out[y, x] = still[y, x]
                continue
            if length > LONGEST_BLUR:
                vx, vy = vx * LONGEST_BLUR / length, vy * LONGEST_BLUR / length
                length = LONGEST_BLUR
            taps = int(np.ceil(length)) + 1
            total = np.float32(0)
            for k in range(taps):
                t = (k + 0.5) / taps - 0.5
                sx = min(max(x + t * vx, 0.0), width - 1.001)
                sy = min(max(y + t * vy, 0.0), height - 1.001)
                ix, iy = int(sx), int(sy)
                fx, fy = np.float32(sx - ix), np.float32(sy - iy)
                upper = still[iy, ix] + fx * (still[iy, ix + 1] - still[iy, ix])
                lower = still[iy + 1, ix] + fx * (still[iy + 1, ix + 1] - still[iy + 1, ix])
                total += upper + fy * (lower - upper)
            out[y, x] = total / taps


@njit(cache=True, nogil=True, fastmath=True)
def _motion_blur_rows(picture, across, down, out, first, last):  # type: ignore[no-untyped-def]
    height, width, _ = picture.shape
    for y in range(first, last):
        for x in range(width):
            vx, vy = across[y, x], down[y, x]
            length = np.sqrt(vx * vx + vy * vy)
            if length < np.float32(1):
                for k in range(3):
                    out[y, x, k] = picture[y, x, k]
                continue
            if length > np.float32(LONGEST_BLUR):
                shorter = np.float32(LONGEST_BLUR) / length
                vx, vy = vx * shorter, vy * shorter
                length = np.float32(LONGEST_BLUR)
            taps = int(np.ceil(length)) + 1
            share = np.float32(1.0) / np.float32(taps)
            r, g, b = np.float32(0), np.float32(0), np.float32(0)
            for n in range(taps):
                t = (np.float32(n) + np.float32(0.5)) * share - np.float32(0.5)
                sx = min(max(np.float32(x) + t * vx, np.float32(0)), np.float32(width - 1.001))
                sy = min(max(np.float32(y) + t * vy, np.float32(0)), np.float32(height - 1.001))
                ix, iy = int(sx), int(sy)
                fx, fy = np.float32(sx - ix), np.float32(sy - iy)
                gx, gy = np.float32(1) - fx, np.float32(1) - fy
                w00, w01, w10, w11 = gx * gy, fx * gy, gx * fy, fx * fy
                upper, lower = picture[iy], picture[iy + 1]
                r += w00 * upper[ix, 0] + w01 * upper[ix + 1, 0] + w10 * lower[ix, 0] + w11 * lower[ix + 1, 0]
                g += w00 * upper[ix, 1] + w01 * upper[ix + 1, 1] + w10 * lower[ix, 1] + w11 * lower[ix + 1, 1]
                b += w00 * upper[ix, 2] + w01 * upper[ix + 1, 2] + w10 * lower[ix, 2] + w11 * lower[ix + 1, 2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r * share, g * share, b * share


def motion_blur_colour(picture: F32, across: F32, down: F32) -> F32:
    """``motion_blur`` of a picture (h, w, 3): the taps' places are worked out once for all channels."""
    picture = np.ascontiguousarray(picture, np.float32)
    out = np.empty_like(picture)
    by_rows(lambda a, b: _motion_blur_rows(picture, across, down, out, a, b), len(out))
    return out
