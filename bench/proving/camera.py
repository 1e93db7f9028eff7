"""From linear light to a clip's files: lens, grain, enlargement, code values, codec."""

import os
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio

from bench.proving.draw import Drawn
from demo import sensor
from demo.noise import F32

RATE = (24, 1)
LOG_GAIN, LOG_FOOT, LOG_SCALE = 90.0, 0.08, 0.78  # a log curve of nobody's
GRAIN_AT_1 = 0.0113  # of encoded white that sensor.add_grain makes at middle grey
SPACES = {
    "tiff": "srgb",
    "log": "acescct",
    "half": "linear",
    "prores": "bt1886",
    "h264": "bt1886",
    "h264 low": "bt1886",
}


def encode(drawn: Drawn, linear: F32) -> F32:
    """Encoded values of linear light: sRGB, linear, BT.1886, or the log curve, as the shot's files hold them."""
    x = np.clip(linear, 0, None)
    if drawn.codec == "half":
        return np.asarray(x, np.float32)
    if drawn.codec == "log":
        return np.asarray(LOG_FOOT + LOG_SCALE * np.log1p(LOG_GAIN * x) / np.log1p(LOG_GAIN), np.float32)
    if drawn.codec == "tiff":
        return sensor.encode(linear)
    return np.asarray(np.clip(x, 0, 1) ** np.float32(1 / 2.4), np.float32)


def decode(drawn: Drawn, values: F32) -> F32:
    """The reverse: the light that the values truly stand for."""
    if drawn.codec == "half":
        return np.asarray(values, np.float32)
    if drawn.codec == "log":
        return np.asarray(np.expm1((values - LOG_FOOT) / LOG_SCALE * np.log1p(LOG_GAIN)) / LOG_GAIN, np.float32)
    if drawn.codec == "tiff":
        return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return np.asarray(np.clip(values, 0, None) ** np.float32(2.4), np.float32)


def lens(drawn: Drawn, linear: F32) -> F32:
    """As soft as the lens is."""
    return linear if drawn.soft < 0.2 else np.asarray(cv2.GaussianBlur(linear, (0, 0), drawn.soft))


def exposed(drawn: Drawn, linear: F32, seed: int, grained: bool = True) -> F32:
    """Encoded values of a picture (h, w, 3): grain, and the enlargement of a smaller picture."""
    soft = lens(drawn, linear)
    if drawn.twice:
        height, width = soft.shape[:2]
        soft = cv2.resize(soft, (width // 2, height // 2), interpolation=cv2.INTER_AREA)
    if grained:
        field = sensor.grain_field(soft.shape, seed)
        if drawn.correlated:
            field = cv2.GaussianBlur(field, (0, 0), drawn.correlated)
            field = field / field.std()
        soft = sensor.add_grain(soft, np.asarray(field * np.float32(drawn.grain / GRAIN_AT_1), np.float32))
    values = encode(drawn, soft)
    if drawn.twice:
        values = cv2.resize(values, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.asarray(values, np.float32)


def write(drawn: Drawn, folder: Path, name: str, frames: list[F32]) -> str:
    """Write encoded frames as the drawn kind of clip; returns what to open, below ``folder``."""
    place = folder / name
    place.mkdir(parents=True, exist_ok=True)
    if drawn.codec in ("tiff", "log", "half"):
        for number, values in enumerate(frames):
            _still(
                drawn,
                place / f"shot.{1001 + number:04d}.{dict(tiff='tif', log='dpx', half='exr')[drawn.codec]}",
                values,
            )
        return name
    _movie(drawn, place / "shot.mov", frames)
    return f"{name}/shot.mov"


def _still(drawn: Drawn, path: Path, values: F32) -> None:
    height, width = values.shape[:2]
    kind = "half" if drawn.codec == "half" else "uint16"
    spec = oiio.ImageSpec(width, height, 3, kind)
    codes: Any = values
    if drawn.codec == "tiff":
        spec["compression"], spec["oiio:ColorSpace"] = "none", "sRGB"
        codes = np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16)
    if drawn.codec == "log":
        spec["oiio:BitsPerSample"] = 10
        ten = np.round(np.clip(values, 0, 1) * 1023).astype(np.uint16)
        codes = (ten << 6) | (ten >> 4)
    out = oiio.ImageOutput.create(str(path))
    if not out.open(str(path), spec) or not out.write_image(codes):
        raise OSError(f"could not write {path.name}: {out.geterror()}")
    out.close()


def _movie(drawn: Drawn, path: Path, frames: list[F32]) -> None:
    import av

    prores = drawn.codec == "prores"
    part = path.with_name(f".{path.name}.part.mov")
    with av.open(str(part), "w") as container:
        if prores:
            stream: Any = container.add_stream(
                "prores_ks", rate=Fraction(*RATE), options={"profile": "3", "vendor": "apl0"}
            )
        else:
            crf = "17" if drawn.codec == "h264" else "25"
            stream = container.add_stream(
                "libx264", rate=Fraction(*RATE), options={"crf": crf, "preset": "fast", "threads": "1"}
            )
        codec = stream.codec_context
        height, width = frames[0].shape[:2]
        form = "yuv422p10le" if prores else "yuv420p"
        codec.width, codec.height, codec.pix_fmt = width, height, form
        codec.color_range, codec.colorspace, codec.color_primaries, codec.color_trc = 1, 1, 1, 1
        for index, values in enumerate(frames):
            codes = np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16)
            frame = av.VideoFrame.from_ndarray(codes, "rgb48le").reformat(format=form, dst_colorspace="ITU709")
            frame.pts, frame.time_base = index, 1 / Fraction(*RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    os.replace(part, path)
