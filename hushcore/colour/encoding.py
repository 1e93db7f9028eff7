"""Between a clip's own code values and scene-linear light, exactly there and back.

Codes are what the file holds: ``uint8``, ``uint16`` (10 and 12 bit values spread over 16 bits by repeating their top
bits, as the DPX and TIFF libraries do), ``float16`` or ``float32``.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from hushcore.arrays import F32, Codes
from hushcore.colour import curve_kernel, curves, spaces
from hushcore.errors import HushError

HALF_MOST = 65504.0


@dataclass(frozen=True)
class Encoding:
    """A colour space and a depth. ``space``: a plain name (``curves.PLAIN``) or ``ocio:`` and a colour space's name;
    ``bits``: that integer codes really hold; ``config``: the OpenColorIO configuration for ``ocio:`` spaces."""

    space: str = "srgb"
    bits: int = 16
    config: str = spaces.STUDIO

    def check(self) -> None:
        """Raises HushError for a space that does not exist."""
        if self.space in curves.PLAIN:
            return
        if not self.space.startswith(spaces.PREFIX) or self.name not in spaces.names(self.config):
            raise HushError(f"There is no encoding {self.space!r}; choose one of the list.", "bad-space")

    @property
    def name(self) -> str:
        """The OpenColorIO name, without the prefix."""
        return self.space.removeprefix(spaces.PREFIX)

    @property
    def plain(self) -> curves.Plain | None:
        """The plain encoding, or None for one of OpenColorIO's."""
        return curves.PLAIN.get(self.space)

    @property
    def words(self) -> str:
        """What people call it."""
        return self.plain.words if self.plain else self.name

    @property
    def display(self) -> bool:
        """Whether the picture is finished and is shown as it is, not through a view."""
        return self.plain.display if self.plain else False

    @property
    def linear_space(self) -> str:
        """OpenColorIO's name of the linear light that ``decode`` gives."""
        return self.plain.primaries if self.plain else _scene_linear(self.config)

    def decode(self, codes: Codes | F32) -> F32:
        """Linear light (float32) of codes (..., c) of any shape; not-a-number becomes 0."""
        if self.plain and codes.dtype.kind == "u":
            return np.asarray(_table(self.space, str(codes.dtype))[codes])
        return self.linear(self.values(codes))

    def values(self, codes: Codes | F32) -> F32:
        """Encoded values as float32; integers 0..1, floats as they are, those that are not finite made so."""
        if codes.dtype.kind == "u":
            top = int(np.iinfo(str(codes.dtype)).max)
            return np.asarray(codes.astype(np.float32) * np.float32(1 / top))
        return np.nan_to_num(np.asarray(codes, np.float32), nan=0.0, posinf=HALF_MOST, neginf=-HALF_MOST)

    def linear(self, values: F32) -> F32:
        """Linear light of encoded float values (..., 3)."""
        if self.plain:
            return np.asarray(self.plain.decode(values), np.float32)
        return spaces.apply(spaces.between(self.name, _scene_linear(self.config), self.config), values)

    def encoded(self, linear: F32) -> F32:
        """Encoded float values of linear light (..., 3), not clipped."""
        if self.plain:
            return np.asarray(self.plain.encode(linear))
        return spaces.apply(spaces.between(_scene_linear(self.config), self.name, self.config), linear)

    def encode(self, linear: F32, dtype: np.dtype | str) -> Codes:
        """Codes of linear light, rounded to the nearest that the clip can hold."""
        kind = np.dtype(dtype)
        if kind.kind == "f":
            most = HALF_MOST if kind.itemsize == 2 else np.finfo(np.float32).max
            return np.asarray(np.clip(self.encoded(np.asarray(linear, np.float32)), -most, most), kind)
        # sRGB is exact in float32 at 16 bits; steeper curves are worked out in double
        precise: F32 = np.asarray(linear, np.float32 if self.space == "srgb" else np.float64)
        values = np.clip(self.encoded(precise), 0, 1)
        top = 2 ** min(self.bits, 8 * kind.itemsize) - 1
        return spread(np.asarray(np.rint(values * top), kind), self.bits, kind)

    def tonal(self, codes: Codes | F32) -> F32:
        """Values of even visual step for tone, grain, tracking and tables: encoded ones, ACEScct for linear light."""
        values = self.values(codes)
        return np.asarray(curves.linear_to_acescct(values), np.float32) if self.floats_linear else values

    def from_tonal(self, tonal: F32) -> F32:
        """Linear light of what ``tonal`` gives."""
        return self.linear(np.asarray(curves.acescct_to_linear(tonal)) if self.floats_linear else tonal)

    def tonal_of(self, linear: F32) -> F32:
        """The tonal values of linear light (..., 3), not clipped; plain encodings within 2e-5."""
        if self.floats_linear or (self.plain and self.space != "linear"):
            flat = np.ascontiguousarray(linear, np.float32).reshape(-1)
            out = np.empty_like(flat)
            if curve_kernel.look_up(flat, _tonal_table("acescct" if self.floats_linear else self.space), out):
                return out.reshape(np.shape(linear))
        values = np.asarray(linear, np.float32) if self.floats_linear else self.encoded(linear)
        return np.asarray(curves.linear_to_acescct(values) if self.floats_linear else values, np.float32)

    def white(self, dtype: np.dtype | str) -> float:
        """The linear light of the top integer code, over which everything is cut off; float footage has no such top."""
        if np.dtype(dtype).kind == "f":
            return float("inf")
        return float(self.linear(np.ones((1, 3), np.float32)).max())

    @property
    def floats_linear(self) -> bool:
        """Whether the encoded values themselves are linear light."""
        return self.space == "linear" or self.name in ("ACEScg", "ACES2065-1") or self.name.startswith("Linear ")


SRGB = Encoding()


def spread(codes: Codes, bits: int, kind: np.dtype) -> Codes:
    """Codes of fewer bits over the whole of a wider type, by repeating the top bits (255 of 8 stays the top)."""
    width = 8 * kind.itemsize
    if bits >= width:
        return codes
    wide = codes.astype(np.uint32) << (width - bits)
    return np.asarray(wide | (wide >> bits), kind)


def gathered(codes: Codes, bits: int) -> Codes:
    """The real code values of spread ones: 0..1023 for 10 bit."""
    width = 8 * codes.dtype.itemsize
    return codes if bits >= width else np.asarray(codes >> (width - bits))


@lru_cache(maxsize=8)
def _table(space: str, depth: str) -> F32:
    top = np.iinfo(np.dtype(depth)).max
    values = np.arange(top + 1, dtype=np.float64) / top
    return np.asarray(curves.PLAIN[space].decode(values)).astype(np.float32)


@lru_cache(maxsize=8)
def _tonal_table(space: str) -> F32:
    return np.asarray(curves.PLAIN[space].encode(curve_kernel.places())).astype(np.float32)


def _scene_linear(config: str) -> str:
    return str(spaces.config(config).getRoleColorSpace("scene_linear"))
