"""A second answer for a mesh, begun where the motion should have gone: taken where the first one strays and is not clearly
better for it.

A weave looks much like itself a thread further, and a mesh that is squeezed looks like anything: an answer found from afar by
correlation may fit as well as the true one, or a little better. A surface goes on as it went.
"""

import numpy as np

from hushcore.arrays import F32, F64
from hushcore.errors import HushError
from hushcore.hold.maps import MeshMap
from hushcore.hold.mesh import AGREES, Fit, MeshSolver, agreement
from hushcore.hold.picture import View

STRAYS, STRAYS_SHARE = 2.0, 0.25  # px from the prediction, and share of the motion, from which it is looked at again
SQUEEZED, STRETCHED = 0.7, 1.45  # of its size as predicted: a surface is not that within one frame
# of correlation: by which a nearer answer must be better, and by which a squeezed one must be
BETTER_BY, SQUEEZED_BY = 0.05, 0.12
LEVEL = 3  # at whose pixels sizes are compared


def nearer(solver: MeshSolver, view: View, fit: Fit, predicted: F64, previous: F64, seen: F32, strays: bool) -> Fit:
    """``fit``, or what the fine levels alone make of the prediction where that is the better answer.

    ``predicted``, ``previous``: coefficients; ``seen``: visibility (h, w) at the template's finest level; ``strays``:
    whether the fit lies further from the prediction than surfaces do.
    """
    pressed = squeezed(solver, fit.coefficients, predicted)
    if not (strays or pressed):
        return fit
    found = agreement(solver, view, fit.coefficients)
    if found > AGREES and not pressed:
        return fit
    try:
        rival = solver.polish(view, predicted, previous, seen)
    except HushError as error:
        if error.kind != "lost":
            raise
        return fit
    must = SQUEEZED_BY if pressed and not squeezed(solver, rival.coefficients, predicted) else -BETTER_BY
    return fit if found >= agreement(solver, view, rival.coefficients) + must else rival


def squeezed(solver: MeshSolver, params: F64, predicted: F64) -> bool:
    """Whether much of the ground is squeezed or stretched against what was predicted of it."""
    rows, cols = np.nonzero(solver.still.weights[LEVEL] > 0)
    if not len(rows):
        return False
    xs, ys = solver.still.axes(LEVEL)
    points = np.stack([xs[cols], ys[rows]], -1)
    now, expected = (MeshMap(solver.grid, each).jacobian(points) for each in (params, predicted))
    sizes = np.linalg.svd(now @ np.linalg.pinv(expected), compute_uv=False)
    return bool(np.quantile(sizes[:, 1], 0.1) < SQUEEZED or np.quantile(sizes[:, 0], 0.9) > STRETCHED)
