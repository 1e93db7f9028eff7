"""One outline of an edge: a closed shape or an open line with a width, keyed over time where it must be."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit

from hushcore.arrays import F32, F64, Rect
from hushcore.errors import HushError
from hushcore.geometry.paths import area, flatten, pieces_of

SMALLEST_AREA = 1.0  # square px
LARGEST_WIDTH = 400.0


@dataclass(frozen=True)
class Nodes:
    """A path's points with handles relative to them, and each point's own softness outside (px, added)."""

    points: F64
    into: F64
    out: F64
    soft: F64

    def between(self, other: "Nodes", share: float) -> "Nodes":
        """Part of the way to another set of the same points."""
        return Nodes(*(
            getattr(self, name) * (1 - share) + getattr(other, name) * share
            for name in ("points", "into", "out", "soft")
        ))  # fmt: skip

    def line(self, closed: bool) -> tuple[F64, F64]:
        """Polygon or line (m, 2) within .05 px, and the softness along it (m,)."""
        if not closed:
            return self._open()
        counts = pieces_of(self.points, self.into, self.out)
        soft = [
            np.linspace(self.soft[k], self.soft[(k + 1) % len(counts)], count, endpoint=False)
            for k, count in enumerate(counts)
        ]
        return flatten(self.points, self.into, self.out), np.concatenate(soft)

    def _open(self) -> tuple[F64, F64]:
        points, soft = self.line(True)
        last = pieces_of(self.points, self.into, self.out)[-1]
        keep = len(points) - last + 1
        return points[:keep], soft[:keep]

    @staticmethod
    def of(polygon: F64) -> "Nodes":
        """A polygon's corners as points without handles."""
        polygon = np.asarray(polygon, float)
        still = np.zeros_like(polygon)
        return Nodes(polygon, still, still, np.zeros(len(polygon)))


@dataclass(frozen=True)
class Outline:
    """``keys``: (frame, nodes), rising; with one key it is the same all through. ``takes``: it is taken away from the
    shapes before it. ``width``: px of an open line, None for a closed shape. ``span``: first and last frame, or all;
    ``only``: the frames on which it is known, or all."""

    keys: tuple[tuple[int, Nodes], ...]
    takes: bool = False
    width: float | None = None
    span: tuple[int, int] | None = None
    only: frozenset[int] | None = None

    @staticmethod
    def of(polygon: F64, takes: bool = False) -> "Outline":
        """A closed shape that stays as it is."""
        return Outline(((0, Nodes.of(polygon)),), takes)

    def check(self) -> None:
        """Raises HushError when nothing would be inside."""
        if self._sound is not None:
            raise self._sound

    @cached_property
    def _sound(self) -> HushError | None:
        """What is wrong with it, looked for once: a carried outline has a key on every frame."""
        try:
            self._look()
        except HushError as error:
            return error
        return None

    def _look(self) -> None:
        for _, nodes in self.keys:
            if self.width is not None:
                if len(nodes.points) < 2 or not 0 < self.width <= LARGEST_WIDTH:
                    raise HushError("An open line needs two points and a width.", "no-area")
            elif len(nodes.points) < 2 or area(nodes.line(True)[0]) < SMALLEST_AREA:
                raise HushError("The edge has no area; draw it around the mark.", "no-area")
            if len(nodes.points) != len(self.keys[0][1].points):
                raise HushError("A correction must have the outline's own points; add points on all of it.", "bad-path")

    def on(self, frame: int) -> bool:
        """Whether it is there on a frame."""
        spanned = self.span is None or self.span[0] <= frame <= self.span[1]
        return spanned and (self.only is None or frame in self.only)

    def at(self, frame: int) -> Nodes:
        """Its points on a frame: evenly between keys, held before the first and after the last."""
        frames = [number for number, _ in self.keys]
        k = int(np.searchsorted(frames, frame))
        if k == 0:
            return self.keys[0][1]
        if k == len(frames):
            return self.keys[-1][1]
        return self.keys[k - 1][1].between(self.keys[k][1], (frame - frames[k - 1]) / (frames[k] - frames[k - 1]))

    def distance(self, frame: int, rect: Rect) -> tuple[F32, F32]:
        """Signed px inside the outline on a frame (positive inside), and the own softness of its nearest point."""
        line, soft = self.at(frame).line(self.width is None)
        out = np.empty((2, rect.height, rect.width), np.float32)
        _distances(
            np.ascontiguousarray(line, np.float64), np.ascontiguousarray(soft, np.float64), self.width is None,
            float(rect.left), float(rect.top), out,
        )  # fmt: skip
        distance = out[0] if self.width is None else np.float32(self.width / 2) - out[0]
        return distance, out[1]

    def bounds(self) -> F64:
        """All its points on all keys, as corners of a box (2, 2), a line's width included."""
        return self._bounds

    @cached_property
    def _bounds(self) -> F64:
        points = np.concatenate([nodes.line(self.width is None)[0] for _, nodes in self.keys])
        grow = (self.width or 0) / 2 + max(float(nodes.soft.max(initial=0)) for _, nodes in self.keys)
        return np.array([points.min(0) - grow, points.max(0) + grow])

    def bounds_at(self, frame: int) -> F64:
        """As ``bounds``, on one frame."""
        nodes = self.at(frame)
        points, grow = nodes.line(self.width is None)[0], (self.width or 0) / 2 + float(nodes.soft.max(initial=0))
        return np.array([points.min(0) - grow, points.max(0) + grow])


