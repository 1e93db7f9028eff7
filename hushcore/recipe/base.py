"""What all of the recipe's shapes are made of."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)]
Point = tuple[Finite, Finite]
Polygon = list[Point]


class Plain(BaseModel):
    """Unknown names are mistakes, not extras."""

    model_config = ConfigDict(extra="forbid")
