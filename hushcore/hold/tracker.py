"""Following a ground from its anchor frame, one frame per call, in one direction.

A ``Tracker`` is made from the anchor frame; ``step`` takes the next frame's codes and returns what was
measured. Its ``state`` is plain arrays, so that the work can be stopped and taken up elsewhere.
"""

from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Rect
from hushcore.errors import HushError
from hushcore.geometry import homography, spline
from hushcore.hold import confidence, kernels
from hushcore.hold.maps import HoldMap, MeshMap, PlanarMap
from hushcore.hold.mesh import MIX, MeshSolver, Stiffness, agreement
from hushcore.hold.picture import LEVELS, View, look_at, luma
from hushcore.hold.planar import PlanarSolver
from hushcore.hold.still import Ground, Still, make_still

KINDS = ("planar", "mesh")
MARGIN = 40  # px around the region that the view of a frame includes
COARSEST = LEVELS - 1
SEARCH_REACH = 3  # coarsest-level px each way: 24 px
SEARCH_BETTER_BY = 0.03
BEND_KEPT = 0.7  # share of the bending velocity that goes on
LOST_RATIO = 0.35
LOST_SHARE = 0.30
NEXT_TO_ANCHOR = 3  # frames whose mean correlation is the drop's zero


@dataclass
class State:
    """All that a step needs from the steps before."""

    params: F64
    previous: F64
    steps: int
    baseline: F32
    first_mean: F32
    seen: F32
    lost_for: int = 0

    def arrays(self) -> dict[str, np.ndarray]:
        """For storing; see ``from_arrays``."""
        return {
            "params": self.params, "previous": self.previous, "baseline": self.baseline,
            "first_mean": self.first_mean, "seen": self.seen,
            "counts": np.array([self.steps, self.lost_for]),
        }  # fmt: skip

    @staticmethod
    def from_arrays(stored: dict[str, np.ndarray]) -> "State":
        return State(
            stored["params"], stored["previous"], int(stored["counts"][0]), stored["baseline"],
            stored["first_mean"], stored["seen"], int(stored["counts"][1]),
        )  # fmt: skip


@dataclass(frozen=True)
class Measured:
    """One frame's hold: parameters, drift per cell (px), its RMS, the seen share, and whether it is lost."""

    params: F64
    drift: F32
    drift_rms: float
    seen: float
    lost: bool


