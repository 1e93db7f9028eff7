"""Resumable uploads into the footage storage, after the open tus protocol 1.0.0 (core, creation, termination).

A file grows beside its place and moves there once it is whole; a broken line goes on from the last byte that arrived.
"""

import base64
import shutil
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import csrf_exempt
from jobs.models import Upload
from jobs.uploads import FULL, arrived, part_of, wanted_place

from hushcore.errors import HushError

VERSION = "1.0.0"
MOST = 2_000_000_000_000
HEADERS = {"Tus-Resumable": VERSION, "Cache-Control": "no-store"}
ROOM = 1_000_000_000  # bytes that are to stay free
BLOCK = 1 << 20


def _metadata(request: HttpRequest) -> dict[str, str]:
    out = {}
    for pair in request.headers.get("Upload-Metadata", "").split(","):
        name, _, value = pair.strip().partition(" ")
        try:
            out[name] = base64.b64decode(value).decode()
        except (ValueError, UnicodeDecodeError) as error:
            raise HushError("The upload does not say which file it is.", "bad-request") from error
    return out


@csrf_exempt  # the session cookie is SameSite=Lax and the protocol's own header cannot be sent cross-site without CORS
def uploads(request: HttpRequest) -> HttpResponse:
    """Create an upload."""
    problem = _guard(request)
    if problem or request.method != "POST":
        return problem or HttpResponse(status=405, headers=HEADERS)
    try:
        size = int(request.headers.get("Upload-Length", ""))
    except ValueError as error:
        raise HushError("The upload does not say how large it is.", "bad-request") from error
    place = wanted_place(_metadata(request).get("place", ""))
    settings.MEDIA_FOOTAGE.mkdir(parents=True, exist_ok=True)
    if not 0 < size <= MOST:
        raise HushError(f"{Path(place).name} is empty.", "bad-size")
    if shutil.disk_usage(settings.MEDIA_FOOTAGE).free < size + ROOM:
        raise HushError("The footage storage has no room for this file; clear some space first.", "disk-full")
    upload = Upload.objects.create(place=place, size=size, by=request.user)  # type: ignore[misc]
    part = part_of(upload)
    part.parent.mkdir(parents=True, exist_ok=True)
    part.touch()
    return HttpResponse(status=201, headers={**HEADERS, "Location": f"/api/uploads/{upload.key}"})


@csrf_exempt
def upload(request: HttpRequest, key: str) -> HttpResponse:
    """Ask how far an upload is (HEAD), go on with it (PATCH), give it up (DELETE)."""
    problem = _guard(request)
    if problem:
        return problem
    found = Upload.objects.filter(key=key, by=request.user).first()  # type: ignore[misc]
    if found is None:
        return HttpResponse(status=404, headers=HEADERS)
    if request.method == "HEAD":
        return HttpResponse(headers={**HEADERS, "Upload-Offset": str(found.received), "Upload-Length": str(found.size)})
    if request.method == "DELETE":
        part_of(found).unlink(missing_ok=True)
        found.delete()
        return HttpResponse(status=204, headers=HEADERS)
    if request.method == "PATCH":
        return _go_on(request, key)
    return HttpResponse(status=405, headers=HEADERS)


def _guard(request: HttpRequest) -> HttpResponse | None:
    if not request.user.is_authenticated:
        return HttpResponse(status=401, headers=HEADERS)
    if request.headers.get("Tus-Resumable") != VERSION:
        return HttpResponse(status=412, headers={**HEADERS, "Tus-Version": VERSION})
    return None


def _go_on(request: HttpRequest, key: str) -> HttpResponse:
    if request.headers.get("Content-Type") != "application/offset+octet-stream":
        return HttpResponse(status=415, headers=HEADERS)
    with transaction.atomic():
        found = Upload.objects.select_for_update().get(key=key)
        if request.headers.get("Upload-Offset") != str(found.received):
            return HttpResponse(status=409, headers=HEADERS)
        part = part_of(found)
        try:
            with part.open("r+b") as out:
                out.seek(found.received)
                while block := request.read(BLOCK):
                    if found.received + len(block) > found.size:
                        raise HushError("More bytes came than the file was said to have.", "bad-size")
                    out.write(block)
                    found.received += len(block)
        except FileNotFoundError as error:
            raise HushError("What had arrived of this file is gone; choose it again.", "not-found") from error
        except OSError as error:
            raise HushError(FULL, "disk-full") from error
        finally:
            found.save(update_fields=["received"])
        if found.received == found.size:
            arrived(found, part)
    return HttpResponse(status=204, headers={**HEADERS, "Upload-Offset": str(found.received)})
