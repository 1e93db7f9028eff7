"""What a picture is shown as: its look, one channel of it, a stress, a part, a size. Nothing of it is ever delivered."""

import hashlib
import json
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from django.conf import settings

from hushcore.arrays import F32, Codes, Rect
from hushcore.bands.split import GRAIN_SIGMA, low_pass, split
from hushcore.colour.encoding import Encoding, gathered
from hushcore.colour.looks import Baked, Cdl, Look, baked, default_look
from hushcore.colour.looks import shown as worked_out
from hushcore.colour.stress import GRAIN_GAIN, TEXTURE_GAIN, Stress, alone, pushed
from hushcore.errors import HushError
from jobs.models import Shot, inside_root

CHANGE_GAIN, CHANGE_FLOOR = 12.0, 0.06  # a single code that changed is still seen
VIEW_WIDTH = 1280  # px a proxy is wide at most; a viewer that needs more asks for more


def look_of(shot: Shot) -> Look:
    """The shot's look, or the usual one of its encoding."""
    data = shot.look
    if not data:
        return default_look(shot.clip.encoding)
    cdl = data.get("cdl")
    return Look(
        data.get("display", ""), data.get("view", ""), float(data.get("exposure", 0)), float(data.get("gamma", 1)),
        Cdl(tuple(cdl["slope"]), tuple(cdl["offset"]), tuple(cdl["power"]), cdl["saturation"]) if cdl else None,
        str(lut_path(data["lut"])) if data.get("lut") else "",
    )  # fmt: skip


def lut_path(name: str) -> Any:
    """Where a brought-in LUT is kept."""
    return inside_root(settings.VAR / "looks", name)


def look_name(shot: Shot) -> str:
    """A short name of how the shot is shown now, for addresses."""
    clip = shot.clip
    return hashlib.sha256(json.dumps([shot.look, clip.space, clip.bits, clip.encoding.config]).encode()).hexdigest()[
        :12
    ]


IDLE = Stress()


@dataclass(frozen=True)
class View:
    """A way of looking, from a picture's address."""

    channel: str = "colour"
    stress: Stress = IDLE
    part: Rect | None = None
    width: int = 0

    @property
    def plain(self) -> bool:
        """Whether it is the look alone."""
        return self.channel == "colour" and self.stress.idle

    @property
    def name(self) -> str:
        """For the store."""
        return repr(self)


def seen(codes: Codes, shot: Shot, view: View) -> Codes:
    """8-bit display values (h, w, 3) of a frame's codes (h, w, c)."""
    encoding = shot.clip.encoding
    codes = _fitted(codes, view)
    if view.channel == "a":
        return _alpha(codes, view)
    colour = codes[..., :3]
    look = baked(look_of(shot), encoding)
    if view.plain:
        return look.show8(colour)
    shown = _band(colour, encoding, look, view.channel)
    return _eight(pushed(shown, view.stress))


def _band(colour: Codes, encoding: Encoding, look: Baked, channel: str) -> F32:
    """The look, one channel of it, or a band of the clip's own tonal values."""
    if channel in ("texture", "grain"):
        tonal = encoding.tonal(colour)
        if channel == "texture":
            left, gain = split(tonal)[1], TEXTURE_GAIN
        else:
            left, gain = tonal - low_pass(tonal, GRAIN_SIGMA), GRAIN_GAIN
        return np.asarray(0.5 + np.float32(gain) * left, np.float32)
    shown = look.show(colour)
    if channel == "colour":
        return shown
    if channel == "tone":
        return low_pass(shown)
    return alone(shown, channel)


def colour_of(codes: Codes) -> Codes:
    """The three colour channels; a grey picture gives them thrice."""
    return np.repeat(codes[..., :1], 3, axis=2) if codes.shape[2] < 3 else codes[..., :3]


def look_values(shot: Shot, colour: Codes) -> F32:
    """Display values 0..1 of codes, in full and not by table."""
    encoding = shot.clip.encoding
    look = look_of(shot)
    if look.neutral(encoding):
        return encoding.values(colour).ravel()
    return worked_out(look, encoding, encoding.tonal(colour)).ravel()


def real_codes(shot: Shot, pixel: Codes) -> list[float]:
    """A pixel's code values as the file counts them: 0..1023 for 10 bit."""
    if pixel.dtype.kind == "f":
        return [float(value) for value in pixel.ravel()]
    return [int(value) for value in gathered(pixel, shot.clip.real_bits).ravel()]


def changes(source: Codes, patched: Codes, shot: Shot, view: View) -> Codes:
    """What was altered, amplified, as 8 bits (h, w, 3); black where nothing was."""
    encoding = shot.clip.encoding
    away = View(part=view.part, width=view.width)
    one, two = (encoding.tonal(_fitted(codes, away)[..., :3]) for codes in (source, patched))
    return _eight(np.abs(two - one) * np.float32(CHANGE_GAIN) + np.float32(CHANGE_FLOOR) * (two != one))


def _fitted(codes: Codes, view: View) -> Codes:
    if view.part is not None:
        part = view.part.clipped(codes.shape[1], codes.shape[0])
        if part.empty:
            raise HushError("This part lies outside the picture.", "no-frame")
        codes = codes[part.slices]
    if view.width and codes.shape[1] > view.width:
        codes = smaller(codes, view.width)
    return np.repeat(codes, 3, axis=2) if codes.shape[2] < 3 else codes


def _alpha(codes: Codes, view: View) -> Codes:
    if codes.shape[2] < 4:
        raise HushError("This clip has no alpha.", "bad-channel")
    values = Encoding("linear").values(codes[..., 3:4])
    return _eight(pushed(np.repeat(values, 3, axis=2), view.stress))


def _eight(shown: F32) -> Codes:
    return np.asarray((np.clip(shown, 0, 1) * np.float32(255) + np.float32(0.5)).astype(np.uint8))


def smaller(codes: Codes, width: int) -> Codes:
    """A picture scaled down to a width, by area, in its own codes."""
    height = max(1, round(codes.shape[0] * width / codes.shape[1]))
    wide = np.asarray(codes, np.float32) if codes.dtype == np.float16 else codes
    out = cv2.resize(wide, (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(out.reshape(height, width, codes.shape[2]).astype(codes.dtype, copy=False))
