"""What the API is asked with: changes of fixes."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from hushcore.recipe.models import (  # fmt: skip
    FillData,
    FrontData,
    GroundData,
    MatchData,
    MethodData,
    Node,
    OutlineData,
    PinData,
    SoftenData,
    StrokeData,
)

MOST = 1e6  # px, and any other number that is asked with
Whole = Annotated[int, Field(ge=-(2**31), le=2**31 - 1)]
Real = Annotated[float, Field(allow_inf_nan=False, ge=-MOST, le=MOST)]
Point = tuple[Real, Real]


class StrokeState(Schema):
    """A stroke's place in the list, and whether it is on."""

    id: Whole
    on: bool


class CircleIn(Schema):
    """A loop drawn round a mark on a frame, in frame px."""

    frame: Whole
    loop: Annotated[list[Point], Field(min_length=3, max_length=5000)]
    anew: bool = Field(default=False, description="Track anew where the surface is held already.")


class VersionIn(Schema):
    """The version that the change was made on."""

    version: Whole


class NameIn(VersionIn):
    """Rename."""

    name: str = Field(max_length=200)


class OnIn(VersionIn):
    """Switch."""

    on: bool


class OrderIn(Schema):
    """Another order of a shot's fixes."""

    fixes: list[Whole] = Field(max_length=1000, description="All their ids, the lowest first.")


class EdgeIn(VersionIn):
    """Another outline (none: as it is), growth and softness."""

    nodes: list[Node] | None = Field(default=None, description="Another first outline alone.")
    outlines: list[OutlineData] | None = Field(default=None, description="All outlines anew.", max_length=40)
    growth: Real
    softness: Real
    inside: Real | None = None


class TrackIn(VersionIn):
    """Track on this ground from its anchor."""

    ground: GroundData
    method: MethodData
    way: Literal["both", "ahead", "back"] = "both"


class OnwardIn(VersionIn):
    """Go on from a held frame; ``renew`` takes the template anew from it."""

    frame: Whole
    way: Literal["ahead", "back"]
    until: Whole | None = None
    renew: bool = False


class KeyIn(VersionIn):
    """Where places of the surface are on a frame. ``whole`` moves all of it, else what is within ``reach`` px."""

    frame: Whole
    pins: list[PinData] = Field(min_length=1, max_length=64)
    whole: bool = True
    reach: float = Field(default=80.0, ge=8, le=2000)


class FrameIn(VersionIn):
    """A frame."""

    frame: Whole


class RangeIn(VersionIn):
    """A range of frames."""

    first: Whole
    last: Whole


class SmoothIn(RangeIn):
    """A range to smooth; strength 1 takes out what jumps from frame to frame, 100 what changes within ten."""

    strength: float = Field(default=10.0, gt=0, le=1e6)


class OffIn(VersionIn):
    """The stretches on which the fix is off."""

    off: list[tuple[Whole, Whole]] = Field(max_length=200)


class PlateIn(VersionIn):
    """Take a frame as the plate."""

    frame: Whole


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

    plate: Whole


class PlateStartIn(PlateIdIn):
    """How a plate begins."""

    start: Literal["below", "shot"] = "below"
    average: int = Field(default=0, ge=0, le=24)


class IssueIn(PlateIdIn):
    """Another issue of a plate."""

    issue: Whole


class DonorIn(Schema):
    """A part of a stroke's donor that changes."""

    offset: Point | None = None
    turn: Real | None = None
    zoom: Real | None = None
    flip: bool | None = None
    source: str | Whole | None = None


class StrokeEditIn(VersionIn):
    """What changes about a stroke that is laid."""

    radius: Real | None = None
    hardness: Real | None = None
    opacity: Real | None = None
    flow: Real | None = None
    band: Literal["all", "tone", "texture"] | None = None
    scale: Real | None = None
    amount: Real | None = None
    moved: Point | None = None
    donor: DonorIn | None = None
    span: tuple[Whole, Whole] | None = None


class SpotsIn(VersionIn):
    """Small spots to heal in one go; donors are found for each."""

    spots: list[Point] = Field(min_length=1, max_length=200)
    radius: float = Field(gt=0, le=100)
    band: Literal["all", "tone", "texture"] = "all"
    scale: float = Field(default=6.0, ge=1, le=40)


class ProtectIn(VersionIn):
    """The outline that strokes must not leave, or none."""

    nodes: list[Node] | None


class SourceIn(VersionIn):
    """What replaces the mark."""

    source: Literal["replace", "lift", "retrace", "fill", "soften", "insert", "unveil"]
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


class FillIn(VersionIn):
    """How the mark's place is filled. ``donor``: the fix whose hold carries what is borrowed."""

    fill: FillData
    donor: Whole | None = None


class SoftenIn(VersionIn):
    """How the mark is softened."""

    soften: SoftenData


class OtherFixIn(VersionIn):
    """Another fix of the shot."""

    other: Whole


class DuplicateIn(Schema):
    """What is copied."""

    strokes: bool = True
