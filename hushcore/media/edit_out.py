"""An edit of delivered shots: one track, each shot in its place, as OpenTimelineIO or CMX 3600."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import PurePosixPath
from typing import Any

from hushcore.errors import HushError
from hushcore.media import timecode

FORMS = {"otio": "application/json", "edl": "text/plain"}


@dataclass(frozen=True)
class Delivered:
    """A shot in the edit. ``place``: of its file, or of one frame of its sequence, relative to the deliveries; empty for one
    that is not delivered. ``first``/``last``: what the edit uses, in the clip's own numbers; ``begins``: the number of the
    delivered file's first frame; ``start``: timecode of the frame ``begins``, if there is one; ``digits``: of a sequence's
    numbers, 0 for a movie."""

    name: str
    place: str
    first: int
    last: int
    begins: int
    ends: int
    rate: Fraction
    start: str = ""
    digits: int = 0

    @property
    def origin(self) -> int:
        """Frames since midnight of the first delivered frame; its number where there is no timecode (common practice)."""
        try:
            return timecode.frames_of(self.start, self.rate) if self.start else self.begins
        except HushError:
            return self.begins


def written(name: str, shots: Sequence[Delivered], form: str) -> str:
    """The edit as text. Raises HushError for an unknown form, no shots, or shots of several rates in a CMX 3600."""
    if form not in FORMS:
        raise HushError(f"An edit is written as {' or '.join(FORMS)}, not as {form}.", "bad-form")
    if not shots:
        raise HushError("This job has no shot to put into an edit.", "no-clip")
    timeline = _timeline(name, shots)
    if form == "otio":
        return json.dumps(json.loads(timeline.to_json_string()), indent=1)
    if len({shot.rate for shot in shots}) > 1:
        raise HushError(
            "The shots run at several rates, which a CMX 3600 cannot hold; take the OpenTimelineIO.", "bad-rate"
        )
    return _cmx(timeline, shots[0].rate)


def _cmx(timeline: Any, rate: Fraction) -> str:
    import opentimelineio as otio  # noqa: PLC0415

    try:
        made: str = otio.adapters.write_to_string(timeline, "cmx_3600", rate=float(rate))
    except Exception as error:
        raise HushError(f"The edit could not be written as CMX 3600: {error}.", "bad-edit") from error
    return made


def _timeline(name: str, shots: Sequence[Delivered]) -> Any:
    import opentimelineio as otio  # noqa: PLC0415

    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    for shot in shots:
        rate = float(shot.rate)
        start = shot.origin + shot.first - shot.begins
        length = shot.last - shot.first + 1
        track.append(
            otio.schema.Clip(
                shot.name, _media(shot),
                otio.opentime.TimeRange(otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(length, rate)),
            )
        )  # fmt: skip
    timeline = otio.schema.Timeline(name, global_start_time=otio.opentime.RationalTime(0, float(shots[0].rate)))
    timeline.tracks.append(track)
    return timeline


def _media(shot: Delivered) -> Any:
    import opentimelineio as otio  # noqa: PLC0415

    rate = float(shot.rate)
    available = otio.opentime.TimeRange(
        otio.opentime.RationalTime(shot.origin, rate),
        otio.opentime.RationalTime(shot.ends - shot.begins + 1, rate),
    )
    if not shot.place:
        return otio.schema.MissingReference("not delivered yet", available)
    place = PurePosixPath(shot.place)
    if not shot.digits:
        return otio.schema.ExternalReference(shot.place, available)
    number = f"{shot.begins:0{shot.digits}d}"
    prefix, _, suffix = place.name.rpartition(number)
    return otio.schema.ImageSequenceReference(
        f"{place.parent}/", prefix, suffix, shot.begins, 1, rate, shot.digits, available_range=available
    )
