"""Pictures with fixes laid in, the still view, plates and the strip's crops."""

import cv2
import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from jobs.models import Shot
from jobs.pictures import TYPES, answer, as_bytes, kept, signed_in

from fixes import actions, ready
from fixes.models import Fix
from hushcore.arrays import Codes, Rect
from hushcore.colour import encoding
from hushcore.errors import HushError
from hushcore.patch.fix import lay_all
from hushcore.plates.plate import still_picture

CROP_HEIGHT = 84


def patched_codes(shot: Shot, frame: int) -> tuple[Codes, str]:
    """A frame with all fixes that can be laid, and the name of that state."""
    media = shot.clip.media()
    fixes, state = ready.stack(shot, frame)
    codes = ready.codes_of(media, frame)
    return lay_all(codes, frame, fixes)[0], state


@signed_in
def patched(request: HttpRequest, shot: int, frame: int, suffix: str) -> HttpResponse:
    """A frame as it would be delivered now."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    media = found.clip.media()
    stamp = media.path(frame).stat()
    fixes, state = ready.stack(found, frame)
    key = f"patched {media.path(frame)} {stamp.st_mtime_ns} {state} {suffix}"

    def make() -> bytes:
        return as_bytes(lay_all(ready.codes_of(media, frame), frame, fixes)[0], suffix)

    return answer(kept(key, suffix, make), suffix, keep="v" in request.GET)


@signed_in
def still(request: HttpRequest, fix: int, frame: int, suffix: str) -> HttpResponse:
    """A frame pulled back to the anchor pose over the Still view's rectangle; ``?patched`` lays the fixes in first."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    return answer(
        as_bytes(still_codes(found, frame, "patched" in request.GET), suffix), suffix, keep="v" in request.GET
    )


def still_codes(fix: Fix, frame: int, with_fixes: bool, rect: Rect | None = None) -> Codes:
    """8-bit codes of the still picture over ``rect`` (the Still view's by default)."""
    hold = actions.current_hold(fix)
    near = ready.hold_near(hold, frame)
    codes = patched_codes(fix.shot, frame)[0] if with_fixes else ready.codes_of(fix.shot.clip.media(), frame)
    return encoding.encode(still_picture(codes, near, frame, rect or ready.view_rect(near)), "uint8")


@signed_in
def plate(request: HttpRequest, fix: int, suffix: str) -> HttpResponse:
    """The retouched plate, or the part ``?x&y&w&h`` of the still surface of it."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    if found.document["plate"] is None:
        raise HushError("No plate yet: pick a frame to retouch.", "no-plate")
    hold = actions.current_hold(found)
    made = ready.painted_plate(found.document, hold, found.shot.clip.media())
    x, y, w, h = (int(request.GET.get(name, default)) for name, default in (
        ("x", made.rect.left), ("y", made.rect.top), ("w", made.rect.width), ("h", made.rect.height)
    ))  # fmt: skip
    wanted = Rect(x, y, x + w, y + h).within(made.rect)
    if wanted.empty:
        raise HushError("This part lies outside the plate.", "no-frame")
    local = Rect(
        wanted.left - made.rect.left, wanted.top - made.rect.top,
        wanted.right - made.rect.left, wanted.bottom - made.rect.top,
    )  # fmt: skip
    picture = encoding.encode(made.painted[local.slices], "uint8")
    return answer(as_bytes(picture, suffix), suffix, keep="v" in request.GET)


@signed_in
def crop(request: HttpRequest, fix: int, frame: int) -> HttpResponse:
    """The spot on the still surface, small, for the strip; ``?patched`` for after."""
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    nodes = found.document["edge"]["path"]
    if nodes is None:
        raise HushError("No edge yet: draw it round the mark.", "incomplete")
    after = "patched" in request.GET
    state = ready.stack(found.shot, frame)[1] if after else ""
    near = ready.hold_near(actions.current_hold(found), frame)
    held = ready.digest(np.asarray(near.at(frame).forward(np.zeros((1, 2)))).tolist())
    key = f"crop {found.id} {frame} {found.document['edge']} {held} {state}"
    return answer(kept(key, "jpg", lambda: _crop(found, frame, after)), "jpg", keep="v" in request.GET)


def _crop(fix: Fix, frame: int, after: bool) -> bytes:
    rect = spot(fix)
    codes = still_codes(fix, frame, after, rect)
    scale = CROP_HEIGHT / codes.shape[0]
    size = (max(1, round(codes.shape[1] * scale)), CROP_HEIGHT)
    return as_bytes(cv2.resize(codes, size, interpolation=cv2.INTER_AREA), "jpg")


def spot(fix: Fix) -> Rect:
    """The mark and a little round it, at the strip's shape."""
    from fixes.models import Path
    from hushcore.recipe.models import EdgeData

    nodes = Path.objects.get(id=fix.document["edge"]["path"]).nodes
    outline = EdgeData(nodes=nodes).outline()
    (left, top), (right, bottom) = outline.min(0), outline.max(0)
    x, y = (left + right) / 2, (top + bottom) / 2
    half = max((right - left) * 0.42, (bottom - top) / 2) + 26
    return Rect(int(x - 1.25 * half), int(y - half), int(x + 1.25 * half), int(y + half))
