"""An edit's shots: from OpenTimelineIO files, and from CMX 3600 EDLs through OpenTimelineIO's packaged adapter."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

from hushcore.errors import HushError
from hushcore.media.pictures import exact_rate

SUFFIXES = (".otio", ".edl")
MOST_BYTES = 20_000_000


@dataclass(frozen=True)
class Cut:
    """A shot of an edit. ``source``: the reel, file or clip name it comes from; ``first``/``last``: the used frames, in the
    source's own time (frame counts from timecode zero); ``cut``: where it begins in the edit."""

    name: str
    source: str
    url: str
    first: int
    last: int
    cut: int
    rate: Fraction


def read_edit(path: Path, rate: Fraction = Fraction(24)) -> list[Cut]:
    """The shots of an edit in order. ``rate`` is for EDLs, which do not say theirs.

    Raises HushError for a file that cannot be understood or holds no picture.
    """
    import opentimelineio as otio  # noqa: PLC0415

    if path.suffix.lower() not in SUFFIXES:
        raise HushError(f"{path.name} is neither an .otio nor an .edl file.", "bad-edit")
    if path.stat().st_size > MOST_BYTES:
        raise HushError(f"{path.name} is too large for an edit.", "bad-edit")
    try:
        if path.suffix.lower() == ".edl":
            timeline = otio.adapters.read_from_file(str(path), adapter_name="cmx_3600", rate=float(rate))
        else:
            timeline = otio.adapters.read_from_file(str(path), adapter_name="otio_json")
        cuts = _cuts(otio, timeline)
    except HushError:
        raise
    except Exception as error:  # the adapters raise many kinds; all mean the same to the artist
        reason = (str(error).strip().splitlines() or [type(error).__name__])[0][:120]
        raise HushError(f"{path.name} cannot be read as an edit ({reason}); export it again.", "bad-edit") from error
    if not cuts:
        raise HushError(f"{path.name} holds no picture clips.", "bad-edit")
    return cuts


def _cuts(otio: Any, found: Any) -> list[Cut]:
    timelines = [found] if isinstance(found, otio.schema.Timeline) else list(found)
    cuts = []
    for timeline in timelines:
        for track in timeline.video_tracks():
            cuts += [_cut(timeline, clip) for clip in track.find_clips()]
    return sorted(cuts, key=lambda cut: cut.cut)


def _cut(timeline: Any, clip: Any) -> Cut:
    used = clip.trimmed_range()
    rate = exact_rate(used.start_time.rate)
    begin = clip.range_in_parent()
    start = round(begin.start_time.rescaled_to(used.start_time.rate).value) if begin else 0
    if timeline.global_start_time:
        start += round(timeline.global_start_time.rescaled_to(used.start_time.rate).value)
    reference = clip.media_reference
    url = getattr(reference, "target_url", "") or getattr(reference, "target_url_base", "") or ""
    edl = clip.metadata.get("cmx_3600", {})
    first = round(used.start_time.value)
    source = edl.get("reel") or getattr(reference, "name", "") or Path(str(url)).name or clip.name
    called = clip.name if clip.name and not (edl and clip.name.isdigit()) else source  # an EDL's bare event number
    return Cut(str(called), str(source), str(url), first, first + round(used.duration.value) - 1, start, rate)
