"""What a fix is made of, as data with a JSON Schema; the same shapes in files, in the database and over the API."""

import json
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from hushcore.edge import matte
from hushcore.edge.front import Front
from hushcore.edge.outline import LARGEST_WIDTH, Nodes, Outline
from hushcore.errors import HushError
from hushcore.geometry.paths import check_polygon
from hushcore.hold.auto import SURFACES
from hushcore.hold.method import Method, Prep, Stiffness
from hushcore.hold.still import Ground, Passing
from hushcore.patch.plan import Choice, Match, Plan, Repair
from hushcore.retouch.strokes import LARGEST_RADIUS, Donor, Stroke

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)]
Point = tuple[Finite, Finite]
Polygon = list[Point]


class Plain(BaseModel):
    """Unknown names are mistakes, not extras."""

    model_config = ConfigDict(extra="forbid")


class ShapeKey(Plain):
    """A shape on one frame."""

    frame: int
    polygon: Polygon = Field(min_length=3)


class PassingData(Plain):
    """Something that passes in front, to ignore: polygons in frame px, keyed over time.

    It moves evenly between keys and is there from the first to the last of them; with one key, through the whole shot.
    """

    keys: list[ShapeKey] = Field(min_length=1)

    @model_validator(mode="after")
    def _in_order(self) -> "PassingData":
        self.keys.sort(key=lambda key: key.frame)
        if len({key.frame for key in self.keys}) < len(self.keys):
            raise ValueError("a shape has two keys on one frame")
        return self

    def passing(self) -> Passing:
        """For the tracker. Raises HushError for a shape without area."""
        return Passing(
            tuple((key.frame, check_polygon(key.polygon, f"The shape to ignore on {key.frame}")) for key in self.keys)
        )


class GroundData(Plain):
    """The ground: where the hold is measured. Polygons in anchor-frame px."""

    anchor: int = Field(description="Frame in whose pose the surface is held still.")
    read: list[Polygon] = Field(min_length=1, description="Shapes to read.")
    ignore: list[Polygon] = Field(default=[], description="Shapes on the surface to leave out.")
    passing: list[PassingData] = Field(default=[], description="What passes in front of it.")
    stands: list[Polygon] = Field(
        default=[], description="What stands in the frame, in frame px: left out on every frame, grown a little."
    )

    def ground(self) -> Ground:
        """For the tracker. Raises HushError for a shape without area."""
        ground = Ground.of(self.read, self.ignore)
        standing = tuple(check_polygon(shape, "What stands in the frame") for shape in self.stands)
        return Ground(ground.read, ground.ignore, tuple(shape.passing() for shape in self.passing), standing)


class PrepData(Plain):
    """How footage is prepared for the tracker alone; see ``hold.method.Prep``."""

    channel: Literal["luma", "r", "g", "b"] = "luma"
    degrain: float = Field(default=0.0, ge=0, le=3)
    blur: float = Field(default=0.0, ge=0, le=8, description="px.")
    sharpen: float = Field(default=0.0, ge=0, le=3)
    contrast: float = Field(default=0.0, ge=0, le=1)
    gamma: float = Field(default=1.0, ge=0.2, le=5)

    def prep(self) -> Prep:
        """For the tracker."""
        return Prep(**self.model_dump())


class MethodData(Plain):
    """How the ground is measured."""

    kind: Literal["auto", "point", "two-point", "planar", "mesh"] = Field(
        default="auto", description="auto: the plainest surface that fits, found by trying a few frames."
    )
    took: Literal["", "plane", "stiff", "cloth"] = Field(
        default="", description="The surface that auto took; kind, spacing and stiffness are that surface's then."
    )
    motion: Literal["shift", "similarity", "affine", "perspective"] = Field(
        default="perspective", description="What a plane may do: shift; + turn and scale; + shear; + perspective."
    )
    spacing: float = Field(default=28.0, ge=16, le=160, description="px between a mesh's points.")
    stiffness: float = Field(default=1.0, ge=0.05, le=100, description="Times as stiff as cloth.")
    prep: PrepData = PrepData()
    search: tuple[Annotated[float, Field(ge=4, le=400)], Annotated[float, Field(ge=4, le=400)]] = Field(
        default=(24.0, 24.0), description="px that a point's window may jump between two frames."
    )
    renew: bool = Field(default=False, description="Renew the template where the surface changes its look.")
    reads: Literal["shot", "below"] = Field(
        default="shot", description="Measured on the footage as shot, or on the result of the fixes below."
    )

    def method(self) -> Method:
        """For the tracker."""
        return Method(
            self.kind,
            self.motion,
            Stiffness.of(self.spacing, self.stiffness),
            self.prep.prep(),
            self.search,
            self.renew,
        )

    def taking(self, surface: str) -> "MethodData":
        """With what ``auto`` took."""
        found = SURFACES[surface]
        spacing, stiff = found.stiffness.spacing, found.stiffness.bend / Stiffness().bend
        return self.model_copy(update={"kind": found.kind, "took": surface, "spacing": spacing, "stiffness": stiff})


