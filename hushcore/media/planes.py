"""A decoded picture's own samples, and codes from them."""

from typing import Any

import numpy as np

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.media import yuv

MATRICES = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}  # H.273, matrix coefficients
RANGES = {1: False, 2: True}  # AVCOL_RANGE_MPEG, AVCOL_RANGE_JPEG


def layout_of(frame: Any) -> yuv.Layout:
    """How a decoded frame's planes are to be understood. Raises HushError for a sample format that is not known."""
    form = frame.format
    parts = form.components
    bits = max(part.bits for part in parts)
    if form.has_palette or form.is_bayer or form.is_bit_stream or not 8 <= bits <= 16:
        raise HushError(f"The sample format {form.name} cannot be read; export the movie again.", "bad-depth")
    jpeg = form.name.startswith("yuvj")
    full = RANGES.get(int(frame.color_range or 0), jpeg)
    matrix = MATRICES.get(int(frame.colorspace or 2), "bt709" if frame.height >= 720 else "bt601")
    sub_x = sub_y = 0
    if len(parts) >= 3 and not form.is_rgb:
        sub_x, sub_y = int(parts[1].width < parts[0].width), int(parts[1].height < parts[0].height)
    return yuv.Layout(bits, full or form.is_rgb, matrix, sub_x, sub_y, left=not jpeg)


def planes_of(frame: Any) -> list[Codes]:
    """A frame's component planes (y, u, v[, a]; g, b, r[, a]; y) as they are, packed formats taken apart."""
    if not frame.format.is_planar and len(frame.format.components) > 1:
        frame = frame.reformat(format=_planar(frame.format))
    out = []
    for part, plane in zip(frame.format.components, _ordered(frame), strict=True):
        kind = np.dtype(np.uint8 if part.bits <= 8 else ">u2" if frame.format.is_big_endian else "<u2")
        rows = np.frombuffer(plane, kind).reshape(plane.height, plane.line_size // kind.itemsize)
        values: Codes = rows[: part.height, : part.width].astype(kind.newbyteorder("="))
        out.append(np.ascontiguousarray(values))
    return out


def _ordered(frame: Any) -> list[Any]:
    """Planes in the order of the components (r, g, b lie in planes g, b, r)."""
    return [frame.planes[part.plane] for part in frame.format.components]


def _planar(form: Any) -> str:
    """The planar sibling of a packed or half-packed format."""
    name = form.name.removesuffix("le").removesuffix("be")
    known = {"nv12": "yuv420p", "nv16": "yuv422p", "p010": "yuv420p10le", "p210": "yuv422p10le", "yuyv422": "yuv422p",
             "uyvy422": "yuv422p", "rgb24": "gbrp", "bgr24": "gbrp", "rgba": "gbrap", "bgra": "gbrap", "rgb48": "gbrp16le",
             "rgba64": "gbrap16le", "y210": "yuv422p10le", "ya8": "gray", "argb": "gbrap", "bgr0": "gbrp"}  # fmt: skip
    if name not in known:
        raise HushError(f"The sample format {form.name} cannot be read; export the movie again.", "bad-depth")
    return known[name]


def to_codes(planes: list[Codes], layout: yuv.Layout, rgb: bool) -> Codes:
    """R'G'B'(A) over 16 bits (h, w, 3 or 4) of a frame's planes."""
    if rgb:
        colour = np.stack([_over16(plane, layout.bits) for plane in planes[:3]], -1)
    elif len(planes) < 3:
        offset, span = layout.luma
        grey = np.clip((planes[0].astype(np.float32) - np.float32(offset)) / np.float32(span), 0, 1)
        colour = np.repeat(np.rint(grey * 65535).astype(np.uint16)[..., None], 3, axis=2)
    else:
        colour = yuv.rgb16((planes[0], planes[1], planes[2]), layout)
    if len(planes) == 4:
        return np.concatenate([colour, _over16(planes[3], layout.bits)[..., None]], axis=2)
    return colour


def _over16(plane: Codes, bits: int) -> Codes:
    top = 2**bits - 1
    return np.asarray(np.rint(plane.astype(np.float64) * (65535 / top)), np.uint16)
