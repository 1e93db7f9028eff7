"""Holds over HTTP: measuring, correcting, tracks. Every change names the version it was made on."""

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from holds import bringing, correcting, exports, measuring
from holds.models import Hold
from laying import ready
from ninja import File, Form, Router, UploadedFile

from api.fix_asked import (
    FrameIn,
    KeyIn,
    OnwardIn,
    RangeIn,
    SmoothIn,
    TrackIn,
    VersionIn,
)
from api.fix_out import apply, hold_out
from api.fix_schemas import (
    FixOut,
    HoldMapOut,
    HoldOut,
    ManyMapsOut,
)
from hushcore.errors import HushError
from hushcore.hold.record import frame_plain

MOST_MAPS = 64
router = Router(tags=["holds"])


@router.post("fixes/{fix}/track", response=FixOut)
def track(request: HttpRequest, fix: int, payload: TrackIn) -> FixOut:
    """Measure anew from a ground."""
    args = (payload.ground, payload.method, payload.way)
    return apply(request, fix, payload.version, lambda d, f: measuring.track(d, f, *args))


@router.post("fixes/{fix}/onward", response=FixOut)
def onward(request: HttpRequest, fix: int, payload: OnwardIn) -> FixOut:
    """Go on from a frame, one way."""
    args = (payload.frame, payload.way, payload.until, payload.renew)
    return apply(request, fix, payload.version, lambda d, f: correcting.onward(d, f, *args))


@router.post("fixes/{fix}/keys", response=FixOut)
def set_key(request: HttpRequest, fix: int, payload: KeyIn) -> FixOut:
    """Correct the hold by hand on a frame."""
    args = (payload.frame, payload.pins, payload.whole, payload.reach)
    return apply(request, fix, payload.version, lambda d, f: correcting.set_key(d, f, *args))


@router.post("fixes/{fix}/keys/delete", response=FixOut)
def delete_key(request: HttpRequest, fix: int, payload: FrameIn) -> FixOut:
    """Take a correction away."""
    return apply(request, fix, payload.version, lambda d, f: correcting.delete_key(d, f, payload.frame))


@router.post("fixes/{fix}/redo-range", response=FixOut)
def redo_range(request: HttpRequest, fix: int, payload: RangeIn) -> FixOut:
    """Measure a range again."""
    return apply(request, fix, payload.version, lambda d, f: correcting.redo(d, f, payload.first, payload.last))


@router.post("fixes/{fix}/smooth", response=FixOut)
def smooth(request: HttpRequest, fix: int, payload: SmoothIn) -> FixOut:
    """Take the jitter out of a range."""
    args = (payload.first, payload.last, payload.strength)
    return apply(request, fix, payload.version, lambda d, f: correcting.smooth(d, f, *args))


@router.post("fixes/{fix}/throw-away", response=FixOut)
def throw_away(request: HttpRequest, fix: int, payload: RangeIn) -> FixOut:
    """Forget a range's measures."""
    return apply(request, fix, payload.version, lambda d, f: correcting.throw_away(d, f, payload.first, payload.last))


@router.post("fixes/{fix}/second-pass", response=FixOut)
def second_pass(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Measure every frame once more against a cleaner template."""
    return apply(request, fix, payload.version, correcting.second_pass)


@router.post("fixes/{fix}/import-track", response=FixOut)
def import_track(
    request: HttpRequest,
    fix: int,
    version: Form[int],
    anchor: Form[int],
    file: File[UploadedFile],
    point: Form[str] = "",
) -> FixOut:
    """A point hold from a CSV track: frame, x, y (and id)."""
    try:
        text = file.read().decode()
    except UnicodeDecodeError as error:
        raise HushError(f"{file.name} is not a text file.", "bad-track") from error
    return apply(request, fix, version, lambda d, f: bringing.import_track(d, f, text, anchor, point or None))


@router.post("holds/{hold}/stop", response=HoldOut)
def stop(request: HttpRequest, hold: int) -> HoldOut:
    """Stop tracking; what is measured stays."""
    return hold_out(measuring.stop(get_object_or_404(Hold, id=hold)))


@router.post("holds/{hold}/go-on", response=HoldOut)
def go_on(request: HttpRequest, hold: int) -> HoldOut:
    """Go on tracking where it stopped."""
    return hold_out(measuring.go_on(get_object_or_404(Hold, id=hold)))


@router.get("holds/{hold}", response=HoldOut)
def get_hold(request: HttpRequest, hold: int) -> HoldOut:
    """A hold and how far it has got."""
    return hold_out(get_object_or_404(Hold.objects.select_related("fix__shot__clip"), id=hold))


@router.get("holds/{hold}/maps/{frame}", response=HoldMapOut)
def get_map(request: HttpRequest, hold: int, frame: int) -> HoldMapOut:
    """The map of one frame, for linking the pointer and drawing on the bent surface; and its cells."""
    found = get_object_or_404(Hold.objects.select_related("fix__shot__clip"), id=hold)
    near = ready.hold_near(found, frame)
    if not near.has(frame):
        raise HushError(f"The hold has not been measured on frame {frame}; track to it first.", "not-held")
    plain = {"drift": [], "cells": None} if frame == near.anchor else frame_plain(near.frames[frame])
    params = [float(value) for value in np.asarray(near.params_at(frame)).ravel()]
    return HoldMapOut(frame=frame, params=params, drift=plain["drift"], cells=plain["cells"] or [])


@router.get("holds/{hold}/maps", response=ManyMapsOut)
def get_maps(request: HttpRequest, hold: int, first: int, last: int) -> ManyMapsOut:
    """The maps of up to ``MOST_MAPS`` frames from ``first`` on."""
    found = get_object_or_404(Hold, id=hold)
    rows = found.on(list(range(first, min(last, first + MOST_MAPS - 1) + 1)))
    return ManyMapsOut(frames={row.frame: [float(v) for v in np.ravel(row.engine().params)] for row in rows})


@router.get("holds/{hold}/tracks/{form}")
def tracks(request: HttpRequest, hold: int, form: str) -> HttpResponse:
    """The hold in an open form: ``hold.json``, ``points.csv`` (corners of its ground) or ``matrices.json``."""
    found = get_object_or_404(Hold.objects.select_related("fix__shot__clip"), id=hold)
    text, kind = exports.text_of(found, form)
    name = f"{found.fix.shot.name} {found.fix.document['name']} {form}"
    head = {"Content-Disposition": content_disposition_header(True, name) or ""}
    return HttpResponse(text, content_type=kind, headers=head)
