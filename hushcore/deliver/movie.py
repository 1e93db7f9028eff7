"""Pieces that are one movie: segments of frames, each proved sample by sample, joined at the end."""

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np

from hushcore.arrays import Codes, Mask
from hushcore.deliver import stored as stores
from hushcore.deliver.forms import of_matte
from hushcore.deliver.layers import Finished, alone
from hushcore.deliver.pieces import SHOWN, TOGETHER, Order, Piece
from hushcore.deliver.proof import FrameProof, digest_of_planes
from hushcore.deliver.stored import Stored
from hushcore.errors import HushError
from hushcore.media import recording as record
from hushcore.media import timecode, yuv
from hushcore.media.movies import Movie
from hushcore.media.recording import CODECS, Recording, Segment

SAMPLED = 4  # of a piece that is coded with loss every so many samples each way are looked at
COARSE = 0.02  # of the range: less than this off on average is coding
UNLIKE = 0.5  # of a picture's own spread: less than this off is coding, too
HALF_WIDE = 960  # px of a picture beside another
PEER = {"prores422hq": "yuv422p10le", "prores4444": "yuv444p10le", "h264": "yuv420p"}
LAYOUTS = {
    "yuv422p10le": yuv.Layout(10, False, "bt709", 1, 0), "yuv444p10le": yuv.Layout(10, False, "bt709"),
    "yuva444p10le": yuv.Layout(10, False, "bt709"), "yuv420p": yuv.Layout(8, False, "bt709", 1, 1),
}  # fmt: skip
Shown = Callable[[Codes], Codes]


def segment_path(folder: Path, file: str, first: int) -> Path:
    """Where a segment of a movie is kept until all are there."""
    return folder / f".{_short(file)}.{first:08d}{Path(file).suffix}"


def _short(file: str) -> str:
    return hashlib.sha256(file.encode()).hexdigest()[:16]


class _Made(NamedTuple):
    """A frame as it was made: what must be read back, and how it differs from the source's own samples; of what is coded
    with loss some of its samples, and those outside the mattes."""

    frame: int
    digest: str
    values: int
    covered: int
    inside: int
    outside: int
    some: list[tuple[Codes, Mask]]


