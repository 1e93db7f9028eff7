"""What takes a mark's place, as data: artwork, fills, softening."""

from typing import Annotated, Literal

from pydantic import AliasChoices, Field, model_validator

from hushcore.fill.plan import BorrowKey, Fill
from hushcore.geometry.paths import check_polygon
from hushcore.recipe.base import Finite, Plain, Point, Polygon
from hushcore.retouch.soften import Soften

Zoom = Annotated[float, Field(ge=0.1, le=10)]
Turn = Annotated[float, Field(ge=-360, le=360, description="Degrees.")]


class ArtData(Plain):
    """Artwork on the surface: a picture beside the recipe, placed by its corners on the still surface."""

    picture: str
    corners: tuple[Point, Point, Point, Point]
    mode: Literal["normal", "multiply", "screen", "overlay", "soft light", "colour"] = "normal"
    opacity: float = Field(default=1.0, ge=0, le=1)


class BorrowKeyData(Plain):
    """Where a borrowed place lies on a frame; evenly between keys."""

    frame: int
    offset: Point
    turn: Turn = 0.0
    zoom: Zoom = 1.0


class FillData(Plain):
    """A fill; what its kind does not need is left as it is. See ``fill.plan.Fill``."""

    kind: Literal["soak", "contour", "pull", "weave", "borrow", "other frames"] = "soak"
    smooth: float = Field(default=6.0, ge=0, le=80, description="px along the rim.")
    way: Literal["flow", "march"] = Field(default="flow", description="Of contour: how lines are carried inwards.")
    direction: float | None = Field(
        default=None,
        ge=-360,
        le=360,
        description="Of pull, degrees, 90 is down; none: from all sides, or across a line.",
    )
    side: float = Field(
        default=0.0, ge=-1, le=1, description="Of pull: -1 from behind, 0 from both, 1 from ahead.",
        validation_alias=AliasChoices("side", "from"),
    )  # fmt: skip
    patch: int = Field(default=25, ge=7, le=61, description="Of weave: px of its patches.")
    place: Polygon | None = Field(default=None, description="Of weave: where texture is taken; none: round the mark.")
    seed: int = Field(default=0, ge=0, le=9999, description="Another answer.")
    offset: tuple[Finite, Finite] = Field(default=(0.0, 0.0), description="Of borrow: donor minus mark, px.")
    turn: Turn = 0.0
    zoom: Zoom = 1.0
    flip: bool = False
    keys: list[BorrowKeyData] = Field(default=[], max_length=400)
    exposure: float = Field(default=0.0, ge=-4, le=4, description="Stops.")
    saturation: float = Field(default=1.0, ge=0, le=3)
    fit: bool = Field(default=True, description="Its tone is brought to the rim's.")
    live: bool = Field(default=False, description="Taken from every frame anew.")
    donor_hold: str | None = Field(default=None, description="Hold file of the donor, when it moves on its own.")
    reach: int = Field(default=48, ge=1, le=100_000, description="Of other frames: how far away at most.")
    rest: Literal["weave", "soak", "plate"] = Field(default="weave", description="What no frame shows is filled by it.")

    @model_validator(mode="after")
    def _in_order(self) -> "FillData":
        self.keys.sort(key=lambda key: key.frame)
        if len({key.frame for key in self.keys}) < len(self.keys):
            raise ValueError("a donor has two keys on one frame")
        return self

    def fill(self) -> Fill:
        """For the engine."""
        plain = self.model_dump(exclude={"donor_hold", "keys", "place"})
        keys = tuple(BorrowKey(key.frame, key.offset, key.turn, key.zoom) for key in self.keys)
        place = None if self.place is None else check_polygon(self.place, "The place to take texture from")
        return Fill(**plain, keys=keys, place=place)


class SoftenData(Plain):
    """Softening; see ``retouch.soften.Soften``."""

    scale: float = Field(default=10.0, ge=2, le=80, description="px; tone finer than this is smoothed.")
    amount: float = Field(default=0.5, ge=0, le=1)
    texture: float = Field(default=1.0, ge=0, le=2, description="Times its own.")
    lines: float = Field(default=0.0, ge=0, le=1, description="How far creases are evened.")
    take: Point | None = Field(default=None, description="px to a place whose texture is taken instead.")

    def soften(self) -> Soften:
        """For the engine."""
        return Soften(**self.model_dump())
