"""Outlines, edges, and what passes in front, as data."""

import numpy as np
from pydantic import Field, model_validator

from hushcore.edge import matte
from hushcore.edge.front import Front
from hushcore.edge.outline import LARGEST_WIDTH, Nodes, Outline
from hushcore.recipe.base import Finite, Plain, Point, Polygon


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
    hold: str | None = Field(
        default=None,
        description="Hold file that carries the edge, when it moves over the surface; in its still px then.",
    )

    def edge(self) -> matte.Edge:
        """For the engine."""
        outlines = (self.outline(), *(more.outline() for more in self.more))
        return matte.Edge(outlines, self.growth, self.softness, self.inside)


class FrontData(Plain):
    """What passes in front of the mark: found by itself, and shapes in frame px that add to it or take away."""

    auto: bool = True
    shapes: list[OutlineData] = []

    def front(self) -> Front:
        """For the engine."""
        return Front(self.auto, tuple(shape.outline() for shape in self.shapes))
