"""What can be done with jobs and shots."""

import os
import shutil
from contextlib import suppress
from fractions import Fraction
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from events.tell import tell
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from hushcore.colour.encoding import Encoding
from hushcore.errors import HushError
from hushcore.media import scan, timecode
from hushcore.media.clips import open_clip
from hushcore.media.scan import Found
from jobs import history, stamps
from jobs.models import Clip, Job, Shot, inside_root
from jobs.pictures import proxy_folder
from jobs.viewing import look_of

FASTEST = 240
PROXY_CHUNK = 24  # frames a job
PROXY_LINES = max(1, (os.cpu_count() or 1) // 2)


def found_at(place: str) -> Found:
    """What lies at a place under the footage root, every frame's header looked at.

    Raises HushError when it leaves the root or cannot be read.
    """
    path = inside_root(settings.MEDIA_FOOTAGE, place)
    if not settings.MEDIA_FOOTAGE.is_dir():
        raise HushError("The footage storage is not there; plug it in or mount it again.", "no-storage")
    if "#" in Path(place).name:  # a pattern is no file that could be a link
        path = inside_root(settings.MEDIA_FOOTAGE, str(Path(place).parent)) / Path(place).name
    return scan.examine_apart(path) if settings.SCAN_APART else scan.examine(path)


def bring_in(job: Job, name: str, place: str, rate: tuple[int, int] | None = None, note: str = "", **more: Any) -> Shot:
    """A shot from a movie, a folder or a pattern under the footage root.

    Every frame's header is read, so that a missing, damaged or odd one is named now and not in the middle of the work;
    frames unlike the first count as missing. ``more``: first (of a movie), space, cut_in, cut_out, handles, timecode,
    pixel_aspect. Raises HushError when it cannot be used, and nothing is made.
    """
    found = found_at(place)
    if len(found.odd) * 2 > found.count:
        worst = next(iter(found.odd.items()))
        raise HushError(
            f"Most frames of {found.name} differ from its first one (frame {worst[0]}: {worst[1]}); they are not one "
            "sequence. Export it again.",
            "frame-size",
        )
    path = inside_root(settings.MEDIA_FOOTAGE, place)
    with transaction.atomic():
        clip = Clip(**_clip_fields(found, path, more.get("first")))
        _set_rate(clip, rate or _found_rate(found))
        shot = Shot(job=job, name=name.strip() or found.name, clip=clip, order=job.shots.count(), note=note)
        correct(shot, {key: more[key] for key in CORRECTIONS if more.get(key) is not None}, save=False)
        clip.stamps = stamps.read(clip)
        clip.save()
        shot.clip = clip
        shot.save()
        build_proxies(shot)
        tell("jobs", job=job.id)
    return shot


def _found_rate(found: Found) -> tuple[int, int]:
    rate = Fraction(found.rate or "24/1")
    return rate.numerator, rate.denominator


def _clip_fields(found: Found, path: Path, first: int | None) -> dict[str, Any]:
    root = settings.MEDIA_FOOTAGE.resolve()
    common = {
        "kind": found.kind, "width": found.width, "height": found.height, "channels": found.channels, "depth": found.depth,
        "bits": found.bits if found.kind == "sequence" else 16, "codec": found.codec, "lossy": found.lossy,
        "header": found.header, "space": found.space, "found_space": found.space, "found_rate": found.rate,
        "timecode": found.timecode, "pixel_aspect": found.pixel_aspect,
    }  # fmt: skip
    if found.kind == "movie":
        start = first or 0
        return {
            **common, "folder": str(path.parent.relative_to(root)), "stem": path.stem, "digits": 0, "suffix": path.suffix,
            "first": start, "last": start + found.count - 1,
        }  # fmt: skip
    folder = path if path.is_dir() else path.parent
    clip = _sequence(path)
    return {
        **common, "folder": str(folder.resolve().relative_to(root)), "stem": clip.stem, "digits": clip.digits,
        "suffix": clip.suffix, "first": found.first, "last": found.last, "doubles": found.doubles,
        "missing": sorted({*found.missing, *found.odd}), "odd": {str(k): why for k, why in found.odd.items()},
    }  # fmt: skip


def _sequence(path: Path) -> Any:
    return open_clip(path)


def _set_rate(clip: Clip, rate: tuple[int, int]) -> None:
    """The rate, and for a movie the length that follows from it."""
    num, den = rate
    if num < 1 or den < 1 or not 1 <= Fraction(num, den) <= FASTEST:
        raise HushError(
            f"A rate lies between 1 and {FASTEST} frames a second; write it like 25 or 24000/1001.", "bad-rate"
        )
    clip.rate_num, clip.rate_den = Fraction(num, den).as_integer_ratio()
    if clip.kind == "movie" and clip.header:
        clip.last = clip.first + scan.header_of(clip.header).frames_at(clip.rate) - 1


CORRECTIONS = ("space", "cut_in", "cut_out", "handles", "timecode", "pixel_aspect")


def correct(shot: Shot, given: dict[str, Any], save: bool = True, by: Any = None) -> Shot:
    """Correct what was found, or what is worked on. Raises HushError for what cannot be, and nothing is changed."""
    clip = shot.clip
    nothing = ("cut_in", "cut_out")  # that may be put back to none
    given = {name: value for name, value in given.items() if value is not None or name in nothing}
    if "rate" in given:
        _set_rate(clip, given["rate"])
    if "space" in given:
        Encoding(given["space"], clip.bits, settings.OCIO).check()
        clip.space = given["space"]
    if given.get("timecode"):
        timecode.frames_of(given["timecode"], clip.rate)
    if not 0.1 <= given.get("pixel_aspect", 1.0) <= 10:
        raise HushError("A pixel's aspect lies between .1 and 10; 1 is square.", "bad-aspect")
    for name in ("timecode", "pixel_aspect"):
        setattr(clip, name, given.get(name, getattr(clip, name)))
    before = {name: getattr(shot, name) for name in UNDONE}
    for name in ("cut_in", "cut_out", "handles", "name", "note", "status", "look", "put_away"):
        if name in given:
            setattr(shot, name, given[name])
    _check_cut(shot)
    if "look" in given:
        look_of(shot).check(settings.OCIO)
    if not shot.name.strip():
        raise HushError("Give the shot a name.", "no-name")
    if shot.status not in Shot.Status.values:
        raise HushError(f"There is no status {shot.status!r}.", "bad-status")
    if save:
        with transaction.atomic():
            clip.save()
            shot.save()
            _remember(shot, before, by)
            tell("shot", shot=shot.id, job=shot.job_id)
    return shot


UNDONE = {"look": "Look", "cut_in": "Range", "cut_out": "Range", "handles": "Range"}  # what of a shot can be undone


def _remember(shot: Shot, before: dict[str, Any], by: Any) -> None:
    changed = [name for name in UNDONE if getattr(shot, name) != before[name]]
    if changed:
        after = {name: getattr(shot, name) for name in changed}
        history.record(shot, "facts", UNDONE[changed[0]], {name: before[name] for name in changed}, after, by)


@history.putting_back("facts")
def _put_back(shot: Shot, facts: dict[str, Any]) -> None:
    for name, value in facts.items():
        setattr(shot, name, value)
    _check_cut(shot)
    shot.save()


def _check_cut(shot: Shot) -> None:
    clip = shot.clip
    begin = clip.first if shot.cut_in is None else shot.cut_in
    end = clip.last if shot.cut_out is None else shot.cut_out
    if not clip.first <= begin <= end <= clip.last:
        raise HushError(
            f"In {begin} and out {end} do not lie inside the clip ({clip.first} to {clip.last}), in before out.",
            "bad-range",
        )


@transaction.atomic
def build_proxies(shot: Shot) -> None:
    """Queue the pictures that playing needs, in chunks; what is there already is left alone."""
    for k, start in enumerate(range(shot.first, shot.last + 1, PROXY_CHUNK)):
        # jobs of one lock go one after the other: half of the processors stay free for who looks and tracks
        lock = f"proxies {k % PROXY_LINES}"
        job = app.configure_task("proxies", lock=lock, queueing_lock=f"proxies {shot.id} {start}", priority=-5)
        with suppress(AlreadyEnqueued), transaction.atomic():  # a chunk that waits already is not asked for twice
            job.defer(shot=shot.id, first=start, last=min(start + PROXY_CHUNK - 1, shot.last))


def clear_proxies(shot: int) -> None:
    """Take a shot's proxies off the disk; they are made again when they are looked at."""
    shutil.rmtree(proxy_folder(shot), ignore_errors=True)
    tell("proxies", shot=shot)


def disk_use(folder: Path) -> tuple[int, int]:
    """Files under a folder and the bytes that they take."""
    count = size = 0
    for place, _, names in os.walk(folder):  # what is cleared while it is counted is passed over
        for name in names:
            with suppress(OSError):
                size += os.path.getsize(os.path.join(place, name))
                count += 1
    return count, size
