"""The light on a plate beside the light that is usual in the shot, so that a heal does not lose the plate's own shading."""

from collections.abc import Callable, Sequence
from contextlib import suppress

import numpy as np

from hushcore.arrays import F32, F64, Codes, Mask, Rect, padded_cut
from hushcore.bands.split import low_pass
from hushcore.errors import HushError
from hushcore.geometry.membrane import membrane
from hushcore.geometry.paths import signed_distance
from hushcore.hold.record import Hold
from hushcore.plates.beside import BEYOND
from hushcore.plates.plate import Plate, still_picture

SHADE_SCALE = 5.0  # px (sigma): light is wider than that
SHADE_MOST = 0.9  # natural log
SHADED_BY, SHADED_LEAST = 13, 4  # frames that say what light is usual
DARK = 0.003  # linear


def in_its_light(plate: Plate, picture: F32, outlines: Sequence[F64], shades: F32) -> F32:
    """A healed picture with the plate's own shading put back, which a heal smooths away; ``shades`` as ``shading`` gives
    them. Without it, folds that lie on the mark in the plate's frame would come out as glows in all others."""
    made = picture.copy()
    for outline in outlines:
        rect = Rect.around(outline).grown(int(BEYOND) + 24).within(plate.rect)
        shaded_in(made, rect.moved(-plate.rect.left, -plate.rect.top), signed_distance(outline, rect) > -BEYOND, shades)
    return made


def shaded_in(picture: F32, local: Rect, inside: Mask, shades: F32) -> None:
    """Put the shading back in place, in the part ``local`` of a picture, where it is ``inside`` (h, w of that part)."""
    apart = np.ascontiguousarray(shades[local.slices])[..., None]
    rest = np.clip(apart - membrane(apart, ~inside), -SHADE_MOST, SHADE_MOST)
    picture[local.slices] *= np.where(inside[..., None], np.exp(-rest), 1).astype(np.float32)


def shading(plate: Plate, hold: Hold, read: Callable[[int], Codes], area: Rect) -> F32 | None:
    """How much more light most frames have than the plate's, natural log (h, w) over the plate, zero outside ``area``.

    The mark's colour is in both and cancels. None when too few frames are held.
    """
    held = sorted(n for n, frame in hold.frames.items() if not frame.lost)
    frames = [held[k] for k in np.unique(np.linspace(0, len(held) - 1, SHADED_BY).astype(int))] if held else []
    rect = area.within(plate.rect)

    def level(linear: F32) -> F32:
        return np.asarray(np.log(np.maximum(low_pass(linear, SHADE_SCALE), 0).mean(-1) + DARK), np.float32)

    own = level(padded_cut(plate.original, rect.moved(-plate.rect.left, -plate.rect.top)))
    found = []
    for number in frames:
        with suppress(HushError):  # a frame that does not show it says nothing
            found.append(level(still_picture(read(number), hold, number, rect, plate.encoding)) - own)
    if len(found) < SHADED_LEAST:
        return None
    out = np.zeros(plate.original.shape[:2], np.float32)
    out[rect.moved(-plate.rect.left, -plate.rect.top).slices] = np.median(found, axis=0)
    return out
