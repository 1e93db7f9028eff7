"""How a hold is measured: its kind, how the surface may move and bend, and how footage is prepared for the tracker."""

from dataclasses import dataclass, field

import cv2
import numpy as np

from hushcore.arrays import F32, Codes
from hushcore.colour import curves
from hushcore.errors import HushError

KINDS = ("auto", "point", "two-point", "planar", "mesh")
MOTIONS = ("shift", "similarity", "affine", "perspective")
CHANNELS = ("luma", "r", "g", "b")
# Rec. 709 luma weights on encoded values: the tracker wants contrast, not colorimetry
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
SHRINK_BANDS = (0.0, 0.8, 1.6)  # px: sigmas whose differences are the bands that degraining shrinks
SHARPEN_SIGMA = 1.2  # px
CONTRAST_TILES = 8
SEARCH = (24.0, 24.0)  # px that a point may jump between two frames


@dataclass(frozen=True)
class Prep:
    """Preparation of a frame for the tracker alone; the defaults change nothing.

    ``degrain``: 0..3, times the measured grain that is shrunk away; ``blur``, px of sigma; ``sharpen``: 0..3, share of
    the fine detail added; ``contrast``: 0..1, local contrast evened out; ``gamma``: exponent is its inverse.
    """

    channel: str = "luma"
    degrain: float = 0.0
    blur: float = 0.0
    sharpen: float = 0.0
    contrast: float = 0.0
    gamma: float = 1.0

    @property
    def plain(self) -> bool:
        """Whether pictures pass as they are (the channel aside)."""
        return self.degrain == self.blur == self.sharpen == self.contrast == 0 and self.gamma == 1

    def apply(self, picture: F32) -> F32:
        """Encoded values 0..1 (h, w), treated."""
        if self.plain:
            return picture
        out = np.ascontiguousarray(picture, np.float32)
        if self.degrain > 0:
            out = _shrunk(out, self.degrain)
        if self.blur > 0:
            out = cv2.GaussianBlur(out, (0, 0), self.blur)
        if self.sharpen > 0:
            out = out + np.float32(self.sharpen) * (out - cv2.GaussianBlur(out, (0, 0), SHARPEN_SIGMA))
        if self.gamma != 1:
            out = np.clip(out, 0, 1) ** np.float32(1 / self.gamma)
        return _evened(out, self.contrast) if self.contrast > 0 else np.asarray(out)


def _shrunk(picture: F32, strength: float) -> F32:
    """Soft-thresholded bands (Donoho & Johnstone 1994), the noise of each taken from its median absolute value."""
    low = picture
    kept = np.zeros_like(picture)
    for sigma in SHRINK_BANDS[1:]:
        lower = cv2.GaussianBlur(low, (0, 0), sigma)
        band = low - lower
        limit = np.float32(strength * np.median(np.abs(band)) / 0.6745)
        kept += np.sign(band) * np.maximum(np.abs(band) - limit, 0)
        low = lower
    return np.asarray(low + kept)


def _evened(picture: F32, amount: float) -> F32:
    """Contrast-limited histogram equalisation in tiles, mixed in by ``amount``."""
    even = cv2.createCLAHE(4.0, (CONTRAST_TILES, CONTRAST_TILES)).apply(
        (np.clip(picture, 0, 1) * 65535).astype(np.uint16)
    )
    return np.asarray((1 - amount) * picture + amount * even.astype(np.float32) / 65535, np.float32)


def channel_of(codes: Codes, channel: str = "luma") -> F32:
    """Encoded luma or one channel, 0..1, of codes (h, w, c) or (h, w).

    Float codes count as linear light and are taken in ACEScct.
    """
    if codes.dtype.kind == "f":
        linear = _weighed(np.nan_to_num(codes.astype(np.float32)), 1.0, channel)
        return np.asarray(curves.linear_to_acescct(linear), np.float32)
    return _weighed(codes, 1.0 / np.iinfo(codes.dtype).max, channel)


def _weighed(values: Codes | F32, scale: float, channel: str) -> F32:
    if values.ndim == 2:
        return np.asarray(values, np.float32) * np.float32(scale)
    if values.shape[2] < 3:
        return np.asarray(values[..., 0], np.float32) * np.float32(scale)
    if channel != "luma":
        return np.asarray(values[..., "rgb".index(channel)], np.float32) * np.float32(scale)
    return np.asarray(cv2.transform(np.asarray(values[..., :3], np.float32), (LUMA * np.float32(scale))[None, :]))


@dataclass(frozen=True)
class Stiffness:
    """How the surface may bend. Energies are integrals in px, so they do not depend on ``spacing``."""

    spacing: float = 28.0
    bend: float = 200.0
    change: float = 3.0e3
    by_level: tuple[float, ...] = (1.0, 10.0, 100.0, 1000.0)
    iterations: tuple[int, ...] = (3, 2, 3, 4)  # fine to coarse
    more_at_start: int = 4

    @staticmethod
    def of(spacing: float, stiff: float) -> "Stiffness":
        """A mesh of cells of ``spacing`` px, ``stiff`` times as stiff as cloth."""
        return Stiffness(spacing=spacing, bend=200.0 * stiff, change=3.0e3 * stiff)


@dataclass(frozen=True)
class Method:
    """All that decides how a ground is measured. The kind ``auto`` is chosen by trying (``auto.chosen``) before a tracker
    is made.

    ``motion``: what a plane may do; ``search``: px that a point's window may jump between two frames; ``renew``:
    whether the template is renewed where the surface changes its look; ``seeks``: whether the mark is looked for where
    the ground slips; ``body``: whether the surface is followed as a stiff body where it turns away.
    """

    kind: str = "mesh"
    motion: str = "perspective"
    stiffness: Stiffness = field(default_factory=Stiffness)
    prep: Prep = field(default_factory=Prep)
    search: tuple[float, float] = SEARCH
    renew: bool = False
    seeks: bool = True
    body: bool = True

    def check(self) -> None:
        """Raises HushError for a kind, motion or channel that there is not."""
        for value, known, what in (
            (self.kind, KINDS, "hold"), (self.motion, MOTIONS, "motion"), (self.prep.channel, CHANNELS, "channel"),
        ):  # fmt: skip
            if value not in known:
                raise HushError(f"There is no {what} called {value!r}; choose {' or '.join(known)}.", "bad-kind")

    @property
    def freedom(self) -> str:
        """The motion that the kind allows."""
        return {"point": "shift", "two-point": "similarity"}.get(self.kind, self.motion)

    @property
    def bends(self) -> bool:
        """Whether the map is a spline."""
        return self.kind == "mesh"
