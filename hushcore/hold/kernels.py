"""The inner loops of direct registration (see ``mesh`` and ``planar`` for the method)."""

import numpy as np
from numba import njit

BLOCK_TERMS = 9  # xx xy yy of J J', xx xy yy of sym(grad T grad n'), J r (x, y), weight
SHEET_WIDEST = 16.0  # times as large as on the anchor frame: no surface grows so much, a map that has broken down does


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def block_sums(still, warped, weight, scale, size, out):  # type: ignore[no-untyped-def]
    """Sums of the Gauss-Newton terms in blocks of ``size`` px of ``still`` (h, w).

    ``weight`` (h, w): reading weight; ``scale``: robust sigma of the residual. ``out``
    (rows, cols, BLOCK_TERMS). Gradients are central differences in still pixels; J is the mean of both
    pictures' gradients; the robust weight is (1 + (r / 2.5 s)^2)^-2 (Geman & McClure).
    """
    height, width = still.shape
    rows, cols = out.shape[:2]
    inverse = np.float32(1.0 / (6.25 * scale * scale))
    for row in range(rows):
        for col in range(cols):
            xx = np.float32(0)
            xy = np.float32(0)
            yy = np.float32(0)
            mx = np.float32(0)
            mxy = np.float32(0)
            my = np.float32(0)
            bx = np.float32(0)
            by = np.float32(0)
            total = np.float32(0)
            for y in range(max(1, row * size), min(height - 1, row * size + size)):
                for x in range(max(1, col * size), min(width - 1, col * size + size)):
                    w = weight[y, x]
                    if w <= 0:
                        continue
                    r = still[y, x] - warped[y, x]
                    robust = np.float32(1.0) / (np.float32(1.0) + r * r * inverse)
                    w *= robust * robust
                    tx = np.float32(0.5) * (still[y, x + 1] - still[y, x - 1])
                    ty = np.float32(0.5) * (still[y + 1, x] - still[y - 1, x])
                    nx = np.float32(0.5) * (warped[y, x + 1] - warped[y, x - 1])
                    ny = np.float32(0.5) * (warped[y + 1, x] - warped[y - 1, x])
                    jx = np.float32(0.5) * (tx + nx)
                    jy = np.float32(0.5) * (ty + ny)
                    xx += w * jx * jx
                    xy += w * jx * jy
                    yy += w * jy * jy
                    mx += w * tx * nx
                    my += w * ty * ny
                    mxy += w * np.float32(0.5) * (tx * ny + ty * nx)
                    bx += w * jx * r
                    by += w * jy * r
                    total += w
            out[row, col, 0] = xx
            out[row, col, 1] = xy
            out[row, col, 2] = yy
            out[row, col, 3] = mx
            out[row, col, 4] = mxy
            out[row, col, 5] = my
            out[row, col, 6] = bx
            out[row, col, 7] = by
            out[row, col, 8] = total


@njit(cache=True, nogil=True, fastmath=True)
def correlation_sums(still, warped, weight, size, out):  # type: ignore[no-untyped-def]
    """Per block: n, sum T, sum N, sum T^2, sum N^2, sum T N over readable pixels; ``out`` (rows, cols, 6)."""
    height, width = still.shape
    rows, cols = out.shape[:2]
    for row in range(rows):
        for col in range(cols):
            n = np.float32(0)
            t1 = np.float32(0)
            n1 = np.float32(0)
            t2 = np.float32(0)
            n2 = np.float32(0)
            tn = np.float32(0)
            for y in range(row * size, min(height, row * size + size)):
                for x in range(col * size, min(width, col * size + size)):
                    if weight[y, x] <= 0:
                        continue
                    a, b = still[y, x], warped[y, x]
                    n += 1
                    t1 += a
                    n1 += b
                    t2 += a * a
                    n2 += b * b
                    tn += a * b
            out[row, col, 0] = n
            out[row, col, 1] = t1
            out[row, col, 2] = n1
            out[row, col, 3] = t2
            out[row, col, 4] = n2
            out[row, col, 5] = tn


@njit(cache=True, nogil=True, fastmath=True)
def scatter(hessians, forces, in_x, in_y, first_x, first_y, across, band, rhs):  # type: ignore[no-untyped-def]
    """Add every block's 2x2 Hessian and force to the banded normal equations of the control points.

    ``in_x`` (cols, 4), ``in_y`` (rows, 4): basis weights at the block centres, beginning at control
    column ``first_x`` and row ``first_y``; ``across``: control points a row; ``band``: lower banded
    (bandwidth, unknowns); unknown 2 k + c is component c of control point k.
    """
    rows, cols = hessians.shape[:2]
    for row in range(rows):
        for col in range(cols):
            a, b, d = hessians[row, col, 0], hessians[row, col, 1], hessians[row, col, 2]
            if a + d <= 0:
                continue
            fx, fy = forces[row, col, 0], forces[row, col, 1]
            for j in range(4):
                for i in range(4):
                    w = in_y[row, j] * in_x[col, i]
                    k = (first_y[row] + j) * across + first_x[col] + i
                    rhs[2 * k] += w * fx
                    rhs[2 * k + 1] += w * fy
                    for jj in range(j + 1):
                        last = i + 1 if jj == j else 4
                        for ii in range(last):
                            q = w * in_y[row, jj] * in_x[col, ii]
                            m = (first_y[row] + jj) * across + first_x[col] + ii
                            # k >= m: rows of k, columns of m in the lower triangle
                            band[2 * (k - m), 2 * m] += q * a
                            band[2 * (k - m) + 1, 2 * m] += q * b
                            band[2 * (k - m), 2 * m + 1] += q * d
                            if k > m:
                                band[2 * (k - m) - 1, 2 * m + 1] += q * b


