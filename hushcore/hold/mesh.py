"""Direct registration of a deforming surface: a cubic B-spline map fitted to the anchor frame.

Every frame is registered straight to the anchor frame, coarse to fine, by Gauss-Newton on locally
normalised luma. The energy is

    sum rho((T - n(W)) / s) + la c'Kc + lt (c - cp)'K(c - cp) + 1e-4 |c - cp|^2

with K the thin-plate bending Gram and cp the prediction. At the two finest levels the Hessian is mixed
from J J' and the symmetrised product of both pictures' gradients: with J J' alone grain inflates it and
every step falls short.
"""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
import scipy.sparse as sp
from scipy.linalg import solveh_banded

from hushcore.arrays import F32, F64
from hushcore.errors import HushError
from hushcore.geometry import spline
from hushcore.hold import kernels
from hushcore.hold.maps import MeshMap
from hushcore.hold.method import Stiffness
from hushcore.hold.picture import View
from hushcore.hold.still import Still, blurred_still

FINE_LEVELS = 2  # where the Hessian is mixed and the template is blurred
BLOCK_FINE, BLOCK_COARSE = 8, 4
MIX = 0.9
COARSE_BETTER_BY = 0.01
AGREES = 0.8  # correlation of the prediction from which the coarse levels have nothing to add
STEP_CAP = 6.0  # px of the level
HELD_TO_PREDICTION = 1e-4
DATA, DATA_FIRST = 0.5, 0.1
SHUTTER = 0.5
SPARSE_OVER = 4096  # px


@dataclass
class Fit:
    """A frame's result: coefficients, and the last blocks' terms for the confidence."""

    coefficients: F64
    still: F32
    warped: F32
    weight: F32
    scale: float


