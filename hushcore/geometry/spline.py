"""Displacement fields on a uniform cubic B-spline grid.

A grid covers ``rect`` (anchor-frame pixels) with cells of ``spacing`` px; control point (0, 0) lies one
cell left of and above its first corner. ``coefficients`` are (rows, cols, 2) in px, x then y.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp

from hushcore.arrays import F64, Rect


@dataclass(frozen=True)
class Grid:
    """Where a spline grid lies: its corner in px, cell size in px and cells across and down."""

    left: float
    top: float
    spacing: float
    across: int
    down: int

    @property
    def shape(self) -> tuple[int, int]:
        """Control points down and across."""
        return self.down + 3, self.across + 3

    @property
    def rect(self) -> Rect:
        return Rect(
            int(np.floor(self.left)), int(np.floor(self.top)),
            int(np.ceil(self.left + self.spacing * self.across)),
            int(np.ceil(self.top + self.spacing * self.down)),
        )  # fmt: skip

    @staticmethod
    def over(rect: Rect, spacing: float, padding: float = 16.0) -> "Grid":
        """Whole cells that cover ``rect`` and at least ``padding`` px around it."""
        across = int(np.ceil((rect.width + 2 * padding) / spacing))
        down = int(np.ceil((rect.height + 2 * padding) / spacing))
        left = (rect.left + rect.right - 1) / 2 - across * spacing / 2
        top = (rect.top + rect.bottom - 1) / 2 - down * spacing / 2
        return Grid(float(left), float(top), float(spacing), across, down)


def weights(t: F64) -> F64:
    """The four uniform cubic B-spline weights (..., 4) at fractions ``t``."""
    s = 1 - t
    return np.stack([s**3 / 6, (4 + t * t * (3 * t - 6)) / 6, (4 + s * s * (3 * s - 6)) / 6, t**3 / 6], -1)


def slopes(t: F64) -> F64:
    """Derivatives (..., 4) of ``weights`` by ``t``."""
    s = 1 - t
    return np.stack([-s * s / 2, t * (3 * t - 4) / 2, -s * (3 * s - 4) / 2, t * t / 2], -1)


def basis_rows(at: F64, start: float, spacing: float, cells: int, derivative: bool = False) -> F64:
    """Dense basis matrix (len(at), cells + 3) of positions in px along one axis.

    Beyond the grid the border cell's polynomial goes on.
    """
    place = (np.asarray(at, float) - start) / spacing
    cell = np.clip(np.floor(place).astype(int), 0, cells - 1)
    part = slopes(place - cell) / spacing if derivative else weights(place - cell)
    rows = np.zeros((len(place), cells + 3))
    np.put_along_axis(rows, cell[:, None] + np.arange(4), part, axis=1)
    return rows


def evaluate(grid: Grid, coefficients: F64, points: F64) -> F64:
    """Displacement (..., 2) at points (..., 2)."""
    return _contract(grid, coefficients, points, weights, weights)


def derivatives(grid: Grid, coefficients: F64, points: F64) -> F64:
    """Displacement derivatives (..., 2, 2) [component, axis] at points (..., 2)."""
    by_x = _contract(grid, coefficients, points, slopes, weights) / grid.spacing
    by_y = _contract(grid, coefficients, points, weights, slopes) / grid.spacing
    return np.stack([by_x, by_y], -1)


def evaluate_grid(grid: Grid, coefficients: F64, xs: F64, ys: F64, derivative: str = "") -> F64:
    """Displacement (len(ys), len(xs), 2) over the outer product of ``xs`` and ``ys``, or its derivative by "x" or "y"."""
    in_x = basis_rows(xs, grid.left, grid.spacing, grid.across, derivative == "x")
    in_y = basis_rows(ys, grid.top, grid.spacing, grid.down, derivative == "y")
    return np.stack([in_y @ coefficients[..., k] @ in_x.T for k in range(2)], -1)


Weights = Callable[[F64], F64]


def _contract(grid: Grid, coefficients: F64, points: F64, in_x: Weights, in_y: Weights) -> F64:
    flat = np.asarray(points, float).reshape(-1, 2)
    px, py = (flat[:, 0] - grid.left) / grid.spacing, (flat[:, 1] - grid.top) / grid.spacing
    ix = np.clip(np.floor(px).astype(int), 0, grid.across - 1)
    iy = np.clip(np.floor(py).astype(int), 0, grid.down - 1)
    wx, wy = in_x(px - ix), in_y(py - iy)
    near = coefficients[(iy[:, None] + np.arange(4))[:, :, None], (ix[:, None] + np.arange(4))[:, None, :]]
    return np.asarray(np.einsum("nj,ni,njik->nk", wy, wx, near).reshape(points.shape))


def bending_gram(grid: Grid) -> sp.csr_matrix:
    """Thin-plate energy c' K c = integral of f_xx^2 + 2 f_xy^2 + f_yy^2 over the grid, in px.

    Exact: the products of the cubic pieces are integrated by Gauss-Legendre quadrature, cell by cell.
    Affine fields cost nothing.
    """
    gx = [_gram(grid.across, grid.spacing, order) for order in range(3)]
    gy = [_gram(grid.down, grid.spacing, order) for order in range(3)]
    total = sp.csr_matrix(sp.kron(gy[0], gx[2]) + 2 * sp.kron(gy[1], gx[1]) + sp.kron(gy[2], gx[0]))
    total.eliminate_zeros()  # small products are stored as full blocks
    return total


def _gram(cells: int, spacing: float, order: int) -> sp.csr_matrix:
    nodes, node_weights = np.polynomial.legendre.leggauss(4)
    t = (nodes + 1) / 2
    if order == 0:
        pieces = weights(t)
    elif order == 1:
        pieces = slopes(t) / spacing
    else:
        pieces = np.stack([1 - t, 3 * t - 2, 1 - 3 * t, t], -1) / spacing**2
    cell = (pieces * (node_weights / 2 * spacing)[:, None]).T @ pieces
    total = np.zeros((cells + 3, cells + 3))
    for start in range(cells):
        total[start : start + 4, start : start + 4] += cell
    return sp.csr_matrix(total)


def affine_map(grid: Grid, coefficients: F64) -> tuple[F64, F64]:
    """The affine displacement nearest to ``coefficients`` (least squares over the control points).

    Returns shift (2,) and turn (2, 2): the displacement at points (..., 2) in px is shift + points @ turn.
    """
    at = control_points(grid).reshape(-1, 2)
    solved, *_ = np.linalg.lstsq(np.column_stack([np.ones(len(at)), at]), coefficients.reshape(-1, 2), rcond=None)
    return solved[0], solved[1:]


def affine_part(grid: Grid, coefficients: F64) -> F64:
    """The control points of ``affine_map``'s field: cubic splines reproduce what is affine."""
    shift, turn = affine_map(grid, coefficients)
    return shift + control_points(grid) @ turn


def control_points(grid: Grid) -> F64:
    """Positions (rows, cols, 2) of the control points, px."""
    xs = grid.left + grid.spacing * (np.arange(grid.shape[1]) - 1)
    ys = grid.top + grid.spacing * (np.arange(grid.shape[0]) - 1)
    return np.stack(np.meshgrid(xs, ys), -1)


def fitted(grid: Grid, moved: Callable[[F64], F64]) -> F64:
    """Coefficients of the spline nearest to a smooth map ``moved`` of points (..., 2), least squares, cell by cell."""
    offsets = (np.arange(4 * grid.across) + 0.5) / 4, (np.arange(4 * grid.down) + 0.5) / 4
    xs, ys = grid.left + grid.spacing * offsets[0], grid.top + grid.spacing * offsets[1]
    points = np.stack(np.meshgrid(xs, ys), -1)
    shift = moved(points) - points
    in_x = np.linalg.pinv(basis_rows(xs, grid.left, grid.spacing, grid.across))
    in_y = np.linalg.pinv(basis_rows(ys, grid.top, grid.spacing, grid.down))
    return np.stack([in_y @ shift[..., k] @ in_x.T for k in range(2)], -1)
