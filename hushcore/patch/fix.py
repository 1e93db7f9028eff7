"""A fix made ready: what stays the same through a shot, and where it lies on each frame."""

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Mask, Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.edge.matte import Within
from hushcore.errors import HushError
from hushcore.hold.maps import HoldMap, dense_forward, dense_inverse
from hushcore.hold.record import Hold
from hushcore.light import steady
from hushcore.light.fields import Light
from hushcore.patch import change, redone
from hushcore.patch import place as places
from hushcore.patch.place import Place
from hushcore.patch.plan import ON_ITS_OWN, Evidence, Match, Plan
from hushcore.patch.sheets import Sheet, prepared
from hushcore.patch.veil import Veil
from hushcore.plates.art import Art
from hushcore.plates.plate import BESIDE, Plate, held_still
from hushcore.retouch.strokes import Donors

Reader = Callable[[int], Codes]
MARGIN = 28  # px round the matte for the ring
PLATED = ("replace", "fill")  # sources that tell the mark from what takes its place
DOUBT = 1.0  # px of drift
COLOURED = 0.5  # log units by which a mark is of another colour than its surface
SMEARED = 4.0  # px: shorter smears lie within what is laid round a change
REACH_SLACK = 2  # px
LARGEST = 60_000_000  # px of the still surface that one fix may need
LEAST_COVER = 1 / 4096  # of a mix; below it no code changes
# px round what stands in the frame, and gaps in it: its place is known, and what is seen between its lines tells
STANDING_FULL, STANDING_FALL, STANDING_CLOSED = 2.0, 2.0, 2
CHANGED = 0.5  # share of a pixel that a retouch changes
NOTHING_SHOWS = (
    "Nothing see-through that stands in the frame was found within the edge: draw it round all of the mark, or choose another "
    "source."
)


@dataclass(frozen=True)
class Fix:
    """Everything that stays the same through the shot. ``rect`` of the still surface holds the mark and its ring.

    ``matte``: on the still surface, when it is the same on all frames; ``away``: px from what the retouch changes (None:
    the edge alone says where the patch is laid). ``read``: frames for light that is averaged over time (``lights``, by frame
    and plate) or taken from a held frame (``beside``). ``seed`` names the fix, so that grain differs between fixes and not
    between runs. ``near``: the frame to whose part of the still surface it has been cut, for a mark that stands in the frame.
    ``drawn``: the edge's own matte, when it is the same on all frames. ``donor``: the hold that carries what is borrowed from
    every frame; ``creases`` (h, w): what softening evens; ``donors``: other frames that strokes take from, held still over
    ``rect``.
    """

    hold: Hold
    plan: Plan
    rect: Rect
    sheets: tuple[Sheet, ...]
    matte: F32 | None
    outside: F32 | None
    away: F32 | None = None
    evidence: Evidence = field(default_factory=Evidence)
    encoding: Encoding = SRGB
    read: Reader | None = None
    seed: int = 0
    lights: OrderedDict[tuple[int, int], Light] = field(default_factory=OrderedDict, compare=False)
    beside: OrderedDict[tuple[int, int], Light | None] = field(default_factory=OrderedDict, compare=False)
    near: int | None = None
    drawn: F32 | None = None
    donor: Hold | None = None
    creases: F32 | None = None
    donors: Donors | None = None

    @property
    def reach(self) -> int:
        """How many frames either side of one the hold must know to lay it."""
        return reach_of(self.plan.match)


def reach_of(match: Match) -> int:
    """How many frames either side of one the hold must know to lay a fix that is matched so."""
    return steady.REACH + 1 if match.steady > 0 else 1


