"""Clips: image sequences and movies; finding the frames, reading one, and saying what is wrong with them."""

import re
from dataclasses import dataclass
from pathlib import Path

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.media import pictures

_NUMBERED = re.compile(r"^(?P<stem>.*?)(?P<number>\d+)(?P<suffix>\.[A-Za-z]+)$")
MANY = 6  # frames named one by one in a message; more are counted


@dataclass(frozen=True)
class Clip:
    """An image sequence. ``frames`` are its own numbers, ascending."""

    folder: Path
    stem: str
    digits: int
    suffix: str
    frames: tuple[int, ...]
    width: int
    height: int
    channels: int
    depth: str
    bits: int = 16

    @property
    def name(self) -> str:
        """What people call it."""
        return self.stem.rstrip("._- ") or self.folder.name

    @property
    def first(self) -> int:
        return self.frames[0]

    @property
    def last(self) -> int:
        return self.frames[-1]

    @property
    def missing(self) -> list[int]:
        """Frame numbers that the range skips."""
        return sorted(set(range(self.first, self.last + 1)) - set(self.frames))

    def file(self, frame: int) -> str:
        """The file name of a frame."""
        return f"{self.stem}{frame:0{self.digits}d}{self.suffix}"

    def path(self, frame: int) -> Path:
        """Where a frame is. Raises HushError when the clip does not have it."""
        if frame < self.first or frame > self.last:
            raise HushError(
                f"Frame {frame} is outside {self.name} ({self.first} to {self.last}); choose one inside.", "no-frame"
            )
        path = self.folder / self.file(frame)
        if not path.exists():
            raise HushError(
                f"Frame {frame} of {self.name} is missing; put it back or set the range around it.", "missing-frame"
            )
        return path

    def stamp(self, frame: int) -> tuple[str, int, int, int]:
        """Changes whenever the frame's picture may have changed. Raises HushError when the frame is not there."""
        path = self.path(frame)
        stat = path.stat()
        return (str(path), stat.st_mtime_ns, stat.st_size, frame)

    def bytes_of(self, frame: int) -> int:
        """About how much disk a delivered frame takes."""
        return max(self.path(frame).stat().st_size, self.width * self.height // 8)

    def delivered(self, frame: int) -> str:
        """The file name of a delivered frame."""
        return f"{self.stem}{frame:0{self.digits}d}{pictures.delivered_suffix(self.suffix)}"

    def read(self, frame: int) -> Codes:
        """Code values (h, w, c) of a frame. Raises HushError for a frame that is missing, damaged or odd."""
        try:
            codes = pictures.read_codes(self.path(frame))
        except HushError as error:
            if error.kind in ("truncated", "unreadable"):
                raise HushError(f"Frame {frame} of {self.name}: {error.message}", error.kind) from error
            raise
        self.check(frame, codes)
        return codes

    def check(self, frame: int, codes: Codes) -> None:
        """Every frame must look like the first."""
        shape = (self.height, self.width, self.channels)
        if codes.shape != shape:
            raise HushError(
                f"Frame {frame} of {self.name} is {_size(codes.shape)}, the clip is {_size(shape)}; "
                "bring that frame in again at the clip's size.",
                "frame-size",
            )
        if str(codes.dtype) != self.depth:
            raise HushError(
                f"Frame {frame} of {self.name} holds {codes.dtype} values, the clip {self.depth}; "
                "bring that frame in again at the clip's depth.",
                "frame-size",
            )

    def check_range(self, first: int, last: int) -> list[int]:
        """The frames first..last. Raises HushError when the range is empty or has gaps."""
        return checked_range(self.name, self.first, self.last, self.missing, first, last)


def checked_range(name: str, clip_first: int, clip_last: int, missing: list[int], first: int, last: int) -> list[int]:
    """The frames first..last. Raises HushError when the range is empty, leaves the clip or has gaps."""
    if last < first:
        raise HushError(f"The range {first} to {last} is empty; give the first frame first.", "bad-range")
    for end in (first, last):
        if not clip_first <= end <= clip_last:
            raise HushError(f"The range {first} to {last} leaves {name} ({clip_first} to {clip_last}).", "bad-range")
    gaps = [frame for frame in missing if first <= frame <= last]
    if gaps:
        raise HushError(f"{_these(gaps)} missing from {name}; put back or set the range around.", "missing-frame")
    return list(range(first, last + 1))


def _size(shape: tuple[int, ...]) -> str:
    return f"{shape[1]} x {shape[0]} with {shape[2]} channels"


def _these(frames: list[int]) -> str:
    if len(frames) == 1:
        return f"Frame {frames[0]} is"
    if len(frames) <= MANY:
        return f"Frames {', '.join(map(str, frames))} are"
    return f"{len(frames)} frames from {frames[0]} on are"


def open_clip(place: str | Path) -> Clip:
    """A clip from a folder, from a pattern such as ``apron.####.tif``, or from one of its frames.

    Raises HushError when there is nothing to read, more than one sequence, or frames of several sizes at its ends.
    """
    place = Path(place)
    groups = sequences(place)
    if not groups:
        raise HushError(f"No numbered pictures ({', '.join(pictures.SUFFIXES)}) were found at {place.name}.", "no-clip")
    if len(groups) > 1:
        names = ", ".join(f"{stem}{'#' * digits}{suffix}" for stem, digits, suffix in sorted(groups))
        raise HushError(f"{place.name} holds several sequences ({names}); name one by its pattern.", "several-clips")
    (stem, digits, suffix), numbers = next(iter(groups.items()))
    folder = place if place.is_dir() else place.parent
    frames = tuple(sorted(numbers))
    header = pictures.probe(folder / f"{stem}{frames[0]:0{digits}d}{suffix}")
    return Clip(folder, stem, digits, suffix, frames, *header.look)


def sequences(place: Path) -> dict[tuple[str, int, str], list[int]]:
    """Frame numbers by (stem, digits, suffix)."""
    folder, wanted = (place, None) if place.is_dir() else (place.parent, place.name)
    if not folder.is_dir():
        raise HushError(f"There is no folder {folder.name}.", "no-clip")
    groups: dict[tuple[str, int, str], list[int]] = {}
    for name in sorted(entry.name for entry in folder.iterdir() if not entry.name.startswith(".")):
        match = _NUMBERED.match(name)
        if match is None or match["suffix"].lower() not in pictures.SUFFIXES:
            continue
        key = (match["stem"], len(match["number"]), match["suffix"])
        if wanted is None or _fits(wanted, name, key):
            groups.setdefault(key, []).append(int(match["number"]))
    return _joined(groups)


def _fits(wanted: str, name: str, key: tuple[str, int, str]) -> bool:
    stem, digits, suffix = key
    if "#" in wanted:
        hashes = re.fullmatch(r"(?P<stem>.*?)(?P<hashes>#+)(?P<suffix>\.[A-Za-z]+)", wanted)
        if hashes is None:
            raise HushError(f"{wanted} is not a pattern; write it like apron.####.tif.", "bad-pattern")
        return (hashes["stem"], hashes["suffix"]) == (stem, suffix) and len(hashes["hashes"]) in (1, digits)
    match = _NUMBERED.match(wanted)
    return wanted == name or (match is not None and (match["stem"], match["suffix"]) == (stem, suffix))


def _padded(digits: int, numbers: list[int]) -> bool:
    return digits > 1 and any(len(str(number)) < digits for number in numbers)


def _joined(groups: dict[tuple[str, int, str], list[int]]) -> dict[tuple[str, int, str], list[int]]:
    """Unpadded numbering (9, 10, 100) comes as several groups; join them under one digit."""
    joined: dict[tuple[str, int, str], list[int]] = {}
    for (stem, digits, suffix), numbers in groups.items():
        siblings = [key for key in groups if key[0] == stem and key[2] == suffix]
        if len(siblings) > 1 and not any(_padded(key[1], groups[key]) for key in siblings):
            digits = 1
        joined.setdefault((stem, digits, suffix), []).extend(numbers)
    return joined
