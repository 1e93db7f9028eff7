"""Fixes as the screens see them."""

from typing import Literal

from ninja import Schema
from pydantic import BaseModel, Field

from hushcore.recipe.models import (  # fmt: skip
    DonorData,
    FillData,
    FrontData,
    GroundData,
    MatchData,
    MethodData,
    Node,
    OutlineData,
    PinData,
    SoftenData,
)

Point = tuple[float, float]


class StrokeOut(BaseModel):
    """A stroke of the plate's list, without its points; ``at`` is where it begins."""

    id: int
    on: bool
    kind: str
    radius: float
    hardness: float
    opacity: float
    flow: float
    band: str
    scale: float
    donor: DonorData
    amount: float
    moved: Point
    at: Point
    span: tuple[int, int] | None


class IssueOut(Schema):
    """One issue of a plate: the painted one, or a picture that came back."""

    id: int
    issue: int
    outside: bool


class PlateOut(Schema):
    """A plate: its frame, where its picture lies on the still surface, and the frames that it serves."""

    id: int
    frame: int
    left: int
    top: int
    width: int
    height: int
    start: str
    average: int
    strokes: int
    issues: list[IssueOut]
    first: int = Field(description="Its share of the shot, by time,")
    last: int = Field(description="to here.")


class HeldOut(BaseModel):
    """One measured frame, for the ribbon."""

    frame: int
    drift: float
    seen: float
    lost: bool
    trouble: str
    how: str = Field(description="mark, hidden, beside, second or body; empty: followed from frame to frame.")
    hidden: float
    off: float
    by: int = Field(description="The hold that measured it: its map never changes.")


class KeyOut(Schema):
    """A correction by hand."""

    frame: int
    pins: list[PinData]


class WeakOut(Schema):
    """A stretch of the hold to look at; ``place`` on the still surface."""

    first: int
    last: int
    kind: str
    worst: int
    words: str
    place: Point | None


class OtherwiseOut(Schema):
    """Frames that were not simply followed, from ``first`` on, and how they are held."""

    how: str
    first: int
    words: str


class GridOut(Schema):
    """A mesh's spline grid in anchor px."""

    left: float
    top: float
    spacing: float
    across: int
    down: int


class HoldOut(Schema):
    """The hold and how far it has got."""

    id: int
    kind: str
    method: MethodData
    anchor: int
    first: int
    last: int
    state: str
    work: str
    done: int = Field(description="Steps that its work has made,")
    wanted: int = Field(description="of so many.")
    problem: str
    settling: bool = Field(description="It is looked at once more where it is weak.")
    trying: str = Field(
        description="The surface that is tried before one is chosen: plane, stiff or cloth; empty once it is."
    )
    ground: GroundData
    grid: GridOut | None
    still_left: int
    still_top: int
    still_width: int
    still_height: int
    cells_left: int = Field(description="Top left of the cells of drift and use, still px.")
    cells_top: int
    cell: int
    frames: list[HeldOut]
    keys: list[KeyOut]
    weak: list[WeakOut]
    otherwise: list[OtherwiseOut]


class HoldMapOut(Schema):
    """The map of one frame: 9 numbers of a homography (row by row), or spline coefficients (rows, cols, x y)."""

    frame: int
    params: list[float]
    drift: list[list[float]] = Field(description="px per cell.")
    cells: list[str] = Field(description="0..9: how far a cell was used; o: off the frame; .: not read.")


class ManyMapsOut(Schema):
    """The maps of a stretch, for drawing on the surface while it plays: frame to parameters."""

    frames: dict[int, list[float]]


class EdgeOut(Schema):
    """The edge."""

    nodes: list[Node] = Field(description="The first outline.")
    outlines: list[OutlineData]
    growth: float
    softness: float
    inside: float


class ArtOut(Schema):
    """Artwork on the surface."""

    id: int
    name: str
    width: int
    height: int
    corners: list[Point]
    mode: str
    opacity: float


class LoudOut(Schema):
    """The greatest tell of a fix; 1.0 is about where a careful viewer would notice."""

    tell: str
    value: float
    frame: int


class FixOut(Schema):
    """A fix with all that its stages show."""

    id: int
    shot: int
    order: int
    version: int
    name: str
    on: bool
    lacks: str
    hold: HoldOut | None
    edge: EdgeOut
    plate: PlateOut | None = Field(description="The plate that is worked on.")
    plates: list[PlateOut]
    strokes: list[StrokeOut]
    source: Literal["replace", "lift", "retrace", "fill", "soften", "insert", "unveil"]
    fill: FillData
    donor: int | None = Field(description="The fix whose hold carries what is borrowed.")
    soften: SoftenData
    shares: list[str] = Field(description="The other fixes that lie on its hold.")
    carried: str = Field(description="The edge rides another hold: the words for it; empty when it does not.")
    kept: int = Field(description="Bytes on the disk of what lies behind, put together from other frames.")
    unmasked: str = Field(description="Where nothing is masked, in words; empty when something is on all frames.")
    blend: Literal["time", "light"]
    stands: bool
    art: ArtOut | None
    front: FrontData
    protect: list[Node] | None
    match: MatchData
    settled: int = Field(description="Which reading of the shot's light and grain is used; 0 for none yet.")
    loud: LoudOut | None
    off: list[tuple[int, int]]
    proposed: str
    undo: str
    undo_at: float
    redo: str
    redo_at: float
    suggested_plate: int | None


class WayOut(Schema):
    """A way to take the mark away, and the frames that it is tried on."""

    key: str
    words: str
    frames: list[int]


class TryOut(Schema):
    """The loudest tell of a way on a frame."""

    tell: str
    value: float


class SuggestOut(Schema):
    """A frame that would make a good plate."""

    frame: int
    worth: float
    words: str


class ApartOut(Schema):
    """How far a donor's tone is from the place that it will cover: CIEDE2000, and by how much it is lighter (L*)."""

    difference: float
    lighter: float


class LinesOut(Schema):
    """Where the patch is full, and where it ends, as closed polygons on the still surface."""

    full: list[list[Point]]
    ends: list[list[Point]]


class GrainPoint(Schema):
    """Grain at a brightness, tonal units."""

    level: float
    sigma: tuple[float, float, float]


class TriedOut(Schema):
    """A way of reading the light that was tried: Lab distance to the shot in the mark and in the ring, and the share of
    the retouch that leaked into it."""

    light: str
    multiplies: float
    mark: float
    ring: float
    leak: float


class EvidenceOut(Schema):
    """What the shot says of itself."""

    known: bool
    multiplies: float
    shutter: float
    standing: bool = Field(description="A highlight stands in the frame while the surface moves under it.")
    veil: float | None = Field(
        description="How much (0..1) of the picture a mark that stands in the frame lets through."
    )
    stained: bool = Field(description="Taken off, it leaves a stain.")
    grain: list[GrainPoint]
    settled: bool = Field(description="What is chosen was chosen for the fix as it stands.")
    words: str = Field(description="What was chosen for auto and why, in a sentence; empty before.")
    tried: list[TriedOut]


class TellOut(Schema):
    """The tells of a frame."""

    frame: int
    drift: float
    seam: float
    light: float
    texture: float
    grain: float
    flicker: float
    stale: bool = Field(description="The fix has changed since.")


class TellsOut(Schema):
    """A fix's tells, and how many frames are still to be measured."""

    frames: list[TellOut]
    waiting: int
    problem: str = Field(description="Why they could not be measured; empty when nothing is wrong.")
