"""Delivering a movie: segments of lossless frames, each proved sample by sample, joined at the end."""

import hashlib
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from hushcore.arrays import Codes, Mask
from hushcore.deliver.proof import FrameProof, covered
from hushcore.errors import HushError
from hushcore.media import lossless, timecode, yuv
from hushcore.media.movies import Movie
from hushcore.media.planes import to_codes
from hushcore.patch.fix import Fix
from hushcore.patch.lay import lay_all


def segment_path(movie: Movie, folder: Path, first: int) -> Path:
    """Where a segment is kept until all are there."""
    return folder / f".{movie.name}.{first:08d}{lossless.SUFFIX}"


def deliver_segment(
    movie: Movie, frames: Sequence[int], fixes: Callable[[int], Sequence[Fix]], folder: Path
) -> Iterator[FrameProof]:
    """Patch, write, read back and prove ``frames``; the proofs come once the segment is whole.

    Raises HushError when the disk is full or a sample outside the mattes differs; the segment is then taken away.
    """
    if not frames:
        return
    path = segment_path(movie, folder, frames[0])
    made: list[_Made] = []

    def patched() -> Iterator[tuple[Any, list[Codes]]]:
        for frame in frames:
            source = movie.decoded(frame)
            planes, layout, rgb = movie.planes_of(source)
            after, mask = patched_planes(movie, frame, planes, layout, rgb, fixes(frame))
            made.append(_made(planes, after, mask, layout))
            yield source, after

    lossless.write_segment(path, movie, patched())
    try:
        yield from _proofs(movie, frames, path, made)
    except HushError:
        path.unlink(missing_ok=True)
        raise


def patched_planes(
    movie: Movie, frame: int, planes: list[Codes], layout: yuv.Layout, rgb: bool, fixes: Sequence[Fix]
) -> tuple[list[Codes], Mask]:
    """A frame's planes with the fixes laid in, and the mask (as stored, not turned) outside of which nothing changed."""
    stored = to_codes(planes, layout, rgb)
    upright = np.ascontiguousarray(np.rot90(stored, movie.header.turned))
    codes, laid = lay_all(upright, frame, fixes)
    mask = np.rot90(covered(upright.shape, laid), -movie.header.turned)
    after = np.rot90(codes, -movie.header.turned)
    if rgb:
        top = 2**layout.bits - 1
        changed = after != stored
        made = [
            np.where(changed[..., k], np.rint(after[..., k] * (top / 65535)), plane).astype(plane.dtype)
            for k, plane in enumerate(planes)
        ]
    elif len(planes) < 3:
        grey = yuv.patched((planes[0], planes[0], planes[0]), layout, stored[..., :3], after[..., :3])[0]
        made = [grey, *planes[1:]]
    else:
        made = [*yuv.patched((planes[0], planes[1], planes[2]), layout, stored[..., :3], after[..., :3]), *planes[3:]]
    return made, mask


class _Made(NamedTuple):
    """A frame as it was made: what must be read back, and how it differs from the source's own samples."""

    digest: str
    values: int
    covered: int
    inside: int
    outside: int


def _made(source: list[Codes], after: list[Codes], mask: Mask, layout: yuv.Layout) -> _Made:
    inside = outside = 0
    for k, (one, two) in enumerate(zip(source, after, strict=True)):
        where = mask if one.shape == mask.shape and k != 1 and k != 2 else _chroma(mask, layout, one.shape)
        different = one != two
        within = int(different[where].sum())
        inside, outside = inside + within, outside + int(different.sum()) - within
    return _Made(_digest(after), sum(plane.size for plane in source), int(mask.sum()), inside, outside)


def _digest(planes: Sequence[Codes]) -> str:
    digest = hashlib.sha256()
    for plane in planes:
        digest.update(np.ascontiguousarray(plane).tobytes())
    return digest.hexdigest()


def _proofs(movie: Movie, frames: Sequence[int], path: Path, made: list[_Made]) -> Iterator[FrameProof]:
    """Each frame is read back and must be, to the sample, what was made; that differs from the source in the mattes alone."""
    size = path.stat().st_size // len(frames)
    count = 0
    for frame, planes, wanted in zip(frames, lossless.segment_planes(path), made, strict=False):
        digest = _digest(planes)
        if wanted.outside or digest != wanted.digest:
            raise HushError(
                f"Frame {frame} was not written as it should be: "
                + (
                    f"{wanted.outside} samples differ outside the matte"
                    if wanted.outside
                    else "what is read back is not what was written"
                )
                + "; it was taken away again. Deliver to another disk.",
                "proof-failed",
            )
        name = movie.name + lossless.SUFFIX
        yield FrameProof(frame, name, digest, size, wanted.values, wanted.covered, wanted.inside, wanted.outside)
        count += 1
    if count != len(frames):
        raise HushError(f"Only {count} of {len(frames)} frames could be read back; deliver again.", "proof-failed")


def _chroma(mask: Mask, layout: yuv.Layout, shape: tuple[int, ...]) -> Mask:
    if mask.shape == shape:
        return mask
    return yuv.footprint(mask, layout)[: shape[0], : shape[1]]


def join_segments(movie: Movie, frames: Sequence[int], folder: Path) -> Path:
    """One movie of all segments, with the source's sound and timecode; the segments go. Raises HushError as writing does."""
    path = folder / (movie.name + lossless.SUFFIX)
    parts = sorted(folder.glob(f".{movie.name}.*{lossless.SUFFIX}"))
    if not parts and path.exists():
        return path
    start = Fraction(frames[0] - movie.first) / movie.rate
    end = Fraction(frames[-1] + 1 - movie.first) / movie.rate
    offset = movie.header.time(0)
    lossless.join(parts, path, movie, len(frames), _starting(movie, frames[0]), (start + offset, end + offset))
    for part in parts:
        part.unlink(missing_ok=True)
    return path


def _starting(movie: Movie, frame: int) -> str:
    if not movie.header.timecode:
        return ""
    try:
        drop = ";" in movie.header.timecode or "." in movie.header.timecode
        start = timecode.frames_of(movie.header.timecode, movie.rate)
        return timecode.written(start + frame - movie.first, movie.rate, drop)
    except HushError:
        return ""  # a timecode that does not exist at this rate is not carried on
