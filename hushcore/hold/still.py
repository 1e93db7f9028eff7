"""The anchor frame as a template: its view, the reading weights of the ground, blurred copies."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Rect
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.geometry.paths import check_polygon
from hushcore.hold.picture import LEVELS, View, look_at

SMALLEST_GROUND = 16  # px
LEAST_CONTRAST = 0.004  # encoded; below this there is nothing to hold on to
MASK_BITS = 4  # sub-pixel bits of the polygon rasteriser


@dataclass(frozen=True)
class Ground:
    """Shapes to read and shapes to ignore, polygons (n, 2) in anchor-frame px."""

    read: tuple[F64, ...]
    ignore: tuple[F64, ...] = ()

    @staticmethod
    def of(read: Sequence[Sequence[Sequence[float]]], ignore: Sequence[Sequence[Sequence[float]]] = ()) -> "Ground":
        """From plain lists. Raises HushError when there is nothing to read."""
        if not read:
            raise HushError("No ground yet: draw a shape around what the hold should read.", "bad-ground")
        return Ground(
            tuple(check_polygon(shape, "The ground") for shape in read),
            tuple(check_polygon(shape, "An ignored shape") for shape in ignore),
        )

    def rect(self, width: int, height: int) -> Rect:
        """The part of the picture the ground lies in.

        Raises HushError when a shape leaves the picture or is too small to hold on to.
        """
        whole = Rect.around(np.concatenate(self.read))
        inside = whole.clipped(width, height)
        if inside.empty:
            raise HushError("The ground lies outside the picture; draw it on the surface.", "bad-ground")
        if whole.left < -2 or whole.top < -2 or whole.right > width + 2 or whole.bottom > height + 2:
            raise HushError(
                f"The ground leaves the picture ({width} x {height}); keep its shapes inside the frame.", "bad-ground"
            )
        if min(inside.width, inside.height) < SMALLEST_GROUND:
            raise HushError(
                f"The ground is smaller than {SMALLEST_GROUND} px; include more of the surface.", "bad-ground"
            )
        return inside

    def mask(self, rect: Rect) -> F32:
        """1 where the ground is read, 0 elsewhere, over ``rect``."""
        out = np.zeros((rect.height, rect.width), np.uint8)
        corner, scale = np.array([rect.left, rect.top]), 1 << MASK_BITS
        for shapes, value in ((self.read, 1), (self.ignore, 0)):
            for shape in shapes:
                fixed = np.round((shape - corner) * scale).astype(np.int32)
                cv2.fillPoly(out, [fixed], value, shift=MASK_BITS)
        return out.astype(np.float32)


@dataclass(frozen=True)
class Still:
    """The template: what the tracker compares every frame with."""

    view: View
    weights: tuple[F32, ...]
    ground: F32

    @property
    def rect(self) -> Rect:
        return self.view.rect

    def axes(self, level: int) -> tuple[F64, F64]:
        """Full-resolution x of the columns and y of the rows of a level."""
        step = 2.0**level
        height, width = self.view.levels[level].picture.shape
        xs = self.rect.left - 0.5 + (np.arange(width) + 0.5) * step
        ys = self.rect.top - 0.5 + (np.arange(height) + 0.5) * step
        return xs, ys


def make_still(anchor_luma: F32, ground: Ground, rect: Rect) -> Still:
    """The template over ``rect``. Raises HushError when the ground has no texture."""
    view = look_at(anchor_luma, rect)
    mask = ground.mask(view.rect)
    inside = view.rect.clipped(anchor_luma.shape[1], anchor_luma.shape[0])
    part = mask[
        inside.top - view.rect.top : inside.bottom - view.rect.top,
        inside.left - view.rect.left : inside.right - view.rect.left,
    ]
    _check_texture(anchor_luma[inside.slices], part)
    weights = []
    for level in range(LEVELS):
        readable = view.levels[level].readable
        size = (readable.shape[1], readable.shape[0])
        at_level = cv2.resize(mask, size, interpolation=cv2.INTER_AREA) if level else mask
        weights.append(np.ascontiguousarray(at_level * readable))
    return Still(view, tuple(weights), mask)


def _check_texture(picture: F32, mask: F32) -> None:
    """A ground without texture cannot be held: compare its contrast, less what noise alone would give."""
    smooth = cv2.GaussianBlur(picture, (0, 0), 2.0)
    detail = smooth - cv2.GaussianBlur(smooth, (0, 0), 12.0)
    inside = detail[mask > 0.5]
    if inside.size < SMALLEST_GROUND**2 or float(inside.std()) < LEAST_CONTRAST:
        raise HushError(
            "The ground has no texture to hold on to; include a seam, print or edge of the surface.", "no-texture"
        )


def blurred_still(still: Still, level: int, across: F32, down: F32) -> F32:
    """The template of a level smeared along the given vectors (level px)."""
    picture = still.view.levels[level].picture
    if float(np.hypot(across, down).max()) < 1:
        return picture
    out = np.empty_like(picture)
    sampling.motion_blur(picture, across, down, out)
    return out