class PinData(Plain):
    """A place of the still surface, and where it is on the frame."""

    still: Point
    at: Point


class Node(Plain):
    """A path's point with its handles, relative to it; (0, 0) is a corner. ``soft``: px of softness of its own."""

    x: Finite
    y: Finite
    into: Point = (0.0, 0.0)
    out: Point = (0.0, 0.0)
    soft: float = Field(default=0.0, ge=0, le=matte.LARGEST_SOFTNESS)


class NodesKey(Plain):
    """An outline as it is on one frame: the same points, elsewhere."""

    frame: int
    nodes: list[Node] = Field(min_length=2)


class OutlineData(Plain):
    """A closed shape, or an open line with a width: a polygon, a path with handles, or such a path keyed over time."""

    polygon: Polygon | None = None
    nodes: list[Node] | None = None
    keys: list[NodesKey] = Field(default=[], description="Corrections over time; evenly between them.")
    takes: bool = Field(default=False, description="Taken away from the shapes before it.")
    width: float | None = Field(default=None, gt=0, le=LARGEST_WIDTH, description="px of an open line.")
    span: tuple[int, int] | None = Field(default=None, description="First and last frame that it is there.")

    @model_validator(mode="after")
    def _one_shape(self) -> "OutlineData":
        if sum(bool(form) for form in (self.polygon, self.nodes, self.keys)) < 1 or (self.polygon and self.nodes):
            raise ValueError("give an outline either as polygon or as nodes")
        self.keys.sort(key=lambda key: key.frame)
        if len({key.frame for key in self.keys}) < len(self.keys):
            raise ValueError("an outline has two keys on one frame")
        return self

    def outline(self) -> Outline:
        """For the engine. Raises HushError when it has no area."""
        if self.keys:
            keys = tuple((key.frame, _nodes(key.nodes)) for key in self.keys)
        else:
            shape = np.asarray(self.polygon, float) if self.polygon else np.zeros((0, 2))
            keys = ((0, _nodes(self.nodes) if self.nodes else Nodes.of(shape)),)
        made = Outline(keys, self.takes, self.width, self.span)
        made.check()
        return made


def _nodes(nodes: list[Node]) -> Nodes:
    return Nodes(
        np.array([(n.x, n.y) for n in nodes], float).reshape(-1, 2), np.array([n.into for n in nodes], float),
        np.array([n.out for n in nodes], float), np.array([n.soft for n in nodes], float),
    )  # fmt: skip


class EdgeData(OutlineData):
    """The mark's outlines on the still surface: one, and more that are added to it or taken away."""

    more: list[OutlineData] = []
    growth: float = Field(default=6.0, ge=-matte.LARGEST_GROWTH, le=matte.LARGEST_GROWTH, description="px outwards.")
    softness: float = Field(default=14.0, ge=0, le=matte.LARGEST_SOFTNESS, description="px of fall outside that.")
    inside: float = Field(default=0.0, ge=0, le=matte.LARGEST_SOFTNESS, description="px of fall inside it.")

    def edge(self) -> matte.Edge:
        """For the engine."""
        outlines = (self.outline(), *(more.outline() for more in self.more))
        return matte.Edge(outlines, self.growth, self.softness, self.inside)


class DonorData(Plain):
    """Where a clone or heal takes from; see ``retouch.strokes.Donor``."""

    offset: tuple[Finite, Finite] = Field(default=(0.0, 0.0), description="Donor minus target, px.")
    turn: float = Field(default=0.0, ge=-360, le=360, description="Degrees.")
    zoom: float = Field(default=1.0, ge=0.1, le=10)
    flip: bool = False
    source: Literal["painted", "plate"] | int = Field(
        default="painted", description="As painted so far, as shot, or another frame."
    )


