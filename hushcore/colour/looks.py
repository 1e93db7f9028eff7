"""Looks: how a clip is shown. For viewing only; a delivered pixel never goes through one.

The order is: the CDL on the clip's own encoded values (linear footage in ACEScct), exposure in linear light, then
either the show's 3D LUT or the view, then gamma. All of it is baked into one table over tonal values, so that it costs
the same whatever it holds.
"""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from hushcore.arrays import F32, Codes
from hushcore.colour import curves, spaces
from hushcore.colour.encoding import Encoding
from hushcore.colour.table_kernel import show8
from hushcore.errors import HushError

AS_IS = ""  # the view of a finished picture: shown as it is
SIDE = 65  # points of the baked table an axis
SIDE_QUICK = 33
DISPLAY, VIEW = "sRGB - Display", "ACES 2.0 - SDR 100 nits (Rec.709)"
MOST_EXPOSURE, LEAST_GAMMA, MOST_GAMMA = 12.0, 0.1, 5.0
EIGHT = np.rint(np.arange(65536) / 257).astype(np.uint8)  # 16-bit codes as 8 bits, to nearest
LUT_SUFFIXES, CDL_SUFFIXES = (".cube",), (".cc", ".ccc", ".cdl")


@dataclass(frozen=True)
class Cdl:
    """ASC CDL v1.2: out = clamp(in x slope + offset) ^ power, then saturation with BT.709 weights."""

    slope: tuple[float, float, float] = (1.0, 1.0, 1.0)
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)
    power: tuple[float, float, float] = (1.0, 1.0, 1.0)
    saturation: float = 1.0

    def check(self) -> None:
        """Raises HushError for values that the standard rules out."""
        if min(self.slope) < 0 or min(self.power) <= 0 or self.saturation < 0:
            raise HushError("A CDL's slope and saturation are not below 0, its power is above 0.", "bad-cdl")

    def transform(self) -> ocio.CDLTransform:
        """As OpenColorIO has it."""
        made = ocio.CDLTransform(list(self.slope), list(self.offset), list(self.power), self.saturation)
        made.setStyle(ocio.CDL_ASC)  # clamped, as the standard has it
        return made


@dataclass(frozen=True)
class Look:
    """``view`` ``AS_IS`` shows finished pictures as they are; others need a ``display`` and a ``view`` of the
    configuration. ``exposure`` in stops. ``lut``: a ``.cube`` from encoded to display values, in place of the view."""

    display: str = ""
    view: str = AS_IS
    exposure: float = 0.0
    gamma: float = 1.0
    cdl: Cdl | None = None
    lut: str = ""

    def check(self, config: str = spaces.STUDIO) -> None:
        """Raises HushError for a look that cannot be shown."""
        if abs(self.exposure) > MOST_EXPOSURE or not LEAST_GAMMA <= self.gamma <= MOST_GAMMA:
            raise HushError(
                f"Exposure goes to {MOST_EXPOSURE:.0f} stops and gamma from {LEAST_GAMMA} to {MOST_GAMMA:.0f}.",
                "bad-look",
            )
        if self.cdl:
            self.cdl.check()
        if self.view and self.view not in spaces.views(config).get(self.display, []):
            raise HushError(f"There is no view {self.view!r} for {self.display!r} in this configuration.", "bad-view")
        if self.lut:
            load_lut(self.lut)

    def neutral(self, encoding: Encoding) -> bool:
        """Whether the clip's codes are shown as they are."""
        untouched = self.exposure == 0 and self.gamma == 1 and self.cdl in (None, Cdl()) and not self.lut
        return untouched and encoding.display and not self.view


def default_look(encoding: Encoding) -> Look:
    """Finished pictures as they are; scene light through the configuration's first display and view."""
    if encoding.display:
        return Look()
    views = spaces.views(encoding.config)
    if VIEW in views.get(DISPLAY, []):
        return Look(DISPLAY, VIEW)
    display = next(iter(views), "")
    return Look(display, views[display][0] if display else AS_IS)


def load_lut(path: str) -> ocio.CPUProcessor:
    """A ``.cube`` as OpenColorIO reads it, tetrahedral. Raises HushError for one that cannot be read."""
    return _lut(path, Path(path).stat().st_mtime_ns if Path(path).exists() else 0)


@lru_cache(maxsize=16)
def _lut(path: str, stamp: int) -> ocio.CPUProcessor:
    if not stamp:
        raise HushError(f"The LUT {Path(path).name} is missing; bring it in again.", "no-lut")
    if Path(path).suffix.lower() not in LUT_SUFFIXES:
        raise HushError(f"{Path(path).name} is not a .cube LUT.", "bad-lut")
    transform = ocio.FileTransform(src=path, interpolation=ocio.INTERP_TETRAHEDRAL)
    try:
        return ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    except ocio.Exception as error:
        raise HushError(f"{Path(path).name} cannot be read as a .cube LUT; export it again.", "bad-lut") from error


@lru_cache(maxsize=32)
def _cdl(cdl: Cdl) -> ocio.CPUProcessor:
    return ocio.Config.CreateRaw().getProcessor(cdl.transform()).getDefaultCPUProcessor()