def make_fix(
    hold: Hold,
    plan: Plan,
    plates: Sequence[tuple[int, Plate]],
    evidence: Evidence | None = None,
    art: Art | None = None,
    read: Reader | None = None,
    seed: int = 0,
    donor: Hold | None = None,
    encoding: Encoding | None = None,
) -> Fix:
    """Prepare a fix from its plates (frame and plate each; of a fill the first is the fill itself, and the others guide
    it; of one from other frames ``uncovered_plates``; ``encoding``: the shot's, where there are none). ``donor``: the hold of
    what is borrowed, when it has its own.

    Raises HushError for a plan that cannot be laid.
    """
    plan.check()
    evidence = evidence or Evidence()
    encoding = encoding or plates[0][1].encoding
    if plan.unveils:
        if evidence.veil is None:
            raise HushError(NOTHING_SHOWS, "no-veil")
        return Fix(hold, plan, evidence.veil.rect, (), None, None, None, evidence, encoding, read, seed)
    rect = still_rect(hold, plan)
    if not plan.from_others:
        rect = rect.within(_union([plate.rect for _, plate in plates]).grown(MARGIN))
    fixed = not plan.stands and not plan.edge.changes
    matte = plan.edge.matte(rect) if fixed else None
    if plan.source == "retrace":
        fixed, matte = True, redone.covered_by(list(plan.strokes), rect)
    gleam = plan.gleam(evidence)
    sheets = tuple(
        prepared(
            plate, frame, rect, plan, evidence, art, encoding.white("uint16"),
            None if gleam is None else gleam.at(*dense_forward(hold.at(frame), rect)),
        )
        for frame, plate in plates
    )  # fmt: skip
    if plan.stands:
        plan = _economic_in_frame(hold, plan, rect, sheets, evidence.veil)
    drawn = matte
    distance = None if plan.whole or plan.stands or plan.source in ON_ITS_OWN else _away(sheets)
    if matte is not None and distance is not None:
        matte = _economic(matte, distance, plan)
    outside = None if matte is None else places.outside_of(matte)
    creases = None
    if plan.soften is not None and plan.soften.lines > 0 and plan.source == "soften":
        creases = redone.creases_in(sheets[0].original, plan.edge.matte(rect, plates[0][0]), encoding)
    return Fix(
        hold, plan, rect, sheets, matte, outside, distance, evidence, encoding, read, seed, drawn=drawn, donor=donor,
        creases=creases, donors=_donors(hold, plan, rect, read, encoding),
    )  # fmt: skip


def _donors(hold: Hold, plan: Plan, rect: Rect, read: Reader | None, encoding: Encoding) -> Donors | None:
    """The other frames that strokes redone on every frame take from, each held still once. Raises HushError where the hold
    has lost one."""
    wanted = {int(one.donor.source) for one in plan.strokes if one.donor.source not in ("painted", "plate")}
    if plan.source != "retrace" or not wanted:
        return None
    for frame in sorted(wanted):
        if not hold.has(frame) or (frame != hold.anchor and hold.frames[frame].lost):
            raise HushError(
                f"The hold is lost on frame {frame}, which a stroke takes from; choose another.", "not-held"
            )
    if read is None:
        raise HushError("Other frames cannot be read here, so no stroke can take from them.", "no-frames")
    known = replace(hold, frames={frame: hold.frames[frame] for frame in wanted if frame != hold.anchor})
    return held_still(known, read, rect, encoding)


def on_frame(fix: Fix, frame: int) -> Fix:
    """A fix cut to what a frame needs: a mark that stands in the frame passes over much of the surface, but lies on
    little of it at a time. Any other fix as it is. Raises HushError when the frame is not held."""
    if not fix.plan.stands or fix.near is not None:
        return fix
    held = fix.hold.at(frame)
    mark = fix.plan.edge.rect_at(frame)
    if mark.empty:
        return fix
    around = mark.grown(MARGIN)
    rect = Rect.around(held.inverse(_along(around))).grown(2).within(fix.rect)
    if rect.empty:
        return fix
    local = rect.moved(-fix.rect.left, -fix.rect.top)
    sheets = tuple(sheet.cut(local) for sheet in fix.sheets)
    return replace(fix, rect=rect, sheets=sheets, near=frame, lights=OrderedDict())


def _along(rect: Rect) -> np.ndarray:
    """Points along a rectangle's border."""
    x = np.linspace(rect.left, rect.right, 9)
    y = np.linspace(rect.top, rect.bottom, 9)
    return np.concatenate([
        np.stack([x, np.full(9, rect.top)], -1), np.stack([x, np.full(9, rect.bottom)], -1),
        np.stack([np.full(9, rect.left), y], -1), np.stack([np.full(9, rect.right), y], -1),
    ]).astype(float)  # fmt: skip


def _away(sheets: Sequence[Sheet]) -> F32 | None:
    """Px from what any of the plates changes."""
    changes = [sheet.changes for sheet in sheets]
    if any(one is None for one in changes):
        return None
    return change.away(np.logical_or.reduce(changes))  # type: ignore[arg-type]


def _economic(matte: F32, distance: F32, plan: Plan, more: float = 0.0) -> F32:
    """The edge's matte, as far as the retouch reaches."""
    made = np.minimum(matte, change.kept(distance, plan.edge.softness, more))
    return np.asarray(made if made.any() else matte, np.float32)


