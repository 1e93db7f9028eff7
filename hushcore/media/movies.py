"""Movies: frame-exact reading through PyAV, and lossless writing in the movie's own sample format.

A movie's frames are numbered from 0, or from a number that the artist gives. One with an uneven rhythm is conformed: frame
n is the picture that is on the screen at n / rate.
"""

import os
import threading
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.media import clips, yuv
from hushcore.media.movie_header import BROKEN, EVEN, MovieHeader, cover_art, probe, why
from hushcore.media.planes import layout_of, planes_of, to_codes

AHEAD = 48  # frames to decode on rather than to seek
KEPT_OPEN = 4


@dataclass
class Reader:
    """An open movie that goes on decoding where it stands; one thread at a time."""

    path: Path
    header: MovieHeader
    lock: threading.Lock = field(default_factory=threading.Lock)
    _container: Any = None
    _frames: Iterator[Any] | None = None
    _next: int = -1
    _wanted: int = 0  # presentation time, ticks

    def frame(self, picture: int) -> Any:
        """The decoded picture. Raises HushError when it cannot be had."""
        with self.lock:
            try:
                return self._at(picture)
            except BROKEN as error:
                self.close()
                if not self.path.exists():
                    raise HushError(
                        f"{self.path.name} is missing; put it back where it was.", "missing-frame"
                    ) from error
                raise HushError(
                    f"Picture {picture} of {self.path.name} cannot be decoded ({why(error)}); copy the movie again from "
                    "the original.",
                    "truncated",
                ) from error

    def _at(self, picture: int) -> Any:
        self._wanted = round(self.header.time(picture) / self.header.tick)
        if self._frames is None or not 0 <= picture - self._next < AHEAD:
            self._seek(picture)
        assert self._frames is not None
        for frame in self._frames:
            if frame.pts is None or frame.pts >= self._wanted:
                if frame.pts is not None and frame.pts > self._wanted + EVEN:
                    break
                self._next = picture + 1
                return frame
        self.close()
        raise HushError(
            f"Picture {picture} of {self.path.name} is not in the file, though its index names it; copy the movie again.",
            "truncated",
        )

    def _seek(self, picture: int) -> None:
        if self._container is None:
            self._container = av.open(str(self.path), metadata_errors="ignore")
            opened = next(s for s in self._container.streams.video if not cover_art(s))
            opened.thread_type = "AUTO"
            opened.codec_context.thread_count = 2
        stream = next(s for s in self._container.streams.video if not cover_art(s))
        ticks = round(self.header.time(picture) / self.header.tick)
        self._container.seek(ticks, backward=True, stream=stream)
        self._frames = self._decoded(stream)

    def _decoded(self, stream: Any) -> Iterator[Any]:
        """Pictures as they come out; of those before the wanted one, what no other picture is made from is left out."""
        context = stream.codec_context
        for packet in self._container.demux(stream):
            early = packet.pts is not None and packet.pts < self._wanted
            context.skip_frame = "NONREF" if early else "DEFAULT"
            yield from packet.decode()

    def close(self) -> None:
        """Let go of the file."""
        if self._container is not None:
            self._container.close()
        self._container, self._frames, self._next = None, None, -1


_open: "OrderedDict[tuple[int, str, int], Reader]" = OrderedDict()
_open_lock = threading.Lock()


def reader(path: Path, header: MovieHeader) -> Reader:
    """A reader for a movie; the last few stay open. Not shared between processes."""
    stamp = path.stat().st_mtime_ns if path.exists() else 0
    key = (os.getpid(), str(path), stamp)
    with _open_lock:
        found = _open.pop(key, None) or Reader(path, header)
        _open[key] = found
        while len(_open) > KEPT_OPEN:
            _, oldest = _open.popitem(last=False)
            if oldest.lock.acquire(blocking=False):
                oldest.close()
                oldest.lock.release()
    return found


@dataclass(frozen=True)
class Movie:
    """A movie as a clip. ``first``: the number of its first frame; ``rate``: what it is conformed to."""

    file: Path
    header: MovieHeader
    first: int = 0
    rate: Fraction = Fraction(24)

    @property
    def name(self) -> str:
        """What people call it."""
        return self.file.stem

    @property
    def folder(self) -> Path:
        return self.file.parent

    @property
    def last(self) -> int:
        return self.first + self.header.frames_at(self.rate) - 1

    @property
    def frames(self) -> range:
        return range(self.first, self.last + 1)

    @property
    def missing(self) -> list[int]:
        return []

    @property
    def width(self) -> int:
        return self.header.width

    @property
    def height(self) -> int:
        return self.header.height

    @property
    def channels(self) -> int:
        return self.header.channels

    @property
    def depth(self) -> str:
        return "uint16"

    @property
    def bits(self) -> int:
        return 16

    def stamp(self, frame: int) -> tuple[str, int, int, int]:
        """Changes whenever the frame's picture may have changed. Raises HushError when the file is gone."""
        self._inside(frame)
        try:
            stat = self.file.stat()
        except OSError as error:
            raise HushError(f"{self.file.name} is missing; put it back where it was.", "missing-frame") from error
        return (str(self.file), stat.st_mtime_ns, stat.st_size, self.picture(frame))

    def picture(self, frame: int) -> int:
        """Which picture of the file a frame is."""
        return self.header.picture(frame - self.first, self.rate)

    def bytes_of(self, frame: int) -> int:
        """About how much disk a delivered frame takes: lossless is about half of the samples."""
        return self.width * self.height * self.channels

    def _inside(self, frame: int) -> None:
        if not self.first <= frame <= self.last:
            raise HushError(
                f"Frame {frame} is outside {self.name} ({self.first} to {self.last}); choose one inside.", "no-frame"
            )

    def decoded(self, frame: int) -> Any:
        """The library's own frame."""
        self.stamp(frame)
        return reader(self.file, self.header).frame(self.picture(frame))

    def planes(self, frame: int) -> tuple[list[Codes], yuv.Layout, bool]:
        """A frame's planes as stored, how to understand them, and whether they are R, G, B."""
        return self.planes_of(self.decoded(frame))

    def planes_of(self, found: Any) -> tuple[list[Codes], yuv.Layout, bool]:
        """The same of a frame that is decoded already."""
        return planes_of(found), layout_of(found), bool(found.format.is_rgb)

    def read(self, frame: int) -> Codes:
        """R'G'B'(A) over 16 bits (h, w, c), upright. Raises HushError for a frame that cannot be had."""
        planes, layout, rgb = self.planes(frame)
        codes = to_codes(planes, layout, rgb)
        upright = np.ascontiguousarray(np.rot90(codes, self.header.turned)) if self.header.turned else codes
        if upright.shape != (self.height, self.width, self.channels):
            raise HushError(
                f"Frame {frame} of {self.name} has another size than the first; export it again.", "frame-size"
            )
        return upright

    def check_range(self, first: int, last: int) -> list[int]:
        """The frames first..last. Raises HushError when the range is empty or leaves the clip."""
        return clips.checked_range(self.name, self.first, self.last, [], first, last)


def open_movie(path: Path, first: int = 0, rate: Fraction | None = None) -> Movie:
    """A movie as a clip at a rate (its own by default). Raises HushError as ``probe`` does."""
    header = probe(path)
    return Movie(path, header, first, rate or header.rate)