@dataclass
class Tracker:
    """Follows one ground. ``kind``: see ``KINDS``."""

    kind: str
    still: Still
    grid: spline.Grid | None
    size: tuple[int, int]
    solver: MeshSolver | PlanarSolver
    state: State
    _flow: confidence.FlowCheck = field(default_factory=confidence.FlowCheck)

    def step(self, codes: Codes) -> Measured:
        """Measure the next frame (h, w, c integer codes). A lost frame keeps on with fading velocity."""
        if (codes.shape[1], codes.shape[0]) != self.size:
            raise HushError(
                f"This frame is {codes.shape[1]} x {codes.shape[0]}, the anchor frame {self.size[0]} x {self.size[1]}.",
                "frame-size",
            )
        state = self.state
        predicted = self._predict()
        view = look_at(luma(codes), self._view_rect(predicted))
        start = self._searched(view, predicted)
        seen = self._spread(state.seen)
        try:
            fit = self._solve(view, start, predicted, seen)
        except HushError as error:
            if error.kind != "lost":
                raise
            return self._carry_on(predicted)
        return self._judge(view, fit.coefficients, predicted)

    def map_of(self, params: F64) -> HoldMap:
        """The map that these parameters describe."""
        if self.kind == "planar" or self.grid is None:
            return PlanarMap(params)
        return MeshMap(self.grid, params)

    def _solve(self, view: View, start: F64, predicted: F64, seen: F32):  # type: ignore[no-untyped-def]
        first = self.state.steps == 0
        if isinstance(self.solver, MeshSolver):
            return self.solver.solve(view, start, predicted, self.state.params, seen, first)
        return self.solver.solve(view, start, self.state.params, seen, first)

    def _predict(self) -> F64:
        now, before = self.state.params, self.state.previous
        if self.kind == "planar":
            corners = self._corners()
            ahead = 2 * homography.apply(now, corners) - homography.apply(before, corners)
            return homography.fit(corners, ahead)
        assert self.grid is not None
        velocity = now - before
        straight = spline.affine_part(self.grid, velocity)
        return np.asarray(now + straight + BEND_KEPT * (velocity - straight))

    def _corners(self) -> F64:
        r = self.still.rect
        return np.array([[r.left, r.top], [r.right, r.top], [r.right, r.bottom], [r.left, r.bottom]], float)

    def _view_rect(self, predicted: F64) -> Rect:
        xs, ys = self.solver.positions(predicted, COARSEST)
        if not (np.isfinite(xs).all() and np.isfinite(ys).all()):
            raise HushError("The hold has broken down before this frame; redo it from the anchor.", "bad-hold")
        width, height = self.size
        low = (max(-width, int(xs.min())), max(-height, int(ys.min())))
        high = (min(2 * width, int(xs.max()) + 1), min(2 * height, int(ys.max()) + 1))
        return Rect(low[0], low[1], max(high[0], low[0] + 16), max(high[1], low[1] + 16)).grown(MARGIN)

    def _searched(self, view: View, predicted: F64) -> F64:
        """The prediction, shifted when correlation at 1/8 size clearly says so."""
        map_x, map_y = view.to_level(*self.solver.positions(predicted, COARSEST), COARSEST)
        scores = np.zeros((2 * SEARCH_REACH + 1,) * 2)
        kernels.search_shift(
            self.still.view.levels[COARSEST].picture, self.still.weights[COARSEST],
            view.levels[COARSEST].picture, map_x, map_y, SEARCH_REACH, scores,
        )  # fmt: skip
        best = np.unravel_index(int(scores.argmax()), scores.shape)
        if scores[best] < scores[SEARCH_REACH, SEARCH_REACH] + SEARCH_BETTER_BY:
            return predicted
        dy, dx = ((int(b) - SEARCH_REACH) * 2.0**COARSEST for b in best)
        if self.kind == "planar":
            moved = np.asarray(np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1]]) @ predicted)
        else:
            moved = predicted + np.array([dx, dy])
        # at 1/8 size moving shading looks like motion: the weave at half size has the last word
        better = agreement(self.solver, view, moved) - agreement(self.solver, view, predicted)
        return moved if better > SEARCH_BETTER_BY else predicted

    def _spread(self, cells: F32) -> F32:
        """Cell weights at the template's full size."""
        height, width = self.still.ground.shape
        return np.ascontiguousarray(cv2.resize(cells, (width, height), interpolation=cv2.INTER_LINEAR))

    def _carry_on(self, predicted: F64) -> Measured:
        state = self.state
        drift = np.full(state.seen.shape, confidence.GAIN * np.exp(confidence.LOG_CAP), np.float32)
        faded = state.params + BEND_KEPT * (predicted - state.params)
        self.state = replace(
            state, params=faded, previous=state.params, steps=state.steps + 1, lost_for=state.lost_for + 1
        )
        return Measured(faded, drift, float(drift.mean()), 0.0, True)

    def _judge(self, view: View, params: F64, predicted: F64) -> Measured:
        state, level = self.state, confidence.HALF_SIZE
        still = self.still.view.levels[level].picture
        warped, readable = self.solver.unwarp(view, params, level)
        weight = self.still.weights[level] * readable
        now = confidence.correlate(still, warped, weight, 8)
        baseline = now.value if state.steps == 0 else state.baseline
        seen, median, share = confidence.visibility(now, baseline)
        lost = median < LOST_RATIO or share < LOST_SHARE
        if lost and state.steps > 0:
            return self._carry_on(predicted)
        first_mean = self._first_mean(now.value)
        drift = self._drift(still, warped, weight, now, first_mean)
        steady = now.known & (seen > 0.5)
        baseline = np.where(steady, baseline + confidence.BASELINE_RATE * (now.value - baseline), baseline)
        self.state = State(params, state.params, state.steps + 1, baseline.astype(np.float32), first_mean, seen)
        inside = drift[now.known]
        rms = float(np.sqrt((inside**2).mean())) if inside.size else float(drift.mean())
        return Measured(params, drift, rms, share, False)

    def _first_mean(self, value: F32) -> F32:
        steps = self.state.steps
        if steps >= NEXT_TO_ANCHOR:
            return self.state.first_mean
        return np.asarray((self.state.first_mean * steps + value) / (steps + 1), np.float32)

    def _drift(self, still: F32, warped: F32, weight: F32, now: confidence.Correlation, first_mean: F32) -> F32:
        from hushcore.hold.mesh import residual_scale

        scale = residual_scale(still, warped, weight)
        terms = np.zeros((*now.value.shape, kernels.BLOCK_TERMS), np.float32)
        kernels.block_sums(still, warped, np.ascontiguousarray(weight, np.float32), np.float32(scale), 8, terms)
        posterior, leftover = confidence.block_signals(terms, scale, MIX)
        flow, back = self._flow.measure(still, warped, weight, now.value.shape)
        drop = np.where(now.known, np.maximum(first_mean - now.value, 0), 0.5)
        return confidence.drift_figure(confidence.Signals(posterior, leftover, flow, drop, back, self.state.steps + 1))


def make_tracker(codes: Codes, ground: Ground, kind: str, stiffness: Stiffness | None = None) -> Tracker:
    """A tracker that starts on the anchor frame ``codes`` (h, w, c).

    Raises HushError for an unknown kind or a ground that cannot be held.
    """
    if kind not in KINDS:
        raise HushError(f"There is no hold called {kind!r}; choose {' or '.join(KINDS)}.", "bad-kind")
    height, width = codes.shape[:2]
    region = ground.rect(width, height)
    stiffness = stiffness or Stiffness()
    grid = spline.Grid.over(region, stiffness.spacing) if kind == "mesh" else None
    still = make_still(luma(codes), ground, grid.rect if grid else region.grown(8))
    solver = MeshSolver(still, grid, stiffness) if grid else PlanarSolver(still)
    cells = (-(-still.view.levels[1].picture.shape[0] // 8), -(-still.view.levels[1].picture.shape[1] // 8))
    start = np.zeros((*grid.shape, 2)) if grid else np.eye(3)
    ones = np.ones(cells, np.float32)
    state = State(start, start.copy(), 0, ones, np.zeros(cells, np.float32), ones)
    return Tracker(kind, still, grid, (width, height), solver, state)
