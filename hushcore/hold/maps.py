"""The map of a hold on one frame: from the still surface (anchor-frame pixels) to the frame and back."""

from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np
from scipy.ndimage import spline_filter

from hushcore.arrays import F32, F64, Mask, Rect
from hushcore.geometry import homography, spline
from hushcore.hold import kernels

INVERSE_STEPS = 12
INVERSE_CAP = 24.0  # px a step
INVERSE_TOLERANCE = 1e-4  # px
INVERSE_BEYOND = 4  # knots outside the rectangle on every side
INVERSE_STRIDE = 8  # dense inverses are solved on this grid and interpolated
INVERSE_FOUND = 0.05  # px within which the map of what was found must lie
TURNED = 0.05  # how square-on a place is seen, 1 as on the anchor frame: with less it has turned away, or nearly
BENDS_AWAY = 0.3  # where a surface is seen so slantwise, its inverse is steep: it is drawn, not interpolated
SHEET_STEP = 3  # px between places that are drawn
SHEET_STEPS, SHEET_CAP = 3, 1.0  # of Newton's method from what was drawn, px
FACING_STEP = 6  # px between places whose slant is worked out


class HoldMap(Protocol):
    """What every kind of hold can do on one frame. Points are (..., 2) x, y in px."""

    def forward(self, points: F64) -> F64:
        """Still surface to frame."""

    def inverse(self, points: F64) -> F64:
        """Frame to still surface."""

    def jacobian(self, points: F64) -> F64:
        """Derivative (..., 2, 2) of ``forward``."""


@dataclass(frozen=True)
class PlanarMap:
    """A homography from the anchor frame to the frame."""

    matrix: F64

    def forward(self, points: F64) -> F64:
        return homography.apply(self.matrix, points)

    def inverse(self, points: F64) -> F64:
        return homography.apply(np.linalg.inv(self.matrix), points)

    def jacobian(self, points: F64) -> F64:
        return homography.jacobian(self.matrix, points)


@dataclass(frozen=True)
class MeshMap:
    """A cubic B-spline displacement over the anchor frame's region."""

    grid: spline.Grid
    coefficients: F64

    def forward(self, points: F64) -> F64:
        return points + spline.evaluate(self.grid, self.coefficients, points)

    def inverse(self, points: F64) -> F64:
        """Newton's method from the affine part; places far outside the grid stay approximate."""
        shift, turn = spline.affine_map(self.grid, self.coefficients)
        still = (points - shift) @ np.linalg.pinv(np.eye(2) + turn)
        flat = np.ascontiguousarray(still.reshape(-1, 2), np.float64)
        targets = np.ascontiguousarray(np.asarray(points, np.float64).reshape(-1, 2))
        grid = self.grid
        kernels.mesh_inverse(
            np.ascontiguousarray(self.coefficients, np.float64), grid.left, grid.top, grid.spacing,
            targets, flat, INVERSE_STEPS, INVERSE_TOLERANCE, INVERSE_CAP,
        )  # fmt: skip
        return flat.reshape(np.shape(points))

    def jacobian(self, points: F64) -> F64:
        return np.eye(2) + spline.derivatives(self.grid, self.coefficients, points)


def identity(grid: spline.Grid | None) -> HoldMap:
    """The map on the anchor frame itself."""
    if grid is None:
        return PlanarMap(np.eye(3))
    return MeshMap(grid, np.zeros((*grid.shape, 2)))


def forward_grid(held: HoldMap, xs: F64, ys: F64) -> F64:
    """Frame positions (len(ys), len(xs), 2) of the outer product of still ``xs`` and ``ys``."""
    points = np.stack(np.meshgrid(xs, ys), -1)
    if isinstance(held, MeshMap):
        return points + spline.evaluate_grid(held.grid, held.coefficients, xs, ys)
    return held.forward(points)


