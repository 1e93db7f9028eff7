"""The demo's footage to disk: TIFF, DPX, OpenEXR and movies, each written whole or not at all."""

import os
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from demo.noise import F32


def write_tiff(path: Path, codes: NDArray[np.uint16], compression: str) -> None:
    """One 16-bit RGB TIFF, tagged as sRGB at 24 frames a second."""
    height, width, channels = codes.shape
    spec = oiio.ImageSpec(width, height, channels, "uint16")
    spec["compression"] = compression
    spec["oiio:ColorSpace"] = "sRGB"
    spec["ImageDescription"] = "Ollowby Clay, spring film: apron"
    part = path.with_suffix(".part.tif")
    out = oiio.ImageOutput.create(str(part))
    if not out.open(str(part), spec) or not out.write_image(codes):
        raise OSError(f"could not write {path.name}: {out.geterror()}")
    out.close()
    os.replace(part, path)


def write_dpx(path: Path, encoded: F32, rate: tuple[int, int], timecode: str) -> None:
    """One 10-bit DPX (filled, method A). Values are rounded here: the library would cut them off."""
    codes = np.round(np.clip(encoded, 0, 1) * 1023).astype(np.uint16)
    spec = oiio.ImageSpec(codes.shape[1], codes.shape[0], 3, "uint16")
    spec["oiio:BitsPerSample"] = 10
    spec["FramesPerSecond"] = rate[0] / rate[1]
    spec["dpx:FrameRate"] = rate[0] / rate[1]
    spec["dpx:TimeCode"] = timecode
    spec["ImageDescription"] = "Ollowby Clay, spring film: wall, ACEScct"
    part = path.with_suffix(".part.dpx")
    out = oiio.ImageOutput.create(str(part))
    if not out.open(str(part), spec) or not out.write_image((codes << 6) | (codes >> 4)):
        raise OSError(f"could not write {path.name}: {out.geterror()}")
    out.close()
    os.replace(part, path)


def write_exr(path: Path, linear: F32, rate: tuple[int, int]) -> None:
    """One half-float OpenEXR picture of linear BT.709 light."""
    spec = oiio.ImageSpec(linear.shape[1], linear.shape[0], 3, "half")
    spec["compression"] = "zip"
    spec["FramesPerSecond"] = rate[0] / rate[1]
    spec["ImageDescription"] = "Ollowby Clay, spring film: arm, linear BT.709"
    part = path.with_suffix(".part.exr")
    out = oiio.ImageOutput.create(str(part))
    if not out.open(str(part), spec) or not out.write_image(linear):
        raise OSError(f"could not write {path.name}: {out.geterror()}")
    out.close()
    os.replace(part, path)


def write_movie(
    path: Path, folder: Path, frames: Sequence[int], rate: tuple[int, int], timecode: str, coded: bool = False
) -> None:
    """A BT.709 movie of frames kept as 16-bit codes in ``folder``: 10-bit 4:2:2 ProRes, or 8-bit 4:2:0 H.264 (``coded``).

    ``timecode``: of the first of them.
    """
    import av

    fraction = Fraction(*rate)
    part = path.with_name(f".{path.name}.part.mov")
    form = "yuv420p" if coded else "yuv422p10le"
    options = {"crf": "17", "preset": "fast", "g": "24"} if coded else {"profile": "3", "vendor": "apl0"}
    height, width = np.load(folder / f"{frames[0]:04d}.npy", mmap_mode="r").shape[:2]
    with av.open(str(part), "w") as container:
        stream: Any = container.add_stream("libx264" if coded else "prores_ks", rate=fraction, options=options)
        codec = stream.codec_context
        codec.width, codec.height, codec.pix_fmt = width, height, form
        codec.color_range, codec.colorspace, codec.color_primaries, codec.color_trc = 1, 1, 1, 1
        stream.metadata["timecode"] = timecode
        for index, number in enumerate(frames):
            codes = np.load(folder / f"{number:04d}.npy")
            frame = av.VideoFrame.from_ndarray(codes, "rgb48le").reformat(format=form, dst_colorspace="ITU709")
            frame.pts, frame.time_base = index, 1 / fraction
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    os.replace(part, path)


def timecode(frame: int, rate: tuple[int, int]) -> str:
    """Hours, minutes, seconds and frames of a frame's number, without drop (SMPTE ST 12-1)."""
    base = round(rate[0] / rate[1])
    seconds, part = divmod(frame, base)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{part:02d}"
