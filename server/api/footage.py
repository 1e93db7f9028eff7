"""Footage storage, encodings and edits over HTTP."""

from dataclasses import asdict
from fractions import Fraction
from pathlib import PurePosixPath

from django.conf import settings
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from jobs import actions, conform
from jobs.models import Job, inside_root
from ninja import File, Form, Router, Status, UploadedFile

from api.job_schemas import ColourOut, ConformIn, CutOut, DisplayOut, EncodingOut, FolderOut, FoundOut, ShotOut
from api.jobs import MOST_SMALL_FILE, shot_out
from hushcore.colour import curves, spaces
from hushcore.errors import HushError
from hushcore.media import scan

router = Router(tags=["jobs"])


def found_out(found: scan.Found) -> FoundOut:
    """Footage as the screens see it."""
    data = asdict(found)
    header = data.pop("header")
    data["odd"] = {str(frame): why for frame, why in found.odd.items()}
    return FoundOut(**data, even=header["even"] if header else True)


@router.get("footage", response=FolderOut)
def footage(request: HttpRequest, place: str = "") -> FolderOut:
    """A folder of the footage storage, by names alone."""
    root = settings.MEDIA_FOOTAGE
    if not root.is_dir():
        raise HushError("The footage storage is not there; plug it in or mount it again.", "no-storage")
    below, found = scan.folder(inside_root(root, place))
    above = None if place in ("", ".") else str(PurePosixPath(place).parent).replace(".", "", 1)
    return FolderOut(place=place, above=above, folders=below, found=[found_out(entry) for entry in found])


@router.get("footage/examine", response=FoundOut)
def examine(request: HttpRequest, place: str) -> FoundOut:
    """All that can be known of footage, every frame's header looked at."""
    return found_out(actions.found_at(place))


@router.get("colour", response=ColourOut)
def colour(request: HttpRequest) -> ColourOut:
    """Encodings, displays and views, and the LUTs that were brought in."""
    plain = [EncodingOut(space=name, words=entry.words, display=entry.display) for name, entry in curves.PLAIN.items()]
    named = [
        EncodingOut(space=spaces.PREFIX + name, words=name, display=False) for name in spaces.offered(settings.OCIO)
    ]
    folder = settings.VAR / "looks"
    return ColourOut(
        encodings=plain + named,
        displays=[DisplayOut(name=name, views=views) for name, views in spaces.views(settings.OCIO).items()],
        luts=sorted(path.name for path in folder.glob("*.cube")) if folder.is_dir() else [],
    )


@router.post("edits", response=list[CutOut])
def read_edit(request: HttpRequest, file: File[UploadedFile], rate: Form[str] = "24") -> list[CutOut]:
    """The shots of an edit (.otio, .edl) and the footage found for them; nothing is made yet."""
    if (file.size or 0) > MOST_SMALL_FILE:
        raise HushError(f"{file.name} is too large for an edit.", "too-large")
    try:
        exact = Fraction(rate)
    except (ValueError, ZeroDivisionError) as error:
        raise HushError("Write the edit's rate like 25 or 24000/1001.", "bad-rate") from error
    return [CutOut(**cut) for cut in conform.cuts_of(str(file.name), file.read(), exact)]


@router.post("jobs/{job}/conform", response={201: list[ShotOut]})
def conform_job(request: HttpRequest, job: int, payload: ConformIn) -> Status:
    """Make the shots of an edit."""
    made = conform.conform(get_object_or_404(Job, id=job), [cut.dict() for cut in payload.cuts], payload.handles)
    return Status(201, [shot_out(shot) for shot in made])
