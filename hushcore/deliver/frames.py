"""Delivering: frames laid once, written as every piece asks, each read back and compared with its source."""

import shutil
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from hushcore.colour.encoding import Encoding
from hushcore.deliver import stored as stores
from hushcore.deliver.layers import Finished, finished
from hushcore.deliver.movie import MovieSegment, Shown, join_segments
from hushcore.deliver.pictures import Pictures
from hushcore.deliver.pieces import Order, Piece, order
from hushcore.deliver.proof import FrameProof
from hushcore.deliver.reuse import Known, copied, cut
from hushcore.errors import HushError
from hushcore.media.clips import Clip
from hushcore.media.footage import Footage
from hushcore.media.movies import Movie
from hushcore.patch.fix import Fix

ROOM = 1.1  # free space wanted for the frames to come, as a share of what they take
LEAST_FREE = 0.02  # of a disk: with less, a delivery stops by itself, so that nothing else on it breaks
Fixes = Callable[[int], Sequence[tuple[str, Fix]]]
Done = Callable[[int, list[FrameProof]], bool]
Again = Callable[[int, int], Known | None]


def deliver_chunk(
    ready: Order, frames: Sequence[int], fixes: Fixes, folder: Path, done: Done, again: Again | None = None,
    shown: Shown | None = None,
) -> None:  # fmt: skip
    """Write some frames of every piece. ``fixes``: those that are on at a frame, with their names of the order; ``done``
    takes the proofs of a frame once all its files are whole, and says whether to go on; ``again``: what is known of a piece
    and frame that was delivered before with the same pixels; ``shown``: codes as they are looked at, for previews.

    Raises HushError when the disk is full or what is read back is not what it should be. What was whole before stays.
    """
    if not frames:
        return
    pictures = {k: Pictures(ready, k, folder) for k, piece in enumerate(ready.pieces) if not ready.movie(piece)}
    with ExitStack() as undone:
        movies, late = _movies(ready, frames, folder, again, shown, undone)
        for frame in frames:
            check_free(folder)
            proofs = _pictures(ready, frame, pictures, fixes, folder, again, movies)
            if movies or late:
                late.setdefault(frame, []).extend(proofs)
            elif not done(frame, proofs):
                return
        for movie in movies:
            for proof in movie.end():
                late[proof.frame].append(proof)
        undone.pop_all()
    for frame in sorted(late):
        done(frame, late[frame])


def _movies(
    ready: Order, frames: Sequence[int], folder: Path, again: Again | None, shown: Shown | None, undone: ExitStack
) -> tuple[list[MovieSegment], dict[int, list[FrameProof]]]:
    """The segments that are to be written, and the proofs of those that could be cut from an earlier delivery."""
    movies, late = [], dict[int, list[FrameProof]]()
    for k, piece in enumerate(ready.pieces):
        if not ready.movie(piece):
            continue
        for fix in ready.covers(piece) if piece.what == "mattes" else ("",):
            proofs = None if fix or again is None else cut(ready, k, frames, folder, again)
            if proofs is None:
                movies.append(MovieSegment(ready, k, folder, frames[0], fix, shown))
                undone.callback(movies[-1].drop)
            for proof in proofs or ():
                late.setdefault(proof.frame, []).append(proof)
    return movies, late


def _pictures(
    ready: Order, frame: int, pictures: dict[int, Pictures], fixes: Fixes, folder: Path, again: Again | None,
    movies: list[MovieSegment],
) -> list[FrameProof]:  # fmt: skip
    """Write a frame of every piece; it is laid only when something has to be made of it."""
    made: Finished | None = None
    proofs: list[FrameProof] = []
    for k, writer in pictures.items():
        old = again(k, frame) if again else None
        kept = copied(old, writer.files(frame), k, folder) if old else None
        if kept is None:
            made = made or _laid(ready, frame, fixes, movies)
            kept = writer.frame(made)
        proofs += kept
    if movies and made is None:
        _laid(ready, frame, fixes, movies)
    return proofs


