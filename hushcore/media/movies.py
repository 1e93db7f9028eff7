"""Movies: frame-exact reading through PyAV, and lossless writing in the movie's own sample format.

A movie's frames are numbered from 0, or from a number that the artist gives. One with an uneven rhythm is conformed: frame
n is the picture that is on the screen at n / rate.
"""

import os
import threading
from bisect import bisect_right
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
from hushcore.media.pictures import LARGEST_PIXELS, LARGEST_SIDE

SUFFIXES = (".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".avi", ".mts", ".webm")
MOST_FRAMES = 500_000
EVEN = 1.5  # ticks that a frame may be off the beat in an even movie
AHEAD = 48  # frames to decode on rather than to seek
KEPT_OPEN = 4
RANGES = {1: False, 2: True}  # AVCOL_RANGE_MPEG, AVCOL_RANGE_JPEG
MATRICES = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}  # H.273, matrix coefficients
SPACES = {8: "linear", 13: "srgb", 16: "pq", 18: "hlg"}  # H.273, transfer characteristics
av.logging.set_level(None)
# what the library raises on damaged files: its own errors, and Python's where a part that must be there is not
BROKEN = (
    av.FFmpegError, OSError, ValueError, OverflowError, ZeroDivisionError, MemoryError, AttributeError, TypeError,
    IndexError, KeyError, RuntimeError,
)  # fmt: skip


@dataclass(frozen=True)
class MovieHeader:
    """What a movie says of itself. ``times``: presentation times of its pictures in ticks of ``tick`` seconds, ascending
    (first, step, count when they are even)."""

    width: int
    height: int
    channels: int
    bits: int
    pix_fmt: str
    codec: str
    matrix: str
    full: bool
    space: str
    rate: Fraction
    tick: Fraction
    times: tuple[int, ...]
    even: bool
    turned: int
    pixel_aspect: float
    timecode: str

    @property
    def count(self) -> int:
        """Frames at ``rate``."""
        return self.frames_at(self.rate)

    def frames_at(self, rate: Fraction) -> int:
        """Frames when conformed to a rate."""
        if self.even and rate == self.rate:
            return self._pictures
        end = self.time(self._pictures - 1) + 1 / self.rate - self.time(0)
        return max(1, round(end * rate))

    @property
    def _pictures(self) -> int:
        return self.times[2] if self.even else len(self.times)

    def time(self, picture: int) -> Fraction:
        """When a picture comes on, in seconds."""
        ticks = self.times[0] + self.times[1] * picture if self.even else self.times[picture]
        return ticks * self.tick

    def picture(self, index: int, rate: Fraction) -> int:
        """The picture for frame ``index`` (from 0) at ``rate``."""
        if self.even and rate == self.rate:
            return index
        at = self.time(0) + Fraction(index) / rate + Fraction(1, 2000)  # half a millisecond for rounded times
        if self.even:
            step = self.times[1] * self.tick
            return min(self._pictures - 1, int((at - self.time(0)) / step))
        return max(0, bisect_right(self.times, at / self.tick) - 1)


def probe(path: Path) -> MovieHeader:
    """What a movie is, its index included (packets are read, not decoded).

    Raises HushError for a file that is no movie, holds no video, is damaged, or too large.
    """
    if not path.exists():
        raise HushError(f"{path.name} is missing; put it back where it was.", "missing-frame")
    if path.stat().st_size == 0:
        raise HushError(f"{path.name} is empty (0 bytes); copy it again from the original.", "unreadable")
    try:
        with av.open(str(path), metadata_errors="ignore") as container:
            return _header(path, container)
    except HushError:
        raise
    except BROKEN as error:
        raise HushError(
            f"{path.name} cannot be read as a movie ({_why(error)}); copy it again from the original.", "unreadable"
        ) from error


