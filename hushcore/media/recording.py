"""Writing movies in segments that join packet by packet, so that several workers write one movie.

Without loss (FFV1 in Matroska, in a movie's own sample format or R, G, B over 16 bits), as ProRes, or as an H.264 preview.
Every segment begins with a picture that needs no other.
"""

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.media.movies import Movie
from hushcore.media.pictures import disk_problem, written_whole
from hushcore.media.planes import planes_of

SUFFIX = ".mkv"
FULL, LEGAL = 2, 1  # H.273: ranges
BT709, UNKNOWN, RGB = 1, 2, 0  # H.273: primaries and matrices
TRANSFERS = {"srgb": 13, "bt1886": 1, "linear": 8, "pq": 16, "hlg": 18}  # H.273
AS_FFV1 = {"yuvj420p": "yuv420p", "yuvj422p": "yuv422p", "yuvj444p": "yuv444p"}
CONTAINERS = {".mkv": "matroska", ".mov": "mov", ".mp4": "mp4"}


@dataclass(frozen=True)
class Codec:
    """A codec as it is asked for. ``alone``: each of its pictures needs no other."""

    name: str
    suffix: str
    options: tuple[tuple[str, str], ...]
    alone: bool = True


CODECS = {
    "ffv1": Codec("ffv1", ".mkv", (("level", "3"), ("g", "1"), ("slices", "4"), ("slicecrc", "1"))),
    "prores4444": Codec("prores_ks", ".mov", (("profile", "4444"),)),
    "prores422hq": Codec("prores_ks", ".mov", (("profile", "hq"),)),
    "h264": Codec("libx264", ".mp4", (("crf", "16"), ("preset", "veryfast"), ("bf", "0")), alone=False),
}


@dataclass(frozen=True)
class Recording:
    """How a movie is written: codec, sample format, size, rate, and what its samples mean (H.273)."""

    codec: Codec
    pix_fmt: str
    width: int
    height: int
    rate: Fraction
    range: int = LEGAL
    primaries: int = BT709
    transfer: int = UNKNOWN
    matrix: int = BT709
    aspect: Fraction = Fraction(1)
    turned: int = 0

    @property
    def container(self) -> str:
        """The library's name of the container."""
        return CONTAINERS[self.codec.suffix]


def like(movie: Movie, decoded: Any) -> Recording:
    """A recording without loss in a movie's own samples. Raises HushError when their format has none."""
    name = decoded.format.name
    kept = AS_FFV1.get(name, name)
    names = {form.name for form in av.codec.Codec("ffv1", "w").video_formats or []}
    if kept not in names:
        raise HushError(f"Frames of kind {name} cannot be kept without loss; deliver them as pictures.", "bad-depth")
    return Recording(
        CODECS["ffv1"], kept, decoded.width, decoded.height, movie.rate,
        int(decoded.color_range or (FULL if name.startswith("yuvj") else LEGAL)), int(decoded.color_primaries),
        int(decoded.color_trc), int(decoded.colorspace), Fraction(movie.header.pixel_aspect).limit_denominator(1000),
        movie.header.turned,
    )  # fmt: skip


class Segment:
    """A stretch of a movie being written: frames are added one by one; once the block ends well it lies at its place.

    Raises HushError when the disk is full; nothing half-written is left.
    """

    def __init__(self, path: Path, recording: Recording) -> None:
        self.recording, self.count = recording, 0
        self._inside = ExitStack()
        self._path = path
        self._container: Any = None
        self._stream: Any = None

    def __enter__(self) -> "Segment":
        part = self._inside.enter_context(written_whole(self._path, (av.FFmpegError,)))
        self._container = self._inside.enter_context(av.open(str(part), "w", format=self.recording.container))
        self._stream = _stream(self._container, self.recording)
        return self

    def __exit__(self, *failed: Any) -> bool | None:
        if failed[0] is None:
            with self._inside:  # what breaks while the last frames are written is told as all else that breaks
                self._container.mux(self._stream.encode(None))
            return None
        return self._inside.__exit__(*failed)

    def add(self, planes: list[Codes]) -> None:
        """The next frame, as its planes in the order of the format's components. Raises HushError when the disk is full."""
        try:
            made = _frame(planes, self.recording)
            made.pts, made.time_base = self.count, 1 / self.recording.rate
            self._container.mux(self._stream.encode(made))
        except (OSError, av.FFmpegError) as error:
            raise disk_problem(self._path, error if isinstance(error, OSError) else OSError(str(error))) from error
        self.count += 1


def _stream(container: Any, recording: Recording) -> Any:
    codec = recording.codec
    stream = container.add_stream(codec.name, rate=recording.rate, options=dict(codec.options))
    context = stream.codec_context
    context.width, context.height, context.pix_fmt = recording.width, recording.height, recording.pix_fmt
    context.time_base = stream.time_base = 1 / recording.rate
    _tag(context, recording)
    if recording.aspect != 1:
        context.sample_aspect_ratio = recording.aspect
    if recording.turned:
        stream.set_display_rotation(recording.turned * 90)
    return stream


def _tag(what: Any, recording: Recording) -> None:
    what.color_range, what.colorspace = recording.range, recording.matrix
    what.color_primaries, what.color_trc = recording.primaries, recording.transfer


