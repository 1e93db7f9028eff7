"""Delivering frames one at a time, each read back and compared with its source."""

import hashlib
import shutil
from collections.abc import Callable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from hushcore.deliver.movie import deliver_segment, join_segments
from hushcore.deliver.proof import FrameProof, compare, covered, narrowed
from hushcore.errors import HushError
from hushcore.media.clips import Clip
from hushcore.media.footage import Footage
from hushcore.media.movies import Movie
from hushcore.media.pictures import read_codes, write_like
from hushcore.patch.fix import Fix
from hushcore.patch.lay import lay_all

ROOM = 1.1  # free space wanted for the frames to come, as a share of their sources' size
Fixes = Callable[[int], Sequence[Fix]]


def deliver_chunk(
    clip: Footage, frames: Sequence[int], fixes: Fixes, folder: Path, done: Callable[[FrameProof], bool]
) -> None:
    """Deliver some frames of any footage; ``done`` takes each proof and says whether to go on.

    Raises HushError as ``deliver_frame`` does.
    """
    if isinstance(clip, Movie):
        for proof in deliver_segment(clip, frames, fixes, folder):
            done(proof)
        return
    for frame in frames:
        if not done(deliver_frame(clip, frame, fixes(frame), folder)):
            return


def finish(clip: Footage, frames: Sequence[int], folder: Path) -> None:
    """Once all frames are written: a movie's segments become one movie."""
    if isinstance(clip, Movie):
        join_segments(clip, frames, folder)


def deliver_frame(clip: Clip, frame: int, fixes: Sequence[Fix], folder: Path) -> FrameProof:
    """Patch, write, read back and compare one frame of a sequence.

    Raises HushError when the disk is full, or when the written file differs from its source outside the mattes; the
    file is then taken away again.
    """
    source = clip.read(frame)
    codes, laid = lay_all(source, frame, fixes)
    path = folder / clip.delivered(frame)
    write_like(clip.path(frame), path, codes)
    written = narrowed(read_codes(path), source.dtype)
    mask = covered(source.shape, laid)
    inside, outside = compare(source, written, mask)
    if outside or compare(codes, written, mask) != (0, 0):
        path.unlink(missing_ok=True)
        raise HushError(
            f"Frame {frame} was not written as it should be ({outside} values differ outside the matte); it was taken "
            "away again. Deliver to another disk.",
            "proof-failed",
        )
    whole = path.read_bytes()
    digest = hashlib.sha256(whole).hexdigest()
    return FrameProof(frame, path.name, digest, len(whole), int(source.size), int(mask.sum()), inside, outside)


def check_room(clip: Footage, frames: Sequence[int], folder: Path) -> None:
    """Raises HushError when the disk plainly cannot hold the frames."""
    folder.mkdir(parents=True, exist_ok=True)
    need = ROOM * sum(clip.bytes_of(frame) for frame in frames)
    free = shutil.disk_usage(folder).free
    if free < need:
        raise HushError(
            f"{len(frames)} frames need about {need / 1e6:.0f} MB and {free / 1e6:.0f} MB are free; clear some space "
            "or deliver elsewhere. Nothing was written.",
            "disk-full",
        )


def check_place(clip: Footage, folder: Path) -> None:
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
