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
from hushcore.hold import confidence, search
from hushcore.hold.figures import Drift, cells_of, over_ground
from hushcore.hold.maps import HoldMap, MeshMap, PlanarMap
from hushcore.hold.mesh import COARSE_BETTER_BY, Fit, MeshSolver, agreement
from hushcore.hold.method import Method, channel_of
from hushcore.hold.nearer import STRAYS, STRAYS_SHARE, nearer
from hushcore.hold.picture import LEVELS, View, look_at
from hushcore.hold.planar import PlanarSolver
from hushcore.hold.state import NOT_READ, OFF_FRAME, Measured, State, Template
from hushcore.hold.still import Ground, Still, make_still, renewed
from hushcore.hold.trouble import small, trouble

MARGIN = 40  # px around the region that the view of a frame includes
COARSEST = LEVELS - 1
SEARCH_BETTER_BY = 0.03
BEND_KEPT = 0.7  # share of the bending velocity that goes on
SURE_CELLS, SURE_SHARE = 8, 0.08  # of the ground that must look as on the anchor, else it is lost
NEXT_TO_ANCHOR = 3  # frames whose mean correlation is the drop's zero
WIDER_EACH, WIDEST_SEARCH = 16.0, 320.0  # px a lost frame, and at most
MOST_STRETCH = 1.3  # of a plane from one frame to the next
LIKELY = 0.6  # correlation of a ground that is seen
FLAT_BELOW = 0.55  # agreement of a mesh's start under which a plane is tried: the surface has turned a lot
CUT_SURE = 6  # frames after which a cut is no flash and nobody walking through
WELL_SEEN = 0.85  # share of the ground; with less the map is asked a second time, of what is seen alone
FOUND_SEES, FOUND_ON_FRAME = 0.3, 0.4  # shares of the ground
FOUND_QUANTILE, FOUND_ALIKE = 0.6, 0.7  # of the cells, the correlation over that next to the anchor
PULLED_FOR = 4  # frames that a hold may have been pulled before it is lost
SEES_AS_MUCH = 0.04  # of the ground
MOSTLY_HIDDEN, JUMP, JUMP_SHARE = 0.6, 5.0, 0.4  # share of the ground that is seen; px; of the motion
RENEW_AT, RENEW_RAMP = 0.75, 0.20  # correlation with the anchor under which a cell's template may be renewed
RENEW_DROP = 0.15  # what a cell must have lost before evidence asks for it
RENEW_SHARE, RENEW_EVERY = 0.2, 6  # of the ground; frames


