"""A plate's two pictures on the still surface: as shot, and retouched."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Rect, padded_cut, three
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.hold.maps import dense_forward
from hushcore.hold.record import Hold
from hushcore.retouch.strokes import Canvas, Donors, Stroke, paint

Reader = Callable[[int], Codes]
BESIDE = 64  # px beyond a mesh's region that its still picture still shows
RELIGHT = 8.0  # px: wider differences between averaged frames are light
DARK = 0.003  # linear


@dataclass(frozen=True)
class Plate:
    """Linear pictures (h, w, 3) over ``rect`` of the still surface."""

    rect: Rect
    original: F32
    painted: F32
    encoding: Encoding = SRGB

    def cut(self, rect: Rect) -> tuple[F32, F32]:
        """Original and painted over ``rect``; places outside the plate repeat its border."""
        local = rect.moved(-self.rect.left, -self.rect.top)
        return np.array(padded_cut(self.original, local)), np.array(padded_cut(self.painted, local))


def still_rect(hold: Hold, frame: int) -> Rect:
    """The part of the still surface that a frame can show: all of the anchor, elsewhere the held region."""
    width, height = hold.size
    if frame == hold.anchor or hold.grid is None:
        return Rect(0, 0, width, height)
    return hold.grid.rect.grown(BESIDE).clipped(width, height)


def still_picture(codes: Codes, hold: Hold, frame: int, rect: Rect, encoding: Encoding = SRGB) -> F32:
    """Linear picture (h, w, 3) of a frame pulled back to the anchor pose over ``rect``.

    The anchor frame itself is taken as it is; others are sampled once, by cubic B-spline.
    """
    if frame == hold.anchor:
        return np.array(encoding.decode(three(padded_cut(codes, rect))))
    map_x, map_y = dense_forward(hold.at(frame), rect)
    return sample_linear(codes, map_x, map_y, encoding)


def sample_linear(codes: Codes, map_x: F32, map_y: F32, encoding: Encoding = SRGB) -> F32:
    """Linear light (h, w, 3) at frame positions; only the part of the frame that is needed is decoded."""
    height, width = codes.shape[:2]
    ends = np.array([[map_x.min(), map_y.min()], [map_x.max(), map_y.max()]])
    need = Rect.around(ends).grown(16).clipped(width, height)
    if need.width < 4 or need.height < 4:
        raise HushError("The held surface is outside the picture on this frame.", "outside")
    linear = encoding.decode(three(codes[need.slices]))
    return sampling.sampled(linear, map_x - np.float32(need.left), map_y - np.float32(need.top))


def make_plate(
    codes: Codes,
    hold: Hold,
    frame: int,
    strokes: Sequence[Stroke],
    finished: Codes | None = None,
    encoding: Encoding = SRGB,
    start: F32 | None = None,
    donors: Donors | None = None,
) -> Plate:
    """A plate from a frame's codes, with strokes on it, or from a finished picture of the same frame.

    ``start``: a still picture over ``still_rect`` to begin with instead of the frame's own. Raises HushError when the
    finished picture has another size.
    """
    rect = still_rect(hold, frame)
    original = still_picture(codes, hold, frame, rect, encoding)
    painted = original.copy() if start is None else start.copy()
    if finished is not None:
        check_size(codes, finished)
        painted = still_picture(finished, hold, frame, rect, encoding)
    paint(Canvas(painted, original, rect, encoding, donors), strokes)
    return Plate(rect, original, painted, encoding)


def with_strokes(plate: Plate, strokes: Sequence[Stroke], donors: Donors | None = None) -> Plate:
    """A plate with strokes laid on what it holds already."""
    if not strokes:
        return plate
    painted = plate.painted.copy()
    paint(Canvas(painted, plate.original, plate.rect, plate.encoding, donors), strokes)
    return replace(plate, painted=painted)


def held_still(hold: Hold, read: Reader, rect: Rect, encoding: Encoding) -> Donors:
    """Other frames as donors: each held still over ``rect`` when it is first asked for."""
    kept: dict[int, F32] = {}

    def donor(frame: int) -> F32:
        if frame not in kept:
            kept[frame] = still_picture(read(frame), hold, frame, rect, encoding)
        return kept[frame]

    return donor


def check_size(codes: Codes, finished: Codes) -> None:
    """Raises HushError when a finished picture is not of the frame's size."""
    if finished.shape[:2] != codes.shape[:2]:
        raise HushError(
            f"The plate picture is {finished.shape[1]} x {finished.shape[0]}, the frame {codes.shape[1]} x "
            f"{codes.shape[0]}; export it at the frame's size.",
            "plate-size",
        )


def averaged(read: Reader, hold: Hold, frame: int, count: int, encoding: Encoding) -> F32:
    """The mean of a frame and ``count`` held frames round it, aligned and in its light: its still picture without grain.

    Raises HushError when there is no other held frame.
    """
    rect = still_rect(hold, frame)
    own = still_picture(read(frame), hold, frame, rect, encoding)
    near = sorted((n for n in {hold.anchor, *hold.frames} if n != frame), key=lambda n: abs(n - frame))
    near = [n for n in near if n == hold.anchor or not hold.frames[n].lost][:count]
    if not near:
        raise HushError("No other frame is held yet, so there is nothing to average with; track first.", "not-held")
    level = cv2.GaussianBlur(own, (0, 0), RELIGHT)
    total = own.copy()
    for number in near:
        other = still_picture(read(number), hold, number, rect, encoding)
        light = (level + DARK) / (np.maximum(cv2.GaussianBlur(other, (0, 0), RELIGHT), 0) + DARK)
        total += other * light
    return np.asarray(total / (1 + len(near)), np.float32)
