"""What footage lies in a folder: sequences with their gaps, odd frames and doubles, and movies."""

import json
import os
import resource
import subprocess
import sys
from collections import Counter
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

from hushcore.errors import HushError
from hushcore.media import clips, movie_header, movies, pictures
from hushcore.media.footage import open_footage

MOST_ENTRIES = 20_000
MOST_MEMORY = 6_000_000_000  # bytes that reading a header may take before it is given up
MOST_SECONDS = 120
CRASHED = "the reader broke down on it"


@dataclass(frozen=True)
class Found:
    """Footage in a folder. ``place``: its name or pattern there; ``odd``: frames unlike the first, each with its reason;
    ``doubles``: frame numbers that exist under two names."""

    kind: str
    place: str
    name: str
    first: int
    last: int
    count: int
    missing: list[int] = field(default_factory=list)
    odd: dict[int, str] = field(default_factory=dict)
    doubles: list[int] = field(default_factory=list)
    width: int = 0
    height: int = 0
    channels: int = 0
    depth: str = ""
    bits: int = 0
    space: str = ""
    rate: str = ""
    timecode: str = ""
    pixel_aspect: float = 1.0
    codec: str = ""
    lossy: bool = False
    bytes: int = 0
    problem: str = ""
    header: dict[str, Any] | None = None


def folder(place: Path) -> tuple[list[str], list[Found]]:
    """Sub-folders, and the footage in a folder by its names alone; nothing is opened.

    Raises HushError when there is no such folder.
    """
    if not place.is_dir():
        raise HushError(f"There is no folder {place.name}; it may have been moved or its disk unplugged.", "no-clip")
    names = sorted(entry for entry in os.listdir(place) if not entry.startswith("."))[:MOST_ENTRIES]
    folders = [name for name in names if (place / name).is_dir()]
    found = [
        Found("movie", name, Path(name).stem, 0, 0, 0, bytes=(place / name).stat().st_size)
        for name in names
        if Path(name).suffix.lower() in movie_header.SUFFIXES and (place / name).is_file()
    ]
    groups = clips.sequences(place)
    for (stem, digits, suffix), numbers in sorted(groups.items()):
        ordered = sorted(set(numbers))
        gaps = sorted(set(range(ordered[0], ordered[-1] + 1)) - set(ordered)) if _plausible(ordered) else []
        found.append(Found(
            "sequence", f"{stem}{'#' * digits}{suffix}", stem.rstrip("._- ") or place.name, ordered[0], ordered[-1],
            len(ordered), gaps, doubles=_doubles((stem, suffix), groups, numbers),
        ))  # fmt: skip
    return folders, found


def _plausible(numbers: Sequence[int]) -> bool:
    """Whether numbers are frames of one sequence, not dates or serials that a range would blow up on."""
    return numbers[-1] - numbers[0] < 50 * len(numbers) + 1000


def _doubles(of: tuple[str, str], groups: dict[tuple[str, int, str], list[int]], numbers: list[int]) -> list[int]:
    twice = {number for number, count in Counter(numbers).items() if count > 1}
    for (stem, _digits, suffix), others in groups.items():
        same_name = stem == of[0] and suffix.lower() == of[1].lower()
        if same_name and others is not numbers:
            twice |= set(others) & set(numbers)
    return sorted(twice)


def examine(place: Path) -> Found:
    """All that can be known of a movie or a sequence, every frame's header included.

    Raises HushError when it cannot be read at all.
    """
    clip = open_footage(place)
    if isinstance(clip, movies.Movie):
        header = clip.header
        return Found(
            "movie", place.name, clip.name, clip.first, clip.last, header.count, [], {}, [], header.width, header.height,
            header.channels, clip.depth, header.bits, header.space, _fraction(header.rate), header.timecode,
            header.pixel_aspect, f"{header.codec}, {header.pix_fmt}", True, place.stat().st_size,
            header=plain(header),
        )  # fmt: skip
    first = pictures.probe(clip.path(clip.first))
    clip.read(clip.first)
    clip.read(clip.last)
    odd, size = {}, 0
    for frame in clip.frames:
        try:
            path = clip.path(frame)
            size += path.stat().st_size
            found = pictures.probe(path)
            if found.look != first.look:
                odd[frame] = (
                    f"{found.width} x {found.height}, {found.channels} channels, {found.depth} {found.bits} bit"
                )
        except (HushError, OSError) as error:
            odd[frame] = error.message if isinstance(error, HushError) else str(error.strerror)
    groups = clips.sequences(clip.folder)
    key = (clip.stem, clip.digits, clip.suffix)
    doubles = _doubles((clip.stem, clip.suffix), groups, groups.get(key, list(clip.frames)))
    return Found(
        "sequence", place.name, clip.name, clip.first, clip.last, len(clip.frames), clip.missing, odd, doubles, first.width,
        first.height, first.channels, first.depth, first.bits, first.space, _fraction(first.rate), first.timecode,
        first.pixel_aspect, clip.suffix.lstrip(".").lower(), first.lossy, size,
    )  # fmt: skip


def _fraction(rate: Fraction | None) -> str:
    return f"{rate.numerator}/{rate.denominator}" if rate else ""


def plain(header: movie_header.MovieHeader) -> dict[str, Any]:
    """A movie's header as JSON-ready data."""
    data = asdict(header)
    for name in ("rate", "tick"):
        data[name] = _fraction(data[name])
    data["times"] = list(header.times)
    return data


def header_of(data: dict[str, Any]) -> movie_header.MovieHeader:
    """A movie's header from its plain data."""
    return movie_header.MovieHeader(
        **{**data, "rate": Fraction(data["rate"]), "tick": Fraction(data["tick"]), "times": tuple(data["times"])}
    )


def examine_apart(place: Path) -> Found:
    """``examine`` in a process of its own with bounded memory and time, so that a file that breaks a reader breaks
    nothing else. Raises HushError with what is wrong."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "hushcore.media.scan", str(place)], capture_output=True, timeout=MOST_SECONDS,
            preexec_fn=_bounded, check=False, cwd=Path(__file__).resolve().parents[2],
        )  # fmt: skip
    except subprocess.TimeoutExpired as error:
        raise HushError(
            f"{place.name} takes more than {MOST_SECONDS} s to read; it is damaged, or its disk is too slow.",
            "unreadable",
        ) from error
    try:
        answer = json.loads(done.stdout)
    except ValueError:
        answer = {"error": [f"{place.name} cannot be read: {CRASHED}; copy it again from the original.", "unreadable"]}
    if "error" in answer:
        raise HushError(*answer["error"])
    answer["odd"] = {int(frame): reason for frame, reason in answer["odd"].items()}
    return Found(**answer)


def _bounded() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _main() -> None:
    try:
        answer = asdict(examine(Path(sys.argv[1])))
    except HushError as error:
        answer = {"error": [error.message, error.kind]}
    except MemoryError:
        answer = {"error": ["It would take more memory than there is; bring in a smaller version.", "too-large"]}
    print(json.dumps(answer))


if __name__ == "__main__":
    _main()