def _frame(planes: list[Codes], recording: Recording) -> Any:
    made = av.VideoFrame(recording.width, recording.height, recording.pix_fmt)
    for part, values in zip(made.format.components, planes, strict=True):
        plane = made.planes[part.plane]
        kind = np.dtype(np.uint8 if part.bits <= 8 else "<u2")
        rows = np.zeros((plane.height, plane.line_size // kind.itemsize), kind)
        rows[: values.shape[0], : values.shape[1]] = values
        plane.update(rows.tobytes())
    _tag(made, recording)
    return made


def segment_planes(path: Path) -> Iterator[list[Codes]]:
    """The planes of a segment's frames as they are read back."""
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            yield planes_of(frame)


def cut(path: Path, out: Path, recording: Recording, first: int, count: int) -> bool:
    """Copy ``count`` pictures of a movie of pictures that stand alone, from the ``first`` (0 the movie's first) on, as a
    segment, packets as they are. False, and nothing is left, when they are not all there."""
    found = 0
    with (
        written_whole(out, (av.FFmpegError,)) as part,
        av.open(str(path)) as source,
        av.open(str(part), "w", format=recording.container) as made,
    ):
        stream = _opened(made, recording)
        video = source.streams.video[0]
        tick = Fraction(video.time_base)
        source.seek(int(first / recording.rate / tick), backward=True, stream=video)
        for packet in source.demux(video):
            if not packet.size or packet.pts is None:
                continue
            index = round(packet.pts * tick * recording.rate)  # a container may count in milliseconds
            if index == first + found:
                _mux(made, stream, packet, found, recording.rate)
                found += 1
            if found == count or index > first + count:
                break
    if found != count:
        out.unlink(missing_ok=True)
    return found == count


def _opened(container: Any, recording: Recording) -> Any:
    """A stream with the header that its encoder writes: the same one with the same options wrote the packets."""
    stream = _stream(container, recording)
    stream.codec_context.open()
    return stream


def _mux(container: Any, stream: Any, packet: Any, index: int, rate: Fraction) -> None:
    packet.stream = stream
    packet.time_base = 1 / rate
    packet.pts = packet.dts = index
    packet.duration = 1
    container.mux(packet)


def join(
    parts: list[Path],
    path: Path,
    recording: Recording,
    count: int,
    timecode: str = "",
    sound: "tuple[Movie, Fraction, Fraction] | None" = None,
) -> None:
    """Segments in order as one movie, packets as they are; ``count``: frames that it must have;
    ``sound``: a movie whose sound goes along, from and until when in seconds.

    Raises HushError when the disk is full or the frames are not all there once; nothing half-written is left.
    """
    with (
        written_whole(path, (av.FFmpegError,)) as part,
        av.open(str(part), "w", format=recording.container) as out,
        av.open(str(parts[0])) as first,
    ):
        # packets that need others go with the very header that they lie beside
        beside = None if recording.codec.alone else first.streams.video[0]
        stream = _opened(out, recording) if beside is None else out.add_stream_from_template(beside)
        if timecode:
            stream.metadata["TIMECODE" if recording.container == "matroska" else "timecode"] = timecode
        carried = _Sound(out, *sound) if sound else None
        index = 0
        for segment in parts:
            with av.open(str(segment)) as container:
                for packet in container.demux(video=0):
                    if packet.size == 0:
                        continue
                    _mux(out, stream, packet, index, recording.rate)
                    index += 1
                    if carried:
                        carried.until(index / recording.rate)
        if carried:
            carried.until(None)
        if index != count:
            raise HushError(f"The movie came to {index} frames instead of {count}; deliver it anew.", "proof-failed")


class _Sound:
    """A movie's sound, packets as they are, handed over as the picture goes on. Sound that the container cannot hold is
    left out."""

    def __init__(self, out: Any, movie: Movie, start: Fraction, end: Fraction) -> None:
        self.out, self.start, self.end = out, start, end
        self.source = av.open(str(movie.file))
        self.streams: dict[int, Any] = {}
        for stream in self.source.streams.audio:
            try:
                self.streams[stream.index] = out.add_stream_from_template(stream)
            except ValueError:
                continue
        wanted = [s for s in self.source.streams.audio if s.index in self.streams]
        self.packets = self.source.demux(wanted) if wanted else iter(())
        self.held: Any = None

    def until(self, seconds: Fraction | None) -> None:
        """Hand over what sounds before ``seconds``; None hands over the rest and lets go."""
        while True:
            packet = self.held or next(self.packets, None)
            self.held = None
            if packet is None or packet.size == 0 or packet.pts is None:
                if packet is None:
                    break
                continue
            at = packet.pts * Fraction(packet.time_base) - self.start
            if seconds is not None and at > seconds:
                self.held = packet
                return
            if at >= 0 and at < self.end - self.start:
                base = Fraction(packet.time_base)
                packet.pts = packet.dts = round(at / base)
                packet.stream = self.streams[packet.stream.index]
                self.out.mux(packet)
        if seconds is None:
            self.source.close()


def as_written(path: Path, recording: Recording) -> Recording:
    """A recording with the size and the tags of a movie that was written with it."""
    with _first(path) as (_, frame):
        return replace(
            recording, width=frame.width, height=frame.height, range=int(frame.color_range),
            primaries=int(frame.color_primaries), transfer=int(frame.color_trc), matrix=int(frame.colorspace),
        )  # fmt: skip


def channels_of(path: Path) -> tuple[int, int]:
    """Channels (1, 3 or 4) of a movie, and the bits of a sample as it is decoded."""
    with _first(path) as (_, frame):
        parts = frame.format.components
        return len(parts), max(part.bits for part in parts)


@contextmanager
def _first(path: Path) -> Iterator[tuple[Any, Any]]:
    """An open movie and its first picture. Raises HushError when it cannot be read."""
    try:
        with av.open(str(path)) as container:
            yield container, next(iter(container.decode(video=0)))
    except (av.FFmpegError, OSError, StopIteration) as error:
        raise HushError(f"{path.name} cannot be read back; deliver again.", "proof-failed") from error
