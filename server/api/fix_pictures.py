"""Pictures with fixes laid in, the still view, plates and the strip's crops."""

import json
from contextlib import nullcontext

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from fixes.models import Fix
from holds.current import current_hold
from jobs.models import Shot
from jobs.pictures import TYPES, as_bytes, codes_of, kept
from jobs.viewing import View, changes, look_name, seen
from laying import playing, ready, sights
from laying import still as still_pictures
from laying.names import digest
from laying.turns import turn

from api.answers import answer, asked, signed_in
from hushcore.arrays import Rect
from hushcore.errors import HushError
from hushcore.hold.method import channel_of
from hushcore.hold.picture import look_at
from hushcore.recipe.models import GroundData, PrepData, check

SIGHT_GAIN = 48  # grey levels for one local standard deviation


@signed_in
def patched(request: HttpRequest, shot: int, frame: int, suffix: str) -> HttpResponse:
    """A frame as it would be delivered now; ``?changes`` shows what was altered."""
    if suffix not in TYPES:
        raise Http404
    view, differs = asked(request), "changes" in request.GET
    if "v" in request.GET and view.part is None and not differs:
        named = digest([request.GET["v"], request.GET.get("l", "")])
        data = playing.stored(shot, frame, named, view, suffix)
        if data is not None:
            return answer(data, suffix)
    with turn():
        data = _patched(get_object_or_404(Shot.objects.select_related("clip"), id=shot), frame, view, suffix, differs)
    return answer(data, suffix, keep="v" in request.GET)


def _patched(shot: Shot, frame: int, view: View, suffix: str, differs: bool) -> bytes:
    known = ready.stack(shot, frame)

    def make() -> bytes:
        codes = still_pictures.patched_codes(shot, frame, known)
        if differs:
            return as_bytes(changes(codes_of(shot.clip.media(), frame), codes, shot, view), suffix)
        return as_bytes(seen(codes, shot, view), suffix)

    if view.part is not None:
        return make()
    key = ready.patched_key(shot, frame, known[1], view, suffix) + (" changes" if differs else "")
    return kept(shot.id, key, suffix, make)


@signed_in
def still(request: HttpRequest, fix: int, frame: int, suffix: str) -> HttpResponse:
    """A frame pulled back to the anchor pose over the Still view's rectangle; ``?patched`` lays the fixes in first."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    with turn() if "patched" in request.GET else nullcontext():
        codes = still_pictures.still_codes(found, frame, "patched" in request.GET)
    return answer(as_bytes(seen(codes, found.shot, asked(request)), suffix), suffix, keep="v" in request.GET)


@signed_in
def tracker(request: HttpRequest, fix: int, frame: int) -> HttpResponse:
    """A frame as the tracker sees it: prepared, its local contrast evened; black where it does not read.

    ``?prep=`` (PrepData as JSON) shows a preparation before it is used.
    """
    found = get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)
    hold = current_hold(found)
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
    state = ready.states(found.shot, range(frame, frame + 1))[frame] if after else ""
    near = ready.hold_near(current_hold(found), frame)
    held = digest(np.asarray(near.at(frame).forward(np.zeros((1, 2)))).tolist())
    key = f"crop {found.id} {frame} {found.document['edge']} {held} {state} {look_name(found.shot)}"

    def make() -> bytes:
        with turn():
            return still_pictures.crop_bytes(found, frame, after)

    return answer(kept(found.shot_id, key, "jpg", make), "jpg", keep="v" in request.GET)