class MovieSegment:
    """Writes one movie of a piece for a chunk of frames. ``fix``: whose matte; ``shown``: codes as they are looked at (8 bit),
    of previews."""

    def __init__(
        self, order: Order, number: int, folder: Path, first: int, fix: str = "", shown: Shown | None = None
    ) -> None:
        self.order, self.number, self.fix, self.shown = order, number, fix, shown
        self.piece: Piece = order.pieces[number]
        self.file = order.file(self.piece, first, fix)
        self.path = segment_path(folder, self.file, first)
        self.made: list[_Made] = []
        self.segment: Segment | None = None
        self.recording: Recording | None = None

    @property
    def coded(self) -> bool:
        """Whether what is read back is only about what was written."""
        return self.order.form(self.piece).coded

    def frame(self, done: Finished, stored: Stored | None) -> None:
        """The next frame of the chunk."""
        if self.piece.like_source:
            assert isinstance(self.order.clip, Movie)
            assert stored is not None
            recording = record.like(self.order.clip, stored.decoded)
            after, mask = stores.patched_planes(stored, done.codes, done.mask)
            self._add(recording, after, stored.planes, mask, stored.layout, done.frame)
            return
        recording, before, after, layout = self._planes(done, stored)
        self._add(recording, after, before, done.mask, layout, done.frame)

    def _planes(self, done: Finished, stored: Stored | None) -> tuple[Recording, list[Codes], list[Codes], yuv.Layout]:
        """The recording, and the planes of the frame as shot and as delivered; of what is coded with loss the first are not
        needed, and are the second."""
        before: Codes | None = None
        if self.piece.what in SHOWN:
            after = self._picture(done)
        elif self.piece.what == "mattes":
            matte = done.together if self.fix == TOGETHER else done.matte(self.fix)
            after = of_matte(matte, self.order.form(self.piece))
            before = np.zeros_like(after)
        elif self.piece.what == "patch":
            after = alone(done, self.order.values(self.piece), self.piece.straight)
            before = np.zeros_like(after)
        else:
            values = self.order.values(self.piece)
            after = values.of(done.codes)
            before = None if self.coded else values.of(done.source)
        recording = recording_of(self.order, self.piece, after)
        own = self._own_planes(done, stored, recording)
        if own is not None:
            return own
        layout = LAYOUTS.get(recording.pix_fmt, yuv.Layout(16, True, "bt709"))
        made = planes_of(after, recording)
        return recording, made if before is None or self.coded else planes_of(before, recording), made, layout

    def _own_planes(
        self, done: Finished, stored: Stored | None, recording: Recording
    ) -> tuple[Recording, list[Codes], list[Codes], yuv.Layout] | None:
        """A movie's own samples where a coded form takes them as they are, so that colour goes through no other form."""
        if (
            stored is None
            or stored.turned
            or self.piece.what != "frames"
            or self.order.values(self.piece).space != "own"
        ):
            return None
        own = stored.decoded
        if own.format.name != recording.pix_fmt or stored.rgb:
            return None
        after, _ = stores.patched_planes(stored, done.codes, done.mask)
        tagged = replace(
            recording, range=record.FULL if stored.layout.full else record.LEGAL, primaries=int(own.color_primaries),
            transfer=int(own.color_trc), matrix=int(own.colorspace),
        )  # fmt: skip
        return tagged, stored.planes, after, stored.layout

    def _picture(self, done: Finished) -> Codes:
        """The patched frame as 8 bits with even sides; beside the source where that is asked for."""
        if self.shown is None:
            raise HushError("A preview needs a look to be shown with.", "bad-form")
        seen = self.shown(done.codes)
        if self.piece.what == "side":
            seen = np.concatenate([_half(self.shown(done.source)), _half(seen)], axis=1)
        return np.ascontiguousarray(seen[: seen.shape[0] // 2 * 2, : seen.shape[1] // 2 * 2])

    def _add(
        self, recording: Recording, after: list[Codes], before: list[Codes], mask: Mask, layout: yuv.Layout, frame: int
    ) -> None:
        if self.segment is None:
            self.recording = recording
            self.segment = Segment(self.path, recording).__enter__()
        inside = outside = values = 0
        some: list[tuple[Codes, Mask]] = []
        if mask.shape != after[0].shape:  # previews are of another size, and are for looking at
            mask = np.ones(after[0].shape, bool)
        for k, (one, two) in enumerate(zip(before, after, strict=True)):
            where = stores.under(mask, layout, k, one.shape)
            if self.coded:
                part = (slice(None, None, SAMPLED), slice(None, None, SAMPLED))
                some.append((two[part].copy(), where[part].copy()))
                values += some[-1][0].size
                continue
            different = one != two
            within = int(different[where].sum())
            inside, outside, values = inside + within, outside + int(different.sum()) - within, values + one.size
        digest = "" if self.coded else digest_of_planes(after)
        self.made.append(_Made(frame, digest, values, int(mask.sum()), inside, outside, some))
        self.segment.add(after)

    def drop(self) -> None:
        """Nothing is left of the segment."""
        if self.segment is not None:
            self.segment.__exit__(GeneratorExit, GeneratorExit(), None)
            self.segment = None
        self.path.unlink(missing_ok=True)

    def end(self) -> list[FrameProof]:
        """Close the segment, read it back and prove it. Raises HushError when it is not what it should be; it is taken away."""
        if self.segment is None:
            return []
        self.segment.__exit__(None, None, None)
        self.segment = None
        try:
            return self._proofs()
        except HushError:
            self.path.unlink(missing_ok=True)
            raise

    def _proofs(self) -> list[FrameProof]:
        size = self.path.stat().st_size // max(1, len(self.made))
        proofs, more = [], 0
        if self.coded and self.recording is not None:  # a decoder may give more bits than went in
            more = record.channels_of(self.path)[1] - LAYOUTS[self.recording.pix_fmt].bits
        for planes, wanted in zip(record.segment_planes(self.path), self.made, strict=False):
            digest, inside, outside, worst = digest_of_planes(planes), wanted.inside, wanted.outside, 0
            if self.coded:
                inside, outside, worst = self._near(wanted, planes, more)
            elif wanted.outside or digest != wanted.digest:
                raise _not_kept(wanted)
            proofs.append(FrameProof(
                wanted.frame, self.file, digest, size, wanted.values, wanted.covered, inside, outside, self.number, worst,
            ))  # fmt: skip
        if len(proofs) != len(self.made):
            raise HushError(
                f"Only {len(proofs)} of {len(self.made)} frames could be read back; deliver again.", "proof-failed"
            )
        return proofs

    def _near(self, wanted: _Made, planes: list[Codes], more: int) -> tuple[int, int, int]:
        """How many of the samples looked at differ inside and outside the mattes, and the worst outside, in codes. ``more``:
        bits that a decoded sample has beyond those that were written. Raises HushError for what is another picture."""
        inside = outside = worst = 0
        off_by = spread = 0.0
        for (made, mask), plane in zip(wanted.some, planes, strict=True):
            off = np.abs((plane[::SAMPLED, ::SAMPLED].astype(int) >> more) - made)
            top = 2 ** (10 if made.dtype.itemsize > 1 else 8)
            off_by += float(off.mean()) / top
            spread += float(np.abs(made - made.mean()).mean()) / top
            inside += int((off[mask] > 0).sum())
            outside += int((off[~mask] > 0).sum())
            worst = max(worst, int(off[~mask].max(initial=0)))
        # coarse grain is coded coarsely; another picture is off by as much as it differs from one grey
        if off_by > COARSE * len(planes) and off_by > UNLIKE * spread:
            raise HushError(
                f"Frame {wanted.frame} came back from coding as another picture; deliver again.", "proof-failed"
            )
        return inside, outside, worst


def _not_kept(wanted: _Made) -> HushError:
    why = (
        f"{wanted.outside} samples differ outside the matte"
        if wanted.outside
        else "what is read back is not what was written"
    )
    return HushError(
        f"Frame {wanted.frame} was not written as it should be: {why}; it was taken away again. Deliver to another disk.",
        "proof-failed",
    )


def _half(picture: Codes) -> Codes:
    if picture.shape[1] <= HALF_WIDE:
        return picture
    size = (HALF_WIDE, round(picture.shape[0] * HALF_WIDE / picture.shape[1]))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))


