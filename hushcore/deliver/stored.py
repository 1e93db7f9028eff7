"""A source frame with a movie's own samples beside it, and those samples with a patch put in."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from hushcore.arrays import Codes, Mask
from hushcore.media import yuv
from hushcore.media.footage import Footage
from hushcore.media.movies import Movie
from hushcore.media.planes import to_codes


@dataclass(frozen=True)
class Stored:
    """A movie's frame as its file has it. ``codes``: R, G, B over 16 bits (h, w, c), not turned upright."""

    decoded: Any
    planes: list[Codes]
    layout: yuv.Layout
    rgb: bool
    codes: Codes
    turned: int


def read(clip: Footage, frame: int) -> tuple[Codes, Stored | None]:
    """A frame's codes (h, w, c), upright; and of a movie its own samples. Raises HushError as reading does."""
    if not isinstance(clip, Movie):
        return clip.read(frame), None
    decoded = clip.decoded(frame)
    planes, layout, rgb = clip.planes_of(decoded)
    codes = to_codes(planes, layout, rgb)
    stored = Stored(decoded, planes, layout, rgb, codes, clip.header.turned)
    return np.ascontiguousarray(np.rot90(codes, stored.turned)), stored


def patched_planes(stored: Stored, codes: Codes, mask: Mask) -> tuple[list[Codes], Mask]:
    """A movie frame's planes with the patched ``codes`` (upright) put in, and the ``mask`` outside of which nothing changed,
    both as stored."""
    mask = np.rot90(mask, -stored.turned)
    after = np.rot90(codes, -stored.turned)
    planes, layout, before = stored.planes, stored.layout, stored.codes
    if stored.rgb:
        top = 2**layout.bits - 1
        changed = after != before
        made = [
            np.where(changed[..., k], np.rint(after[..., k] * (top / 65535)), plane).astype(plane.dtype)
            for k, plane in enumerate(planes)
        ]
    elif len(planes) < 3:
        grey = yuv.patched((planes[0], planes[0], planes[0]), layout, before[..., :3], after[..., :3])[0]
        made = [grey, *planes[1:]]
    else:
        made = [*yuv.patched((planes[0], planes[1], planes[2]), layout, before[..., :3], after[..., :3]), *planes[3:]]
    return made, mask


def under(mask: Mask, layout: yuv.Layout, plane: int, shape: tuple[int, ...]) -> Mask:
    """The samples of a plane that a change within ``mask`` may touch."""
    if plane not in (1, 2) or mask.shape == shape:
        return mask
    return yuv.footprint(mask, layout)[: shape[0], : shape[1]]