def jacobian_grid(held: HoldMap, xs: F64, ys: F64) -> F64:
    """Derivatives (len(ys), len(xs), 2, 2) of ``forward`` over the outer product of still ``xs`` and ``ys``."""
    if not isinstance(held, MeshMap):
        return held.jacobian(np.stack(np.meshgrid(xs, ys), -1))
    return np.eye(2) + np.stack(
        [spline.evaluate_grid(held.grid, held.coefficients, xs, ys, along) for along in ("x", "y")], -1
    )


def dense_forward(held: HoldMap, rect: Rect) -> tuple[F32, F32]:
    """Frame positions of every pixel of a still ``rect``: two planes x, y."""
    if isinstance(held, MeshMap):
        return dense_mesh(
            held, np.arange(rect.left, rect.right, dtype=float), np.arange(rect.top, rect.bottom, dtype=float)
        )
    y, x = np.mgrid[rect.top : rect.bottom, rect.left : rect.right]
    points = held.forward(np.stack([x, y], -1).astype(float))
    return points[..., 0].astype(np.float32), points[..., 1].astype(np.float32)


def dense_mesh(held: MeshMap, xs: F64, ys: F64) -> tuple[F32, F32]:
    """Frame positions over the outer product of ``xs`` and ``ys`` (tensor product of the bases)."""
    grid, c = held.grid, held.coefficients.astype(np.float32)
    in_x = spline.basis_rows(xs, grid.left, grid.spacing, grid.across).astype(np.float32)
    in_y = spline.basis_rows(ys, grid.top, grid.spacing, grid.down).astype(np.float32)
    x = in_y @ c[..., 0] @ in_x.T + np.asarray(xs, np.float32)[None, :]
    y = in_y @ c[..., 1] @ in_x.T + np.asarray(ys, np.float32)[:, None]
    return x, y


def dense_inverse(held: HoldMap, rect: Rect) -> tuple[F32, F32]:
    """Still positions of every pixel of a frame ``rect``: two planes x, y.

    A mesh is inverted on a coarse grid and interpolated by a cubic spline; the error is below
    .01 px for folds of 30 px and more (tested). One that turns away somewhere in it is drawn; pixels that show nothing
    of it get the place that the nearest one shows.
    """
    found = smooth_inverse(held, rect)
    if found is not None:
        return found
    assert isinstance(held, MeshMap)
    x, y, seen = sheet_inverse(held, rect, held.grid.rect)
    if not seen.any():
        return _interpolated(held.inverse(_knots(rect)), rect)
    near_x, near_y = nearest(seen > 0, x, y)
    return near_x, near_y


def smooth_inverse(held: HoldMap, rect: Rect) -> tuple[F32, F32] | None:
    """As ``dense_inverse``; None for a mesh that turns away within ``rect`` or so near it that interpolating would not do."""
    if isinstance(held, PlanarMap):
        back = PlanarMap(np.linalg.inv(held.matrix))
        return dense_forward(back, rect)
    knots = _knots(rect)
    still = held.inverse(knots)
    faces = np.linalg.det(held.jacobian(still)) > 0
    if not (faces & (np.abs(held.forward(still) - knots).max(-1) < INVERSE_FOUND)).all():
        return None
    return _interpolated(still, rect)


