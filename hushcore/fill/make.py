"""One driver for the fills that are solved once on the still surface: the part round the hole, in tonal values."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, Mask, Rect, padded_cut
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.fill import borrow as borrowing
from hushcore.fill.contour import contour
from hushcore.fill.plan import Fill
from hushcore.fill.pull import pull
from hushcore.fill.soak import soak
from hushcore.fill.weave import weave
from hushcore.geometry.paths import signed_distance
from hushcore.geometry.placed import taken

HALF = 0.5  # of the matte: the hole ends there, and what is filled goes over into the surface's own within its softness
AROUND, AROUND_MOST = 1.2, 200  # times the hole's size, px: how much of the surface round it is looked at
AROUND_LEAST = 56


@dataclass(frozen=True)
class Job:
    """A hole (h, w) over ``rect`` in a linear ``picture`` of ``frame`` over ``origin``; the ``tonal`` values of ``rect``."""

    frame: int
    picture: F32
    origin: Rect
    rect: Rect
    hole: Mask
    tonal: F32
    edge: Edge
    encoding: Encoding


def filled(picture: F32, origin: Rect, edge: Edge, fill: Fill, encoding: Encoding, frame: int) -> F32:
    """A copy of a linear ``picture`` (h, w, 3), over ``origin``, with the mark's place filled; all else as it was.

    Raises HushError for a fill that cannot be made here.
    """
    fill.check()
    rect, hole = hole_of(edge, frame, origin)
    if not hole.any():
        raise HushError("The mark lies outside the picture on this frame, so nothing can be filled here.", "outside")
    if hole.all():
        raise HushError(
            "The mark covers all of the picture, so there is nothing beside it to fill it from.", "no-ground"
        )
    part = padded_cut(picture, rect.moved(-origin.left, -origin.top))
    job = Job(frame, picture, origin, rect, hole, encoding.tonal_of(np.maximum(part, 0)), edge, encoding)
    made = encoding.from_tonal(_KINDS[fill.kind](job, fill))
    out = np.array(picture)
    out[rect.moved(-origin.left, -origin.top).slices][hole] = made[hole]
    return out


def hole_of(edge: Edge, frame: int, origin: Rect) -> tuple[Rect, Mask]:
    """Where the mark is on the still surface, on any of the edge's keys, and enough of the surface round it."""
    core = edge.rect()
    size = max(core.width, core.height)
    margin = int(np.clip(AROUND * size, AROUND_LEAST, AROUND_MOST))
    rect = core.grown(margin).within(origin)
    if rect.empty:
        return rect, np.zeros((0, 0), bool)
    keyed = {number for outline in edge.outlines for number, _ in outline.keys} if edge.changes else {frame}
    hole = np.zeros((rect.height, rect.width), bool)
    for number in {frame, *keyed}:
        hole |= edge.matte(rect, number) >= HALF
    return rect, hole


def _soak(job: Job, fill: Fill) -> F32:
    return soak(job.tonal, job.hole, fill.smooth)


def _contour(job: Job, fill: Fill) -> F32:
    return contour(job.tonal, job.hole, fill.smooth, fill.way, fill.seed)


def _pull(job: Job, fill: Fill) -> F32:
    lines = [outline for outline in job.edge.outlines if outline.width is not None and not outline.takes]
    if fill.direction is not None or not lines:
        return pull(job.tonal, job.hole, fill.direction, fill.side, fill.smooth)
    points = lines[0].keys[0][1].line(False)[0]
    return pull(job.tonal, job.hole, None, fill.side, fill.smooth, borrowing.line_normals(points, job.rect))


def _weave(job: Job, fill: Fill) -> F32:
    if fill.place is None:
        return weave(job.tonal, job.hole, fill.smooth, fill.patch, None, fill.seed)
    # a place far away is brought beside the hole: the part that is looked at holds both
    both = Rect.around(np.concatenate([fill.place, job.rect.corners])).within(job.origin)
    local = both.moved(-job.origin.left, -job.origin.top)
    tonal = job.encoding.tonal_of(np.maximum(padded_cut(job.picture, local), 0))
    hole = np.zeros((both.height, both.width), bool)
    inner = job.rect.moved(-both.left, -both.top).slices
    hole[inner] = job.hole
    made = weave(tonal, hole, fill.smooth, fill.patch, signed_distance(fill.place, both) > 0, fill.seed)
    return np.asarray(made[inner])


def _borrow(job: Job, fill: Fill) -> F32:
    centre = borrowing.centre_of(job.hole, job.rect)
    x, y = borrowing.where(job.rect, centre, fill.at(job.frame), fill.flip)
    borrowing.check_donor(x, y, job.hole, job.rect, job.origin)
    donor = borrowing.set_to_fit(taken(job.picture, job.origin, x, y), fill)
    return borrowing.borrow(job.tonal, job.hole, job.encoding.tonal_of(np.maximum(donor, 0)), fill.fit)


_KINDS: dict[str, Callable[[Job, Fill], F32]] = {
    "soak": _soak, "contour": _contour, "pull": _pull, "weave": _weave, "borrow": _borrow,
}  # fmt: skip
ON_THE_SURFACE = tuple(_KINDS)
