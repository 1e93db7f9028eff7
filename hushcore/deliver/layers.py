"""A finished frame taken apart: what covers it, and the patch alone."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from hushcore.arrays import F32, Codes, Mask, three
from hushcore.colour.encoding import Encoding
from hushcore.deliver.forms import Values, of_matte
from hushcore.deliver.proof import covered
from hushcore.patch.fix import LEAST_COVER, Fix
from hushcore.patch.lay import Laid, lay_all


@dataclass(frozen=True)
class Finished:
    """A frame as shot and as patched (h, w, c), upright, and what each fix laid, by its name."""

    frame: int
    source: Codes
    codes: Codes
    laid: Sequence[Laid]
    names: Sequence[str]

    @cached_property
    def mask(self) -> Mask:
        """True where any fix may have changed a value."""
        return covered(self.source.shape, self.laid)

    def matte(self, name: str) -> F32:
        """How far a fix covers each pixel (h, w), 0 to 1; nothing for one that is off on this frame."""
        out = np.zeros(self.source.shape[:2], np.float32)
        for result, known in zip(self.laid, self.names, strict=True):
            if known == name and not result.rect.empty:
                out[result.rect.slices] = np.where(result.matte > LEAST_COVER, result.matte, 0)
        return out

    @cached_property
    def together(self) -> F32:
        """How far all fixes cover each pixel: what lies over what, as light goes through (Porter & Duff 1984, over)."""
        left = np.ones(self.source.shape[:2], np.float32)
        for result in self.laid:
            if not result.rect.empty:
                left[result.rect.slices] *= 1 - np.where(result.matte > LEAST_COVER, result.matte, 0)
        return np.clip(1 - left, 0, 1)


def finished(source: Codes, frame: int, fixes: Sequence[tuple[str, Fix]]) -> Finished:
    """Lay the fixes of a frame, each with its name."""
    codes, laid = lay_all(source, frame, [fix for _, fix in fixes])
    return Finished(frame, source, codes, laid, [name for name, _ in fixes])


def alone(done: Finished, values: Values, straight: bool) -> Codes:
    """The patch without the shot: colour and coverage (h, w, 4) in a form's codes.

    Laid over the source in scene-linear light it gives the patched frame. ``straight``: colour is not multiplied by coverage;
    else floats are multiplied in linear light, integers as they are coded (common practice for each).
    """
    source: Encoding = values.source
    cover = done.together
    under, over = (source.decode(three(codes[..., :3])) for codes in (done.source, done.codes))
    shows = cover > LEAST_COVER
    colour = np.zeros_like(over)
    share = np.where(shows, cover, 1)[..., None]
    np.copyto(colour, under + (over - under) / share, where=shows[..., None])
    alpha = of_matte(np.where(shows, cover, 0).astype(np.float32), values.form)
    if not straight and values.form.floats:
        colour = colour * np.where(shows, cover, 0)[..., None]
    if not values.form.floats:
        colour = np.maximum(colour, 0)
    coded = values.coloured(np.asarray(colour, np.float32))
    coded[~shows] = 0
    if not straight and not values.form.floats:
        coded = np.asarray(np.rint(coded * (alpha / np.float64(np.iinfo(alpha.dtype).max))), coded.dtype)
    return np.concatenate([coded, alpha], axis=2)