@njit(cache=True, nogil=True, fastmath=True)
def search_shift(still, weight, view, map_x, map_y, reach, out):  # type: ignore[no-untyped-def]
    """Weighted normalised correlation of ``still`` with the view at the map plus whole-pixel shifts.

    ``out`` (2 reach + 1, 2 reach + 1) [dy, dx].
    """
    height, width = view.shape
    for dy in range(-reach, reach + 1):
        for dx in range(-reach, reach + 1):
            n, t1, n1, t2, n2, tn = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for y in range(still.shape[0]):
                for x in range(still.shape[1]):
                    w = weight[y, x]
                    if w <= 0:
                        continue
                    sx, sy = map_x[y, x] + dx, map_y[y, x] + dy
                    if sx < 0 or sy < 0 or sx >= width - 1 or sy >= height - 1:
                        continue
                    ix, iy = int(sx), int(sy)
                    fx, fy = sx - ix, sy - iy
                    upper = view[iy, ix] + fx * (view[iy, ix + 1] - view[iy, ix])
                    lower = view[iy + 1, ix] + fx * (view[iy + 1, ix + 1] - view[iy + 1, ix])
                    b = upper + fy * (lower - upper)
                    a = still[y, x]
                    n += w
                    t1 += w * a
                    n1 += w * b
                    t2 += w * a * a
                    n2 += w * b * b
                    tn += w * a * b
            out[dy + reach, dx + reach] = -1.0
            if n > 8:
                va, vb = t2 - t1 * t1 / n, n2 - n1 * n1 / n
                if va > 1e-9 and vb > 1e-9:
                    out[dy + reach, dx + reach] = (tn - t1 * n1 / n) / np.sqrt(va * vb)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def planar_sums(still, warped, weight, scale, to_x, to_y, mixed, hessian, force):  # type: ignore[no-untyped-def]
    """Gauss-Newton sums of an 8-parameter compositional update on one level.

    ``to_x``, ``to_y``: scaled coordinates (about -1..1) of the columns and rows; the update is
    x -> x + p0 + p1 x + p2 y + p6 x^2 + p7 x y, y -> y + p3 + p4 x + p5 y + p6 x y + p7 y^2 (Baker &
    Matthews 2004, the linearised homography), in still pixels.
    """
    height, width = still.shape
    inverse = np.float32(1.0 / (6.25 * scale * scale))
    jac = np.zeros(8, np.float64)
    other = np.zeros(8, np.float64)
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            w = weight[y, x]
            if w <= 0:
                continue
            r = still[y, x] - warped[y, x]
            robust = 1.0 / (1.0 + r * r * inverse)
            w = w * robust * robust
            tx = 0.5 * (still[y, x + 1] - still[y, x - 1])
            ty = 0.5 * (still[y + 1, x] - still[y - 1, x])
            nx = 0.5 * (warped[y, x + 1] - warped[y, x - 1])
            ny = 0.5 * (warped[y + 1, x] - warped[y - 1, x])
            u, v = to_x[x], to_y[y]
            _row(0.5 * (tx + nx), 0.5 * (ty + ny), u, v, jac)
            for i in range(8):
                force[i] += w * jac[i] * r
            if mixed:
                _row(tx, ty, u, v, jac)
                _row(nx, ny, u, v, other)
                for i in range(8):
                    for j in range(i + 1):
                        hessian[i, j] += w * 0.5 * (jac[i] * other[j] + jac[j] * other[i])
            else:
                for i in range(8):
                    for j in range(i + 1):
                        hessian[i, j] += w * jac[i] * jac[j]


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def homography_grid(matrix, xs, ys, out_x, out_y):  # type: ignore[no-untyped-def]
    """Where a homography (3, 3) takes the outer product of ``xs`` and ``ys``; ``out_x``, ``out_y`` (rows, cols)."""
    for j in range(len(ys)):
        a = matrix[0, 1] * ys[j] + matrix[0, 2]
        b = matrix[1, 1] * ys[j] + matrix[1, 2]
        c = matrix[2, 1] * ys[j] + matrix[2, 2]
        for i in range(len(xs)):
            w = 1.0 / (matrix[2, 0] * xs[i] + c)
            out_x[j, i] = (matrix[0, 0] * xs[i] + a) * w
            out_y[j, i] = (matrix[1, 0] * xs[i] + b) * w


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _row(gx, gy, u, v, out):  # type: ignore[no-untyped-def]
    out[0] = gx
    out[1] = gx * u
    out[2] = gx * v
    out[3] = gy
    out[4] = gy * u
    out[5] = gy * v
    out[6] = gx * u * u + gy * u * v
    out[7] = gx * u * v + gy * v * v


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _cubic(t, value, slope):  # type: ignore[no-untyped-def]
    s = 1.0 - t
    value[0], value[1] = s * s * s / 6.0, (4.0 + t * t * (3.0 * t - 6.0)) / 6.0
    value[2], value[3] = (4.0 + s * s * (3.0 * s - 6.0)) / 6.0, t * t * t / 6.0
    slope[0], slope[1] = -s * s / 2.0, t * (3.0 * t - 4.0) / 2.0
    slope[2], slope[3] = -s * (3.0 * s - 4.0) / 2.0, t * t / 2.0


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def mesh_inverse(coefficients, left, top, spacing, targets, start, steps, tolerance, cap):  # type: ignore[no-untyped-def]
    """Newton's method for still points (n, 2) whose map is ``targets`` (n, 2), in place from ``start``.

    ``coefficients`` (rows, cols, 2) px; a step is at most ``cap`` px; a nearly singular derivative is held off zero.
    """
    across, down = coefficients.shape[1] - 3, coefficients.shape[0] - 3
    vx, sx = np.zeros(4), np.zeros(4)
    vy, sy = np.zeros(4), np.zeros(4)
    for n in range(targets.shape[0]):
        px, py = start[n, 0], start[n, 1]
        for _ in range(steps):
            u, v = (px - left) / spacing, (py - top) / spacing
            ix = min(max(int(np.floor(u)), 0), across - 1)
            iy = min(max(int(np.floor(v)), 0), down - 1)
            _cubic(u - ix, vx, sx)
            _cubic(v - iy, vy, sy)
            dx, dy, xx, xy, yx, yy = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for j in range(4):
                for i in range(4):
                    cx, cy = coefficients[iy + j, ix + i, 0], coefficients[iy + j, ix + i, 1]
                    w, wx, wy = vy[j] * vx[i], vy[j] * sx[i], sy[j] * vx[i]
                    dx += w * cx
                    dy += w * cy
                    xx += wx * cx
                    xy += wy * cx
                    yx += wx * cy
                    yy += wy * cy
            mx, my = targets[n, 0] - px - dx, targets[n, 1] - py - dy
            if abs(mx) < tolerance and abs(my) < tolerance:
                break
            a, b, c, d = 1 + xx / spacing, xy / spacing, yx / spacing, 1 + yy / spacing
            det = a * d - b * c
            if abs(det) < 0.05:
                det = 0.05
            px += min(max((mx * d - my * b) / det, -cap), cap)
            py += min(max((my * a - mx * c) / det, -cap), cap)
        start[n, 0], start[n, 1] = px, py


