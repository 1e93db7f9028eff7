"""An edge that rides another hold than the fix's own: a rough shape on something that moves over a surface."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from hushcore.arrays import F64
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.hold.maps import HoldMap
from hushcore.hold.record import Hold


def carried(edge: Edge, hold: Hold) -> Edge:
    """``edge``, drawn in ``hold``'s still pose, in frame px: with a key on every frame on which the hold is good."""
    frames = sorted({hold.anchor, *(n for n, frame in hold.frames.items() if not frame.lost)})
    return replace(edge, outlines=tuple(_carried(outline, hold, frames) for outline in edge.outlines))


def _carried(outline: Outline, hold: Hold, frames: Iterable[int]) -> Outline:
    on = [frame for frame in frames if outline.on(frame)]
    keys = tuple((frame, _moved(outline.at(frame), hold.at(frame))) for frame in on)
    return replace(outline, keys=keys or outline.keys, only=frozenset(on))


def _moved(nodes: Nodes, held: HoldMap) -> Nodes:
    at = held.forward(nodes.points)

    def handle(by: F64) -> F64:
        return np.asarray(held.forward(nodes.points + by) - at)

    return Nodes(at, handle(nodes.into), handle(nodes.out), nodes.soft)