def _knots(rect: Rect) -> F64:
    stride, beyond = INVERSE_STRIDE, INVERSE_BEYOND
    across, down = -(-rect.width // stride) + 1, -(-rect.height // stride) + 1
    xs = rect.left + stride * np.arange(-beyond, across + beyond, dtype=float)
    ys = rect.top + stride * np.arange(-beyond, down + beyond, dtype=float)
    return np.stack(np.meshgrid(xs, ys), -1)


def _interpolated(still: F64, rect: Rect) -> tuple[F32, F32]:
    shift_x, shift_y = _between_knots(still - _knots(rect), rect.width, rect.height)
    x = shift_x + np.arange(rect.left, rect.right, dtype=np.float32)[None, :]
    y = shift_y + np.arange(rect.top, rect.bottom, dtype=np.float32)[:, None]
    return x, y


def nearest(known: Mask, *planes: F32) -> list[F32]:
    """Planes with every place that is not ``known`` as the nearest that is."""
    _, labels = cv2.distanceTransformWithLabels(
        (~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    at = np.zeros(int(labels.max()) + 1, np.intp)
    at[labels[known]] = np.flatnonzero(known)
    return [plane.ravel()[at[labels]] for plane in planes]


def facing(held: HoldMap, rect: Rect) -> F32 | None:
    """How square-on (h, w) every place of a still ``rect`` is seen: the shorter over the longer axis of what the map makes of
    a small circle, so that coming nearer or going away does not count; below 0 where it has turned away. None for a plane,
    which turns as a whole."""
    if not isinstance(held, MeshMap):
        return None
    rows, cols = -(-rect.height // FACING_STEP) + 1, -(-rect.width // FACING_STEP) + 1
    xs, ys = (
        rect.left + FACING_STEP * np.arange(cols, dtype=float),
        rect.top + FACING_STEP * np.arange(rows, dtype=float),
    )
    turn = jacobian_grid(held, xs, ys)
    area = turn[..., 0, 0] * turn[..., 1, 1] - turn[..., 0, 1] * turn[..., 1, 0]
    squares = (turn**2).sum((-2, -1))
    longest = (squares + np.sqrt(np.maximum(squares**2 - 4 * area**2, 0))) / 2  # of the axes, squared
    slant = (area / np.maximum(longest, 1e-12)).astype(np.float32)
    u, v = (np.arange(size, dtype=np.float32) / FACING_STEP for size in (rect.width, rect.height))
    return np.asarray(cv2.remap(slant, *np.meshgrid(u, v), cv2.INTER_LINEAR))


def sheet_inverse(held: MeshMap, target: Rect, rect: Rect) -> tuple[F32, F32, F32]:
    """Still positions of every pixel of a frame ``target`` that shows a place of the still ``rect``: two planes x, y, and
    which pixels do (0 or 1). Of a surface that bends away, the side that faces the camera is taken."""
    xs, ys = (
        np.arange(start - SHEET_STEP, end + 2 * SHEET_STEP, SHEET_STEP, dtype=float)
        for start, end in ((rect.left, rect.right), (rect.top, rect.bottom))
    )
    moved = forward_grid(held, xs, ys)
    x, y, seen = (np.zeros((target.height, target.width), np.float32) for _ in range(3))
    x_at, y_at = (np.ascontiguousarray(moved[..., k]) for k in range(2))
    kernels.draw_sheet(x_at, y_at, xs[0], ys[0], SHEET_STEP, target.left, target.top, x, y, seen)
    rows, cols = np.nonzero(seen)
    flat = np.stack([x[rows, cols], y[rows, cols]], -1).astype(np.float64)
    targets = np.stack([cols + target.left, rows + target.top], -1).astype(np.float64)
    grid = held.grid
    kernels.mesh_inverse(
        np.ascontiguousarray(held.coefficients, np.float64), grid.left, grid.top, grid.spacing, targets, flat,
        SHEET_STEPS, INVERSE_TOLERANCE, SHEET_CAP,
    )  # fmt: skip
    x[rows, cols], y[rows, cols] = flat.T
    return x, y, seen


def _between_knots(values: F64, width: int, height: int) -> tuple[F32, F32]:
    """Cubic spline through displacements at the knots (rows, cols, 2), at every pixel of the inner part.

    The knots beyond the rectangle keep the mirrored border of the spline filter away from it.
    """
    start = -INVERSE_BEYOND * INVERSE_STRIDE
    planes = []
    for k in range(2):
        lifted = np.pad(spline_filter(values[..., k], order=3, mode="mirror"), 1, mode="reflect")
        in_x = spline.basis_rows(np.arange(width, dtype=float), start, INVERSE_STRIDE, lifted.shape[1] - 3)
        in_y = spline.basis_rows(np.arange(height, dtype=float), start, INVERSE_STRIDE, lifted.shape[0] - 3)
        planes.append((in_y @ lifted @ in_x.T).astype(np.float32))
    return planes[0], planes[1]