def shown(look: Look, encoding: Encoding, tonal: F32) -> F32:
    """Display values 0..1 (..., 3) of tonal values, worked out in full."""
    values = np.asarray(tonal, np.float32)
    if look.cdl:
        values = spaces.apply(_cdl(look.cdl), values)
    if look.exposure or not look.lut:
        linear = encoding.from_tonal(values) * np.float32(2.0**look.exposure)
        values = _tonal_of(linear, encoding) if look.lut else linear
    if look.lut:
        out = spaces.apply(load_lut(look.lut), values)
    elif look.view:
        out = spaces.apply(spaces.to_view(encoding.linear_space, look.display, look.view, encoding.config), values)
    else:
        out = np.asarray(curves.linear_to_srgb(np.clip(_bt709(values, encoding), 0, 1)), np.float32)
        if encoding.space == "bt1886":  # a video picture is shown by its own curve, not by sRGB's
            out = np.asarray(encoding.encoded(np.clip(values, 0, 1)), np.float32)
    out = np.clip(out, 0, 1)
    return np.asarray(out if look.gamma == 1 else out ** (1 / look.gamma), np.float32)


def _tonal_of(linear: F32, encoding: Encoding) -> F32:
    return encoding.tonal(np.asarray(encoding.encoded(linear), np.float32))


def _bt709(linear: F32, encoding: Encoding) -> F32:
    """Linear light in BT.709 primaries."""
    target = curves.PLAIN["srgb"].primaries
    if encoding.linear_space == target:
        return linear
    return spaces.apply(spaces.between(encoding.linear_space, target, encoding.config), linear)


class Baked:
    """A look for one encoding as a table; ``show`` is what the viewer calls for each picture."""

    def __init__(self, look: Look, encoding: Encoding, side: int = SIDE) -> None:
        self.look, self.encoding = look, encoding
        self.neutral = look.neutral(encoding)
        if self.neutral:
            return
        axis = np.linspace(0, 1, side, dtype=np.float32)
        grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1)
        table = ocio.Lut3DTransform(side)
        table.setInterpolation(ocio.INTERP_TETRAHEDRAL)
        values = shown(look, encoding, grid)
        table.setData(values.ravel())
        self._eight = np.ascontiguousarray(values * np.float32(255))
        self._table = ocio.Config.CreateRaw().getProcessor(table).getDefaultCPUProcessor()

    def show(self, codes: Codes) -> F32:
        """Display values 0..1, float32 (h, w, 3), of a picture's codes (h, w, 3)."""
        if self.neutral:
            return np.clip(self.encoding.values(codes), 0, 1)
        return spaces.apply(self._table, np.clip(self.encoding.tonal(codes), 0, 1))

    def show8(self, codes: Codes) -> Codes:
        """The same as 8 bits."""
        if self.neutral and codes.dtype == np.uint8:
            return codes
        if self.neutral and codes.dtype == np.uint16:
            return np.asarray(EIGHT[codes])
        if codes.dtype.kind == "f" or self.encoding.floats_linear:
            return np.asarray((self.show(codes) * np.float32(255) + np.float32(0.5)).astype(np.uint8))
        out = np.empty(codes.shape, np.uint8)
        show8(codes, np.float32((len(self._eight) - 1) / np.iinfo(str(codes.dtype)).max), self._eight, out)
        return out


@lru_cache(maxsize=24)
def baked(look: Look, encoding: Encoding) -> Baked:
    """A baked look, kept."""
    return Baked(look, encoding)


def read_cdl(path: Path, name: str = "") -> list[tuple[str, Cdl]]:
    """Corrections in a ``.cc``, ``.ccc`` or ``.cdl`` file, each with its id; ``name`` picks one.

    Raises HushError for a file that is not one.
    """
    if path.suffix.lower() not in CDL_SUFFIXES:
        raise HushError(f"{path.name} is not a .cc, .ccc or .cdl file.", "bad-cdl")
    try:
        group = ocio.CDLTransform.CreateGroupFromFile(str(path))
        found = [
            (
                entry.getID(),
                Cdl(tuple(entry.getSlope()), tuple(entry.getOffset()), tuple(entry.getPower()), entry.getSat()),
            )
            for entry in group
        ]
    except ocio.Exception as error:
        raise HushError(f"{path.name} cannot be read as a CDL; export it again.", "bad-cdl") from error
    chosen = [entry for entry in found if not name or entry[0] == name]
    if not chosen:
        raise HushError(f"{path.name} holds no correction{' called ' + repr(name) if name else ''}.", "bad-cdl")
    return chosen


def write_cdl(path: Path, cdl: Cdl, name: str = "hush") -> None:
    """A CDL beside a delivery; the suffix says which of the three kinds."""
    kinds = {".cc": "ColorCorrection", ".ccc": "ColorCorrectionCollection", ".cdl": "ColorDecisionList"}
    transform = cdl.transform()
    transform.setID(name)
    group = ocio.GroupTransform([transform])
    text = group.write(kinds[path.suffix.lower()], ocio.Config.CreateRaw())
    path.write_text(text)


def write_lut(path: Path, look: Look, encoding: Encoding, side: int = SIDE_QUICK) -> None:
    """The whole look as a ``.cube`` from the clip's encoded (for linear clips ACEScct) to display values."""
    axis = np.linspace(0, 1, side, dtype=np.float32)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")  # red runs fastest in a .cube
    table = shown(look, encoding, np.stack([red, green, blue], -1)).reshape(-1, 3)
    lines = [f'TITLE "{path.stem}"', f"LUT_3D_SIZE {side}"] + [f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in table]
    path.write_text("\n".join(lines) + "\n")
