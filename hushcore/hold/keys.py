"""Corrections by hand: where the artist says that places of the surface are on a frame, as a map."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from scipy.sparse.linalg import spsolve

from hushcore.arrays import F64
from hushcore.errors import HushError
from hushcore.geometry import homography, spline
from hushcore.hold.record import Hold

PIN_WEIGHT = 1e4  # of a pin against the bending that it asks for: pins are met to a few thousandths of a px
CLOSEST = 0.5  # px: two pins on one place that want to go to two places contradict each other
FOLDS = 0.02  # smallest area that a place may shrink to under a key


@dataclass(frozen=True)
class Pin:
    """A place of the still surface, and where it is on the frame; px."""

    still: tuple[float, float]
    at: tuple[float, float]


def corrected(hold: Hold, params: F64, pins: Sequence[Pin], whole: bool, reach: float) -> F64:
    """Parameters that take every pin to its place.

    A plane is moved as plainly as the pins allow: one shifts it, two turn and scale it, three shear it, four and more
    place it in perspective. A mesh is pulled within about ``reach`` px of each pin, or as a plane when ``whole``.
    Raises HushError for pins that contradict each other or would fold the surface over.
    """
    if not pins:
        raise HushError("Drag the hold, a corner or a point of the mesh to where it should be.", "bad-key")
    still = np.array([pin.still for pin in pins], float)
    at = np.array([pin.at for pin in pins], float)
    _check_pins(still, at)
    now = hold.map_of(params)
    if hold.grid is None:
        made: F64 = homography.fit_simple(now.forward(still), at) @ params
        made = made / made[2, 2]
    elif whole:
        move = homography.fit_simple(now.forward(still), at)
        made = spline.fitted(hold.grid, lambda points: homography.apply(move, now.forward(points)))
    else:
        made = params + _pulled(hold.grid, still, at - now.forward(still), reach)
    _check_folds(hold, made, still)
    return np.asarray(made)


def _check_pins(still: F64, at: F64) -> None:
    for i in range(len(still)):
        for j in range(i):
            if np.hypot(*(still[i] - still[j])) < CLOSEST and np.hypot(*(at[i] - at[j])) > CLOSEST:
                raise HushError("Two points of this key are on one place and pull two ways; take one away.", "bad-key")


def _check_folds(hold: Hold, params: F64, still: F64) -> None:
    slopes = hold.map_of(params).jacobian(still)
    if np.linalg.det(slopes).min() < FOLDS:
        raise HushError("This key would fold the surface over itself; move its points less far.", "bad-key")


def _pulled(grid: spline.Grid, still: F64, pull: F64, reach: float) -> F64:
    """The smoothest change of the spline that meets the pulls and has died away at ``reach`` px from them.

    Minimises |pins|^2 weighted + R^4 bending + |change|^2 per area: the response of a plate on an elastic bed, whose
    deflection crosses zero at about four times its characteristic length.
    """
    length = max(reach, grid.spacing) / 4
    rows = np.stack([_basis(grid, point) for point in still])
    gram = spline.bending_gram(grid)
    bed = sp.identity(gram.shape[0]) * grid.spacing**2
    system = sp.csc_matrix(
        length**4 * gram + bed + PIN_WEIGHT * length**2 * (sp.csr_matrix(rows.T) @ sp.csr_matrix(rows))
    )
    change = spsolve(system, PIN_WEIGHT * length**2 * rows.T @ pull)
    return np.asarray(change).reshape(*grid.shape, 2)


def _basis(grid: spline.Grid, point: F64) -> F64:
    in_x = spline.basis_rows(point[:1], grid.left, grid.spacing, grid.across)[0]
    in_y = spline.basis_rows(point[1:], grid.top, grid.spacing, grid.down)[0]
    return np.outer(in_y, in_x).ravel()
