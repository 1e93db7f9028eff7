"""What finished pictures can be written as, and their values in each: kept, rounded, or in another encoding.

Outside the mattes a delivered value is always the source's own, put through ``Values`` and nothing else.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from hushcore.arrays import F32, Codes
from hushcore.colour import spaces
from hushcore.colour.encoding import HALF_MOST, Encoding, spread
from hushcore.errors import HushError

SOURCE = "source"
OWN = "own"
HALF_EXACT = 10  # integer codes of so many bits have a half float each (11 bits of precision)


@dataclass(frozen=True)
class Form:
    """A kind of file. ``kind``: a picture a frame, or one movie; ``depth``: NumPy's name of what it holds; ``bits``: that
    integers really have; ``codec``: of a movie; ``coded``: its samples come back only about as they were."""

    key: str
    words: str
    kind: Literal["pictures", "movie"]
    suffix: str
    depth: str
    bits: int
    alpha: bool
    codec: str = ""
    coded: bool = False

    @property
    def floats(self) -> bool:
        """Whether it holds floating point values."""
        return self.depth.startswith("float")


FORMS = {
    form.key: form
    for form in (
        Form("tiff16", "TIFF, 16 bit", "pictures", ".tif", "uint16", 16, True),
        Form("exr-half", "OpenEXR, half float", "pictures", ".exr", "float16", 16, True),
        Form("exr-float", "OpenEXR, float", "pictures", ".exr", "float32", 32, True),
        Form("dpx10", "DPX, 10 bit", "pictures", ".dpx", "uint16", 10, False),
        Form("dpx12", "DPX, 12 bit", "pictures", ".dpx", "uint16", 12, False),
        Form("dpx16", "DPX, 16 bit", "pictures", ".dpx", "uint16", 16, False),
        Form("png16", "PNG, 16 bit", "pictures", ".png", "uint16", 16, True),
        Form("ffv1", "FFV1 in Matroska, without loss", "movie", ".mkv", "uint16", 16, True, "ffv1"),
        Form("prores4444", "ProRes 4444, 10 bit", "movie", ".mov", "uint16", 16, True, "prores4444", True),
        Form("prores422hq", "ProRes 422 HQ, 10 bit", "movie", ".mov", "uint16", 16, False, "prores422hq", True),
        Form("h264", "H.264 preview with the look", "movie", ".mp4", "uint8", 8, False, "h264", True),
    )
}


def form_of(key: str) -> Form:
    """A form by its name. Raises HushError for one that does not exist."""
    if key not in FORMS:
        raise HushError(f"There is no form {key!r}; choose {', '.join([SOURCE, *FORMS])}.", "bad-form")
    return FORMS[key]


@dataclass(frozen=True)
class Values:
    """From a clip's codes to a form's. ``space``: the encoding that is written, or ``own`` for the clip's."""

    source: Encoding
    form: Form
    space: str = OWN

    @property
    def target(self) -> Encoding:
        """What the written codes mean."""
        space = self.source.space if self.space == OWN else self.space
        return Encoding(space, min(self.form.bits, 16), self.source.config)

    def check(self, depth: str) -> None:
        """Raises HushError when codes of a ``depth`` (NumPy's name) cannot be written so."""
        self.target.check()
        if depth.startswith("float") and not self.form.floats and self.space == OWN:
            raise HushError(
                f"This clip holds floating point values, which {self.form.words} would cut off at 0 and 1. Deliver as "
                "OpenEXR, or choose the encoding that they are to be written in.",
                "bad-form",
            )

    def said(self, depth: str) -> str:
        """What becomes of the values, in words."""
        if self.space not in (OWN, self.source.space):
            return f"written in another encoding ({self.target.words})"
        if self.form.coded:
            return "coded with loss"
        return "every value kept" if self.exact(depth) else f"rounded to {self._precision}"

    @property
    def _precision(self) -> str:
        return {"float16": "half float", "float32": "float"}.get(self.form.depth, f"{self.form.bits} bits")

    def exact(self, depth: str) -> bool:
        """Whether the source's own values can be had back from what is written."""
        if self.space not in (OWN, self.source.space) or self.form.coded:
            return False
        if depth.startswith("float"):
            return self.form.depth == "float32" or self.form.depth == depth
        bits = min(self.source.bits, 8 if depth == "uint8" else 16)
        if self.form.floats:
            return self.form.depth == "float32" or bits <= HALF_EXACT
        return self.form.bits >= bits

    def of(self, codes: Codes) -> Codes:
        """Codes (h, w, c) as they are written; a fourth channel is coverage and has no encoding."""
        if self.space in (OWN, self.source.space):
            return kept(codes, self.form)
        colour = self.coloured(self.source.decode(codes[..., :3]))
        return colour if codes.shape[2] < 4 else np.concatenate([colour, kept(codes[..., 3:], self.form)], axis=2)

    def coloured(self, linear: F32) -> Codes:
        """Codes of the source's scene-linear light (h, w, 3)."""
        target = self.target
        if target.linear_space != self.source.linear_space:
            change = spaces.between(self.source.linear_space, target.linear_space, self.source.config)
            linear = spaces.apply(change, np.ascontiguousarray(linear, np.float32))
        return target.encode(linear, self.form.depth)


def kept(codes: Codes, form: Form) -> Codes:
    """Codes in a form's type, with the meaning that they have: integers from 0 to the top, floats as they are."""
    kind = np.dtype(form.depth)
    if kind.kind == "f":
        values = codes.astype(np.float32) / np.float32(np.iinfo(codes.dtype).max) if codes.dtype.kind == "u" else codes
        return np.asarray(np.clip(values, -HALF_MOST, HALF_MOST) if kind.itemsize == 2 else values, kind)
    if codes.dtype.kind == "f":
        codes = np.asarray(np.rint(np.clip(np.nan_to_num(codes.astype(np.float32)), 0, 1) * 65535), np.uint16)
    wide = codes.astype(np.uint16) * np.uint16(257) if codes.dtype == np.uint8 else codes
    if form.bits >= 16:
        return wide
    top = 2**form.bits - 1
    return spread(np.asarray(np.rint(wide.astype(np.float64) * (top / 65535)), kind), form.bits, kind)


def of_matte(matte: F32, form: Form) -> Codes:
    """A matte (h, w), 0 to 1, as one channel of a form's codes."""
    if form.floats:
        return np.asarray(matte[..., None], form.depth)
    return kept(np.asarray(np.rint(matte[..., None] * 65535), np.uint16), form)
