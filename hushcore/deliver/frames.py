"""Delivering frames one at a time, each read back and compared with its source."""

import hashlib
import shutil
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from hushcore.arrays import Codes, Mask
from hushcore.errors import HushError
from hushcore.media.clips import Clip
from hushcore.media.pictures import output_spec, read_codes, write_codes
from hushcore.patch.fix import LEAST_COVER, Fix, Laid, lay_all

ROOM = 1.1  # free space wanted for the frames to come, as a share of their sources' size


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
    """How many values differ inside the mask and outside it."""
    different = source != written
    inside = int(different[mask].sum())
    return inside, int(different.sum()) - inside


def deliver_frame(clip: Clip, frame: int, fixes: Sequence[Fix], folder: Path) -> FrameProof:
    """Patch, write, read back and compare one frame.

    Raises HushError when the disk is full, or when the written file differs from its source outside the mattes; the
    file is then taken away again.
    """
    source = clip.read(frame)
    codes, laid = lay_all(source, frame, fixes)
    path = folder / clip.file(frame)
    write_codes(path, codes, output_spec(clip.path(frame)))
    written = read_codes(path)
    mask = covered(source.shape, laid)
    inside, outside = compare(source, written, mask)
    if outside or not np.array_equal(written, codes):
        path.unlink(missing_ok=True)
        raise HushError(
            f"Frame {frame} was not written as it should be ({outside} values differ outside the matte); it was taken "
            "away again. Deliver to another disk.",
            "proof-failed",
        )
    whole = path.read_bytes()
    digest = hashlib.sha256(whole).hexdigest()
    return FrameProof(frame, path.name, digest, len(whole), int(source.size), int(mask.sum()), inside, outside)


def check_room(clip: Clip, frames: Sequence[int], folder: Path) -> None:
    """Raises HushError when the disk plainly cannot hold the frames."""
    folder.mkdir(parents=True, exist_ok=True)
    need = ROOM * sum(clip.path(frame).stat().st_size for frame in frames)
    free = shutil.disk_usage(folder).free
    if free < need:
        raise HushError(
            f"{len(frames)} frames need about {need / 1e6:.0f} MB and {free / 1e6:.0f} MB are free; clear some space "
            "or deliver elsewhere. Nothing was written.",
            "disk-full",
        )


def check_place(clip: Clip, folder: Path) -> None:
    """Raises HushError when delivering would overwrite the source."""
    if folder.resolve() == clip.folder.resolve():
        raise HushError(
            "Deliver into another folder than the source's; originals are never written over.", "over-source"
        )


def summary(proofs: Sequence[FrameProof]) -> dict[str, Any]:
    """The proof of a delivery as JSON-ready data."""
    ordered = sorted(proofs, key=lambda proof: proof.frame)
    return {
        "version": 1,
        "frames": len(ordered),
        "first": ordered[0].frame if ordered else None,
        "last": ordered[-1].frame if ordered else None,
        "values": sum(proof.values for proof in ordered),
        "changed_inside": sum(proof.changed_inside for proof in ordered),
        "changed_outside": sum(proof.changed_outside for proof in ordered),
        "files": [asdict(proof) for proof in ordered],
    }
