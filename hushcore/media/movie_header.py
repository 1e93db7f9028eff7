"""What a movie says of itself: size, samples, rhythm, timecode, colour; nothing is decoded but its first picture."""

from bisect import bisect_right
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from hushcore.errors import HushError
from hushcore.media.pictures import LARGEST_PIXELS, LARGEST_SIDE
from hushcore.media.planes import layout_of

SUFFIXES = (".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".avi", ".mts", ".webm")
MOST_FRAMES = 500_000
EVEN = 1.5  # ticks that a frame may be off the beat in an even movie
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
            f"{path.name} cannot be read as a movie ({why(error)}); copy it again from the original.", "unreadable"
        ) from error


def _header(path: Path, container: Any) -> MovieHeader:
    videos = [stream for stream in container.streams.video if not cover_art(stream)]
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
    layout = layout_of(first)
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


def cover_art(stream: Any) -> bool:
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


def why(error: BaseException) -> str:
    text = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return str(text).splitlines()[0][:90]