BLOCK = 24  # px; only the pieces of line that can be nearest anywhere in a block are looked at in it


@njit(cache=True, nogil=True, fastmath=True)
def _distances(line, soft, closed, left, top, out):  # type: ignore[no-untyped-def]
    rows, cols = out.shape[1], out.shape[2]
    near = np.empty(line.shape[0], np.int64)
    for row in range(0, rows, BLOCK):
        for col in range(0, cols, BLOCK):
            end_row, end_col = min(rows, row + BLOCK), min(cols, col + BLOCK)
            count = _near(line, closed, left + (col + end_col - 1) / 2, top + (row + end_row - 1) / 2, near)
            for r in range(row, end_row):
                for c in range(col, end_col):
                    best, softness = 1e18, 0.0
                    for n in range(count):
                        k = near[n]
                        d, t, j = _to_piece(line, k, left + c, top + r)
                        if d < best:
                            best, softness = d, soft[j] + t * (soft[k] - soft[j])
                    out[0, r, c], out[1, r, c] = np.sqrt(best), softness
    if closed:
        for row in range(rows):
            _outside_is_less(line, left, top + row, out[0, row])


@njit(cache=True, nogil=True, fastmath=True)
def _to_piece(line, k, x, y):  # type: ignore[no-untyped-def]
    """Squared distance to the piece that ends in point ``k``, how far along it, and where it begins."""
    j = line.shape[0] - 1 if k == 0 else k - 1
    ex, ey = line[k, 0] - line[j, 0], line[k, 1] - line[j, 1]
    size = ex * ex + ey * ey
    t = 0.0
    if size > 0:
        t = min(1.0, max(0.0, ((x - line[j, 0]) * ex + (y - line[j, 1]) * ey) / size))
    dx, dy = x - line[j, 0] - t * ex, y - line[j, 1] - t * ey
    return dx * dx + dy * dy, t, j


@njit(cache=True, nogil=True, fastmath=True)
def _near(line, closed, x, y, near):  # type: ignore[no-untyped-def]
    """Pieces that can be nearest to a place within a block round ``x``, ``y``, in order; how many they are."""
    first = 0 if closed else 1
    best = 1e18
    for k in range(first, line.shape[0]):
        best = min(best, _to_piece(line, k, x, y)[0])
    reach = (np.sqrt(best) + BLOCK * np.sqrt(2.0) + 1e-6) ** 2  # twice the way from the middle to a corner
    count = 0
    for k in range(first, line.shape[0]):
        if _to_piece(line, k, x, y)[0] <= reach:
            near[count] = k
            count += 1
    return count


@njit(cache=True, nogil=True)
def _outside_is_less(line, left, y, row):  # type: ignore[no-untyped-def]
    """Makes distances outside the closed line negative: even and odd crossings to the right of each place."""
    crossings = np.zeros(row.shape[0] + 1, np.int64)
    for k in range(line.shape[0]):
        j = line.shape[0] - 1 if k == 0 else k - 1
        jy, iy = line[j, 1], line[k, 1]
        if (iy > y) != (jy > y):
            x = (line[j, 0] - line[k, 0]) * (y - iy) / (jy - iy) + line[k, 0]
            crossings[min(row.shape[0], max(0, int(np.ceil(x - left))))] += 1
    right = 0
    for col in range(row.shape[0] - 1, -1, -1):
        right += crossings[col + 1]
        if right % 2 == 0:
            row[col] = -row[col]
