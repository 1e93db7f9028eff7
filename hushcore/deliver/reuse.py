"""What an earlier delivery wrote with the same pixels is taken over instead of being made anew, and proved again."""

import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from hushcore.deliver.movie import segment_path, written_as
from hushcore.deliver.pieces import Order
from hushcore.deliver.proof import FrameProof, digest_of, digest_of_planes
from hushcore.errors import HushError
from hushcore.media import recording as record
from hushcore.media.pictures import written_whole


@dataclass(frozen=True)
class Known:
    """A frame of a piece as it was delivered before: the folder that its files lie in, and their proofs, in order;
    ``first``: the first frame of that delivery."""

    folder: Path
    proofs: tuple[FrameProof, ...]
    first: int


def copied(old: Known, files: Sequence[str], piece: int, folder: Path) -> list[FrameProof] | None:
    """Copy the files of a frame under their new names; None, and nothing is left, when one of them is not any more what its
    proof says. Raises HushError when the disk is full."""
    if len(old.proofs) != len(files):
        return None
    made: list[FrameProof] = []
    for proof, file in zip(old.proofs, files, strict=True):
        path = folder / file
        if not _copy(old.folder / proof.file, path, proof.sha256):
            for one in made:
                (folder / one.file).unlink(missing_ok=True)
            return None
        made.append(replace(proof, file=file, piece=piece))
    return made


def _copy(source: Path, path: Path, digest: str) -> bool:
    if not source.is_file():
        return False
    with written_whole(path) as part:
        shutil.copyfile(source, part)
        holds = digest_of(part)[0] == digest
    if not holds:
        path.unlink(missing_ok=True)
    return holds


def cut(
    ready: Order, number: int, frames: Sequence[int], folder: Path, again: Callable[[int, int], Known | None]
) -> list[FrameProof] | None:
    """A segment cut from the movie of an earlier delivery, when all its frames are there and still what their proofs say."""
    piece = ready.pieces[number]
    known = [again(number, frame) for frame in frames]
    first = known[0]
    if first is None or any(one is None or one.folder != first.folder for one in known) or not ready.form(piece).codec:
        return None
    if not record.CODECS[ready.form(piece).codec].alone:
        return None
    old = first.folder / first.proofs[0].file
    file = ready.file(piece, frames[0])
    path = segment_path(folder, file, frames[0])
    if not old.is_file():
        return None
    try:
        if not record.cut(old, path, written_as(ready, piece, old), frames[0] - first.first, len(frames)):
            return None
        digests = [digest_of_planes(planes) for planes in record.segment_planes(path)]
    except HushError as error:
        if error.kind == "disk-full":
            raise
        return None
    proofs = [replace(one.proofs[0], file=file, piece=number) for one in known if one]
    if digests != [proof.sha256 for proof in proofs]:
        path.unlink(missing_ok=True)
        return None
    return proofs
