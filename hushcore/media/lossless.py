"""Writing a movie's frames without loss: FFV1 in Matroska, in the movie's own sample format, in segments that join.

Every frame stands alone, so that segments written by several workers are joined packet by packet.
"""

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.media.movies import Movie
from hushcore.media.pictures import written_whole
from hushcore.media.planes import planes_of

CODEC = "ffv1"
SUFFIX = ".mkv"
OPTIONS = {"level": "3", "g": "1", "slices": "4", "slicecrc": "1"}
FULL, LEGAL = 2, 1
AS_FFV1 = {"yuvj420p": "yuv420p", "yuvj422p": "yuv422p", "yuvj444p": "yuv444p"}


def sample_format(decoded: Any) -> str:
    """The format that a decoded frame is kept in. Raises HushError when it has none without loss."""
    name = decoded.format.name
    kept: str = AS_FFV1.get(name, name)
    names = {form.name for form in av.codec.Codec(CODEC, "w").video_formats or []}
    if kept not in names:
        raise HushError(f"Frames of kind {name} cannot be kept without loss; deliver them as pictures.", "bad-depth")
    return kept


def write_segment(path: Path, movie: Movie, frames: Iterable[tuple[Any, list[Codes]]]) -> None:
    """Write frames, each as the source's decoded frame (for its tags) and the planes to lay into it.

    Raises HushError when the disk is full; nothing half-written is left.
    """
    with written_whole(path, (av.FFmpegError,)) as part, av.open(str(part), "w", format="matroska") as container:
        stream = None
        for index, (source, planes) in enumerate(frames):
            stream = stream or _stream(container, movie, source)
            made = _frame(source, planes, stream.codec_context)
            made.pts, made.time_base = index, 1 / movie.rate
            container.mux(stream.encode(made))
        if stream is not None:
            container.mux(stream.encode(None))


def _stream(container: Any, movie: Movie, source: Any) -> Any:
    stream = container.add_stream(CODEC, rate=movie.rate, options=OPTIONS)
    codec = stream.codec_context
    codec.width, codec.height, codec.pix_fmt = source.width, source.height, sample_format(source)
    codec.time_base = stream.time_base = 1 / movie.rate
    codec.color_range = source.color_range or (FULL if source.format.name.startswith("yuvj") else LEGAL)
    for tag in ("color_primaries", "color_trc", "colorspace"):
        setattr(codec, tag, getattr(source, tag))
    if movie.header.pixel_aspect != 1:
        codec.sample_aspect_ratio = Fraction(movie.header.pixel_aspect).limit_denominator(1000)
    if movie.header.turned:
        stream.set_display_rotation(movie.header.turned * 90)
    return stream


def _frame(source: Any, planes: list[Codes], codec: Any) -> Any:
    made = av.VideoFrame(source.width, source.height, codec.pix_fmt)
    for part, values in zip(made.format.components, planes, strict=True):
        plane = made.planes[part.plane]
        kind = np.dtype(np.uint8 if part.bits <= 8 else "<u2")
        rows = np.zeros((plane.height, plane.line_size // kind.itemsize), kind)
        rows[: values.shape[0], : values.shape[1]] = values
        plane.update(rows.tobytes())
    made.color_range = codec.color_range
    for tag in ("color_primaries", "color_trc", "colorspace"):
        setattr(made, tag, getattr(source, tag))
    return made


def segment_planes(path: Path) -> Iterable[list[Codes]]:
    """The planes of a segment's frames as they are read back."""
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            yield planes_of(frame)


def join(
    parts: list[Path],
    path: Path,
    movie: Movie,
    count: int,
    timecode: str = "",
    sound: tuple[Fraction, Fraction] | None = None,
) -> None:
    """Segments in order as one movie, packets as they are; ``count``: frames that it must have;
    ``sound``: seconds of the source whose sound goes along.

    Raises HushError when the disk is full or the frames are not all there once; nothing half-written is left.
    """
    with written_whole(path, (av.FFmpegError,)) as part, av.open(str(part), "w", format="matroska") as out:
        with av.open(str(parts[0])) as first:
            # the same encoder with the same options writes the same header as the segments have
            stream = _stream(out, movie, next(iter(first.decode(video=0))))
            stream.codec_context.open()
        if timecode:
            stream.metadata["TIMECODE"] = timecode
        carried = _Sound(out, movie, sound) if sound else None
        index = 0
        for segment in parts:
            with av.open(str(segment)) as container:
                for packet in container.demux(video=0):
                    if packet.size == 0:
                        continue
                    packet.stream = stream
                    packet.time_base = 1 / movie.rate
                    packet.pts = packet.dts = index
                    packet.duration = 1
                    out.mux(packet)
                    index += 1
                    if carried:
                        carried.until(index / movie.rate)
        if carried:
            carried.until(None)
        if index != count:
            raise HushError(f"The movie came to {index} frames instead of {count}; deliver it anew.", "proof-failed")


class _Sound:
    """The source's sound, packets as they are, handed over as the picture goes on."""

    def __init__(self, out: Any, movie: Movie, stretch: tuple[Fraction, Fraction]) -> None:
        self.out, (self.start, self.end) = out, stretch
        self.source = av.open(str(movie.file))
        self.streams = {s.index: out.add_stream_from_template(s) for s in self.source.streams.audio}
        wanted = [s for s in self.source.streams.audio]
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
