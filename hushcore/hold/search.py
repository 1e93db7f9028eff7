"""Where to begin: large moves between two frames, found by correlation."""

import cv2
import numpy as np

from hushcore.arrays import F64, Rect
from hushcore.errors import HushError
from hushcore.geometry import homography
from hushcore.geometry.spline import Grid, control_points
from hushcore.hold import kernels
from hushcore.hold.mesh import MeshSolver
from hushcore.hold.picture import LEVELS, View
from hushcore.hold.planar import PlanarSolver
from hushcore.hold.still import Ground, Still

COARSEST = LEVELS - 1
REACH = 3  # coarsest-level px each way: 24 px
BETTER_BY = 0.03
FAR_COSTS = 0.04  # of correlation, at the end of the search window
LEVEL = 1  # half size: where windows are looked for
FAR_LEVEL = 2  # quarter size: where a lost surface is looked for
FOUND = 0.45  # correlation of the whole template from which that is where it is
CLOSE = 3.0  # px each way, at full size
POINTS = {"point": 1, "two-point": 2}


def check(kind: str, ground: Ground) -> None:
    """Raises HushError when a point hold does not have just as many windows as it needs."""
    wanted = POINTS.get(kind)
    if wanted and len(ground.read) != wanted:
        many = "one window" if wanted == 1 else "two windows"
        raise HushError(f"A {kind} hold reads {many}; there are {len(ground.read)} shapes in the ground.", "bad-ground")


def shifted(solver: MeshSolver | PlanarSolver, view: View, predicted: F64) -> F64 | None:
    """The prediction shifted by whole coarse pixels where correlation at 1/8 size clearly says so."""
    still = solver.still
    map_x, map_y = view.to_level(*solver.positions(predicted, COARSEST), COARSEST)
    scores = np.zeros((2 * REACH + 1,) * 2)
    kernels.search_shift(
        still.view.levels[COARSEST].picture, still.weights[COARSEST], view.levels[COARSEST].picture,
        map_x, map_y, REACH, scores,
    )  # fmt: skip
    best = np.unravel_index(int(scores.argmax()), scores.shape)
    if scores[best] < scores[REACH, REACH] + BETTER_BY:
        return None
    dy, dx = ((int(b) - REACH) * 2.0**COARSEST for b in best)
    return moved(predicted, np.array([dx, dy]))


def moved(params: F64, by: F64) -> F64:
    """Parameters whose map lies ``by`` px beside."""
    if params.shape != (3, 3):
        return np.asarray(params + by)
    shift = np.eye(3)
    shift[:2, 2] = by
    return np.asarray(shift @ params)


def grown(params: F64, grid: Grid | None, about: F64, by: float) -> F64:
    """Parameters (``grid``: of a mesh) whose map is ``by`` times as large, about a place of the frame."""
    if grid is None:
        scale = np.diag([by, by, 1.0])
        scale[:2, 2] = (1 - by) * about
        return np.asarray(scale @ params)
    places = control_points(grid)
    return np.asarray(about + by * (places + params - about) - places)


def anywhere(solver: MeshSolver | PlanarSolver, view: View, predicted: F64, reach: float) -> F64 | None:
    """The prediction moved to where the whole template is found again, up to ``reach`` px away; None when it is not.

    For a surface that was covered: where it has gone meanwhile nobody has seen.
    """
    still = solver.still
    rows, cols = np.nonzero(still.weights[FAR_LEVEL] > 0)
    step = 1 << FAR_LEVEL
    if len(rows) < 16:
        return None
    left, top = still.rect.left + int(cols.min()) * step, still.rect.top + int(rows.min()) * step
    window = Rect(left, top, left + int(np.ptp(cols) + 1) * step, top + int(np.ptp(rows) + 1) * step)
    centre = np.array([(window.left + window.right - 1) / 2, (window.top + window.bottom - 1) / 2])
    expected = _placed(solver, predicted, centre)
    move, score = _scored(still, window, expected, (reach, reach), view, FAR_LEVEL)
    if score < FOUND:
        return None
    for level in (LEVEL, 0):
        close = 2.0 * (2 << level)
        move = move + _matched(still, window, expected + move, (close, close), view, level)
    return moved(predicted, move)