def _laid(ready: Order, frame: int, fixes: Fixes, movies: list[MovieSegment]) -> Finished:
    codes, stored = stores.read(ready.clip, frame)
    done = finished(codes, frame, fixes(frame))
    for movie in movies:
        movie.frame(done, stored)
    return done


def finish(ready: Order, frames: Sequence[int], folder: Path) -> list[Path]:
    """Once all frames are written: the segments of each movie become one. Returns the movies."""
    made = []
    for k, piece in enumerate(ready.pieces):
        if ready.movie(piece):
            for fix in ready.covers(piece) if piece.what == "mattes" else ("",):
                made.append(join_segments(ready, k, frames, folder, fix))
    return made


def like_source(clip: Footage, encoding: Encoding | None = None) -> Order:
    """An order of the finished frames alone, as the source is."""
    timecode = clip.header.timecode if isinstance(clip, Movie) else ""
    rate = clip.rate if isinstance(clip, Movie) else None
    return order(clip, encoding or Encoding(bits=clip.bits), [Piece()], [], {"clip": clip.name}, timecode, rate)


def deliver_frame(clip: Clip, frame: int, fixes: Sequence[Fix], folder: Path) -> FrameProof:
    """Patch, write, read back and compare one frame of a sequence, as the source is. Raises HushError as ``deliver_chunk``."""
    found: list[FrameProof] = []

    def done(_: int, proofs: list[FrameProof]) -> bool:
        found.extend(proofs)
        return True

    deliver_chunk(like_source(clip), [frame], lambda _: [(str(k), fix) for k, fix in enumerate(fixes)], folder, done)
    return found[0]


def check_room(ready: Order, frames: Sequence[int], folder: Path) -> None:
    """Raises HushError when the disk plainly cannot hold the delivery."""
    need = int(ROOM * sum(_size(ready, piece, frames) for piece in ready.pieces))
    space = _space(folder)
    free = space.free - LEAST_FREE * space.total
    if free < need:
        raise HushError(
            f"This delivery needs about {need / 1e6:.0f} MB and {max(0, free) / 1e6:.0f} MB are free (the last 2 % of the disk "
            "are left alone); clear some space or deliver fewer things. Nothing was written.",
            "disk-full",
        )


def check_free(folder: Path) -> None:
    """Raises HushError when a disk is all but full: it is stopped before anything breaks."""
    space = _space(folder)
    if space.free < LEAST_FREE * space.total:
        raise HushError(
            f"Only {space.free / 1e6:.0f} MB are free on the disk, under 2 % of it; writing has stopped. What is written is "
            "whole. Clear some space, then write the rest.",
            "disk-full",
        )


def _space(folder: Path) -> Any:
    """Total and free bytes of the disk that a folder lies on, or will lie on."""
    return shutil.disk_usage(next(place for place in (folder, *folder.parents) if place.exists()))


def _size(ready: Order, piece: Piece, frames: Sequence[int]) -> int:
    """About what a piece takes, bytes."""
    clip, form = ready.clip, ready.form(piece)
    if piece.like_source:
        return sum(clip.bytes_of(frame) for frame in frames)
    pixels = clip.width * clip.height * len(frames)
    if form.coded:
        return pixels // (4 if form.codec == "h264" else 1)
    each = {"mattes": len(ready.covers(piece)), "patch": 4}.get(piece.what, clip.channels)
    share = 0.3 if piece.what in ("mattes", "patch") and form.suffix != ".tif" else 1.0  # mostly black, packed
    return int(pixels * each * (form.bits if form.floats else 16) / 8 * share)


def check_place(clip: Footage, folder: Path) -> None:
    """Raises HushError when delivering would overwrite the source."""
    if folder.resolve() == clip.folder.resolve():
        raise HushError(
            "Deliver into another folder than the source's; originals are never written over.", "over-source"
        )
