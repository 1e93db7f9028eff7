"""The inner loop from planes to RGB; apart because its compiler is slow to load and sequences do not need it."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True, fastmath=True)
def to_rgb(y, u, v, sub_x, sub_y, left, top, m, y0, ys, c0, cs, out):  # type: ignore[no-untyped-def]
    height, width = y.shape
    rows, cols = u.shape
    off_x = 0.0 if left else 0.25
    off_y = 0.0 if top else 0.25
    for row in range(height):
        fy = row * 0.5 - off_y if sub_y else float(row)
        fy = min(max(fy, 0.0), rows - 1.0)
        r0 = int(fy)
        r1 = min(r0 + 1, rows - 1)
        wy = np.float32(fy - r0)
        for col in range(width):
            fx = col * 0.5 - off_x if sub_x else float(col)
            fx = min(max(fx, 0.0), cols - 1.0)
            q0 = int(fx)
            q1 = min(q0 + 1, cols - 1)
            wx = np.float32(fx - q0)
            a, b, c, d = (1 - wy) * (1 - wx), (1 - wy) * wx, wy * (1 - wx), wy * wx
            cb = (a * u[r0, q0] + b * u[r0, q1] + c * u[r1, q0] + d * u[r1, q1] - c0) * cs
            cr = (a * v[r0, q0] + b * v[r0, q1] + c * v[r1, q0] + d * v[r1, q1] - c0) * cs
            luma = (y[row, col] - y0) * ys
            for k in range(3):
                value = luma + m[k, 1] * cb + m[k, 2] * cr
                out[row, col, k] = np.uint16(
                    min(max(value, np.float32(0)), np.float32(1)) * np.float32(65535) + np.float32(0.5)
                )
