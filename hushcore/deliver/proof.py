"""What is known about a delivered frame, and how it is found out."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hushcore.arrays import Codes, Mask
from hushcore.patch.fix import LEAST_COVER
from hushcore.patch.lay import Laid


@dataclass(frozen=True)
class FrameProof:
    """What is known about one delivered frame, from the file as written."""

    frame: int
    file: str
    sha256: str
    bytes: int
    values: int
    inside: int
    changed_inside: int
    changed_outside: int


def covered(shape: tuple[int, ...], laid: Sequence[Laid]) -> Mask:
    """True (h, w) where any matte of a stack of fixes may change a value."""
    mask = np.zeros(shape[:2], bool)
    for result in laid:
        if not result.rect.empty:
            mask[result.rect.slices] |= result.matte > LEAST_COVER
    return mask


def compare(source: Codes, written: Codes, mask: Mask) -> tuple[int, int]:
    """How many values differ, bit for bit, inside the mask and outside it."""
    different = bits_of(source) != bits_of(written)
    inside = int(different[mask].sum())
    return inside, int(different.sum()) - inside


def narrowed(written: Codes, depth: np.dtype) -> Codes:
    """What was read back, in the source's type where that loses nothing (half TIFFs are written as float)."""
    if written.dtype == depth or written.dtype.kind != "f" or depth.kind != "f":
        return written
    with np.errstate(over="ignore"):
        narrow = written.astype(depth)
    return narrow if np.array_equal(narrow.astype(written.dtype), written, equal_nan=True) else written


def bits_of(codes: Codes) -> Codes:
    """Float codes as their bits, so that what is not a number equals itself."""
    if codes.dtype.kind != "f":
        return codes
    return np.ascontiguousarray(codes).view(np.uint16 if codes.dtype.itemsize == 2 else np.uint32)