@dataclass
class Tracker:
    """Follows one ground by one method."""

    method: Method
    ground: Ground
    still: Still
    anchor_still: Still
    grid: spline.Grid | None
    size: tuple[int, int]
    solver: MeshSolver | PlanarSolver
    state: State
    _drift: Drift = field(default_factory=Drift)

    @property
    def kind(self) -> str:
        return self.method.kind

    def step(self, codes: Codes, frame: int | None = None) -> Measured:
        """Measure the next frame (h, w, c codes). A lost frame keeps on with fading velocity.

        ``frame``: its number, for what passes in front on it.
        """
        self._check_size(codes)
        luma = channel_of(codes, self.method.prep.channel)
        now = small(luma)
        wrong = trouble(luma, now, self.state.small)
        if wrong == "black":
            return replace(self._carry_on(self._predict()), trouble=wrong)
        before = self.state
        predicted = before.params if wrong == "repeat" else self._predict()
        measured = self._measured(luma, frame, predicted)
        self.state.small = now
        if wrong == "repeat" and not measured.lost:
            self.state.previous = self._gone_back(before, self.state.params)
        self._renew_by_evidence(luma, frame, measured)
        return replace(measured, trouble=self._cut(wrong, measured.lost))

    def _cut(self, wrong: str, lost: bool) -> str:
        """A cut is one only as long as the surface is not found again."""
        if not lost:
            self.state.cut_for = 0
            return "" if wrong == "cut" else wrong
        if wrong == "cut" or self.state.cut_for:
            self.state.cut_for += 1
            return "cut"
        return wrong

    @property
    def over(self) -> bool:
        """Whether the shot has been cut: there is nothing to follow any more."""
        return self.state.cut_for >= CUT_SURE

    def _check_size(self, codes: Codes) -> None:
        if (codes.shape[1], codes.shape[0]) != self.size:
            raise HushError(
                f"This frame is {codes.shape[1]} x {codes.shape[0]}, the anchor frame {self.size[0]} x {self.size[1]}.",
                "frame-size",
            )

    def _measured(self, luma: F32, frame: int | None, predicted: F64) -> Measured:
        view = self.look(luma, frame, predicted)
        start = self._searched(view, predicted)
        try:
            fit = self._nearer(view, self._solve(view, start, predicted, self.spread(self.state.seen)), predicted)
        except HushError as error:
            if error.kind != "lost":
                raise
            return self._carry_on(predicted)
        measured, now = self.judged(view, fit.coefficients)
        if self.state.lost_for and not self._found_again(measured, now):
            return self._carry_on(predicted)
        if self.state.steps > 0 and measured.seen < WELL_SEEN:
            measured, now = self._beside(view, predicted, (measured, now))
        torn = self._torn(measured.params, start) or self._pulled(measured, predicted)
        if (measured.lost or torn) and self.state.steps > 0:
            return self._carry_on(predicted)
        self._advance(measured, now)
        return measured

    def _nearer(self, view: View, fit: Fit, predicted: F64) -> Fit:
        """A mesh's answer, or a nearer one where it strays from how the surface went."""
        state = self.state
        if not isinstance(self.solver, MeshSolver) or state.lost_for or state.steps < 2:
            return fit
        reach = STRAYS + STRAYS_SHARE * self._apart(state.params, state.previous)
        strays = self._apart(fit.coefficients, predicted) > reach
        return nearer(self.solver, view, fit, predicted, state.params, self.spread(state.seen), strays)

    def _found_again(self, measured: Measured, now: confidence.Correlation) -> bool:
        """A surface that was lost is found when much of its ground is on the frame and looks as it did: a few cells at the
        border, or a mesh that has bent itself, look like anything."""
        steady = now.known & (self.state.first_mean > confidence.WEAK_BASELINE)
        if steady.any():
            alike = now.value[steady] / self.state.first_mean[steady]
            if float(np.quantile(alike, FOUND_QUANTILE)) < FOUND_ALIKE:
                return False
        ground = measured.cells != NOT_READ
        on_frame = ground & (measured.cells != OFF_FRAME)
        return bool(measured.seen >= FOUND_SEES and on_frame.sum() >= FOUND_ON_FRAME * ground.sum())

    def _beside(
        self, view: View, predicted: F64, first: tuple[Measured, confidence.Correlation]
    ) -> tuple[Measured, confidence.Correlation]:
        """What comes before the ground pulls at the map: a second answer, which reads only what still looks like the
        surface where it was expected, is taken when it sees more, or as much and lies nearer."""
        now = self._correlated(view, predicted, self.still)[0]
        visible = confidence.visibility(now, self.state.baseline)
        weight = np.where(now.known & (visible.weight < 0.5), 0, visible.weight).astype(np.float32)
        try:
            fit = self._solve(view, predicted, predicted, self.spread(weight))
        except HushError as error:
            if error.kind != "lost":
                raise
            return first
        second = self.judged(view, fit.coefficients)
        if second[0].lost or second[0].seen < first[0].seen - SEES_AS_MUCH:
            return first
        nearer = self._apart(second[0].params, predicted) < self._apart(first[0].params, predicted)
        return second if nearer or second[0].seen > first[0].seen + SEES_AS_MUCH else first

    def _apart(self, params: F64, others: F64) -> float:
        """RMS distance in px of two maps over the ground."""
        points = self.still.rect.corners
        points = np.concatenate([points, points.mean(0, keepdims=True)])
        miss = self.map_of(params).forward(points) - self.map_of(others).forward(points)
        return float(np.sqrt((miss**2).sum(-1).mean()))

    def _pulled(self, measured: Measured, predicted: F64) -> bool:
        """Whether a ground that is mostly hidden is said to have jumped: it follows what hides it."""
        if measured.seen >= MOSTLY_HIDDEN or self._pointed:
            return False
        if self.state.lost_for:  # found again far off, and hardly seen there: not found
            return self._apart(measured.params, predicted) > JUMP + self.state.lost_for
        went = self._apart(self.state.params, self.state.previous)
        return self._apart(measured.params, predicted) > JUMP + JUMP_SHARE * went

    def _torn(self, params: F64, start: F64) -> bool:
        """Whether a plane changed its size or shape within one frame as no surface does: it follows something else."""
        if self.method.bends:
            return False
        corners = self.still.rect.corners
        at = homography.apply(start, corners)
        slopes = homography.jacobian(params @ np.linalg.inv(start), at)
        sizes = np.linalg.svd(slopes, compute_uv=False)
        return bool(sizes.max() > MOST_STRETCH or sizes.min() < 1 / MOST_STRETCH)

    def judge(self, codes: Codes, frame: int | None, params: F64) -> Measured:
        """How good given parameters are on a frame; the state stays as it is."""
        self._check_size(codes)
        luma = channel_of(codes, self.method.prep.channel)
        return self.judged(self.look(luma, frame, params), params)[0]

    def place(self, codes: Codes, frame: int, params: F64, previous: F64 | None = None) -> Measured:
        """Begin at a frame whose parameters are known, as if it had just been measured."""
        self._check_size(codes)
        luma = channel_of(codes, self.method.prep.channel)
        measured, now = self.judged(self.look(luma, frame, params), params)
        # set by hand, it may lie a little beside what the picture says: nothing is held against the first step
        baseline = np.maximum(now.value, LIKELY).astype(np.float32)
        seen = np.ones_like(baseline)
        self.state = State(
            params, params if previous is None else previous, NEXT_TO_ANCHOR, baseline, baseline, seen,
            small=small(luma), template=self.state.template,
        )  # fmt: skip
        return measured

    def renew(self, codes: Codes, frame: int, params: F64) -> None:
        """Take the template anew from a frame, wherever the surface does not look there as on the anchor frame."""
        luma = channel_of(codes, self.method.prep.channel)
        view = self.look(luma, frame, params)
        now = self._correlated(view, params, self.anchor_still)[0]
        share = np.where(now.known, np.clip((RENEW_AT - now.value) / RENEW_RAMP, 0, 1), 0).astype(np.float32)
        self._take_template(view, Template(frame, params, share))

    def restore(self, state: State, codes: Codes | None) -> None:
        """Take a stored state up; ``codes``: the frame of its template, when it has one."""
        self.state = state
        if state.template is not None and codes is not None:
            luma = channel_of(codes, self.method.prep.channel)
            self._take_template(self.look(luma, state.template.frame, state.template.params), state.template)

    def _take_template(self, view: View, taken: Template) -> None:
        levels = range(len(self.still.weights))
        warped, readable = zip(*(self.solver.unwarp(view, taken.params, level) for level in levels), strict=True)
        share = cv2.GaussianBlur(self.spread(taken.share), (0, 0), confidence.CELL / 2)
        self.still = renewed(self.anchor_still, warped, readable, share)
        self.solver.still = self.still
        self.state.template, self.state.renewed_for = taken, 0

    def _renew_by_evidence(self, luma: F32, frame: int | None, measured: Measured) -> None:
        """Renew when much of the ground has changed its look and the rest still says where it is."""
        state = self.state
        state.renewed_for += 1
        if not self.method.renew or measured.lost or frame is None or state.renewed_for < RENEW_EVERY:
            return
        view = self.look(luma, frame, measured.params)
        now = self._correlated(view, measured.params, self.anchor_still)[0]
        changed = now.known & (state.first_mean - now.value > RENEW_DROP) & (state.seen > 0.5)
        if changed.sum() < RENEW_SHARE * max(1, now.known.sum()):
            return
        share = np.clip((state.first_mean - RENEW_DROP / 2 - now.value) / RENEW_RAMP, 0, 1) * now.known
        self._take_template(view, Template(frame, measured.params, share.astype(np.float32)))

    def agreement(self, view: View, params: F64) -> float:
        """Correlation (-1..1) of the template with the frame brought to the anchor's pose."""
        return agreement(self.solver, view, params)

    def map_of(self, params: F64) -> HoldMap:
        """The map that these parameters describe."""
        if not self.method.bends or self.grid is None:
            return PlanarMap(params)
        return MeshMap(self.grid, params)

    def look(self, luma: F32, frame: int | None, params: F64) -> View:
        """What the tracker sees of a frame, where the parameters say that the surface is."""
        return look_at(luma, self._view_rect(params), self.method.prep, self.ground.hidden(frame))

    def _solve(self, view: View, start: F64, predicted: F64, seen: F32) -> Fit:
        first = self.state.steps == 0
        if isinstance(self.solver, MeshSolver):
            return self.solver.solve(view, start, predicted, self.state.params, seen, first)
        return self.solver.solve(view, start, self.state.params, seen, first)

    def _predict(self) -> F64:
        now, before = self.state.params, self.state.previous
        if not self.method.bends:
            corners = self.still.rect.corners
            ahead = 2 * homography.apply(now, corners) - homography.apply(before, corners)
            return homography.fit(corners, ahead)
        assert self.grid is not None
        velocity = now - before
        straight = spline.affine_part(self.grid, velocity)
        return np.asarray(now + straight + BEND_KEPT * (velocity - straight))

    def strides(self, times: float) -> None:
        """The next frame is so many ``times`` as far off as the last one was from the one before: what is predicted goes on as
        much further."""
        state = self.state
        if times == 1 or state.steps < 1:
            return
        if self.method.bends:
            self.state = replace(state, previous=state.params - times * (state.params - state.previous))
            return
        corners = self.still.rect.corners
        now, before = (homography.apply(each, corners) for each in (state.params, state.previous))
        self.state = replace(state, previous=homography.fit(corners, now - times * (now - before)))

    def _gone_back(self, before: State, params: F64) -> F64:
        """A previous place that keeps the velocity from before a repeated frame."""
        if self.method.bends:
            return np.asarray(params - (before.params - before.previous))
        return np.asarray(params @ np.linalg.inv(before.params) @ before.previous)

    def _view_rect(self, predicted: F64) -> Rect:
        xs, ys = self.solver.positions(predicted, COARSEST)
        if not (np.isfinite(xs).all() and np.isfinite(ys).all()):
            raise HushError("The hold has broken down before this frame; redo it from the anchor.", "bad-hold")
        width, height = self.size
        low = (max(-width, int(xs.min())), max(-height, int(ys.min())))
        high = (min(2 * width, int(xs.max()) + 1), min(2 * height, int(ys.max()) + 1))
        margin = MARGIN + int(self._reach_of_search() + (max(self.method.search) if self._pointed else 0))
        return Rect(low[0], low[1], max(high[0], low[0] + 16), max(high[1], low[1] + 16)).grown(margin)

    def _reach_of_search(self) -> float:
        """px round the prediction in which a lost surface is looked for: the longer it is gone, the wider."""
        return min(WIDEST_SEARCH, WIDER_EACH * self.state.lost_for)

    @property
    def _pointed(self) -> bool:
        return self.method.kind in ("point", "two-point")

    def _searched(self, view: View, predicted: F64) -> F64:
        """The prediction, moved when correlation clearly says so."""
        if self.state.lost_for:
            moved: F64 | None = search.anywhere(self.solver, view, predicted, self._reach_of_search())
        elif self._pointed:
            moved = search.windows(self.still, self.ground, self.method.search, view, predicted)
        else:
            moved = search.shifted(self.solver, view, predicted)
        # at 1/8 size moving shading looks like motion: the weave at half size has the last word
        best, found = predicted, agreement(self.solver, view, predicted)
        if moved is not None and (better := agreement(self.solver, view, moved)) > found + SEARCH_BETTER_BY:
            best, found = moved, better
        if self.method.bends and found < FLAT_BELOW:
            flat = self._flat_start(view, best)
            if flat is not None and agreement(self.solver, view, flat) > found + COARSE_BETTER_BY:
                best = flat
        return best

    def _flat_start(self, view: View, start: F64) -> F64 | None:
        """A plane's answer under the mesh: large turns and perspective, with the bends of ``start`` kept."""
        assert self.grid is not None
        corners = self.still.rect.corners
        plane = PlanarSolver(self.still, "perspective")
        try:
            flat = homography.fit(corners, self.map_of(start).forward(corners))
            found = plane.solve(view, flat, flat, self.spread(self.state.seen), False).coefficients
        except HushError:  # too little to see for a plane: the mesh goes on from where it is
            return None
        move = found @ np.linalg.inv(flat)
        held = self.map_of(start)
        return spline.fitted(self.grid, lambda points: homography.apply(move, held.forward(points)))

    def spread(self, cells: F32) -> F32:
        """Cell weights at the template's full size."""
        height, width = self.still.ground.shape
        return np.ascontiguousarray(cv2.resize(cells, (width, height), interpolation=cv2.INTER_LINEAR))

    def _carry_on(self, predicted: F64) -> Measured:
        state = self.state
        drift = np.full(state.seen.shape, confidence.WORST, np.float32)
        faded = state.params + BEND_KEPT * (predicted - state.params)
        before = state.params
        if state.lost_for == 0 and state.sound is not None and 0 < state.unsound_for <= PULLED_FOR:
            # what hides the surface may have pulled at the map before that was noticed
            last, earlier = state.sound
            before = last + state.unsound_for * (last - earlier)
            faded = before + BEND_KEPT * (last - earlier)
        self.state = replace(state, params=faded, previous=before, steps=state.steps + 1, lost_for=state.lost_for + 1)
        cells = cells_of(self.map_of(faded), self.still, self.size, np.zeros_like(state.seen))
        return Measured(faded, drift, float(drift.mean()), cells, 0.0, True)

    def _correlated(self, view: View, params: F64, against: Still) -> tuple[confidence.Correlation, F32, F32, F32]:
        """Correlation with a template at half size; and its picture, the unwarped frame, and the weights."""
        level = confidence.HALF_SIZE
        still = against.view.levels[level].picture
        warped, readable = self.solver.unwarp(view, params, level)
        weight = self.still.weights[level] * readable
        return confidence.correlate(still, warped, weight, confidence.CELL >> level), still, warped, weight

    def judged(self, view: View, params: F64) -> tuple[Measured, confidence.Correlation]:
        """What a frame says of these parameters."""
        state = self.state
        now, still, warped, weight = self._correlated(view, params, self.still)
        baseline = now.value if state.steps == 0 else state.baseline
        visible = confidence.visibility(now, baseline)
        seen = visible.weight
        lost = visible.sure < min(SURE_CELLS, max(1, now.known.sum() // 4)) or visible.sure_share < SURE_SHARE
        first_mean, plane = self._first_mean(now.value), not self.method.bends
        drift = self._drift.of(still, warped, weight, now, first_mean, state.steps + 1, plane)
        rms = over_ground(drift, now.known, seen)
        cells = cells_of(self.map_of(params), self.still, self.size, np.where(now.known, seen, 0))
        return Measured(params, drift, rms, cells, visible.share, lost), now

    def _advance(self, measured: Measured, now: confidence.Correlation) -> None:
        state = self.state
        baseline = now.value if state.steps == 0 else state.baseline
        seen = confidence.visibility(now, baseline).weight
        steady = now.known & (seen > 0.5)
        baseline = np.where(steady, baseline + confidence.BASELINE_RATE * (now.value - baseline), baseline)
        first_mean = self._first_mean(now.value)
        baseline = np.maximum(
            baseline, confidence.BASELINE_LEAST * first_mean
        )  # else a hold that slips gets used to it
        well = measured.seen >= WELL_SEEN
        sound = np.stack([measured.params, state.params]) if well else state.sound
        # a surface found again did not move there from where it was thought to be
        previous = measured.params if state.lost_for else state.params
        self.state = replace(
            state, params=measured.params, previous=previous, steps=state.steps + 1,
            baseline=baseline.astype(np.float32), first_mean=first_mean, seen=seen, lost_for=0, sound=sound,
            unsound_for=0 if well else state.unsound_for + 1,
        )  # fmt: skip

    def _first_mean(self, value: F32) -> F32:
        steps = self.state.steps
        if steps >= NEXT_TO_ANCHOR:
            return self.state.first_mean
        return np.asarray((self.state.first_mean * steps + value) / (steps + 1), np.float32)


def make_tracker(codes: Codes, ground: Ground, method: Method | str, frame: int | None = None) -> Tracker:
    """A tracker that starts on the anchor frame ``codes`` (h, w, c), numbered ``frame``.

    ``method``: in full, or only a kind. Raises HushError for an unknown kind or a ground that cannot be held.
    """
    method = Method(method) if isinstance(method, str) else method
    method.check()
    height, width = codes.shape[:2]
    region = ground.rect(width, height)
    search.check(method.kind, ground)
    grid = spline.Grid.over(region, method.stiffness.spacing) if method.bends else None
    luma = channel_of(codes, method.prep.channel)
    still = make_still(luma, ground, grid.rect if grid else region.grown(8), method.prep, ground.hidden(frame))
    solver = MeshSolver(still, grid, method.stiffness) if grid else PlanarSolver(still, method.freedom)
    half = still.view.levels[confidence.HALF_SIZE].picture
    cells = (-(-half.shape[0] // 8), -(-half.shape[1] // 8))
    start = np.zeros((*grid.shape, 2)) if grid else np.eye(3)
    ones = np.ones(cells, np.float32)
    state = State(start, start.copy(), 0, ones, np.zeros(cells, np.float32), ones, small=small(luma))
    return Tracker(method, ground, still, still, grid, (width, height), solver, state)
