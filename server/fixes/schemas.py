"""Fixes as the screens see them."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from hushcore.recipe.models import GroundData, MatchData, Node, StrokeData

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
    anchor: int
    first: int
    last: int
    state: str
    problem: str
    ground: GroundData
    grid: GridOut | None
    still_left: int
    still_top: int
    still_width: int
    still_height: int
    frames: list[HeldOut]


class HoldMapOut(Schema):
    """The map of one frame: 9 numbers of a homography (row by row), or spline coefficients (rows, cols, x y)."""

    frame: int
    params: list[float]


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
    """Track on this ground, both ways from its anchor."""

    ground: GroundData
    kind: Literal["planar", "mesh"]


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
