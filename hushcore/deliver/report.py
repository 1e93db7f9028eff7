"""The proof of a delivery as open JSON and as a list of checksums, and reading both back."""

import json
import platform
from collections.abc import Sequence
from dataclasses import asdict
from importlib import metadata
from pathlib import Path
from typing import Any

import av

from hushcore.deliver.pieces import SHOWN, Order, Piece
from hushcore.deliver.proof import FrameProof, digest_of, digest_of_planes
from hushcore.errors import HushError
from hushcore.media import recording as record
from hushcore.media.pictures import written_whole

PROOF, SUMS = "proof.json", "SHA256SUMS"
USED = ("numpy", "scipy", "numba", "opencv-contrib-python-headless", "openimageio", "opencolorio", "av", "hush-patch")


def versions() -> dict[str, str]:
    """Versions of everything that made the pixels."""
    made = {"python": platform.python_version()}
    for name in USED:
        try:
            made[name] = metadata.version(name)
        except metadata.PackageNotFoundError:
            continue
    made["ffmpeg"] = ", ".join(f"{name} {'.'.join(map(str, at))}" for name, at in av.library_versions.items())
    return made


def summary(proofs: Sequence[FrameProof], ready: Order | None = None) -> dict[str, Any]:
    """The proof of a delivery as JSON-ready data. What is coded with loss is told apart: its values cannot all stay."""
    ordered = sorted(proofs, key=lambda proof: (proof.frame, proof.piece, proof.file))
    coded = {k for k, piece in enumerate(ready.pieces) if not _kept(ready, piece)} if ready else set()
    shown = {k for k, piece in enumerate(ready.pieces) if piece.what in SHOWN} if ready else set()
    exact = [proof for proof in ordered if proof.piece not in coded]
    lossy = [proof for proof in ordered if proof.piece in coded - shown]  # previews are for looking at
    return {
        "version": 2,
        "frames": len({proof.frame for proof in ordered}),
        "first": ordered[0].frame if ordered else None,
        "last": ordered[-1].frame if ordered else None,
        "values": sum(proof.values for proof in exact),
        "changed_inside": sum(proof.changed_inside for proof in exact),
        "changed_outside": sum(proof.changed_outside for proof in exact),
        "coded": {
            "values": sum(proof.values for proof in lossy),
            "changed_outside": sum(proof.changed_outside for proof in lossy),
            "worst": max((proof.worst for proof in lossy), default=0),
        } if lossy else None,
        "pieces": ready.said() if ready else [],
        "files": [asdict(proof) for proof in ordered],
    }  # fmt: skip


def _kept(ready: Order, piece: Piece) -> bool:
    """Whether a piece's values all come back."""
    return piece.like_source or not ready.form(piece).coded


def write(folder: Path, proof: dict[str, Any], movies: Sequence[Path], more: Sequence[Path] = ()) -> None:
    """Write ``proof.json`` and ``SHA256SUMS`` beside the frames: the list last, so that one that is there is whole.

    ``movies``: the joined ones; ``more``: other files that go along. Raises HushError when the disk is full.
    """
    joined = [_whole(folder, path) for path in movies]
    proof = {**proof, "movies": joined, "made_with": versions()}
    apart = {entry["file"] for entry in joined}
    sums = {entry["file"]: entry["sha256"] for entry in (*proof["files"], *joined) if entry["file"] not in apart}
    sums.update({entry["file"]: entry["sha256"] for entry in (*joined, *(_whole(folder, path) for path in more))})
    _put(folder / PROOF, json.dumps(proof, indent=1))
    sums[PROOF] = digest_of(folder / PROOF)[0]
    _put(folder / SUMS, "".join(f"{digest}  {file}\n" for file, digest in sorted(sums.items())))


def _whole(folder: Path, path: Path) -> dict[str, Any]:
    digest, size = digest_of(path)
    return {"file": path.relative_to(folder).as_posix(), "sha256": digest, "bytes": size}


def _put(path: Path, text: str) -> None:
    with written_whole(path) as part:
        part.write_text(text)


def check(folder: Path) -> str:
    """Read a delivery back and say in one line that it holds. Raises HushError (does-not-hold) that says what does not."""
    proof = _read(folder)
    joined = {entry["file"]: entry for entry in proof.get("movies", [])}
    problems = [*_pictures(folder, proof, joined), *_movies(folder, proof, joined)]
    if proof["changed_outside"]:
        problems.append(f"{proof['changed_outside']} values changed outside the mattes when it was made")
    if problems:
        more = f" and {len(problems) - 1} more" if len(problems) > 1 else ""
        raise HushError(f"{folder.name} does not hold: {problems[0]}{more}.", "does-not-hold")
    files = len({entry["file"] for entry in proof["files"]})
    return (
        f"{folder.name} holds: {proof['frames']} frames ({proof['first']} to {proof['last']}) in {files} files are as they were "
        f"delivered; 0 of {proof['values']} values changed outside the mattes."
    )


def _read(folder: Path) -> dict[str, Any]:
    try:
        proof: dict[str, Any] = json.loads((folder / PROOF).read_text())
        if proof["version"] not in (1, 2) or not isinstance(proof["files"], list) or not proof["files"]:
            raise ValueError
        return {"movies": [], **proof}
    except FileNotFoundError as error:
        raise HushError(
            f"{folder.name or folder} holds no {PROOF}; name the folder of a delivery.", "no-file"
        ) from error
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise HushError(f"{PROOF} in {folder.name} cannot be read; it has been changed.", "does-not-hold") from error


def _pictures(folder: Path, proof: dict[str, Any], joined: dict[str, Any]) -> list[str]:
    problems = []
    for entry in proof["files"]:
        if entry["file"] in joined or entry["file"].endswith(record.SUFFIX):
            continue
        path = folder / entry["file"]
        if not path.is_file():
            problems.append(f"{entry['file']} is gone")
        elif digest_of(path)[0] != entry["sha256"]:
            problems.append(f"{entry['file']} has been changed")
    return problems


def _movies(folder: Path, proof: dict[str, Any], joined: dict[str, Any]) -> list[str]:
    """A movie file that has other bytes may still hold the same samples (somebody set a tag): its frames are looked at."""
    problems = []
    for file, entry in joined.items():
        path = folder / file
        if not path.is_file():
            problems.append(f"{file} is gone")
        elif digest_of(path)[0] != entry["sha256"]:
            wanted = [one for one in proof["files"] if one["file"] == file]
            problems += _frames(path, wanted)
    return problems


def _frames(path: Path, wanted: list[dict[str, Any]]) -> list[str]:
    try:
        found = [digest_of_planes(planes) for planes in record.segment_planes(path)]
    except (av.FFmpegError, OSError):
        return [f"{path.name} cannot be decoded"]
    if len(found) != len(wanted):
        return [f"{path.name} has {len(found)} frames instead of {len(wanted)}"]
    off = [one["frame"] for one, digest in zip(wanted, found, strict=True) if one["sha256"] != digest]
    return [f"frame {off[0]} of {path.name} has been changed"] if off else []
