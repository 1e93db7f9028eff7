"""A graded preview movie: the look is in its pixels, so it is for showing and never for the edit."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np

from hushcore.arrays import Codes
from hushcore.media.preview import write_h264


def write_preview(path: Path, pictures: Iterator[Codes], rate: Fraction) -> None:
    """H.264 of 8-bit display pictures (h, w, 3). Raises HushError when the disk is full; nothing half-written is left."""
    write_h264(path, (even(picture) for picture in pictures), rate)


def even(picture: Codes) -> Codes:
    """Cut to even sides, which halved chroma needs."""
    return np.ascontiguousarray(picture[: picture.shape[0] // 2 * 2, : picture.shape[1] // 2 * 2])
