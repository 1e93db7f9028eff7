"""What a fix is made of, as data with a JSON Schema; the same shapes in files, in the database and over the API."""

import json
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from hushcore.arrays import F64
from hushcore.edge import matte
from hushcore.errors import HushError
from hushcore.geometry.paths import check_polygon, flatten
from hushcore.hold.method import Method, Prep, Stiffness
from hushcore.hold.still import Ground, Passing
from hushcore.retouch.strokes import LARGEST_RADIUS, Stroke

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

    def ground(self) -> Ground:
        """For the tracker. Raises HushError for a shape without area."""
        ground = Ground.of(self.read, self.ignore)
        return Ground(ground.read, ground.ignore, tuple(shape.passing() for shape in self.passing))


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

    kind: Literal["point", "two-point", "planar", "mesh"] = "mesh"
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


class PinData(Plain):
    """A place of the still surface, and where it is on the frame."""

    still: Point
    at: Point


class Node(Plain):
    """A path's point with its handles, relative to it; (0, 0) is a corner."""

    x: Finite
    y: Finite
    into: Point = (0.0, 0.0)
    out: Point = (0.0, 0.0)


class EdgeData(Plain):
    """The mark's outline on the still surface, as a polygon or as a path with handles."""

    polygon: Polygon | None = None
    nodes: list[Node] | None = None
    growth: float = Field(default=6.0, ge=-matte.LARGEST_GROWTH, le=matte.LARGEST_GROWTH, description="px outwards.")
    softness: float = Field(default=14.0, ge=0, le=matte.LARGEST_SOFTNESS, description="px of fall outside that.")

    @model_validator(mode="after")
    def _one_shape(self) -> "EdgeData":
        if (self.polygon is None) == (self.nodes is None):
            raise ValueError("give the edge either as polygon or as nodes")
        return self

    def outline(self) -> F64:
        """The outline as a polygon (n, 2). Raises HushError when it has no area."""
        shape = np.asarray(self.polygon, float) if self.polygon is not None else self._flat()
        if shape.ndim != 2 or len(shape) < 3:
            raise HushError("The edge has no area; draw it around the mark.", "no-area")
        return shape

    def _flat(self) -> F64:
        nodes = self.nodes or []
        if len(nodes) < 2:
            return np.zeros((0, 2))
        return flatten(
            np.array([(n.x, n.y) for n in nodes]), np.array([n.into for n in nodes]), np.array([n.out for n in nodes])
        )

    def edge(self) -> matte.Edge:
        """For the engine."""
        return matte.Edge(self.outline(), self.growth, self.softness)


class StrokeData(Plain):
    """One stroke on a plate, on the still surface."""

    kind: Literal["clone", "restore"] = "clone"
    points: list[tuple[Finite, Finite, Annotated[float, Field(ge=0, le=1)]]] = Field(
        min_length=1, max_length=20000, description="x, y in px and pressure 0..1."
    )
    radius: float = Field(gt=0, le=LARGEST_RADIUS)
    hardness: float = Field(default=0.5, ge=0, le=1)
    opacity: float = Field(default=1.0, ge=0, le=1)
    offset: tuple[int, int] = Field(default=(0, 0), description="Donor minus target, whole px.")
    on: bool = True

    def stroke(self) -> Stroke:
        """For the engine."""
        return Stroke(self.kind, np.asarray(self.points, float), self.radius, self.hardness, self.opacity, self.offset)


class PlateData(Plain):
    """A retouched reference frame: a finished picture of it, or strokes on it, or both in that order."""

    frame: int
    picture: str | None = Field(default=None, description="File of the finished frame, beside the recipe.")
    strokes: list[StrokeData] = []

    def painted(self) -> list[Stroke]:
        """The strokes that are switched on."""
        return [stroke.stroke() for stroke in self.strokes if stroke.on]


class MatchData(Plain):
    """How the plate is made to belong to each frame."""

    light: Literal["off", "even", "under"] = "under"
    blur: bool = Field(default=True, description="Give the patch the frame's own motion blur.")


class FixData(Plain):
    """One fix. ``hold`` names a hold file beside the recipe."""

    name: str = Field(default="Fix", max_length=120)
    on: bool = True
    hold: str
    edge: EdgeData
    plate: PlateData
    match: MatchData = MatchData()
    range: tuple[int, int] | None = Field(default=None, description="First and last frame that it is on.")
    off: list[tuple[int, int]] = Field(default=[], description="Stretches on which it is off.")

    def covers(self, frame: int) -> bool:
        """Whether the fix is on at a frame."""
        if any(first <= frame <= last for first, last in self.off):
            return False
        return self.on and (self.range is None or self.range[0] <= frame <= self.range[1])


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


SCHEMAS: dict[str, type[BaseModel]] = {"ground": GroundData, "method": MethodData, "recipe": Recipe, "hold": HoldData}
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
