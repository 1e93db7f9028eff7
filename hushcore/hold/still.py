"""The anchor frame as a template: its view, the reading weights of the ground, blurred copies."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Rect
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.geometry.paths import check_polygon
from hushcore.hold.method import Prep
from hushcore.hold.picture import LEVELS, PLAIN, Level, View, fill, look_at

SMALLEST_GROUND = 16  # px
LEAST_CONTRAST = 0.0025  # encoded; below this there is nothing to hold on to
STANDS_GROWTH = 6.0  # px
FACETS = 64  # points to which keyed shapes are brought before they are mixed


@dataclass(frozen=True)
class Passing:
    """A shape of the frame to ignore, keyed over time: fingers, a lamp post, hair. Keys: frame to polygon (n, 2).

    Between two keys it moves evenly from one to the other; it is there from its first to its last key, or through the
    whole shot when there is only one.
    """

    keys: tuple[tuple[int, F64], ...]

    def at(self, frame: int) -> F64 | None:
        """The polygon on a frame, frame px; None when it is not there."""
        frames = [number for number, _ in self.keys]
        if len(frames) == 1:
            return self.keys[0][1]
        if not frames[0] <= frame <= frames[-1]:
            return None
        after = next(k for k, number in enumerate(frames) if number >= frame)
        if frames[after] == frame:
            return self.keys[after][1]
        (a, early), (b, late) = self.keys[after - 1], self.keys[after]
        part = (frame - a) / (b - a)
        early, late = _evenly(early), _matched(_evenly(early), _evenly(late))
        return np.asarray((1 - part) * early + part * late)


def _evenly(polygon: F64) -> F64:
    """A polygon as ``FACETS`` points evenly along its outline."""
    closed = np.vstack([polygon, polygon[:1]])
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(closed, axis=0).T))]
    at = np.linspace(0, along[-1], FACETS, endpoint=False)
    return np.stack([np.interp(at, along, closed[:, k]) for k in range(2)], -1)


def _matched(one: F64, other: F64) -> F64:
    """``other`` begun at the point, and run the way round, that lies nearest to ``one`` when both are centred."""
    middle = one - one.mean(0)
    best = min(
        (np.roll(way, shift, 0) for way in (other, other[::-1]) for shift in range(FACETS)),
        key=lambda turned: float(((turned - turned.mean(0) - middle) ** 2).sum()),
    )
    return np.asarray(best)


@dataclass(frozen=True)
class Ground:
    """Shapes to read and shapes to ignore, polygons (n, 2) in anchor-frame px; what passes in front; and what ``stands``
    in the frame while the surface moves under it (polygons in frame px: never part of the ground)."""

    read: tuple[F64, ...]
    ignore: tuple[F64, ...] = ()
    passing: tuple[Passing, ...] = ()
    stands: tuple[F64, ...] = ()

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
        fill(out, self.read, rect, 1)
        fill(out, self.ignore, rect, 0)
        return out.astype(np.float32)

    def hidden(self, frame: int | None) -> list[F64]:
        """What passes in front on a frame, frame px."""
        shapes = [shape.at(frame) for shape in self.passing] if frame is not None else []
        return [shape for shape in shapes if shape is not None] + [_wider(shape) for shape in self.stands]


def _wider(polygon: F64) -> F64:
    """A convex hull grown by ``STANDS_GROWTH``: the soft edge and the blur of what stands are not the ground's either."""
    turns = np.arange(16) * 2 * np.pi / 16
    disc = STANDS_GROWTH * np.stack([np.cos(turns), np.sin(turns)], -1)
    points = (np.asarray(polygon)[:, None] + disc[None]).reshape(-1, 2).astype(np.float32)
    return np.asarray(cv2.convexHull(points)[:, 0, :], float)


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


def renewed(still: Still, warped: Sequence[F32], weights: Sequence[F32], share: F32) -> Still:
    """The template with part of it taken from a later frame.

    ``warped``, ``weights``: that frame in the anchor's pose and where it could be read, a level each; ``share`` (h, w)
    on the finest level: how much of it is taken.
    """
    levels, read = [], []
    for level, old in enumerate(still.view.levels):
        size = (old.picture.shape[1], old.picture.shape[0])
        part = (cv2.resize(share, size, interpolation=cv2.INTER_AREA) if level else share) * weights[level]
        levels.append(
            Level(np.ascontiguousarray((1 - part) * old.picture + part * warped[level], np.float32), old.readable)
        )
        read.append(still.weights[level])
    return Still(View(still.view.rect, tuple(levels)), tuple(read), still.ground)


def make_still(anchor_luma: F32, ground: Ground, rect: Rect, prep: Prep = PLAIN, hidden: Sequence[F64] = ()) -> Still:
    """The template over ``rect``. Raises HushError when the ground has no texture."""
    view = look_at(anchor_luma, rect, prep, hidden)
    mask = ground.mask(view.rect)
    inside = view.rect.clipped(anchor_luma.shape[1], anchor_luma.shape[0])
    part = mask[
        inside.top - view.rect.top : inside.bottom - view.rect.top,
        inside.left - view.rect.left : inside.right - view.rect.left,
    ]
    if not ground.stands:  # what stands over a picture without texture can still be taken off: only the picture is lost
        _check_texture(prep.apply(anchor_luma[inside.slices]), part)
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
