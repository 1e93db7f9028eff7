"""Fixes as the screens see them."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from hushcore.recipe.models import GroundData, MatchData, MethodData, Node, PinData, StrokeData

Point = tuple[float, float]


class StrokeOut(Schema):
    """A stroke of the plate's list."""

    id: int
    on: bool
    kind: str
    radius: float
    opacity: float


class StrokeState(Schema):
    """A stroke's place in the list, and whether it is on."""

    id: int
    on: bool


class PlateOut(Schema):
    """The plate: its frame, and where its picture lies on the still surface."""

    id: int
    frame: int
    left: int
    top: int
    width: int
    height: int


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

    nodes: list[Node]
    growth: float
    softness: float


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
    plate: PlateOut | None
    strokes: list[StrokeOut]
    match: MatchData
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

    nodes: list[Node] | None = None
    growth: float
    softness: float


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
