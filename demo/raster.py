"""A small z-buffered triangle renderer for grid meshes (perspective, per-pixel attributes).

Camera: at the origin, looking along +z, x right, y down, focal length in pixels; the centre of
the top-left pixel is (0, 0).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

WIDTH, HEIGHT = 1280, 720
FOCAL = 1500.0
NOTHING = 1e9
CENTRE_X, CENTRE_Y = (WIDTH - 1) / 2, (HEIGHT - 1) / 2


def project(points: F64) -> F64:
    """Camera points (..., 3) in cm to pixels (..., 2)."""
    depth = points[..., 2]
    return np.stack([FOCAL * points[..., 0] / depth + CENTRE_X, FOCAL * points[..., 1] / depth + CENTRE_Y], -1)


def empty_buffers(attributes: int, size: tuple[int, int] = (WIDTH, HEIGHT)) -> tuple[F32, F32]:
    """A depth buffer (NOTHING where empty) and a buffer of per-pixel attributes, of a frame of ``size`` (width, height)."""
    width, height = size
    depth = np.full((height, width), NOTHING, np.float32)
    return depth, np.zeros((height, width, attributes), np.float32)


def draw_grid(points: F64, values: F32, jitter: tuple[float, float], depth: F32, out: F32) -> None:
    """Draw a grid mesh: ``points`` (rows, cols, 3) in cm, ``values`` (rows, cols, n) per vertex."""
    draw_at(project(points) + np.asarray(jitter), points[..., 2], values, depth, out)


def draw_at(pixels: F64 | F32, depths: F64 | F32, values: F32, depth: F32, out: F32) -> None:
    """Draw a grid mesh whose vertices are projected already: ``pixels`` (rows, cols, 2), ``depths`` (rows, cols)."""
    _draw(*(np.ascontiguousarray(side, np.float32) for side in (pixels, depths, values)), depth, out)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _draw(pixels, zs, values, depth, out):  # type: ignore[no-untyped-def]
    rows, cols = zs.shape
    for row in range(rows - 1):
        for col in range(cols - 1):
            _triangle(pixels, zs, values, depth, out, row, col, row, col + 1, row + 1, col)
            _triangle(pixels, zs, values, depth, out, row + 1, col + 1, row + 1, col, row, col + 1)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _triangle(pixels, zs, values, depth, out, ra, ca, rb, cb, rc, cc):  # type: ignore[no-untyped-def]
    ax, ay = pixels[ra, ca, 0], pixels[ra, ca, 1]
    bx, by = pixels[rb, cb, 0], pixels[rb, cb, 1]
    cx, cy = pixels[rc, cc, 0], pixels[rc, cc, 1]
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if abs(area) < 1e-9:
        return
    height, width = depth.shape
    left = max(0, int(np.ceil(min(ax, bx, cx))))
    right = min(width - 1, int(np.floor(max(ax, bx, cx))))
    top = max(0, int(np.ceil(min(ay, by, cy))))
    bottom = min(height - 1, int(np.floor(max(ay, by, cy))))
    for y in range(top, bottom + 1):
        for x in range(left, right + 1):
            wa = ((bx - x) * (cy - y) - (by - y) * (cx - x)) / area
            wb = ((cx - x) * (ay - y) - (cy - y) * (ax - x)) / area
            wc = 1 - wa - wb
            if wa < 0 or wb < 0 or wc < 0:
                continue
            z = wa * zs[ra, ca] + wb * zs[rb, cb] + wc * zs[rc, cc]
            if z >= depth[y, x]:
                continue
            depth[y, x] = z
            for k in range(out.shape[2]):
                out[y, x, k] = wa * values[ra, ca, k] + wb * values[rb, cb, k] + wc * values[rc, cc, k]