def recording_of(order: Order, piece: Piece, codes: Codes) -> Recording:
    """How a piece that is not like the source is recorded, for pictures such as ``codes`` (h, w, c)."""
    form, channels = order.form(piece), codes.shape[2]
    rate = order.rate or Fraction(24)
    if form.codec == "ffv1":
        pix_fmt = {1: "gray16le", 3: "gbrp16le", 4: "gbrap16le"}[channels]
        matrix, full = (record.BT709 if channels == 1 else record.RGB), record.FULL
    else:
        pix_fmt = "yuva444p10le" if form.alpha and channels == 4 else PEER[form.codec]
        matrix, full = record.BT709, record.LEGAL
    space = order.values(piece).target.space
    transfer = record.BT709 if piece.what in SHOWN else record.TRANSFERS.get(space, record.UNKNOWN)
    return Recording(
        CODECS[form.codec], pix_fmt, codes.shape[1], codes.shape[0], rate, full, record.BT709, transfer, matrix,
    )  # fmt: skip


def planes_of(codes: Codes, recording: Recording) -> list[Codes]:
    """Planes of R, G, B codes (h, w, c) over 8 or 16 bits, as a recording holds them."""
    wide = codes.astype(np.uint16) * np.uint16(257) if codes.dtype == np.uint8 else codes
    if recording.pix_fmt not in LAYOUTS:
        return [np.ascontiguousarray(wide[..., k]) for k in range(wide.shape[2])]
    colour = np.repeat(wide, 3, axis=2) if wide.shape[2] == 1 else wide[..., :3]
    planes = [*yuv.planes16(colour, LAYOUTS[recording.pix_fmt])]
    if recording.pix_fmt.startswith("yuva"):
        planes.append(np.asarray(np.rint(wide[..., 3].astype(np.float32) * (1023 / 65535)), np.uint16))
    return planes


def join_segments(order: Order, number: int, frames: Sequence[int], folder: Path, fix: str = "") -> Path:
    """One movie of all segments, with the source's sound and the timecode of its first frame; the segments go.

    Raises HushError as writing does.
    """
    piece = order.pieces[number]
    file = order.file(piece, frames[0], fix)
    path = folder / file
    parts = sorted(folder.glob(f".{_short(file)}.*{path.suffix}"))
    opening = segment_path(folder, file, frames[0])
    # it is joined already, by a worker that was killed before all segments had gone
    if path.exists() and not opening.exists():
        for part in parts:
            part.unlink(missing_ok=True)
        return path
    if not parts:
        raise HushError(f"Nothing of {path.name} is here any more; deliver again.", "no-file")
    path.parent.mkdir(parents=True, exist_ok=True)
    recording = written_as(order, piece, parts[0])
    clip, sound = order.clip, None
    rate = recording.rate
    if isinstance(clip, Movie) and piece.what in ("frames", *SHOWN):
        offset = clip.header.time(0)
        start, end = (Fraction(at - clip.first) / rate + offset for at in (frames[0], frames[-1] + 1))
        sound = (clip, start, end)
    at = timecode.after(order.timecode, frames[0] - clip.first, rate)
    record.join(parts, path, recording, len(frames), at, sound)
    for part in (opening, *parts):  # the first goes first: without it there is nothing to join anew
        part.unlink(missing_ok=True)
    return path


def written_as(order: Order, piece: Piece, part: Path) -> Recording:
    """How a piece that lies there already, or a segment of it, was recorded."""
    if piece.like_source:
        assert isinstance(order.clip, Movie)
        return record.like(order.clip, order.clip.decoded(order.clip.first))
    channels, _ = record.channels_of(part)
    codes = np.zeros((2, 2, 1 if channels == 2 else channels), np.uint8)
    return record.as_written(part, recording_of(order, piece, codes))