def _economic_in_frame(hold: Hold, plan: Plan, rect: Rect, sheets: Sequence[Sheet], veil: Veil | None) -> Plan:
    """The plan of a mark that stands in the frame, with its edge kept to where the retouch of its plates reaches, and to where
    it is known as a ``veil``: it shows in the same place of every frame. As it is where that is not known, or the edge
    changes over time."""
    if plan.whole or plan.from_others or plan.edge.changes or any(sheet.changes is None for sheet in sheets):
        return plan
    target = plan.edge.rect()
    changes = np.zeros((target.height, target.width), bool)
    for sheet in sheets:
        x, y = dense_inverse(hold.at(sheet.frame), target)
        there = cv2.remap(
            np.asarray(sheet.changes, np.float32), x - np.float32(rect.left), y - np.float32(rect.top), cv2.INTER_LINEAR
        )
        changes |= there > CHANGED
    share = _share_round(changes, plan)
    if share is not None and veil is not None and veil.rect == target.clipped(*hold.size):
        local = veil.rect.moved(-target.left, -target.top).slices
        gaps = veil.lines & (share[local] < 1)
        changes[local] |= gaps
        share = _share_round(changes, plan) if gaps.any() else share
    return plan if share is None else replace(plan, edge=replace(plan.edge, kept=Within(target, share)))


def _share_round(changes: Mask, plan: Plan) -> F32 | None:
    """How much (h, w) of a standing mark's edge is kept round what is changed; None where nothing is."""
    distance = change.away(changes, STANDING_CLOSED)
    if distance is None:
        return None
    return change.kept(distance, min(plan.edge.softness, STANDING_FALL), STANDING_FULL - change.FULL)


def still_rect(hold: Hold, plan: Plan) -> Rect:
    """What a fix needs of the still surface: round the edge, or all that a standing mark passes over.

    Raises HushError where nothing is masked, or where that is too large.
    """
    if not plan.stands:
        rect = plan.edge.rect()
        if plan.source == "retrace":
            rect = Rect.around(np.concatenate([rect.corners, redone.reach_of(list(plan.strokes)).corners]))
        return rect.grown(MARGIN)
    marks = {frame: plan.edge.rect_at(frame) for frame in (hold.anchor, *hold.frames)}
    corners = [hold.at(frame).inverse(mark.corners) for frame, mark in marks.items() if not mark.empty]
    if not corners:
        raise HushError("Nothing is masked on any held frame, so there is nothing to fill.", "nothing-masked")
    rect = Rect.around(np.concatenate(corners)).grown(MARGIN)
    if plan.from_others and hold.grid is not None:
        rect = rect.within(hold.grid.rect.grown(BESIDE))
    if plan.from_others and rect.width * rect.height > LARGEST:
        raise HushError(
            "The mark passes over too large a part of the surface; split the shot, or hold a nearer surface.",
            "too-large",
        )
    return rect


def reaches(hold: Hold, plan: Plan, rect: Rect, frame: int) -> bool:
    """Whether the place that a standing mark covers on a frame lies within ``rect`` of the still surface."""
    mark = plan.edge.rect_at(frame)
    if mark.empty:
        return True
    place = Rect.around(hold.at(frame).inverse(mark.clipped(*hold.size).corners))
    inside = place.within(rect.grown(REACH_SLACK))
    return (inside.width, inside.height) == (place.width, place.height)


def _union(rects: Sequence[Rect]) -> Rect:
    return Rect.around(np.concatenate([rect.corners for rect in rects]))


def place_of(fix: Fix, held: HoldMap, frame: int, codes: Codes, smeared: float = 0.0) -> Place | None:
    """Where the fix lies on a frame; None when it does not show there. ``smeared``: px of its motion blur."""
    size = (codes.shape[1], codes.shape[0])
    if fix.plan.from_others and not reaches(fix.hold, fix.plan, fix.rect, frame):
        return None  # what lies there is not known
    if fix.plan.stands:
        return places.in_frame(held, fix.rect, fix.plan.edge, frame, size)
    moved = fix.away is not None and smeared >= SMEARED
    if fix.matte is not None and not moved:
        matte = fix.matte
    else:
        matte = fix.drawn if fix.drawn is not None else fix.plan.edge.matte(fix.rect, frame)
        if fix.away is not None:
            matte = _economic(matte, fix.away, fix.plan, smeared / 2)
    outside = fix.outside if fix.outside is not None else places.outside_of(matte)
    beyond = 2 * places.BEYOND if unsure(fix, frame) else 0
    return places.on_surface(held, fix.rect, matte, outside, size, beyond) if matte.any() else None


def unsure(fix: Fix, frame: int) -> bool:
    """Whether a mark may lie beside its matte on a frame, as far as its hold knows, and would be told from what it is not."""
    plan, row = fix.plan, fix.hold.frames.get(frame)
    asked = plan.match.beside != "off" and plan.source in PLATED and not plan.stands
    return asked and row is not None and (row.lost or row.drift_rms >= DOUBT) and fix.sheets[0].colour > COLOURED
