"""Where a fix lies on one frame: on the still surface, and in the frame."""

from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Rect
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.hold.maps import (
    BENDS_AWAY,
    TURNED,
    HoldMap,
    MeshMap,
    dense_forward,
    dense_inverse,
    facing,
    forward_grid,
    nearest,
    sheet_inverse,
    smooth_inverse,
)  # fmt: skip

FRAME_MARGIN = 3  # px round the matte in the frame
BEYOND = 20  # px by which a mark may reach beyond its matte where its hold is unsure
SILHOUETTE = 1.0  # px over which a patch ends at a silhouette
CREASE = 4  # px: half the width of a crease that is laid over


@dataclass(frozen=True)
class Place:
    """``rect`` of the still surface with its ``matte`` and px ``outside`` it; ``target`` of the frame with the still
    position (``map_x``, ``map_y``, in px of ``rect``) and the matte ``cover`` of each of its pixels; how square-on the places
    of ``rect`` are seen (``slant``, None for a plane)."""

    rect: Rect
    matte: F32
    outside: F32
    target: Rect
    map_x: F32
    map_y: F32
    cover: F32
    slant: F32 | None = None


def outside_of(matte: F32) -> F32:
    """Px from every place to the matte; 0 within."""
    return np.asarray(cv2.distanceTransform((matte <= 0).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE))


def on_surface(
    held: HoldMap, rect: Rect, matte: F32, outside: F32, size: tuple[int, int], beyond: int = 0
) -> Place | None:
    """A mark that rides the surface; None when it is not on the frame (``size``: width, height). ``beyond``: px round about that
    are looked at, too."""
    target = _frame_rect(held, rect, matte).clipped(*size)
    if not target.empty:
        target = target.grown(beyond).clipped(*size)
    if target.empty:
        return None
    slant = facing(held, rect)
    if not isinstance(held, MeshMap) or slant is None:
        map_x, map_y = _local(held, target, rect)
        return Place(rect, matte, outside, target, map_x, map_y, _sampled(matte, map_x, map_y), slant)
    bends_away = float(slant[matte > 0].min(initial=1.0)) < BENDS_AWAY
    inverse = None if bends_away else smooth_inverse(held, target)
    if inverse is None:
        return _bent_away(held, rect, matte, outside, target, slant)
    map_x, map_y = _within(inverse, rect)
    return Place(rect, matte, outside, target, map_x, map_y, _sampled(matte, map_x, map_y), slant)


def _bent_away(held: MeshMap, rect: Rect, matte: F32, outside: F32, target: Rect, slant: F32) -> Place | None:
    """A mark on a surface part of which has turned away: laid where it faces the camera, up to its silhouette."""
    x, y, seen = sheet_inverse(held, target, rect)
    if not seen.any():
        return None
    map_x, map_y = nearest(seen > 0, x - np.float32(rect.left), y - np.float32(rect.top))
    visible = _sampled(np.clip((slant - TURNED) / TURNED, 0, 1), map_x, map_y)
    visible *= np.minimum(seen, cv2.GaussianBlur(seen, (0, 0), SILHOUETTE) * 2 - 1).clip(0)
    # a crease of the map is no silhouette: what lies nearest goes on across it
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * CREASE + 1,) * 2)
    padded = cv2.copyMakeBorder(visible, *(CREASE,) * 4, cv2.BORDER_CONSTANT)
    visible = cv2.morphologyEx(padded, cv2.MORPH_CLOSE, disc)[CREASE:-CREASE, CREASE:-CREASE]
    cover = np.asarray(_sampled(matte, map_x, map_y) * visible, np.float32)
    return Place(rect, matte, outside, target, map_x, map_y, cover, slant) if (cover > 0).any() else None


def _sampled(values: F32, map_x: F32, map_y: F32) -> F32:
    out = np.zeros(map_x.shape, np.float32)
    sampling.bilinear(np.ascontiguousarray(values, np.float32), map_x, map_y, out)
    return out


def in_frame(held: HoldMap, rect: Rect, edge: Edge, frame: int, size: tuple[int, int]) -> Place | None:
    """A mark that stands still in the frame while the surface moves under it."""
    target = edge.rect_at(frame).clipped(*size)
    if target.empty:
        return None
    map_x, map_y = _local(held, target, rect)
    matte, outside = standing(held, rect, edge, frame)
    return Place(rect, matte, outside, target, map_x, map_y, edge.matte(target, frame), facing(held, rect))


def standing(held: HoldMap, rect: Rect, edge: Edge, frame: int) -> tuple[F32, F32]:
    """Where on the still ``rect`` a mark that stands in the frame lies, and px outside it."""
    around = edge.rect_at(frame).grown(2)
    if edge.rect_at(frame).empty:
        nothing = np.zeros((rect.height, rect.width), np.float32)
        return nothing, outside_of(nothing)
    drawn = edge.matte(around, frame)
    x, y = dense_forward(held, rect)
    matte = cv2.remap(
        drawn, x - np.float32(around.left), y - np.float32(around.top), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT, borderValue=0.0,
    )  # fmt: skip
    return np.asarray(matte), outside_of(np.asarray(matte))


def _local(held: HoldMap, target: Rect, rect: Rect) -> tuple[F32, F32]:
    return _within(dense_inverse(held, target), rect)


def _within(planes: tuple[F32, F32], rect: Rect) -> tuple[F32, F32]:
    return planes[0] - np.float32(rect.left), planes[1] - np.float32(rect.top)


def _frame_rect(held: HoldMap, rect: Rect, matte: F32) -> Rect:
    """Where the matte can fall on the frame."""
    down, along = (np.flatnonzero((matte > 0).any(axis)) for axis in (1, 0))
    if not len(down):
        return Rect(0, 0, 0, 0)
    xs = rect.left + np.unique(np.r_[np.arange(along[0], along[-1], 6), along[-1]]).astype(float)
    ys = rect.top + np.unique(np.r_[np.arange(down[0], down[-1], 6), down[-1]]).astype(float)
    points = forward_grid(held, xs, ys)
    if not np.isfinite(points).all():
        raise HushError("The hold has broken down on this frame; redo it from the anchor.", "bad-hold")
    return Rect.around(np.clip(points, -1e5, 1e5)).grown(FRAME_MARGIN)
