"""The inner loop from planes to RGB; apart because its compiler is slow to load and sequences do not need it."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True, fastmath=True)
def _widened(row, width, sub_x, left, out):  # type: ignore[no-untyped-def]
    """A chroma row at luma's width: on the first of two samples (``left``) or between them."""
    if not sub_x:
        for col in range(width):
            out[col] = row[col]
        return
    last = row.shape[0] - 1
    quarter, three = np.float32(0.25), np.float32(0.75)
    half = np.float32(0.5)
    for k in range(row.shape[0]):
        here, after = row[k], row[min(k + 1, last)]
        before = row[max(k - 1, 0)]
        at = 2 * k
        if at < width:
            out[at] = here if left else three * here + quarter * before
        if at + 1 < width:
            out[at + 1] = half * (here + after) if left else three * here + quarter * after


@njit(cache=True, nogil=True, fastmath=True)
def to_rgb(y, u, v, sub_x, sub_y, left, top, m, y0, ys, c0, cs, out):  # type: ignore[no-untyped-def]
    """Row by row: chroma brought to the row's height, then to its width, then the matrix; 16 bits, clipped."""
    height, width = y.shape
    rows, cols = u.shape
    full = np.float32(65535)
    half = np.float32(0.5)
    cb, cr = np.empty(cols, np.float32), np.empty(cols, np.float32)
    wide_b, wide_r = np.empty(width, np.float32), np.empty(width, np.float32)
    rv, gu, gv, bu = m[0, 2] * cs * full, m[1, 1] * cs * full, m[1, 2] * cs * full, m[2, 1] * cs * full
    scale = ys * full
    for row in range(height):
        fy = np.float32(row)
        if sub_y:
            fy = np.float32(row) * half - (np.float32(0) if top else np.float32(0.25))
        fy = min(max(fy, np.float32(0)), np.float32(rows - 1))
        r0 = int(fy)
        r1 = min(r0 + 1, rows - 1)
        w = fy - np.float32(r0)
        for col in range(cols):
            cb[col] = np.float32(u[r0, col]) + w * (np.float32(u[r1, col]) - np.float32(u[r0, col])) - c0
            cr[col] = np.float32(v[r0, col]) + w * (np.float32(v[r1, col]) - np.float32(v[r0, col])) - c0
        _widened(cb, width, sub_x, left, wide_b)
        _widened(cr, width, sub_x, left, wide_r)
        for col in range(width):
            luma = (np.float32(y[row, col]) - y0) * scale + half
            b, r = wide_b[col], wide_r[col]
            out[row, col, 0] = np.uint16(min(max(luma + rv * r, np.float32(0)), full))
            out[row, col, 1] = np.uint16(min(max(luma + gu * b + gv * r, np.float32(0)), full))
            out[row, col, 2] = np.uint16(min(max(luma + bu * b, np.float32(0)), full))
