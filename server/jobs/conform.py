"""An edit's shots and the footage behind them."""

import tempfile
from fractions import Fraction
from pathlib import Path, PurePosixPath
from typing import Any

from django.conf import settings

from hushcore.errors import HushError
from hushcore.media import scan, timecode
from hushcore.media.conform import Cut, read_edit
from jobs import actions
from jobs.models import Job, Shot

DEEPEST = 5  # folders under the root in which footage is looked for


def cuts_of(name: str, data: bytes, rate: Fraction) -> list[dict[str, Any]]:
    """The shots of an edit, each with the place of its footage or the reason that there is none."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / PurePosixPath(name).name
        path.write_bytes(data)
        cuts = read_edit(path, rate)
    places = _footage()
    return [_matched(cut, places) for cut in cuts]


def _footage() -> dict[str, str]:
    """Places by the names that an edit may call them."""
    root = settings.MEDIA_FOOTAGE
    places: dict[str, str] = {}
    waiting = [(root, 0)]
    while waiting:
        folder, deep = waiting.pop()
        try:
            below, found = scan.folder(folder)
        except (HushError, OSError):
            continue  # a folder that cannot be looked into holds nothing for us
        for entry in found:
            place = str((folder / entry.place).relative_to(root))
            for called in (entry.place, Path(entry.place).stem, entry.name):
                places.setdefault(called.lower(), place)
        if deep < DEEPEST:
            waiting += [(folder / name, deep + 1) for name in below if not (folder / name).is_symlink()]
    return places


def _matched(cut: Cut, places: dict[str, str]) -> dict[str, Any]:
    row: dict[str, Any] = {
        "name": cut.name, "source": cut.source, "first": cut.first, "last": cut.last,
        "rate": f"{cut.rate.numerator}/{cut.rate.denominator}", "place": "", "cut_in": None, "cut_out": None, "problem": "",
    }  # fmt: skip
    called = [cut.source, Path(cut.source).stem, PurePosixPath(cut.url).name, PurePosixPath(cut.url).stem, cut.name]
    place = next((places[name.lower()] for name in called if name and name.lower() in places), None)
    if place is None:
        row["problem"] = f"No footage called {cut.source} is in the storage; bring it there and read the edit again."
        return row
    row["place"] = place
    try:
        found = actions.found_at(place)
        row["cut_in"], row["cut_out"] = _range(cut, found)
    except HushError as error:
        row["problem"] = error.message
    return row


def _range(cut: Cut, found: scan.Found) -> tuple[int, int]:
    """The used frames in the clip's own numbers: by timecode, else by frame number, else from the clip's start.

    Raises HushError when the clip does not hold them.
    """
    rate = Fraction(found.rate) if found.rate else cut.rate
    offsets = [0]
    if found.timecode:
        offsets.insert(0, found.first - timecode.frames_of(found.timecode, rate))
    if found.kind == "movie":
        offsets.append(found.first)
    for offset in offsets:
        first, last = cut.first + offset, cut.last + offset
        if found.first <= first and last <= found.last:
            return first, last
    raise HushError(
        f"The edit uses frames {cut.first} to {cut.last}; {found.name} goes from {found.first} to {found.last}. "
        "Bring in the whole clip, or correct its timecode.",
        "bad-range",
    )


def conform(job: Job, cuts: list[dict[str, Any]], handles: int) -> list[Shot]:
    """A shot for every cut that has footage, with its in and out and handles."""
    made = []
    for cut in cuts:
        if cut["problem"] or not cut["place"]:
            continue
        try:
            rate = Fraction(cut["rate"])
        except (ValueError, ZeroDivisionError, OverflowError) as error:
            raise HushError(
                f"The rate of {cut['name']} is no rate; write it like 25 or 24000/1001.", "bad-rate"
            ) from error
        made.append(
            actions.bring_in(
                job, cut["name"], cut["place"], (rate.numerator, rate.denominator),
                cut_in=cut["cut_in"], cut_out=cut["cut_out"], handles=handles,
            )
        )  # fmt: skip
    if not made:
        raise HushError("No shot of this edit has footage in the storage yet.", "no-clip")
    return made