def _header(path: Path, container: Any) -> MovieHeader:
    videos = [stream for stream in container.streams.video if not _cover_art(stream)]
    if not videos:
        raise HushError(f"{path.name} holds no video; choose the file with the picture.", "no-video")
    stream = videos[0]
    codec = stream.codec_context
    if max(codec.width, codec.height) > LARGEST_SIDE or codec.width * codec.height > LARGEST_PIXELS:
        raise HushError(f"{path.name} is {codec.width} x {codec.height}; bring in a smaller version.", "too-large")
    if not codec.format or codec.width < 1 or codec.height < 1:
        raise HushError(f"{path.name} does not say what its picture is like; export it again.", "unreadable")
    first = next(iter(container.decode(stream)), None)
    if first is None:
        raise HushError(f"{path.name} holds no picture that can be decoded; copy it again.", "truncated")
    layout = _layout(first)
    turned = round(first.rotation / 90) % 4
    wide, high = (first.height, first.width) if turned % 2 else (first.width, first.height)
    times = _times(path, stream.index)
    rate = _rate(stream, times)
    steps = np.diff(times) if len(times) > 1 else np.array([round(1 / rate / stream.time_base)])
    ideal = np.array(times[0] + np.arange(len(times)) * float(1 / rate / stream.time_base))
    even = bool(np.abs(np.array(times) - ideal).max() <= EVEN) and (len(times) == 1 or int(steps.min()) > 0)
    exact = 1 / rate / stream.time_base
    whole = even and exact.denominator == 1 and len(set(steps.tolist())) <= 1
    return MovieHeader(
        wide, high, 4 if _alpha(first) else 3, layout.bits, first.format.name, stream.codec_context.codec.name,
        layout.matrix, layout.full, SPACES.get(int(first.color_trc or 0), "bt1886"), rate, Fraction(stream.time_base),
        (times[0], int(steps[0]), len(times)) if whole else tuple(times), whole, turned,
        float(stream.sample_aspect_ratio or 1), _timecode(container, stream),
    )  # fmt: skip


def _cover_art(stream: Any) -> bool:
    return bool(int(stream.disposition) & 0x400)  # AV_DISPOSITION_ATTACHED_PIC


def _times(path: Path, index: int) -> list[int]:
    """Presentation times of all pictures, ascending, from the packets."""
    found: list[int] = []
    with av.open(str(path), metadata_errors="ignore") as container:
        stream = container.streams[index]
        step = None
        for packet in container.demux(stream):
            if packet.size == 0 or packet.is_discard:
                continue
            time = packet.pts if packet.pts is not None else packet.dts
            if time is None:  # raw streams carry no times: count on
                step = step or max(1, round(1 / Fraction(stream.average_rate or 24) / Fraction(stream.time_base or 1)))
                time = (found[-1] + step) if found else 0
            found.append(int(time))
            if len(found) > MOST_FRAMES:
                raise HushError(f"{path.name} holds more than {MOST_FRAMES} frames; cut it into shots.", "too-large")
    if not found:
        raise HushError(f"{path.name} holds no pictures; copy it again from the original.", "truncated")
    return sorted(set(found))


def _rate(stream: Any, times: list[int]) -> Fraction:
    """The written rate, or that of the times when none that makes sense is written."""
    for found in (stream.average_rate, stream.guessed_rate, stream.base_rate):
        if found and 1 <= found <= 240:
            return _usual(Fraction(found))
    if len(times) > 1 and times[-1] > times[0]:
        return _usual((len(times) - 1) / ((times[-1] - times[0]) * Fraction(stream.time_base)))
    return Fraction(24)


def _usual(rate: Fraction) -> Fraction:
    """23976/1000 and its like mean the SMPTE rate close by."""
    for known in (Fraction(n * 1000, 1001) for n in (24, 30, 48, 60, 120)):
        if abs(rate - known) < Fraction(4, 1000):
            return known
    near = Fraction(round(rate))
    return near if abs(rate - near) < Fraction(2, 1000) else rate.limit_denominator(1001)


def _timecode(container: Any, stream: Any) -> str:
    for place in (stream, container, *container.streams):
        for name in ("timecode", "TIMECODE"):
            if place.metadata.get(name):
                return str(place.metadata[name])
    return ""


def _alpha(frame: Any) -> bool:
    return any(part.is_alpha for part in frame.format.components)


def _layout(frame: Any) -> yuv.Layout:
    """How a decoded frame's planes are to be understood. Raises HushError for a sample format that is not known."""
    form = frame.format
    parts = form.components
    bits = max(part.bits for part in parts)
    if form.has_palette or form.is_bayer or form.is_bit_stream or not 8 <= bits <= 16:
        raise HushError(f"The sample format {form.name} cannot be read; export the movie again.", "bad-depth")
    jpeg = form.name.startswith("yuvj")
    full = RANGES.get(int(frame.color_range or 0), jpeg)
    matrix = MATRICES.get(int(frame.colorspace or 2), "bt709" if frame.height >= 720 else "bt601")
    sub_x = sub_y = 0
    if len(parts) >= 3 and not form.is_rgb:
        sub_x, sub_y = int(parts[1].width < parts[0].width), int(parts[1].height < parts[0].height)
    return yuv.Layout(bits, full or form.is_rgb, matrix, sub_x, sub_y, left=not jpeg)


