"""What a fix is made of, as data with a JSON Schema; the same shapes in files, in the database and over the API."""

import json
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, Field, ValidationError, field_validator, model_validator

from hushcore.errors import HushError
from hushcore.geometry.paths import check_polygon
from hushcore.hold.auto import SURFACES
from hushcore.hold.method import Method, Prep, Stiffness
from hushcore.hold.still import Ground, Passing
from hushcore.patch.plan import ON_ITS_OWN, Choice, Match, Plan, Repair
from hushcore.recipe.base import Finite, Plain, Point, Polygon
from hushcore.recipe.retouch import DonorData, PlateData, StrokeData
from hushcore.recipe.shapes import EdgeData, FrontData, Node, NodesKey, OutlineData
from hushcore.recipe.sources import ArtData, BorrowKeyData, FillData, SoftenData

__all__ = [
    "ArtData",
    "BorrowKeyData",
    "ChosenData",
    "DonorData",
    "EdgeData",
    "FillData",
    "FixData",
    "FrontData",
    "GridData",
    "GroundData",
    "HoldData",
    "HoldFrameData",
    "LoopData",
    "MatchData",
    "MethodData",
    "Node",
    "NodesKey",
    "OutlineData",
    "PassingData",
    "PinData",
    "Plain",
    "PlateData",
    "Point",
    "PrepData",
    "Recipe",
    "RepairData",
    "ShapeKey",
    "SoftenData",
    "StrokeData",
    "TriedData",
    "check",
    "load",
]  # fmt: skip


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
    seeks: bool = Field(default=True, description="Look for the mark where the ground slips.")
    body: bool = Field(default=True, description="Follow it as a stiff body where it turns away.")
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
            self.seeks,
            self.body,
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
    veil: Literal["auto", "off"] = Field(
        default="auto",
        description="What shows through a mark that stands in the frame is brought back, where it is see-through.",
    )
    beside: Literal["auto", "off"] = Field(
        default="auto",
        description="Where the hold is unsure, the mark is covered where it is seen beside its patch.",
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


class FixData(Plain):
    """One fix. ``hold`` names a hold file beside the recipe."""

    name: str = Field(default="Fix", max_length=120)
    on: bool = True
    hold: str
    edge: EdgeData
    plates: list[PlateData] = Field(
        default=[], description="Retouched frames; a fill is guided by them; retrace, soften and unveil need none."
    )
    source: Literal["replace", "lift", "retrace", "fill", "soften", "insert", "unveil"] = "replace"
    fill: FillData | None = None
    soften: SoftenData | None = None
    strokes: list[StrokeData] = Field(default=[], description="Of retrace: redone on every frame, on its own pixels.")
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
        """For the engine; an edge that rides another hold is still in that hold's px. Raises HushError for a source without
        what it needs, or an outline without area."""
        if self.source == "insert" and self.art is None:
            raise HushError("No artwork yet: bring in a picture to put on.", "no-art")
        if self.source not in (*ON_ITS_OWN, "fill", "unveil") and not self.plates:
            raise HushError("No plate yet: pick a frame to retouch.", "no-plate")
        plan = Plan(
            self.edge.edge(), self.match.match(), self.source, self.blend, self.front.front(),
            self.stands or self.edge.hold is not None, self.whole,
            None if self.fill is None else self.fill.fill(), None if self.soften is None else self.soften.soften(),
            tuple(stroke.stroke() for stroke in self.strokes if stroke.on),
        )  # fmt: skip
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
    how: str = Field(default="", description="mark, hidden, beside, second, body; empty: followed from frame to frame.")


class HoldData(Plain):
    """A measured hold; see docs/files.md."""

    version: Literal[1] = 1
    kind: Literal["point", "two-point", "planar", "mesh", "frame"]
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
