"""Fixes as the screens see them."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from hushcore.recipe.models import (
    DonorData,
    FrontData,
    GroundData,
    MatchData,
    MethodData,
    Node,
    OutlineData,
    PinData,
    StrokeData,
)  # fmt: skip

Point = tuple[float, float]


class StrokeOut(Schema):
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


class StrokeState(Schema):
    """A stroke's place in the list, and whether it is on."""

    id: int
    on: bool


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


class HeldOut(Schema):
    """One measured frame, for the ribbon."""

    frame: int
    drift: float
    seen: float
    lost: bool
    trouble: str
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
    source: Literal["replace", "lift", "insert"]
    blend: Literal["time", "light"]
    stands: bool
    art: ArtOut | None
    front: FrontData
    protect: list[Node] | None
    match: MatchData
    settled: int = Field(description="Which reading of the shot's light and grain is used; 0 for none yet.")
    loud: LoudOut | None
    off: list[tuple[int, int]]
    undo: str
    redo: str
    suggested_plate: int | None


class CircleIn(Schema):
    """A loop drawn round a mark on a frame, in frame px."""

    frame: int
    loop: Annotated[list[Point], Field(min_length=3, max_length=5000)]


class VersionIn(Schema):
    """The version that the change was made on."""

    version: int


class NameIn(VersionIn):
    """Rename."""

    name: str


class OnIn(VersionIn):
    """Switch."""

    on: bool


class EdgeIn(VersionIn):
    """Another outline (none: as it is), growth and softness."""

    nodes: list[Node] | None = Field(default=None, description="Another first outline alone.")
    outlines: list[OutlineData] | None = Field(default=None, description="All outlines anew.", max_length=40)
    growth: float
    softness: float
    inside: float | None = None


class TrackIn(VersionIn):
    """Track on this ground from its anchor."""

    ground: GroundData
    method: MethodData
    way: Literal["both", "ahead", "back"] = "both"


class OnwardIn(VersionIn):
    """Go on from a held frame; ``renew`` takes the template anew from it."""

    frame: int
    way: Literal["ahead", "back"]
    until: int | None = None
    renew: bool = False


class KeyIn(VersionIn):
    """Where places of the surface are on a frame. ``whole`` moves all of it, else what is within ``reach`` px."""

    frame: int
    pins: list[PinData] = Field(min_length=1, max_length=64)
    whole: bool = True
    reach: float = Field(default=80.0, ge=8, le=2000)


class FrameIn(VersionIn):
    """A frame."""

    frame: int


class RangeIn(VersionIn):
    """A range of frames."""

    first: int
    last: int


class SmoothIn(RangeIn):
    """A range to smooth; strength 1 takes out what jumps from frame to frame, 100 what changes within ten."""

    strength: float = Field(default=10.0, gt=0, le=1e6)


class OffIn(VersionIn):
    """The stretches on which the fix is off."""

    off: list[tuple[int, int]] = Field(max_length=200)


class PlateIn(VersionIn):
    """Take a frame as the plate."""

    frame: int


class StrokeIn(VersionIn):
    """Lay a stroke."""

    stroke: StrokeData


class StrokesIn(VersionIn):
    """The whole list, switched, reordered or shortened."""

    strokes: list[StrokeState]


class MatchIn(VersionIn):
    """How the plate is matched."""

    match: MatchData


class PlateIdIn(VersionIn):
    """One of the plates."""

    plate: int


class PlateStartIn(PlateIdIn):
    """How a plate begins."""

    start: Literal["below", "shot"] = "below"
    average: int = Field(default=0, ge=0, le=24)


class IssueIn(PlateIdIn):
    """Another issue of a plate."""

    issue: int


class SuggestOut(Schema):
    """A frame that would make a good plate."""

    frame: int
    worth: float
    words: str


class DonorIn(Schema):
    """A part of a stroke's donor that changes."""

    offset: Point | None = None
    turn: float | None = None
    zoom: float | None = None
    flip: bool | None = None
    source: str | int | None = None


class StrokeEditIn(VersionIn):
    """What changes about a stroke that is laid."""

    radius: float | None = None
    hardness: float | None = None
    opacity: float | None = None
    flow: float | None = None
    band: Literal["all", "tone", "texture"] | None = None
    scale: float | None = None
    amount: float | None = None
    moved: Point | None = None
    donor: DonorIn | None = None


class SpotsIn(VersionIn):
    """Small spots to heal in one go; donors are found for each."""

    spots: list[Point] = Field(min_length=1, max_length=200)
    radius: float = Field(gt=0, le=100)
    band: Literal["all", "tone", "texture"] = "all"
    scale: float = Field(default=6.0, ge=1, le=40)


class ApartOut(Schema):
    """How far a donor's tone is from the place that it will cover: CIEDE2000, and by how much it is lighter (L*)."""

    difference: float
    lighter: float


class ProtectIn(VersionIn):
    """The outline that strokes must not leave, or none."""

    nodes: list[Node] | None


class SourceIn(VersionIn):
    """What replaces the mark."""

    source: Literal["replace", "lift", "insert"]
    blend: Literal["time", "light"] = "time"
    stands: bool = False


class FrontIn(VersionIn):
    """What passes in front."""

    front: FrontData


class ArtIn(VersionIn):
    """Where artwork lies and how it is blended."""

    corners: list[Point] = Field(min_length=4, max_length=4)
    mode: Literal["normal", "multiply", "screen", "overlay", "soft light", "colour"]
    opacity: float = Field(ge=0, le=1)


class LinesOut(Schema):
    """Where the patch is full, and where it ends, as closed polygons on the still surface."""

    full: list[list[Point]]
    ends: list[list[Point]]


class GrainPoint(Schema):
    """Grain at a brightness, tonal units."""

    level: float
    sigma: tuple[float, float, float]


class EvidenceOut(Schema):
    """What the shot says of itself."""

    known: bool
    multiplies: float
    shutter: float
    grain: list[GrainPoint]


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
