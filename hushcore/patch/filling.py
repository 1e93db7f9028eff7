"""Plates that nobody painted: the frame held still with the mark's place filled; and donors taken from every frame."""

from dataclasses import replace

import numpy as np

from hushcore.arrays import F32, Codes, Mask, Rect
from hushcore.colour.encoding import Encoding
from hushcore.errors import HushError
from hushcore.fill import borrow as borrowing
from hushcore.fill.make import filled, hole_of
from hushcore.fill.plan import Fill
from hushcore.hold.record import Hold
from hushcore.patch.plan import Plan
from hushcore.patch.redone import creases_in, softened_on
from hushcore.plates.plate import Plate, sample_linear, with_strokes
from hushcore.plates.shade import shaded_in
from hushcore.retouch.strokes import Donors

SHADE_AROUND = 30  # px round the edge
OFF_MOST = 0.01  # share of a donor that may lie beyond the frame


def filled_plate(
    plate: Plate,
    frame: int,
    plan: Plan,
    donor: Hold | None = None,
    codes: Codes | None = None,
    shades: F32 | None = None,
) -> Plate:
    """A plate with its mark filled as the plan says, for a fill that is solved once. ``donor``: the hold that carries what
    is borrowed, ``codes`` the plate's frame then; ``shades``: what ``shading`` says of the light on the plate, which a fill
    smooths away and gets back. A plate for another source, or filled from other frames, as it is.

    Raises HushError for a fill that cannot be made on this frame.
    """
    fill = plan.fill
    if plan.source != "fill" or fill is None or plan.from_others:
        return plate
    if fill.kind == "borrow" and donor is not None:
        if codes is None or not donor.has(frame):
            raise HushError(f"The donor's hold does not reach frame {frame}; track it to there.", "not-held")
        return replace(plate, painted=_carried(plate, frame, plan, fill, donor, codes))
    made = filled(plate.painted, plate.rect, plan.edge, fill, plate.encoding, frame)
    if shades is not None and (fill.fit or fill.kind != "borrow"):  # else its tone is the donor's own
        rect, hole = hole_of(plan.edge, frame, plate.rect)
        shaded_in(made, rect.moved(-plate.rect.left, -plate.rect.top), hole, shades)
    return replace(plate, painted=made)


def shading_area(plan: Plan) -> Rect:
    """Where the light on a plate must be known for a fill."""
    return plan.edge.rect().grown(SHADE_AROUND)


def on_its_own(plate: Plate, frame: int, plan: Plan, donors: Donors | None) -> Plate:
    """A plate as a source that works on each frame's own pixels leaves it on its frame."""
    if plan.source == "retrace":
        return with_strokes(plate, [stroke for stroke in plan.strokes if stroke.on(frame)], donors)
    return _softened(plate, frame, plan) if plan.source == "soften" else plate


def _softened(plate: Plate, frame: int, plan: Plan) -> Plate:
    assert plan.soften is not None
    rect = plan.edge.rect().grown(int(4 * plan.soften.scale)).within(plate.rect)
    if rect.empty:
        return plate
    local = rect.moved(-plate.rect.left, -plate.rect.top).slices
    matte, part = plan.edge.matte(rect, frame), plate.painted[local]
    creases = creases_in(part, matte, plate.encoding) if plan.soften.lines > 0 else None
    scale, added = softened_on(part, plan.soften, creases, plate.encoding)
    out = np.array(plate.painted)
    out[local] += matte[..., None] * (part * scale + added - part)
    return replace(plate, painted=out)


def _carried(plate: Plate, frame: int, plan: Plan, fill: Fill, donor: Hold, codes: Codes) -> F32:
    """The plate with a donor on its own hold in the mark's place."""
    rect, hole = hole_of(plan.edge, frame, plate.rect)
    taken = taken_from(codes, frame, rect, hole, fill, donor, plate.encoding)
    if taken is None:
        raise HushError(borrowing.OUTSIDE, "donor-outside")
    local = rect.moved(-plate.rect.left, -plate.rect.top)
    tonal, other = (plate.encoding.tonal_of(np.maximum(side, 0)) for side in (plate.painted[local.slices], taken))
    made = plate.encoding.from_tonal(borrowing.borrow(tonal, hole, other, fill.fit))
    out = np.array(plate.painted)
    out[local.slices][hole] = made[hole]
    return out


def taken_from(
    codes: Codes, frame: int, rect: Rect, hole: Mask, fill: Fill, donor: Hold, encoding: Encoding
) -> F32 | None:
    """What a frame shows at the donor's place (linear, over ``rect`` of the mark's still surface), set to fit; None where
    the donor of the ``hole`` (h, w) is not held or lies beyond the picture."""
    if not donor.has(frame):
        return None
    x, y = borrowing.where(rect, borrowing.centre_of(hole, rect), fill.at(frame), fill.flip)
    at = donor.at(frame).forward(np.stack([x.ravel(), y.ravel()], -1).astype(float))
    u, v = (np.asarray(at[:, k].reshape(x.shape), np.float32) for k in (0, 1))
    off = (u < 0) | (v < 0) | (u > codes.shape[1] - 1) | (v > codes.shape[0] - 1)
    if off[hole].mean() > OFF_MOST:
        return None
    return borrowing.set_to_fit(sample_linear(codes, u, v, encoding), fill)
