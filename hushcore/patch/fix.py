"""A fix made ready: what stays the same through a shot, and where it lies on each frame."""

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from hushcore.arrays import F32, Codes, Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.hold.maps import HoldMap, dense_forward
from hushcore.hold.record import Hold
from hushcore.light import steady
from hushcore.light.fields import Light
from hushcore.patch import place as places
from hushcore.patch.place import Place
from hushcore.patch.plan import Evidence, Plan
from hushcore.patch.sheets import Sheet, prepared
from hushcore.plates.art import Art
from hushcore.plates.plate import Plate

Reader = Callable[[int], Codes]
MARGIN = 28  # px round the matte for the ring
LEAST_COVER = 1 / 4096  # of a mix; below it no code changes


@dataclass(frozen=True)
class Fix:
    """Everything that stays the same through the shot. ``rect`` of the still surface holds the mark and its ring.

    ``matte``: on the still surface, when it is the same on all frames. ``read``: frames for light that is averaged
    over time. ``seed`` names the fix, so that grain differs between fixes and not between runs.
    """

    hold: Hold
    plan: Plan
    rect: Rect
    sheets: tuple[Sheet, ...]
    matte: F32 | None
    outside: F32 | None
    evidence: Evidence = field(default_factory=Evidence)
    encoding: Encoding = SRGB
    read: Reader | None = None
    seed: int = 0
    lights: OrderedDict[tuple[int, int], Light] = field(default_factory=OrderedDict, compare=False)

    @property
    def reach(self) -> int:
        """How many frames either side of one the hold must know to lay it."""
        return steady.REACH + 1 if self.plan.match.steady > 0 else 1


def make_fix(
    hold: Hold,
    plan: Plan,
    plates: Sequence[tuple[int, Plate]],
    evidence: Evidence | None = None,
    art: Art | None = None,
    read: Reader | None = None,
    seed: int = 0,
) -> Fix:
    """Prepare a fix from its plates (frame and plate each). Raises HushError for a plan that cannot be laid."""
    plan.check()
    evidence = evidence or Evidence()
    encoding = plates[0][1].encoding
    rect = _still_rect(hold, plan).within(_union([plate.rect for _, plate in plates]).grown(MARGIN))
    fixed = not plan.stands and not plan.edge.changes
    matte = plan.edge.matte(rect) if fixed else None
    gleam = plan.gleam(evidence)
    sheets = tuple(
        prepared(
            plate, frame, rect, plan, evidence, art, encoding.white("uint16"),
            None if gleam is None else gleam.at(*dense_forward(hold.at(frame), rect)),
        )
        for frame, plate in plates
    )  # fmt: skip
    outside = None if matte is None else places.outside_of(matte)
    return Fix(hold, plan, rect, sheets, matte, outside, evidence, encoding, read, seed)


def _still_rect(hold: Hold, plan: Plan) -> Rect:
    """What a fix needs of the still surface: round the edge, or all that a standing mark passes over."""
    rect = plan.edge.rect()
    if not plan.stands:
        return rect.grown(MARGIN)
    corners = [hold.at(frame).inverse(rect.corners) for frame in (hold.anchor, *hold.frames)]
    return Rect.around(np.concatenate(corners)).grown(MARGIN)


def _union(rects: Sequence[Rect]) -> Rect:
    return Rect.around(np.concatenate([rect.corners for rect in rects]))


def place_of(fix: Fix, held: HoldMap, frame: int, codes: Codes) -> Place | None:
    """Where the fix lies on a frame; None when it does not show there."""
    size = (codes.shape[1], codes.shape[0])
    if fix.plan.stands:
        return places.in_frame(held, fix.rect, fix.plan.edge, frame, size)
    matte = fix.matte if fix.matte is not None else fix.plan.edge.matte(fix.rect, frame)
    outside = fix.outside if fix.outside is not None else places.outside_of(matte)
    return places.on_surface(held, fix.rect, matte, outside, size) if matte.any() else None
