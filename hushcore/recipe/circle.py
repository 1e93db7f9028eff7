"""What a loose loop round a mark proposes: ground, anchor frame, edge, and whether the mark stands in the frame."""

from typing import Any

import cv2
import numpy as np

from hushcore.arrays import Codes, Rect
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.geometry.paths import area, check_polygon
from hushcore.hold.picture import luma
from hushcore.plates.propose import Proposal
from hushcore.recipe.models import GroundData

STANDING_GROWTH = 70  # px, for a mark that is itself no ground
GROUND_GROWTH = 26  # px: larger than the mark, as is common practice, but not over the next fold
WIDER_GROWTH = 120  # px, where that has too little to hold on to
FACETS = 32
EDGE_NODES = 8
SOFT = 14.0  # px outside the edge
SMALLEST_LOOP = 60.0  # square px


def check_loop(loop: list[tuple[float, float]], width: int, height: int) -> np.ndarray:
    """The loop as a closed outline. Raises HushError for one too small or outside the picture."""
    outline = check_polygon(loop, "The loop")
    if area(outline) < SMALLEST_LOOP:
        raise HushError("The loop is too small; draw it round the whole mark.", "no-area")
    low, high = outline.min(0), outline.max(0)
    if low[0] < 0 or low[1] < 0 or high[0] > width - 1 or high[1] > height - 1:
        raise HushError("The loop leaves the picture; draw it inside the frame.", "bad-ground")
    return outline


def ground_around(
    outline: np.ndarray, width: int, height: int, growth: int = GROUND_GROWTH
) -> list[tuple[float, float]]:
    """The loop's hull grown by ``growth``, the mark with it: print on a surface moves as the surface does."""
    hull = cv2.convexHull(outline.astype(np.float32))[:, 0, :]
    inside = Rect.around(hull).grown(growth + 4)
    mask = Edge.of(hull.astype(float), growth, 0).matte(inside)
    contours, _ = cv2.findContours((mask > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = max(contours, key=len)[:, 0, :].astype(float) + np.array([inside.left, inside.top])
    step = max(1, len(line) // FACETS)
    points = np.clip(line[::step], [1, 1], [width - 2, height - 2])
    return [(round(float(x), 1), round(float(y), 1)) for x, y in points]


def edge_nodes(outline: np.ndarray) -> list[dict[str, Any]]:
    """A smooth closed path of few points through the loop (Catmull-Rom handles)."""
    closed = np.vstack([outline, outline[:1]])
    lengths = np.r_[0, np.cumsum(np.hypot(*np.diff(closed, axis=0).T))]
    at = np.linspace(0, lengths[-1], EDGE_NODES, endpoint=False)
    points = np.stack([np.interp(at, lengths, closed[:, k]) for k in range(2)], -1)
    handles = (np.roll(points, -1, 0) - np.roll(points, 1, 0)) / 6
    return [
        {
            "x": round(float(p[0]), 2), "y": round(float(p[1]), 2),
            "into": [round(float(-h[0]), 2), round(float(-h[1]), 2)],
            "out": [round(float(h[0]), 2), round(float(h[1]), 2)],
        }
        for p, h in zip(points, handles, strict=True)
    ]  # fmt: skip


def sharpness(codes: Codes, rect: Rect) -> float:
    """Energy of fine detail over its brightness: the sharper and the more plainly lit, the higher."""
    part = luma(codes[rect.clipped(codes.shape[1], codes.shape[0]).slices])
    fine = part - cv2.GaussianBlur(part, (0, 0), 2.0)
    return float(fine.std() / (part.mean() + 0.05)) if part.size else 0.0


def ground_of(outline: np.ndarray, frame: int, width: int, height: int, stands: bool) -> GroundData:
    """The ground for a loop on a frame; of a mark that ``stands`` in the frame a wider one, without the mark."""
    if not stands:
        return GroundData(anchor=frame, read=[ground_around(outline, width, height)])
    hull = cv2.convexHull(outline.astype(np.float32))[:, 0, :]
    mark = [(round(float(x), 1), round(float(y), 1)) for x, y in hull]
    return GroundData(anchor=frame, read=[ground_around(outline, width, height, STANDING_GROWTH)], stands=[mark])


def wider_ground(outline: np.ndarray, frame: int, width: int, height: int) -> GroundData:
    """A ground that is tried where the loop's own one has too little to hold on to."""
    return GroundData(anchor=frame, read=[ground_around(outline, width, height, WIDER_GROWTH)])


def corner_nodes(outline: np.ndarray) -> list[dict[str, Any]]:
    """An outline as a path of corners."""
    return [{"x": round(float(x), 2), "y": round(float(y), 2), "into": [0, 0], "out": [0, 0]} for x, y in outline]


def recipe_of(found: Proposal, hold: str, anchor: int, picture: str) -> dict[str, Any]:
    """A recipe that lays a proposal. ``hold``, ``picture``: names of its hold and of its finished frame, beside the recipe."""
    first, *more = ({"nodes": corner_nodes(outline)} for outline in found.outlines)
    return {
        "version": 1,
        "fixes": [{
            "name": "Proposed", "hold": hold, "edge": {**first, "more": more, "growth": 0.0, "softness": SOFT},
            "plates": [{"frame": anchor, "picture": picture}],
        }],
    }  # fmt: skip


def recipe_behind(loop: np.ndarray, hold: str) -> dict[str, Any]:
    """A recipe that fills a mark which stands in the frame, within a loop (n, 2, frame px), from other frames."""
    return _recipe_standing(loop, hold, {"source": "fill", "fill": {"kind": "other frames"}})


def recipe_unveiled(loop: np.ndarray, hold: str) -> dict[str, Any]:
    """A recipe that takes a see-through mark, within a loop (n, 2, frame px), off each frame's own picture."""
    return _recipe_standing(loop, hold, {"source": "unveil"})


def _recipe_standing(loop: np.ndarray, hold: str, source: dict[str, Any]) -> dict[str, Any]:
    return {
        "version": 1,
        "fixes": [{
            "name": "Proposed", "hold": hold, "stands": True, **source,
            "edge": {"nodes": corner_nodes(loop), "growth": 0.0, "softness": SOFT},
        }],
    }  # fmt: skip
