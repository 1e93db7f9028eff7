"""A plate's two pictures on the still surface: as shot, and retouched."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, Codes, Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.hold.maps import dense_forward
from hushcore.hold.record import Hold
from hushcore.retouch.strokes import Stroke, paint

BESIDE = 64  # px beyond a mesh's region that its still picture still shows


@dataclass(frozen=True)
class Plate:
    """Linear pictures (h, w, 3) over ``rect`` of the still surface."""

    rect: Rect
    original: F32
    painted: F32
    encoding: Encoding = SRGB

    def cut(self, rect: Rect) -> tuple[F32, F32]:
        """Original and painted over ``rect``; places outside the plate repeat its border."""
        from hushcore.arrays import padded_cut

        local = Rect(
            rect.left - self.rect.left, rect.top - self.rect.top,
            rect.right - self.rect.left, rect.bottom - self.rect.top,
        )  # fmt: skip
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
        from hushcore.arrays import padded_cut

        return np.array(encoding.decode(_rgb(padded_cut(codes, rect))))
    map_x, map_y = dense_forward(hold.at(frame), rect)
    return sample_linear(codes, map_x, map_y, encoding)


def sample_linear(codes: Codes, map_x: F32, map_y: F32, encoding: Encoding = SRGB) -> F32:
    """Linear light (h, w, 3) at frame positions; only the part of the frame that is needed is decoded."""
    height, width = codes.shape[:2]
    ends = np.array([[map_x.min(), map_y.min()], [map_x.max(), map_y.max()]])
    need = Rect.around(ends).grown(16).clipped(width, height)
    if need.width < 4 or need.height < 4:
        raise HushError("The held surface is outside the picture on this frame.", "outside")
    linear = encoding.decode(_rgb(codes[need.slices]))
    coefficients = sampling.spline_coefficients(linear)
    out = np.empty((*map_x.shape, 3), np.float32)
    sampling.cubic_spline(coefficients, map_x - np.float32(need.left), map_y - np.float32(need.top), out)
    return out


def _rgb(codes: Codes) -> Codes:
    """The three colour channels; a grey picture gives them thrice."""
    return np.repeat(codes, 3, axis=2) if codes.shape[2] == 1 else codes[..., :3]


def make_plate(
    codes: Codes,
    hold: Hold,
    frame: int,
    strokes: Sequence[Stroke],
    finished: Codes | None = None,
    encoding: Encoding = SRGB,
) -> Plate:
    """A plate from a frame's codes, with strokes on it, or from a finished picture of the same frame.

    Raises HushError when the finished picture has another size.
    """
    rect = still_rect(hold, frame)
    original = still_picture(codes, hold, frame, rect, encoding)
    if finished is not None:
        if finished.shape[:2] != codes.shape[:2]:
            raise HushError(
                f"The plate picture is {finished.shape[1]} x {finished.shape[0]}, the frame {codes.shape[1]} x "
                f"{codes.shape[0]}; export it at the frame's size.",
                "plate-size",
            )
        painted = still_picture(finished, hold, frame, rect, encoding)
    else:
        painted = original.copy()
    paint(painted, original, rect, strokes)
    return Plate(rect, original, painted, encoding)
