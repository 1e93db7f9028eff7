"""A 3D table on integer pictures, tetrahedral, straight to 8 bits: what every picture of a graded shot goes through.

The library's own takes five times as long for 16 to 8 bits; the tests hold this one against it.
"""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True, fastmath=True)
def show8(codes, scale, table, out):  # type: ignore[no-untyped-def]
    """``codes`` (h, w, 3) integers, ``scale``: table steps a code, ``table`` (n, n, n, 3) float32 in 8-bit steps."""
    top = table.shape[0] - 1
    half = np.float32(0.5)
    for row in range(codes.shape[0]):
        for col in range(codes.shape[1]):
            fr = np.float32(codes[row, col, 0]) * scale
            fg = np.float32(codes[row, col, 1]) * scale
            fb = np.float32(codes[row, col, 2]) * scale
            r, g, b = min(int(fr), top - 1), min(int(fg), top - 1), min(int(fb), top - 1)
            x, y, z = fr - np.float32(r), fg - np.float32(g), fb - np.float32(b)
            # the corner after the first and after the second step, in order of the fractions
            if x >= y:
                if y >= z:
                    a0, a1, a2, b0, b1, b2, h, m, s = 1, 0, 0, 1, 1, 0, x, y, z
                elif x >= z:
                    a0, a1, a2, b0, b1, b2, h, m, s = 1, 0, 0, 1, 0, 1, x, z, y
                else:
                    a0, a1, a2, b0, b1, b2, h, m, s = 0, 0, 1, 1, 0, 1, z, x, y
            elif z >= y:
                a0, a1, a2, b0, b1, b2, h, m, s = 0, 0, 1, 0, 1, 1, z, y, x
            elif z >= x:
                a0, a1, a2, b0, b1, b2, h, m, s = 0, 1, 0, 0, 1, 1, y, z, x
            else:
                a0, a1, a2, b0, b1, b2, h, m, s = 0, 1, 0, 1, 1, 0, y, x, z
            for k in range(3):
                value = (
                    (1 - h) * table[r, g, b, k]
                    + (h - m) * table[r + a0, g + a1, b + a2, k]
                    + (m - s) * table[r + b0, g + b1, b + b2, k]
                    + s * table[r + 1, g + 1, b + 1, k]
                )
                out[row, col, k] = np.uint8(value + half)
