"""Laying a fix into a frame: relight the plate on the still surface, carry it to the frame, mix it in by the matte.

Light is matched and mixed in scene-linear; codes outside the matte are never touched.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.geometry.paths import signed_distance
from hushcore.hold.maps import HoldMap, dense_forward, dense_inverse
from hushcore.hold.record import Hold
from hushcore.light import fields
from hushcore.plates.plate import Plate, sample_linear

MARGIN = 28  # px round the matte for the ring
SHUTTER = 0.5  # of a frame: 180 degrees
VECTOR_STEP = 16  # px between the places where motion is worked out
LEAST_COVER = 1 / 4096  # of a mix; below it no code changes


@dataclass(frozen=True)
class Fix:
    """Everything that stays the same through the shot. Pictures are linear, over ``rect`` of the still surface."""

    hold: Hold
    rect: Rect
    matte: F32
    outside: F32
    original: F32
    painted: F32
    light: str
    blur: bool
    encoding: Encoding = SRGB


@dataclass(frozen=True)
class Laid:
    """A patched frame: codes, the rectangle that was worked on, and the matte (h, w) within it."""

    codes: Codes
    rect: Rect
    matte: F32


def make_fix(hold: Hold, edge: Edge, plate: Plate, light: str, blur: bool = True) -> Fix:
    """Prepare a fix. Raises HushError for an edge without area or a light mode that does not exist."""
    if light not in fields.MODES:
        raise HushError(f"There is no light mode {light!r}; choose {', '.join(fields.MODES)}.", "bad-light")
    edge.check()
    rect = edge.rect().grown(MARGIN)
    original, painted = plate.cut(rect)
    distance = signed_distance(edge.polygon, rect) + np.float32(edge.growth + edge.softness)
    return Fix(hold, rect, edge.matte(rect), np.maximum(-distance, 0), original, painted, light, blur, plate.encoding)


def lay(codes: Codes, frame: int, fix: Fix) -> Laid:
    """One fix on one frame. ``codes`` (h, w, c) is not changed. Raises HushError when the frame is not held."""
    held = fix.hold.at(frame)
    height, width = codes.shape[:2]
    target = _frame_rect(held, fix).clipped(width, height)
    if target.empty:
        return Laid(codes, Rect(0, 0, 0, 0), np.zeros((0, 0), np.float32))
    patch = _relit(codes, frame, held, fix)
    map_x, map_y = dense_inverse(held, target)
    map_x, map_y = map_x - np.float32(fix.rect.left), map_y - np.float32(fix.rect.top)
    matte = np.empty(map_x.shape, np.float32)
    sampling.bilinear(fix.matte, map_x, map_y, matte)
    warped = np.empty((*map_x.shape, 3), np.float32)
    sampling.cubic_spline(sampling.spline_coefficients(patch), map_x, map_y, warped)
    return Laid(mix(codes, target, warped, matte, fix.encoding), target, matte)


def mix(codes: Codes, target: Rect, patch: F32, matte: F32, encoding: Encoding = SRGB) -> Codes:
    """A copy of ``codes`` with the linear ``patch`` mixed into ``target`` where the matte covers."""
    out = codes.copy()
    part = out[target.slices]
    inside = matte > LEAST_COVER
    if not inside.any():
        return out
    colour = part[..., :3]
    grey = colour.shape[2] < 3
    kept = colour[inside]
    base = encoding.decode(np.repeat(kept, 3, axis=1) if grey else kept)
    cover = matte[inside][:, None]
    made = patch[inside]
    laid = encoding.encode(base + cover * (made - base), codes.dtype)
    if grey:
        luma = np.asarray(laid, np.float64) @ np.array([0.2126, 0.7152, 0.0722])
        laid = np.asarray(luma if laid.dtype.kind == "f" else np.rint(luma), laid.dtype)[:, None]
    colour[inside] = laid
    return out


def lay_all(codes: Codes, frame: int, fixes: Sequence[Fix]) -> tuple[Codes, list[Laid]]:
    """A stack of fixes in order; each sees the result of those before it."""
    laid = []
    for fix in fixes:
        result = lay(codes, frame, fix)
        codes = result.codes
        laid.append(result)
    return codes, laid


def _frame_rect(held: HoldMap, fix: Fix) -> Rect:
    """Where the matte can fall on the frame."""
    inside = np.argwhere(fix.matte > 0)
    (top, left), (bottom, right) = inside.min(0), inside.max(0)
    xs = fix.rect.left + np.unique(np.r_[np.arange(left, right, 6), right]).astype(float)
    ys = fix.rect.top + np.unique(np.r_[np.arange(top, bottom, 6), bottom]).astype(float)
    points = held.forward(np.stack(np.meshgrid(xs, ys), -1))
    if not np.isfinite(points).all():
        raise HushError("The hold has broken down on this frame; redo it from the anchor.", "bad-hold")
    return Rect.around(np.clip(points, -1e5, 1e5)).grown(3)


def _relit(codes: Codes, frame: int, held: HoldMap, fix: Fix) -> F32:
    """The painted plate in this frame's light and motion blur, on the still surface."""
    painted, original = fix.painted, fix.original
    if fix.blur:
        smear = _smear(frame, held, fix)
        if smear is not None:
            painted = blurred(painted, *smear)
            original = blurred(original, *smear) if fix.light != "off" else original
    if fix.light == "off":
        return painted
    map_x, map_y = dense_forward(held, fix.rect)
    height, width = codes.shape[:2]
    usable = (map_x >= 0) & (map_y >= 0) & (map_x <= width - 1) & (map_y <= height - 1)
    current = sample_linear(codes, map_x, map_y, fix.encoding)
    clip = fields.CLIP_AT * fix.encoding.white(codes.dtype)
    region = fields.Region.around(fix.outside, usable.astype(np.float32), clip)
    return np.asarray(painted * np.exp(fields.field(fix.light, current, original, region)), np.float32)