def _placed(solver: MeshSolver | PlanarSolver, params: F64, point: F64) -> F64:
    """Where parameters take a still point."""
    if params.shape == (3, 3):
        return homography.apply(params, point)
    assert isinstance(solver, MeshSolver)
    return solver.hold(params).forward(point)


def windows(still: Still, ground: Ground, reach: tuple[float, float], view: View, predicted: F64) -> F64:
    """The prediction (3, 3), moved to where each window of a point hold is found again."""
    centres, places = [], []
    for shape in ground.read:
        window = Rect.around(shape)
        centre = np.array([(window.left + window.right - 1) / 2, (window.top + window.bottom - 1) / 2])
        expected = homography.apply(predicted, centre)
        centres.append(expected)
        places.append(expected + _found(still, window, expected, reach, view))
    move = homography.fit_simple(np.array(centres), np.array(places))
    return np.asarray(move @ predicted)


def _found(still: Still, window: Rect, expected: F64, reach: tuple[float, float], view: View) -> F64:
    """How far (px) a window lies from where it was expected: over the whole reach at half size, then closely."""
    far = _matched(still, window, expected, reach, view, LEVEL)
    return far + _matched(still, window, expected + far, (CLOSE, CLOSE), view, 0)


def _matched(still: Still, window: Rect, expected: F64, reach: tuple[float, float], view: View, level: int) -> F64:
    """The best place of a window within ``reach`` by normalised correlation on one level, as a shift in px."""
    return _scored(still, window, expected, reach, view, level)[0]


def _scored(
    still: Still, window: Rect, expected: F64, reach: tuple[float, float], view: View, level: int
) -> tuple[F64, float]:
    """``_matched`` and the correlation there (-1 when the window does not fit into what is seen)."""
    step = 1 << level
    patch = _cut(still.view.levels[level].picture, window, still.rect, step)
    search_x, search_y = (round(r / step) for r in reach)
    source = view.levels[level].picture
    x = (expected[0] + 0.5 - view.rect.left) / step - patch.shape[1] / 2
    y = (expected[1] + 0.5 - view.rect.top) / step - patch.shape[0] / 2
    left, top = round(x), round(y)
    low_x, low_y = max(0, left - search_x), max(0, top - search_y)
    region = source[low_y : top + patch.shape[0] + search_y, low_x : left + patch.shape[1] + search_x]
    if region.shape[0] < patch.shape[0] or region.shape[1] < patch.shape[1] or min(patch.shape) < 4:
        return np.zeros(2), -1.0
    scores = cv2.matchTemplate(np.ascontiguousarray(region), patch, cv2.TM_CCOEFF_NORMED)
    rows, cols = np.mgrid[0 : scores.shape[0], 0 : scores.shape[1]]
    dx, dy = cols + low_x - left, rows + low_y - top
    costs = FAR_COSTS * ((dx / max(1, search_x)) ** 2 + (dy / max(1, search_y)) ** 2)
    best = np.unravel_index(int((scores - costs).argmax()), scores.shape)
    here = scores[np.clip(top - low_y, 0, scores.shape[0] - 1), np.clip(left - low_x, 0, scores.shape[1] - 1)]
    if scores[best] < here + BETTER_BY:
        return np.zeros(2), float(here)
    return np.array([dx[best], dy[best]], float) * step, float(scores[best])


def _cut(picture: np.ndarray, window: Rect, rect: Rect, step: int) -> np.ndarray:
    left, top = (window.left - rect.left) // step, (window.top - rect.top) // step
    wide, tall = max(1, window.width // step), max(1, window.height // step)
    return np.ascontiguousarray(picture[max(0, top) : top + tall, max(0, left) : left + wide])