class StrokeData(Plain):
    """One stroke on a plate, on the still surface."""

    kind: Literal["clone", "heal", "paint", "lighten", "darken", "smooth", "sharpen", "restore"] = "clone"
    points: list[tuple[Finite, Finite, Annotated[float, Field(ge=0, le=1)]]] = Field(
        min_length=1, max_length=20000, description="x, y in px and pressure 0..1."
    )
    radius: float = Field(gt=0, le=LARGEST_RADIUS)
    hardness: float = Field(default=0.5, ge=0, le=1)
    opacity: float = Field(default=1.0, ge=0, le=1)
    flow: float = Field(default=1.0, gt=0, le=1, description="Share that each dab lays; at 1 nothing builds up.")
    spacing: float = Field(default=0.25, ge=0.05, le=2, description="Radii between dabs.")
    pressure: Literal["size", "opacity", "both", "none"] = "size"
    band: Literal["all", "tone", "texture"] = "all"
    scale: float = Field(default=6.0, ge=1, le=40, description="px (sigma) between tone and texture.")
    donor: DonorData = DonorData()
    colour: tuple[Finite, Finite, Finite] = Field(
        default=(0.0, 0.0, 0.0), description="Linear light of a paint stroke."
    )
    amount: float = Field(default=0.5, gt=0, le=4, description="Stops of lighten and darken.")
    within: Polygon | None = Field(default=None, description="The outline that it must not leave.")
    moved: tuple[Finite, Finite] = Field(default=(0.0, 0.0), description="px from where it was drawn.")
    on: bool = True

    def stroke(self) -> Stroke:
        """For the engine."""
        points = np.asarray(self.points, float) + np.array([*self.moved, 0.0])
        within = None if self.within is None else check_polygon(self.within, "The protecting outline")
        return Stroke(
            self.kind, points, self.radius, self.hardness, self.opacity, self.flow, self.spacing, self.pressure,
            self.band, self.scale, Donor(**self.donor.model_dump()), self.colour, self.amount, within,
        )  # fmt: skip


class PlateData(Plain):
    """A retouched reference frame: a finished picture of it, or strokes on it, or both in that order."""

    frame: int
    picture: str | None = Field(default=None, description="File of the finished frame, beside the recipe.")
    start: Literal["below", "shot"] = Field(default="below", description="The result of the fixes below, or as shot.")
    average: int = Field(default=0, ge=0, le=24, description="Aligned frames round it that are averaged with it.")
    strokes: list[StrokeData] = []

    def painted(self) -> list[Stroke]:
        """The strokes that are switched on."""
        return [stroke.stroke() for stroke in self.strokes if stroke.on]


class RepairData(Plain):
    """Texture from another place of the plate, for one that is too soft."""

    offset: tuple[Finite, Finite]
    scale: float = Field(default=6.0, ge=1, le=40)
    amount: float = Field(default=1.0, ge=0, le=2)


class TriedData(Plain):
    """A way of reading the light that was tried; see ``patch.plan.Tried``."""

    light: Literal["auto", "slope", "rim"]
    multiplies: float = Field(ge=0, le=1)
    mark: Finite
    ring: Finite
    leak: Finite


class ChosenData(Plain):
    """What was chosen for ``auto`` by what it does on the shot; see ``patch.choose``."""

    light: Literal["auto", "slope", "rim"]
    multiplies: float = Field(ge=0, le=1)
    standing: bool = Field(description="A highlight stands in the frame.")
    tried: list[TriedData] = []

    def choice(self) -> Choice:
        """For the engine."""
        return Choice.of(self.model_dump())


class MatchData(Plain):
    """How the plate is made to belong to each frame; see ``patch.plan.Match``."""

    light: Literal["auto", "off", "even", "slope", "rim", "under", "shine"] = "auto"
    strength: float = Field(default=1.0, ge=0, le=1)
    steady: float = Field(default=0.0, ge=0, le=1, description="Averaged over time, flicker left.")
    capped: bool = Field(default=True, description="The mark's own shading is kept out of the light.")
    blur: bool = Field(default=True, description="Give the patch the frame's own motion blur.")
    sharpness: bool = Field(default=True, description="Give it the frame's own softness.")
    texture: float = Field(default=1.0, ge=0, le=2, description="Times its own.")
    texture_scale: float = Field(default=6.0, ge=1, le=40)
    repair: RepairData | None = None
    grain: Literal["fresh", "keep", "off"] = "fresh"
    grain_amount: float = Field(default=1.0, ge=0, le=3, description="Times what was measured.")
    standing: Literal["auto", "off"] = Field(
        default="auto",
        description="Highlights that stand in the frame stay there, where the shot shows that there are any.",
    )
    multiplies: float | None = Field(
        default=None, ge=0, le=1, description="How much of the light multiplies; none: as the shot says."
    )

    chosen: ChosenData | None = Field(
        default=None, description="What was chosen for auto (hush choose); none: it is looked for."
    )

    @field_validator("standing", mode="before")
    @classmethod
    def _once_a_switch(cls, value: Any) -> Any:
        """Recipes of before had true and false."""
        return {True: "auto", False: "off"}.get(value, value) if isinstance(value, bool) else value

    def match(self) -> Match:
        """For the engine."""
        plain = self.model_dump(exclude={"repair", "chosen"})
        return Match(**plain, repair=Repair(**self.repair.model_dump()) if self.repair else None)


class FrontData(Plain):
    """What passes in front of the mark: found by itself, and shapes in frame px that add to it or take away."""

    auto: bool = True
    shapes: list[OutlineData] = []

    def front(self) -> Front:
        """For the engine."""
        return Front(self.auto, tuple(shape.outline() for shape in self.shapes))


