"""Pictures of a shot as shot, and the helpers that every picture view uses."""

import hashlib
import os
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404

from jobs.models import Shot

TYPES = {"jpg": "image/jpeg", "png": "image/png"}
JPEG = [cv2.IMWRITE_JPEG_QUALITY, 92, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
PNG = [cv2.IMWRITE_PNG_COMPRESSION, 1]
FOR_GOOD = "private, max-age=31536000, immutable"

View = Callable[..., HttpResponse]


def signed_in(view: View) -> View:
    """Pictures are for people who are signed in."""

    @wraps(view)
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.user.is_authenticated:
            return HttpResponse(status=401)
        return view(request, *args, **kwargs)

    return guarded


def as_bytes(codes: np.ndarray, suffix: str) -> bytes:
    """An 8-bit picture for the screen, of codes (h, w, c) of any depth."""
    if suffix not in TYPES:
        raise Http404
    eight = (codes >> 8).astype(np.uint8) if codes.dtype == np.uint16 else codes
    flipped = eight[..., :3][..., ::-1] if eight.ndim == 3 and eight.shape[2] >= 3 else eight
    done, data = cv2.imencode("." + suffix, np.ascontiguousarray(flipped), JPEG if suffix == "jpg" else PNG)
    if not done:
        raise Http404
    return data.tobytes()


def answer(data: bytes, suffix: str, keep: bool = True) -> HttpResponse:
    """A picture response; one whose address names its exact state may be kept for good."""
    return HttpResponse(
        data, content_type=TYPES[suffix], headers={"Cache-Control": FOR_GOOD if keep else "private, no-cache"}
    )


def kept(key: str, suffix: str, make: Callable[[], bytes]) -> bytes:
    """Bytes from the proxy store, made on first use."""
    name = hashlib.sha256(key.encode()).hexdigest()
    path: Path = settings.PROXIES / name[:2] / f"{name[2:34]}.{suffix}"
    try:
        return path.read_bytes()
    except FileNotFoundError:
        pass
    data = make()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(f".{os.getpid()}.{id(data)}.part")
        part.write_bytes(data)
        os.replace(part, path)
    except OSError:
        return data  # the store is a convenience; a full disk must not stop looking
    return data


@signed_in
def frame(request: HttpRequest, shot: int, frame: int, suffix: str) -> HttpResponse:
    """A frame as shot."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    media = found.clip.media()
    stat = media.path(frame).stat()
    key = f"shot {media.path(frame)} {stat.st_mtime_ns} {stat.st_size} {suffix}"
    return answer(kept(key, suffix, lambda: as_bytes(media.read(frame), suffix)), suffix, keep=False)
