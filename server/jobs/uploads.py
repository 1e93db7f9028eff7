"""Files on their way into the footage storage."""

import os
import re
from pathlib import Path, PurePosixPath

from django.conf import settings

from hushcore.errors import HushError
from hushcore.media import movie_header, pictures
from jobs.models import Upload, inside_root

INTO = "uploads"  # folder of the footage root
SUFFIXES = (*pictures.SUFFIXES, *movie_header.SUFFIXES)
FULL = "The footage storage cannot take this file; it may be full. What arrived is kept."
_ODD = re.compile(r"[\x00-\x1f\\:*?\"<>|]")


def part_of(upload: Upload) -> Path:
    """Where the bytes gather."""
    return inside_root(settings.MEDIA_FOOTAGE, f"{INTO}/.coming/{upload.key}")


def wanted_place(given: str) -> str:
    """A clean relative place under the upload folder. Raises HushError for a name that cannot be footage."""
    parts = [_ODD.sub("_", part).strip() for part in PurePosixPath(given).parts if part not in ("/", "..", ".")]
    if not parts or any(not part or part.startswith(".") for part in parts):
        raise HushError("This file has no usable name; give it one and choose it again.", "bad-name")
    if Path(parts[-1]).suffix.lower() not in SUFFIXES:
        raise HushError(f"{parts[-1]} is neither a movie nor a picture that can be worked on.", "bad-suffix")
    if max(len(part.encode()) for part in parts) > 200 or len(parts) > 6:
        raise HushError(f"{parts[-1]}: the name is too long.", "bad-name")
    return str(PurePosixPath(INTO, *parts))


def arrived(found: Upload, part: Path) -> None:
    place = inside_root(settings.MEDIA_FOOTAGE, found.place)
    place.parent.mkdir(parents=True, exist_ok=True)
    if place.exists() and place.stat().st_size != found.size:
        raise HushError(f"{place.name} is in the storage already and is another file; rename yours.", "exists")
    os.replace(part, place)
    found.delete()
