"""Numbered clips: every frame carries its number in black and white blocks along the top, as a decoder sees it."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from hushcore.deliver.frames import deliver_chunk, finish, like_source
from hushcore.deliver.proof import FrameProof
from hushcore.media.movies import Movie
from hushcore.patch.fix import Fix

BITS = 10


def picture(number: int, width: int, height: int) -> np.ndarray:
    """A soft picture (h, w, 3) uint8 with a number in blocks on it."""
    y, x = np.mgrid[0:height, 0:width]
    made = np.stack([60 + 80 * x / width, 90 + 60 * y / height, 120 - 40 * x / width], -1).astype(np.uint8)
    block = width // (BITS + 2)
    for bit in range(BITS):
        made[: height // 4, (bit + 1) * block : (bit + 2) * block] = 235 if number >> bit & 1 else 16
    return made


def number_of(codes: np.ndarray) -> int:
    """The number that a read frame carries."""
    height, width = codes.shape[:2]
    block = width // (BITS + 2)
    row = codes[height // 8, :, 1].astype(float) / np.iinfo(codes.dtype).max
    return sum(1 << bit for bit in range(BITS) if row[(bit + 1) * block + block // 2] > 0.5)


def write_movie(
    path: Path,
    codec: str,
    pix_fmt: str,
    count: int = 40,
    rate: Fraction = Fraction(24),
    options: dict[str, str] | None = None,
    size: tuple[int, int] = (240, 136),
    times: Sequence[int] | None = None,
    tags: dict[str, int] | None = None,
    turned: int = 0,
) -> Path:
    """A numbered movie. ``times``: presentation times in milliseconds for an uneven one."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, options=options or {})
        codec_context = stream.codec_context
        codec_context.width, codec_context.height, codec_context.pix_fmt = *size, pix_fmt
        base = Fraction(1, 1000) if times else 1 / rate
        codec_context.time_base = base
        for name, value in (tags or {}).items():
            setattr(codec_context, name, value)
        if turned:
            stream.set_display_rotation(turned)
        for index in range(count):
            frame = av.VideoFrame.from_ndarray(picture(index, *size), "rgb24").reformat(format=pix_fmt)
            frame.pts, frame.time_base = (times[index] if times else index), base
            for name, value in (tags or {}).items():
                setattr(frame, name, value)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def delivered(movie: Movie, frames: Sequence[int], folder: Path, fixes: Sequence[Fix] = ()) -> list[FrameProof]:
    """Frames delivered as the source is, as one segment; their proofs."""
    found: list[FrameProof] = []

    def done(_: int, proofs: list[FrameProof]) -> bool:
        found.extend(proofs)
        return True

    deliver_chunk(like_source(movie), frames, lambda _: [(str(k), fix) for k, fix in enumerate(fixes)], folder, done)
    return found


def joined(movie: Movie, frames: Sequence[int], folder: Path) -> Path:
    """The movie of all segments."""
    return finish(like_source(movie), frames, folder)[0]
