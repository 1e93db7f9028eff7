"""What is known about a delivered file, and how it is found out."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from hushcore.arrays import Codes, Mask
from hushcore.errors import HushError
from hushcore.patch.fix import LEAST_COVER
from hushcore.patch.lay import Laid

BLOCK = 1 << 20


@dataclass(frozen=True)
class FrameProof:
    """What is known about one frame of one piece, from the file as written.

    ``sha256``: of the file; of a movie's frame, of its samples. ``values``: how many were read back and compared; ``inside``:
    pixels under a matte. ``worst``: of a piece that is coded with loss, how far one value outside the mattes is off, in
    codes of its samples. ``piece``: which of the delivery's.
    """

    frame: int
    file: str
    sha256: str
    bytes: int
    values: int
    inside: int
    changed_inside: int
    changed_outside: int
    piece: int = 0
    worst: int = 0


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


def digest_of(path: Path) -> tuple[str, int]:
    """SHA-256 (FIPS 180-4) of a file, and its size in bytes. Raises HushError when it cannot be read."""
    digest, size = hashlib.sha256(), 0
    try:
        with path.open("rb") as whole:
            while block := whole.read(BLOCK):
                digest.update(block)
                size += len(block)
    except OSError as error:
        raise HushError(f"{path.name} cannot be read: {error.strerror or error}.", "no-file") from error
    return digest.hexdigest(), size


def digest_of_planes(planes: Sequence[Codes]) -> str:
    """SHA-256 of a movie frame's samples, plane after plane."""
    digest = hashlib.sha256()
    for plane in planes:
        digest.update(np.ascontiguousarray(plane).tobytes())
    return digest.hexdigest()


def not_as_made(frame: int, path: Path, why: str) -> HushError:
    """What was read back is not what should have been written; the file is taken away."""
    path.unlink(missing_ok=True)
    return HushError(
        f"Frame {frame} was not written as it should be ({why}); it was taken away again. Deliver to another disk.",
        "proof-failed",
    )
