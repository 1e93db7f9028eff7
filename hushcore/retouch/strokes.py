"""Strokes as data, and what they do to a plate's picture.

A stroke is a path of points with a pressure each, on the still surface. It covers a place by the nearest point of its
path, so that it neither builds up on itself nor depends on how densely the pointer was sampled.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from hushcore.arrays import F32, F64, Rect, padded_cut
from hushcore.errors import HushError

KINDS = ("clone", "restore")
SMALLEST_SHARE = 0.15  # of the radius at no pressure
LARGEST_RADIUS = 400.0


@dataclass(frozen=True)
class Stroke:
    """One stroke. ``points`` (n, 3): x, y, pressure 0..1; sizes in px; ``offset``: donor minus target, whole px."""

    kind: str
    points: F64
    radius: float
    hardness: float = 0.5
    opacity: float = 1.0
    offset: tuple[int, int] = (0, 0)

    def check(self) -> None:
        """Raises HushError for a stroke that cannot be painted."""
        if self.kind not in KINDS:
            raise HushError(f"There is no brush called {self.kind!r}; choose {' or '.join(KINDS)}.", "bad-stroke")
        if self.points.ndim != 2 or len(self.points) == 0 or self.points.shape[1] != 3:
            raise HushError("The stroke has no points.", "bad-stroke")
        if not np.isfinite(self.points).all() or np.abs(self.points[:, :2]).max() > 1e5:
            raise HushError("The stroke leaves the picture.", "bad-stroke")
        if not 0 < self.radius <= LARGEST_RADIUS:
            raise HushError(f"A brush is up to {LARGEST_RADIUS:.0f} px in radius.", "bad-stroke")
        if self.kind == "clone" and self.offset == (0, 0):
            raise HushError("Set where the clone brush takes from first: Alt-click a clean place.", "no-donor")

    def rect(self) -> Rect:
        """Whole pixels that it can touch."""
        return Rect.around(self.points[:, :2]).grown(int(np.ceil(self.radius)) + 1)


@njit(cache=True, nogil=True, fastmath=True)
def _cover(points, radius, hardness, least, left, top, out):  # type: ignore[no-untyped-def]
    """Coverage by the nearest point of the path, radius and falloff scaled by its pressure."""
    count = points.shape[0]
    for k in range(max(1, count - 1)):
        ax, ay, ap = points[k, 0], points[k, 1], points[k, 2]
        b = min(k + 1, count - 1)
        ex, ey, ep = points[b, 0] - ax, points[b, 1] - ay, points[b, 2] - ap
        size = ex * ex + ey * ey
        x0, x1 = int(np.floor(min(ax, ax + ex) - radius - left)), int(np.ceil(max(ax, ax + ex) + radius - left))
        y0, y1 = int(np.floor(min(ay, ay + ey) - radius - top)), int(np.ceil(max(ay, ay + ey) + radius - top))
        for row in range(max(0, y0), min(out.shape[0], y1 + 1)):
            for col in range(max(0, x0), min(out.shape[1], x1 + 1)):
                px, py = left + col - ax, top + row - ay
                t = min(1.0, max(0.0, (px * ex + py * ey) / size)) if size > 0 else 0.0
                dx, dy = px - t * ex, py - t * ey
                reach = radius * (least + (1 - least) * (ap + t * ep))
                core = reach * hardness
                d = np.sqrt(dx * dx + dy * dy)
                # a fall of at least a pixel, so that a hard brush has no stairs
                fall = max(reach - core, 1.0)
                v = min(1.0, max(0.0, (core + fall - d) / fall))
                v = v * v * (3 - 2 * v)
                if v > out[row, col]:
                    out[row, col] = v


def coverage(stroke: Stroke, rect: Rect) -> F32:
    """How much the stroke covers (0..1, opacity included) over ``rect``."""
    out = np.zeros((rect.height, rect.width), np.float32)
    points = np.ascontiguousarray(stroke.points, np.float64)
    _cover(points, float(stroke.radius), float(stroke.hardness), SMALLEST_SHARE, float(rect.left), float(rect.top), out)
    return out * np.float32(stroke.opacity)


def paint(picture: F32, original: F32, origin: Rect, strokes: Sequence[Stroke]) -> None:
    """Lay ``strokes`` in order into ``picture`` (h, w, 3), linear light, in place.

    ``original``: the plate's untouched picture; ``origin``: where both lie on the still surface. A clone takes what is
    there now, earlier strokes included; ``restore`` brings back the original.
    """
    for stroke in strokes:
        stroke.check()
        area = stroke.rect().within(origin)
        if area.empty:
            continue
        cover = coverage(stroke, area)[..., None]
        local = Rect(area.left - origin.left, area.top - origin.top, area.right - origin.left, area.bottom - origin.top)
        if stroke.kind == "restore":
            donor = original[local.slices]
        else:
            dx, dy = stroke.offset
            moved = Rect(local.left + dx, local.top + dy, local.right + dx, local.bottom + dy)
            donor = np.array(padded_cut(picture, moved))
        target = picture[local.slices]
        target += cover * (donor - target)
