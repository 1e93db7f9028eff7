"""Direct registration of a plane: a compositional homography on the mesh's own data term."""

import cv2
import numpy as np

from hushcore.arrays import F32, F64
from hushcore.errors import HushError
from hushcore.geometry import homography
from hushcore.hold import kernels
from hushcore.hold.mesh import (
    AGREES,
    BLOCK_FINE,
    COARSE_BETTER_BY,
    FINE_LEVELS,
    SHUTTER,
    Fit,
    agreement,
    residual_scale,
    truer,
)
from hushcore.hold.picture import View
from hushcore.hold.still import Still, blurred_still

PLENTY = 0.35  # of the ground seen, from which a plane's perspective can be told
TURN_AND_SCALE = 4  # parameters
EASED = ("shift", "similarity")
ITERATIONS = (6, 5, 6, 8)  # fine to coarse; stops early when the step is below SMALL_STEP
MORE_AT_START = 6
IN_BLOCKS_OVER = 60_000  # px of a level
SMALL_STEP, LARGE_STEP = 0.004, 0.012  # px at the corner, of small and of large grounds
SMALLEST_AREA = 0.03  # of the anchor's, anywhere on the ground
TRUST = 1e-3  # of the Hessian's own diagonal: keeps what cannot be seen where it was predicted


def freedom(motion: str) -> F64:
    """Columns: the combinations of the eight parameters that a motion may use (see ``kernels.planar_sums``)."""
    all_of = np.eye(8)
    if motion == "shift":
        return all_of[:, [0, 3]]
    if motion == "similarity":
        return np.column_stack([all_of[:, 0], all_of[:, 3], all_of[:, 1] + all_of[:, 5], all_of[:, 4] - all_of[:, 2]])
    return all_of[:, :6] if motion == "affine" else all_of