def _smear(frame: int, held: HoldMap, fix: Fix) -> tuple[F32, F32] | None:
    """Motion while the shutter was open, in still px: (W[t+1] - W[t-1]) / 2 times the shutter."""
    neighbours = [number for number in (frame - 1, frame + 1) if fix.hold.has(number)]
    if not neighbours:
        return None
    step = VECTOR_STEP
    xs = np.arange(fix.rect.left, fix.rect.right + step, step, dtype=float)
    ys = np.arange(fix.rect.top, fix.rect.bottom + step, step, dtype=float)
    points = np.stack(np.meshgrid(xs, ys), -1)
    ends = [fix.hold.at(number).forward(points) for number in neighbours]
    one_sided = len(ends) == 1
    motion = (ends[0] - held.forward(points)) * (neighbours[0] - frame) if one_sided else (ends[1] - ends[0]) / 2
    still = _turned(held.jacobian(points), motion * SHUTTER)
    if np.hypot(still[..., 0], still[..., 1]).max() < 1:
        return None
    full = cv2.resize(np.ascontiguousarray(still, np.float32), None, fx=step, fy=step, interpolation=cv2.INTER_LINEAR)[
        : fix.rect.height, : fix.rect.width
    ]
    return np.ascontiguousarray(full[..., 0]), np.ascontiguousarray(full[..., 1])


def _turned(jacobian: F64, vectors: F64) -> F64:
    """Frame vectors (..., 2) as still vectors."""
    a, b, c, d = jacobian[..., 0, 0], jacobian[..., 0, 1], jacobian[..., 1, 0], jacobian[..., 1, 1]
    det = a * d - b * c
    det = np.where(np.abs(det) < 0.1, 0.1, det)
    x, y = vectors[..., 0], vectors[..., 1]
    return np.stack([(d * x - b * y) / det, (a * y - c * x) / det], -1)


def blurred(picture: F32, across: F32, down: F32) -> F32:
    """A picture (h, w, 3) smeared along per-pixel vectors of their full length."""
    out = np.empty(picture.shape, np.float32)
    sampling.motion_blur_colour(np.ascontiguousarray(picture, np.float32), across, down, out)
    return out
