"""Pictures with fixes laid in, the still view, plates and the strip's crops."""

import json

import cv2
import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from jobs.models import Shot
from jobs.pictures import TYPES, answer, as_bytes, codes_of, kept, signed_in
from jobs.viewing import View, asked, changes, look_name, seen

from fixes import actions, ready, sights
from fixes.models import Fix
from hushcore.arrays import Codes, Rect
from hushcore.errors import HushError
from hushcore.hold.method import channel_of
from hushcore.hold.picture import look_at
from hushcore.plates.plate import still_picture
from hushcore.recipe.models import GroundData, PrepData, check

CROP_HEIGHT = 84
SIGHT_GAIN = 48  # grey levels for one local standard deviation


def patched_codes(shot: Shot, frame: int, known: ready.Stack | None = None) -> Codes:
    """A frame with all fixes that can be laid, the last few kept."""
    return ready.laid_codes(shot, frame, known=known)


@signed_in
def patched(request: HttpRequest, shot: int, frame: int, suffix: str) -> HttpResponse:
    """A frame as it would be delivered now; ``?changes`` shows what was altered."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    view, differs = asked(request), "changes" in request.GET
    known = ready.stack(found, frame)

    def make() -> bytes:
        codes = patched_codes(found, frame, known)
        if differs:
            return as_bytes(changes(codes_of(found.clip.media(), frame), codes, found, view), suffix)
        return as_bytes(seen(codes, found, view), suffix)

    if view.part is not None:
        return answer(make(), suffix, keep="v" in request.GET)
    key = ready.patched_key(found, frame, known[1], view) + (" changes" if differs else "")
    return answer(kept(shot, key, suffix, make), suffix, keep="v" in request.GET)


@signed_in
def still(request: HttpRequest, fix: int, frame: int, suffix: str) -> HttpResponse:
    """A frame pulled back to the anchor pose over the Still view's rectangle; ``?patched`` lays the fixes in first."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    codes = still_codes(found, frame, "patched" in request.GET)
    return answer(as_bytes(seen(codes, found.shot, asked(request)), suffix), suffix, keep="v" in request.GET)


def still_codes(fix: Fix, frame: int, with_fixes: bool, rect: Rect | None = None) -> Codes:
    """Codes of the still picture over ``rect`` (the Still view's by default)."""
    hold = actions.current_hold(fix)
    near = ready.hold_near(hold, frame)
    clip = fix.shot.clip
    codes = patched_codes(fix.shot, frame) if with_fixes else codes_of(clip.media(), frame)
    linear = still_picture(codes, near, frame, rect or ready.view_rect(hold, near), clip.encoding)
    return clip.encoding.encode(linear, codes.dtype)


@signed_in
def tracker(request: HttpRequest, fix: int, frame: int) -> HttpResponse:
    """A frame as the tracker sees it: prepared, its local contrast evened; black where it does not read.

    ``?prep=`` (PrepData as JSON) shows a preparation before it is used.
    """
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    hold = actions.current_hold(found)
    try:
        asked_for = json.loads(request.GET["prep"]) if "prep" in request.GET else hold.method.get("prep", {})
    except json.JSONDecodeError as error:
        raise HushError("This preparation is not readable.", "bad-request") from error
    prep = check(asked_for, PrepData, "The preparation").prep()
    codes = codes_of(found.shot.clip.media(), frame)
    ground = GroundData.model_validate(hold.ground).ground()
    sight = look_at(
        channel_of(codes, prep.channel), Rect(0, 0, codes.shape[1], codes.shape[0]), prep, ground.hidden(frame)
    )
    level = sight.levels[0]
    grey = np.clip(level.picture * SIGHT_GAIN + 128, 0, 255) * level.readable
    grey = grey[: codes.shape[0], : codes.shape[1]].astype(np.uint8)
    return answer(as_bytes(np.repeat(grey[..., None], 3, 2), "jpg"), "jpg", keep="v" in request.GET)


@signed_in
def plate(request: HttpRequest, fix: int, suffix: str) -> HttpResponse:
    """The plate that is worked on, or the part ``?x&y&w&h`` of the still surface of it; ``?grainless`` without grain."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    made, hold = ready.active_plate(found)
    x, y, w, h = (int(request.GET.get(name, default)) for name, default in (
        ("x", made.rect.left), ("y", made.rect.top), ("w", made.rect.width), ("h", made.rect.height)
    ))  # fmt: skip
    wanted = Rect(x, y, x + w, y + h).within(made.rect)
    if wanted.empty:
        raise HushError("This part lies outside the plate.", "no-frame")
    clip = found.shot.clip
    linear = made.painted[wanted.moved(-made.rect.left, -made.rect.top).slices]
    if "grainless" in request.GET:
        linear = sights.grainless(linear, found, hold)
    picture = seen(clip.encoding.encode(linear, clip.depth), found.shot, View())
    return answer(as_bytes(picture, suffix), suffix, keep="v" in request.GET)


@signed_in
def sight(request: HttpRequest, fix: int, what: str, frame: int) -> HttpResponse:
    """Something about a frame on the still surface: its ``light``, its ``matte``, what is in ``front``."""
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    return answer(as_bytes(sights.sight(found, what, frame), "png"), "png", keep="v" in request.GET)


@signed_in
def crop(request: HttpRequest, fix: int, frame: int) -> HttpResponse:
    """The spot on the still surface, small, for the strip; ``?patched`` for after."""
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    if not found.document["edge"]["outlines"]:
        raise HushError("No edge yet: draw it round the mark.", "incomplete")
    after = "patched" in request.GET
    state = ready.stack(found.shot, frame)[1] if after else ""
    near = ready.hold_near(actions.current_hold(found), frame)
    held = ready.digest(np.asarray(near.at(frame).forward(np.zeros((1, 2)))).tolist())
    key = f"crop {found.id} {frame} {found.document['edge']} {held} {state} {look_name(found.shot)}"
    return answer(kept(found.shot_id, key, "jpg", lambda: _crop(found, frame, after)), "jpg", keep="v" in request.GET)


def _crop(fix: Fix, frame: int, after: bool) -> bytes:
    rect = spot(fix)
    codes = still_codes(fix, frame, after, rect)
    scale = CROP_HEIGHT / codes.shape[0]
    size = (max(1, round(codes.shape[1] * scale)), CROP_HEIGHT)
    return as_bytes(cv2.resize(seen(codes, fix.shot, View()), size, interpolation=cv2.INTER_AREA), "jpg")


def spot(fix: Fix) -> Rect:
    """The mark and a little round it, at the strip's shape."""
    outline = actions.mark_of(fix.document)
    (left, top), (right, bottom) = outline.min(0), outline.max(0)
    x, y = (left + right) / 2, (top + bottom) / 2
    half = max((right - left) * 0.42, (bottom - top) / 2) + 26
    return Rect(int(x - 1.25 * half), int(y - half), int(x + 1.25 * half), int(y + half))