@njit(cache=True, nogil=True, error_model="numpy")
def draw_sheet(x, y, still_left, still_top, step, left, top, out_x, out_y, seen):  # type: ignore[no-untyped-def]
    """The still place of every pixel of a part of the frame that a surface shows there.

    ``x``, ``y`` (rows, cols): frame positions of still places ``step`` px apart from ``still_left``, ``still_top``;
    ``out_x``, ``out_y``, ``seen`` (h, w): the part of the frame whose corner is ``left``, ``top``. Places that have turned
    away (their triangles lie the other way round) are not drawn.
    """
    rows, cols = x.shape
    height, width = seen.shape
    for row in range(rows - 1):
        for col in range(cols - 1):
            for half in range(2):
                ra, ca = row + half, col + half
                rb, cb = row + half, col + 1 - half
                rc, cc = row + 1 - half, col + half
                ax, ay = x[ra, ca] - left, y[ra, ca] - top
                bx, by = x[rb, cb] - left, y[rb, cb] - top
                cx, cy = x[rc, cc] - left, y[rc, cc] - top
                area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
                wide = max(ax, bx, cx) - min(ax, bx, cx) + max(ay, by, cy) - min(ay, by, cy)
                if not (area > 1e-6 and wide < SHEET_WIDEST * step):
                    continue
                for py in range(
                    max(0, int(np.ceil(min(ay, by, cy)))), min(height - 1, int(np.floor(max(ay, by, cy)))) + 1
                ):
                    for px in range(
                        max(0, int(np.ceil(min(ax, bx, cx)))), min(width - 1, int(np.floor(max(ax, bx, cx)))) + 1
                    ):
                        wa = ((bx - px) * (cy - py) - (by - py) * (cx - px)) / area
                        wb = ((cx - px) * (ay - py) - (cy - py) * (ax - px)) / area
                        wc = 1 - wa - wb
                        if wa < -1e-4 or wb < -1e-4 or wc < -1e-4:
                            continue
                        seen[py, px] = 1
                        out_x[py, px] = still_left + step * (wa * ca + wb * cb + wc * cc)
                        out_y[py, px] = still_top + step * (wa * ra + wb * rb + wc * rc)