class MeshSolver:
    """Holds what does not change from frame to frame: bases, Gram, template."""

    def __init__(self, still: Still, grid: spline.Grid, stiffness: Stiffness) -> None:
        self.still, self.grid, self.stiffness = still, grid, stiffness
        rows, cols = grid.shape
        self.unknowns = 2 * rows * cols
        self.bandwidth = 2 * (3 * cols + 3) + 2
        self.gram = spline.bending_gram(grid)
        self._gram_band = self._banded(self.gram)
        self._bases = [self._basis(level) for level in range(len(still.weights))]

    def _banded(self, gram: sp.csr_matrix) -> F64:
        """The Gram of both components as a lower banded matrix."""
        band = np.zeros((self.bandwidth, self.unknowns))
        entries = sp.tril(gram).tocoo()
        for component in range(2):
            band[2 * (entries.row - entries.col), 2 * entries.col + component] += entries.data
        return band

    def _basis(self, level: int) -> tuple[F32, F32, F32, F32]:
        xs, ys = self.still.axes(level)
        grid = self.grid
        return (
            spline.basis_rows(xs, grid.left, grid.spacing, grid.across).astype(np.float32),
            spline.basis_rows(ys, grid.top, grid.spacing, grid.down).astype(np.float32),
            xs.astype(np.float32),
            ys.astype(np.float32),
        )

    def field(self, coefficients: F64, level: int) -> tuple[F32, F32]:
        """Displacement planes (full-resolution px) at the pixels of a level."""
        in_x, in_y, _, _ = self._bases[level]
        c = coefficients.astype(np.float32)
        return in_y @ c[..., 0] @ in_x.T, in_y @ c[..., 1] @ in_x.T

    def positions(self, coefficients: F64, level: int) -> tuple[F32, F32]:
        """Frame positions (full-resolution px) of the pixels of a level."""
        dx, dy = self.field(coefficients, level)
        _, _, xs, ys = self._bases[level]
        return dx + xs[None, :], dy + ys[:, None]

    def unwarp(self, view: View, params: F64, level: int) -> tuple[F32, F32]:
        """The frame pulled back to the anchor pose at a level, and where it could be read."""
        return view.sample(*self.positions(params, level), level)

    def solve(self, view: View, start: F64, predicted: F64, previous: F64, seen: F32, first: bool) -> Fit:
        """Fit one frame.

        ``start``: coefficients to begin from; ``predicted``: where the motion should have gone;
        ``previous``: the last frame's (for the blur); ``seen``: visibility (h, w) on the template's
        finest level; ``first``: the frame next to the anchor.
        """
        c = self._from_afar(view, start, predicted, previous, seen, first)
        return self._refined(view, c, predicted, previous, seen, first, range(FINE_LEVELS - 1, -1, -1))

    def polish(self, view: View, params: F64, previous: F64, seen: F32) -> Fit:
        """The finest levels only, from a place that is nearly right."""
        return self._refined(view, params, params, previous, seen, False, range(FINE_LEVELS - 1, -1, -1))

    def _from_afar(self, view: View, start: F64, predicted: F64, previous: F64, seen: F32, first: bool) -> F64:
        """The coarse levels' answer when the fine picture agrees with it better than with ``start``.

        Moving shading looks like motion at coarse scales; only the weave can say which is right.
        """
        now = agreement(self, view, start)
        if now > AGREES and not first:
            return start
        coarse = range(len(self.still.weights) - 1, FINE_LEVELS - 1, -1)
        moved = self._refined(view, start, predicted, previous, seen, first, coarse).coefficients
        return moved if agreement(self, view, moved) > now + COARSE_BETTER_BY else start

    def _refined(
        self, view: View, start: F64, predicted: F64, previous: F64, seen: F32, first: bool, levels: range
    ) -> Fit:
        c = start.copy()
        fit = None
        for level in levels:
            step = 1 << level
            weight = self.still.weights[level] * seen[step // 2 :: step, step // 2 :: step]
            still = self.still.view.levels[level].picture
            smeared = self._smeared(c, previous, level) if level < FINE_LEVELS else None
            if smeared is not None:
                still = truer(smeared, still, *self.unwarp(view, c, level), weight)
            rounds = self.stiffness.iterations[level] + (self.stiffness.more_at_start if first else 0)
            for turn in range(rounds):
                warped, readable = self.unwarp(view, c, level)
                active = weight * readable
                scale = residual_scale(still, warped, active)
                data = DATA_FIRST if first and turn == 0 else DATA
                c = c + self._step(still, warped, active, scale, c, predicted, level, data)
                fit = Fit(c, still, warped, active, scale)
        assert fit is not None
        return Fit(c, fit.still, fit.warped, fit.weight, fit.scale)

    def _smeared(self, c: F64, previous: F64, level: int) -> F32 | None:
        """The template blurred as the frame is: along the motion while the shutter was open."""
        dx, dy = self.field(c - previous, level)
        amount = np.float32(SHUTTER / 2**level)
        if float(np.hypot(dx[::8, ::8], dy[::8, ::8]).max()) * amount < 1:
            return None
        turn = np.linalg.inv(self._mean_jacobian(c)).astype(np.float32)
        across = np.ascontiguousarray(turn[0, 0] * dx + turn[0, 1] * dy) * amount
        down = np.ascontiguousarray(turn[1, 0] * dx + turn[1, 1] * dy) * amount
        return blurred_still(self.still, level, across, down)

    def _mean_jacobian(self, c: F64) -> F64:
        affine = spline.affine_part(self.grid, c)
        middle = np.array(
            [self.grid.rect.left + self.grid.rect.width / 2, self.grid.rect.top + self.grid.rect.height / 2]
        )
        return np.eye(2) + spline.derivatives(self.grid, affine, middle)

    def _step(
        self, still: F32, warped: F32, weight: F32, scale: float, c: F64, predicted: F64, level: int, data: float
    ) -> F64:
        sums, size = self.block_terms(still, warped, weight, scale, level)
        step = 2.0**level
        xs = self.still.rect.left - 0.5 + (np.arange(sums.shape[1]) + 0.5) * size * step
        ys = self.still.rect.top - 0.5 + (np.arange(sums.shape[0]) + 0.5) * size * step
        hessians, forces = self._rotated(sums, c, xs, ys, level < FINE_LEVELS)
        gain = data / scale**2
        band = np.zeros((self.bandwidth, self.unknowns))
        rhs = np.zeros(self.unknowns)
        first_x, in_x = self._near(xs, self.grid.left, self.grid.across)
        first_y, in_y = self._near(ys, self.grid.top, self.grid.down)
        kernels.scatter(
            hessians * (gain / step**2), forces * (gain / step),
            in_x, in_y, first_x, first_y, self.grid.shape[1], band, rhs,
        )  # fmt: skip
        stiff = self.stiffness.by_level[level]
        bend, change = self.stiffness.bend * stiff, self.stiffness.change * stiff
        band += (bend + change) * self._gram_band
        band[0] += HELD_TO_PREDICTION
        away = (c - predicted).reshape(-1, 2)
        pull = bend * (self.gram @ c.reshape(-1, 2)) + change * (self.gram @ away) + HELD_TO_PREDICTION * away
        rhs -= pull.ravel()
        try:
            solved = solveh_banded(band, rhs, lower=True, overwrite_ab=True, check_finite=True)
        except (np.linalg.LinAlgError, ValueError) as error:
            raise HushError("The hold broke down here: too little of the ground can be seen.", "lost") from error
        cap = STEP_CAP * step
        return np.asarray(np.clip(solved, -cap, cap).reshape(c.shape))

    def block_terms(self, still: F32, warped: F32, weight: F32, scale: float, level: int) -> tuple[F32, int]:
        """``kernels.block_sums`` over the level's blocks, and the block size in level px."""
        size = BLOCK_FINE if level < FINE_LEVELS else BLOCK_COARSE
        shape = (-(-still.shape[0] // size), -(-still.shape[1] // size), kernels.BLOCK_TERMS)
        sums = np.zeros(shape, np.float32)
        kernels.block_sums(still, warped, np.ascontiguousarray(weight, np.float32), np.float32(scale), size, sums)
        return sums, size

    def _near(self, at: F64, start: float, cells: int) -> tuple[np.ndarray, F64]:
        place = (at - start) / self.grid.spacing
        cell = np.clip(np.floor(place).astype(np.int64), 0, cells - 1)
        return cell, spline.weights(place - cell)

    def _rotated(self, sums: F32, c: F64, xs: F64, ys: F64, mixed: bool) -> tuple[F64, F64]:
        """Blocks' Hessians (xx, xy, yy) and forces turned from still to frame axes by DW^-T."""
        turn = _inverse(np.eye(2) + self._slopes_at(c, xs, ys))
        terms = sums.astype(np.float64)
        matrix = _symmetric(terms[..., 0], terms[..., 1], terms[..., 2])
        if mixed:
            matrix = (1 - MIX) * matrix + MIX * _symmetric(terms[..., 3], terms[..., 4], terms[..., 5])
            matrix = _positive(matrix)
        across = np.swapaxes(turn, -1, -2)
        matrix = across @ matrix @ turn
        force = (across @ terms[..., 6:8, None])[..., 0]
        return np.stack([matrix[..., 0, 0], matrix[..., 0, 1], matrix[..., 1, 1]], -1), force

    def _slopes_at(self, c: F64, xs: F64, ys: F64) -> F64:
        grid = self.grid
        in_x = spline.basis_rows(xs, grid.left, grid.spacing, grid.across)
        in_y = spline.basis_rows(ys, grid.top, grid.spacing, grid.down)
        by_x = spline.basis_rows(xs, grid.left, grid.spacing, grid.across, derivative=True)
        by_y = spline.basis_rows(ys, grid.top, grid.spacing, grid.down, derivative=True)
        across = np.stack([in_y @ c[..., k] @ by_x.T for k in range(2)], -1)
        down = np.stack([by_y @ c[..., k] @ in_x.T for k in range(2)], -1)
        return np.stack([across, down], -1)

    def hold(self, c: F64) -> MeshMap:
        """The map of these coefficients."""
        return MeshMap(self.grid, c)


def residual_scale(still: F32, warped: F32, weight: F32) -> float:
    """1.4826 x the median absolute residual over readable pixels (of a large picture every third row and column)."""
    every = 3 if still.size > SPARSE_OVER else 1
    rest = np.abs(still[::every, ::every] - warped[::every, ::every])[weight[::every, ::every] > 0]
    if rest.size < 16:
        raise HushError("The hold broke down here: too little of the ground can be seen.", "lost")
    return max(1e-3, 1.4826 * float(np.median(rest)))


class Unwarps(Protocol):
    """What ``agreement`` needs of a solver."""

    still: Still

    def unwarp(self, view: View, params: F64, level: int) -> tuple[F32, F32]:
        """The frame pulled back to the anchor pose at a level, and where it could be read."""


def agreement(solver: Unwarps, view: View, params: F64) -> float:
    """Correlation (-1..1) of the template with the unwarped frame at half size, where the weave decides."""
    level = FINE_LEVELS - 1
    warped, readable = solver.unwarp(view, params, level)
    return correlation(solver.still.view.levels[level].picture, warped, solver.still.weights[level] * readable)


def truer(smeared: F32, plain: F32, warped: F32, readable: F32, weight: F32) -> F32:
    """The template that the frame looks more like: smeared along the motion, or, when the shutter was short, plain."""
    if smeared is plain:
        return plain
    active = weight * readable
    return smeared if correlation(smeared, warped, active) >= correlation(plain, warped, active) else plain


def correlation(still: F32, warped: F32, weight: F32) -> float:
    """Weighted normalised correlation (-1..1) of two pictures; -1 when nothing can be compared."""
    total = float(weight.sum())
    if total < 64:
        return -1.0
    a = still - float((weight * still).sum()) / total
    b = warped - float((weight * warped).sum()) / total
    spread = float((weight * a * a).sum()) * float((weight * b * b).sum())
    return float((weight * a * b).sum() / max(np.sqrt(spread), 1e-9))


def _inverse(matrix: F64) -> F64:
    """Inverse of 2x2 matrices (..., 2, 2); nearly singular ones (a fold seen edge-on) are held off zero."""
    a, b, c, d = matrix[..., 0, 0], matrix[..., 0, 1], matrix[..., 1, 0], matrix[..., 1, 1]
    det = a * d - b * c
    det = np.where(np.abs(det) < 0.02, 0.02, det)
    return np.stack([np.stack([d, -b], -1), np.stack([-c, a], -1)], -2) / det[..., None, None]


def _symmetric(xx: F64, xy: F64, yy: F64) -> F64:
    return np.stack([np.stack([xx, xy], -1), np.stack([xy, yy], -1)], -2)


def _positive(matrix: F64) -> F64:
    """The nearest positive semi-definite 2x2 matrices (negative eigenvalues set to zero)."""
    a, b, d = matrix[..., 0, 0], matrix[..., 0, 1], matrix[..., 1, 1]
    mean, half = (a + d) / 2, np.sqrt(((a - d) / 2) ** 2 + b * b)
    high, low = np.maximum(mean + half, 0), np.maximum(mean - half, 0)
    safe = np.where(half > 1e-12, half, 1.0)
    unit = (matrix - mean[..., None, None] * np.eye(2)) / safe[..., None, None]
    unit = np.where(half[..., None, None] > 1e-12, unit, 0)
    return (high + low)[..., None, None] / 2 * np.eye(2) + (high - low)[..., None, None] / 2 * unit