class PlanarSolver:
    """Fits the homography, or a plainer motion, from the anchor frame to a frame."""

    def __init__(self, still: Still, motion: str = "perspective") -> None:
        self.still = still
        self.freedom = freedom(motion)
        rect = still.rect
        self.centre = np.array([(rect.left + rect.right - 1) / 2, (rect.top + rect.bottom - 1) / 2])
        self.reach = max(rect.width, rect.height) / 2

    def positions(self, matrix: F64, level: int) -> tuple[F32, F32]:
        """Frame positions of the template's pixels at a level."""
        xs, ys = self.still.axes(level)
        shape = (len(ys), len(xs))
        out_x, out_y = np.empty(shape, np.float32), np.empty(shape, np.float32)
        kernels.homography_grid(np.ascontiguousarray(matrix, np.float64), xs, ys, out_x, out_y)
        return out_x, out_y

    def unwarp(self, view: View, params: F64, level: int) -> tuple[F32, F32]:
        """The frame pulled back to the anchor pose at a level, and where it could be read."""
        return view.sample(*self.positions(params, level), level)

    def solve(self, view: View, start: F64, previous: F64, seen: F32, first: bool) -> Fit:
        """Fit one frame from ``start`` (3, 3); see ``MeshSolver.solve`` for the rest."""
        coarse = range(len(self.still.weights) - 1, FINE_LEVELS - 1, -1)
        if self._shown(seen) < PLENTY and self.freedom.shape[1] > TURN_AND_SCALE:
            # too little to tell perspective from: that goes on as it was
            return PlanarSolver(self.still, "similarity").solve(view, start, previous, seen, first)
        matrix = start
        try:
            moved = self._refined(view, start, previous, seen, first, coarse).coefficients
            if agreement(self, view, moved) > agreement(self, view, start) + COARSE_BETTER_BY:
                matrix = moved
        except HushError:  # the coarse levels see too little; the fine ones may still hold
            pass
        return self._fine(view, matrix, previous, seen, first)

    def _shown(self, seen: F32) -> float:
        """Share of the ground that was seen on the frame before."""
        weight = self.still.weights[0]
        return float((weight * seen).sum() / max(1e-6, float(weight.sum())))

    def _fine(self, view: View, matrix: F64, previous: F64, seen: F32, first: bool) -> Fit:
        """The fine levels; when they break down or agree badly, once more by way of plainer motions."""
        levels = range(FINE_LEVELS - 1, -1, -1)
        straight: Fit | HushError
        try:
            straight = self._refined(view, matrix, previous, seen, first, levels)
            found = agreement(self, view, straight.coefficients)
            if found > AGREES or self.freedom.shape[1] <= 2:
                return straight
        except HushError as error:
            straight, found = error, -1.0
        eased = self._eased(view, matrix, previous, seen)
        if eased is not None and agreement(self, view, eased.coefficients) > found + COARSE_BETTER_BY:
            return eased
        if isinstance(straight, HushError):
            raise straight
        return straight

    def _eased(self, view: View, matrix: F64, previous: F64, seen: F32) -> Fit | None:
        """A shift first, then turn and scale, then all that is free: it cannot run away over a few pixels."""
        fit = None
        plainer = [PlanarSolver(self.still, motion) for motion in EASED]
        steps = [solver for solver in plainer if solver.freedom.shape[1] < self.freedom.shape[1]]
        try:
            for solver in (*steps, self):
                first_level = FINE_LEVELS if solver is not self else FINE_LEVELS - 1
                fit = solver._refined(view, matrix, previous, seen, False, range(first_level, -1, -1))
                matrix = fit.coefficients
        except HushError:  # as far as it came; the caller compares
            pass
        return fit

    def polish(self, view: View, params: F64, previous: F64, seen: F32) -> Fit:
        """The finest levels only, from a place that is nearly right."""
        return self._refined(view, params, previous, seen, False, range(FINE_LEVELS - 1, -1, -1))

    def _refined(self, view: View, start: F64, previous: F64, seen: F32, first: bool, levels: range) -> Fit:
        matrix = start.copy()
        fit = None
        for level in levels:
            step = 1 << level
            weight = self.still.weights[level] * seen[step // 2 :: step, step // 2 :: step]
            still = self._smeared(matrix, previous, level)
            if level < FINE_LEVELS:
                still = truer(still, self.still.view.levels[level].picture, *self.unwarp(view, matrix, level), weight)
            for _ in range(ITERATIONS[level] + (MORE_AT_START if first else 0)):
                warped, readable = self.unwarp(view, matrix, level)
                active = np.ascontiguousarray(weight * readable, np.float32)
                scale = residual_scale(still, warped, active)
                update = self._step(still, warped, active, scale, level)
                matrix = matrix @ update
                matrix /= matrix[2, 2]
                self._check(matrix)
                fit = Fit(matrix, still, warped, active, scale)
                if self._size(update) < (LARGE_STEP if still.size > IN_BLOCKS_OVER else SMALL_STEP) * step:
                    break
        assert fit is not None
        return fit

    def _check(self, matrix: F64) -> None:
        """A plane that collapses, turns over or grows beyond reason is not what the camera sees."""
        slopes = homography.jacobian(matrix, self.still.rect.corners)
        sizes = np.linalg.det(slopes) if np.isfinite(slopes).all() else np.zeros(1)
        if sizes.min() < SMALLEST_AREA or sizes.max() > 1 / SMALLEST_AREA:
            raise HushError("The hold broke down here: too little of the ground can be seen.", "lost")

    def _smeared(self, matrix: F64, previous: F64, level: int) -> F32:
        picture = self.still.view.levels[level].picture
        if level >= FINE_LEVELS:
            return picture
        xs, ys = self.still.axes(level)
        points = np.stack(np.meshgrid(xs[:: 16 >> level], ys[:: 16 >> level]), -1)
        moved = homography.apply(matrix, points) - homography.apply(previous, points)
        back = np.linalg.inv(homography.jacobian(matrix, self.centre))
        vector = np.einsum("ij,abj->abi", back, moved) * (SHUTTER / 2**level)
        if np.hypot(vector[..., 0], vector[..., 1]).max() < 1:
            return picture
        size = (picture.shape[1], picture.shape[0])
        across, down = (
            cv2.resize(np.ascontiguousarray(vector[..., k], np.float32), size, interpolation=cv2.INTER_LINEAR)
            for k in range(2)
        )
        return blurred_still(self.still, level, across, down)

    def _step(self, still: F32, warped: F32, weight: F32, scale: float, level: int) -> F64:
        xs, ys = self.still.axes(level)
        to_x, to_y = (xs - self.centre[0]) / self.reach, (ys - self.centre[1]) / self.reach
        for mixed in (True, False) if level < FINE_LEVELS else (False,):
            if still.size > IN_BLOCKS_OVER:
                hessian, force = self._block_sums(still, warped, weight, scale, to_x, to_y, mixed)
            else:
                hessian, force = np.zeros((8, 8)), np.zeros(8)
                kernels.planar_sums(still, warped, weight, np.float32(scale), to_x, to_y, mixed, hessian, force)
                hessian = hessian + np.tril(hessian, -1).T
            hessian, force = self.freedom.T @ hessian @ self.freedom, self.freedom.T @ force
            values, vectors = np.linalg.eigh(hessian)
            if values[-1] > 0:
                break
        else:
            raise HushError("The hold broke down here: too little of the ground can be seen.", "lost")
        values = np.maximum(values, 0) + TRUST * values[-1] * 1e-2
        p = vectors @ ((vectors.T @ force) / values) * (2.0**level)
        return self._update(self.freedom @ p)

    def _block_sums(
        self, still: F32, warped: F32, weight: F32, scale: float, to_x: F64, to_y: F64, mixed: bool
    ) -> tuple[F64, F64]:
        """``kernels.planar_sums`` with the parameters' slopes taken at the middle of 8 px blocks, for large grounds."""
        shape = (-(-still.shape[0] // BLOCK_FINE), -(-still.shape[1] // BLOCK_FINE), kernels.BLOCK_TERMS)
        sums = np.zeros(shape, np.float32)
        kernels.block_sums(still, warped, np.ascontiguousarray(weight, np.float32), np.float32(scale), BLOCK_FINE, sums)
        middle = (BLOCK_FINE - 1) / 2
        u = to_x[0] + (to_x[1] - to_x[0]) * (np.arange(shape[1]) * BLOCK_FINE + middle)[None, :]
        v = to_y[0] + (to_y[1] - to_y[0]) * (np.arange(shape[0]) * BLOCK_FINE + middle)[:, None]
        u, v = np.broadcast_arrays(u, v)
        zero, one = np.zeros_like(u), np.ones_like(u)
        across = np.stack([one, u, v, zero, zero, zero, u * u, u * v], -1).reshape(-1, 8)
        down = np.stack([zero, zero, zero, one, u, v, u * v, v * v], -1).reshape(-1, 8)
        terms = sums.astype(np.float64).reshape(-1, kernels.BLOCK_TERMS)
        a, b, d = (terms[:, k + 3 if mixed else k, None] for k in range(3))
        half = across.T @ (b * down)
        hessian = across.T @ (a * across) + down.T @ (d * down) + half + half.T
        return hessian, across.T @ terms[:, 6] + down.T @ terms[:, 7]

    def _update(self, p: F64) -> F64:
        """The small homography x -> x + p(u, v) around the centre, u and v in units of ``reach``."""
        to_unit = np.array([[1, 0, -self.centre[0]], [0, 1, -self.centre[1]], [0, 0, self.reach]]) / self.reach
        s = 1 / self.reach
        small = np.array([
            [1 + p[1] * s, p[2] * s, p[0] * s],
            [p[4] * s, 1 + p[5] * s, p[3] * s],
            [-p[6] * s, -p[7] * s, 1],
        ])  # fmt: skip
        return np.asarray(np.linalg.inv(to_unit) @ small @ to_unit)

    def _size(self, update: F64) -> float:
        corners = self.still.rect.corners
        return float(np.abs(homography.apply(update, corners) - corners).max())
