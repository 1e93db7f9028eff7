"""Artwork with alpha from a still picture file."""

from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from hushcore.arrays import F32
from hushcore.errors import HushError

LARGEST = 8192  # px a side


def read_artwork(path: Path) -> tuple[F32, bool]:
    """RGB and alpha (h, w, 4) as the file holds them, 0..1 for integers, and whether they are integers; opaque without
    an alpha. Raises HushError for a file that is not a picture, is damaged or is too large."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise HushError(
            f"{path.name} is not a picture that can be read; use PNG, TIFF or OpenEXR. ({oiio.geterror()})", "bad-art"
        )
    try:
        spec = source.spec()
        if max(spec.width, spec.height) > LARGEST:
            raise HushError(
                f"Artwork goes up to {LARGEST} px a side; this has {spec.width} x {spec.height}.", "bad-art"
            )
        pixels = source.read_image(oiio.FLOAT)
        whole = str(spec.format) in ("uint8", "uint16")
    finally:
        source.close()
    if pixels is None:
        raise HushError(f"{path.name} ends too early or is damaged; export it again.", "bad-art")
    pixels = np.nan_to_num(np.asarray(pixels, np.float32))
    if pixels.shape[2] in (1, 2):
        pixels = np.concatenate([np.repeat(pixels[..., :1], 3, 2), pixels[..., 1:]], -1)
    if pixels.shape[2] == 3:
        pixels = np.concatenate([pixels, np.ones_like(pixels[..., :1])], -1)
    return pixels[..., :4], whole