class ArtData(Plain):
    """Artwork on the surface: a picture beside the recipe, placed by its corners on the still surface."""

    picture: str
    corners: tuple[Point, Point, Point, Point]
    mode: Literal["normal", "multiply", "screen", "overlay", "soft light", "colour"] = "normal"
    opacity: float = Field(default=1.0, ge=0, le=1)


class FixData(Plain):
    """One fix. ``hold`` names a hold file beside the recipe."""

    name: str = Field(default="Fix", max_length=120)
    on: bool = True
    hold: str
    edge: EdgeData
    plates: list[PlateData] = Field(min_length=1)
    source: Literal["replace", "lift", "insert"] = "replace"
    blend: Literal["time", "light"] = Field(default="time", description="How several plates share the shot.")
    art: ArtData | None = Field(default=None, description="What an insert puts on.")
    front: FrontData = FrontData()
    whole: bool = Field(default=False, description="Laid over all of the edge, also where the retouch changes nothing.")
    stands: bool = Field(default=False, description="The mark stands still in the frame; its edge is in frame px.")
    match: MatchData = MatchData()
    range: tuple[int, int] | None = Field(default=None, description="First and last frame that it is on.")
    off: list[tuple[int, int]] = Field(default=[], description="Stretches on which it is off.")

    @model_validator(mode="before")
    @classmethod
    def _single_plate(cls, data: Any) -> Any:
        """``plate`` with one plate is read as a list of it."""
        if isinstance(data, dict) and "plate" in data and "plates" not in data:
            data = {**data, "plates": [data["plate"]]}
            del data["plate"]
        return data

    def covers(self, frame: int) -> bool:
        """Whether the fix is on at a frame."""
        if any(first <= frame <= last for first, last in self.off):
            return False
        return self.on and (self.range is None or self.range[0] <= frame <= self.range[1])

    def plan(self) -> Plan:
        """For the engine. Raises HushError for an insert without artwork, or an outline without area."""
        if self.source == "insert" and self.art is None:
            raise HushError("No artwork yet: bring in a picture to put on.", "no-art")
        edge, front = self.edge.edge(), self.front.front()
        plan = Plan(edge, self.match.match(), self.source, self.blend, front, self.stands, self.whole)
        plan.check()
        return plan


class Recipe(Plain):
    """Fixes in patch order: each sees the result of those before it."""

    version: Literal[1] = 1
    fixes: list[FixData] = Field(min_length=1)


class GridData(Plain):
    """A mesh's spline grid, anchor px."""

    left: Finite
    top: Finite
    spacing: float = Field(gt=0)
    across: int = Field(gt=0, le=2000)
    down: int = Field(gt=0, le=2000)


class HoldFrameData(Plain):
    """One measured frame; ``params``: 3 x 3 homography, or spline coefficients (rows, cols, 2) in px."""

    params: list[list[float | list[float]]]
    drift: list[list[float]]
    drift_rms: float
    seen: float
    lost: bool
    cells: list[str] | None = Field(
        default=None, description="0..9: how far a cell was used; o: off the frame; .: not read."
    )
    trouble: str = ""


class HoldData(Plain):
    """A measured hold; see docs/files.md."""

    version: Literal[1] = 1
    kind: Literal["point", "two-point", "planar", "mesh"]
    anchor: int
    size: tuple[int, int]
    corner: tuple[int, int]
    cell: int
    grid: GridData | None = None
    frames: dict[int, HoldFrameData]
    keys: dict[int, list[list[float | list[float]]]] = Field(default={}, description="Places set by hand, as params.")


class LoopData(Plain):
    """A loose loop round a mark, px of the frame on which it was drawn."""

    frame: int = Field(description="Frame on which the loop was drawn; the surface is held still in its pose.")
    loop: Polygon


SCHEMAS: dict[str, type[BaseModel]] = {
    "ground": GroundData, "method": MethodData, "recipe": Recipe, "hold": HoldData, "loop": LoopData,
}  # fmt: skip
Model = TypeVar("Model", bound=BaseModel)


def load(path: Path, model: type[Model]) -> Model:
    """Read and validate a JSON file. Raises HushError that names the place of the first mistake."""
    try:
        data: Any = json.loads(path.read_text())
    except FileNotFoundError as error:
        raise HushError(f"There is no file {path.name}.", "no-file") from error
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise HushError(f"{path.name} is not readable JSON ({error}).", "bad-json") from error
    return check(data, model, path.name)


def check(data: Any, model: type[Model], name: str) -> Model:
    """Validate plain data. Raises HushError that names the place of the first mistake."""
    try:
        return model.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"]) or "it"
        raise HushError(f"{name}: {place}: {first['msg']}.", "bad-recipe") from error