def planes_of(frame: Any) -> list[Codes]:
    """A frame's component planes (y, u, v[, a]; g, b, r[, a]; y) as they are, packed formats taken apart."""
    if not frame.format.is_planar and len(frame.format.components) > 1:
        frame = frame.reformat(format=_planar(frame.format))
    out = []
    for part, plane in zip(frame.format.components, _ordered(frame), strict=True):
        kind = np.dtype(np.uint8 if part.bits <= 8 else ">u2" if frame.format.is_big_endian else "<u2")
        rows = np.frombuffer(plane, kind).reshape(plane.height, plane.line_size // kind.itemsize)
        values: Codes = rows[: part.height, : part.width].astype(kind.newbyteorder("="))
        out.append(np.ascontiguousarray(values))
    return out


def _ordered(frame: Any) -> list[Any]:
    """Planes in the order of the components (r, g, b lie in planes g, b, r)."""
    return [frame.planes[part.plane] for part in frame.format.components]


def _planar(form: Any) -> str:
    """The planar sibling of a packed or half-packed format."""
    name = form.name.removesuffix("le").removesuffix("be")
    known = {"nv12": "yuv420p", "nv16": "yuv422p", "p010": "yuv420p10le", "p210": "yuv422p10le", "yuyv422": "yuv422p",
             "uyvy422": "yuv422p", "rgb24": "gbrp", "bgr24": "gbrp", "rgba": "gbrap", "bgra": "gbrap", "rgb48": "gbrp16le",
             "rgba64": "gbrap16le", "y210": "yuv422p10le", "ya8": "gray", "argb": "gbrap", "bgr0": "gbrp"}  # fmt: skip
    if name not in known:
        raise HushError(f"The sample format {form.name} cannot be read; export the movie again.", "bad-depth")
    return known[name]


def to_codes(planes: list[Codes], layout: yuv.Layout, rgb: bool) -> Codes:
    """R'G'B'(A) over 16 bits (h, w, 3 or 4) of a frame's planes."""
    if rgb:
        colour = np.stack([_over16(plane, layout.bits) for plane in planes[:3]], -1)
    elif len(planes) < 3:
        offset, span = layout.luma
        grey = np.clip((planes[0].astype(np.float32) - np.float32(offset)) / np.float32(span), 0, 1)
        colour = np.repeat(np.rint(grey * 65535).astype(np.uint16)[..., None], 3, axis=2)
    else:
        colour = yuv.rgb16((planes[0], planes[1], planes[2]), layout)
    if len(planes) == 4:
        return np.concatenate([colour, _over16(planes[3], layout.bits)[..., None]], axis=2)
    return colour


def _over16(plane: Codes, bits: int) -> Codes:
    top = 2**bits - 1
    return np.asarray(np.rint(plane.astype(np.float64) * (65535 / top)), np.uint16)


@dataclass
class Reader:
    """An open movie that goes on decoding where it stands; one thread at a time."""

    path: Path
    header: MovieHeader
    lock: threading.Lock = field(default_factory=threading.Lock)
    _container: Any = None
    _frames: Iterator[Any] | None = None
    _next: int = -1

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
                    f"Picture {picture} of {self.path.name} cannot be decoded ({_why(error)}); copy the movie again from "
                    "the original.",
                    "truncated",
                ) from error

    def _at(self, picture: int) -> Any:
        if self._frames is None or not 0 <= picture - self._next < AHEAD:
            self._seek(picture)
        assert self._frames is not None
        wanted = round(self.header.time(picture) / self.header.tick)
        for frame in self._frames:
            if frame.pts is None or frame.pts >= wanted:
                if frame.pts is not None and frame.pts > wanted + EVEN:
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
            opened = next(s for s in self._container.streams.video if not _cover_art(s))
            opened.thread_type = "AUTO"
            opened.codec_context.thread_count = 2
        stream = next(s for s in self._container.streams.video if not _cover_art(s))
        ticks = round(self.header.time(picture) / self.header.tick)
        self._container.seek(ticks, backward=True, stream=stream)
        self._frames = self._container.decode(stream)

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
        return planes_of(found), _layout(found), bool(found.format.is_rgb)

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


def _why(error: BaseException) -> str:
    text = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return str(text).splitlines()[0][:90]
