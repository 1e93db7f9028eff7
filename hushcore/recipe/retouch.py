"""Strokes and the plates that they lie on, as data."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from hushcore.geometry.paths import check_polygon
from hushcore.recipe.base import Finite, Plain, Polygon
from hushcore.retouch.strokes import LARGEST_RADIUS, Donor, Stroke


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
    span: tuple[int, int] | None = Field(
        default=None, description="First and last frame on which it is redone; none: all."
    )

    def stroke(self) -> Stroke:
        """For the engine."""
        points = np.asarray(self.points, float) + np.array([*self.moved, 0.0])
        within = None if self.within is None else check_polygon(self.within, "The protecting outline")
        return Stroke(
            self.kind, points, self.radius, self.hardness, self.opacity, self.flow, self.spacing, self.pressure,
            self.band, self.scale, Donor(**self.donor.model_dump()), self.colour, self.amount, within,
            self.span,
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
