"""Fixes over HTTP. Every change names the version it was made on; see ``config.errors.Conflict``."""

from collections.abc import Callable
from dataclasses import asdict

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from jobs.api import values_out
from jobs.models import Shot
from jobs.schemas import ValuesOut
from ninja import File, Form, Router, Status, UploadedFile

from fixes import actions, exports, holding, pictures, ready
from fixes.models import Fix, Hold, HoldFrame, Path, Plate, Stroke
from fixes.schemas import (
    CircleIn,
    EdgeIn,
    EdgeOut,
    FixOut,
    FrameIn,
    HeldOut,
    HoldMapOut,
    HoldOut,
    KeyIn,
    KeyOut,
    ManyMapsOut,
    MatchIn,
    NameIn,
    OffIn,
    OnIn,
    OnwardIn,
    PlateIn,
    PlateOut,
    RangeIn,
    SmoothIn,
    StrokeIn,
    StrokeOut,
    StrokesIn,
    TrackIn,
    VersionIn,
    WeakOut,
)  # fmt: skip
from hushcore.errors import HushError
from hushcore.hold.confidence import CELL
from hushcore.hold.record import frame_plain
from hushcore.hold.report import Note, weak_stretches
from hushcore.plates.plate import still_rect

router = Router(tags=["fixes"])


@router.get("shots/{shot}/patched/values", response=ValuesOut)
def patched_values(request: HttpRequest, shot: int, frame: int, x: int, y: int) -> ValuesOut:
    """The patched pixel under the pointer: in code, in scene-linear light, as the display shows it."""
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    return values_out(found, pictures.patched_codes(found, frame), x, y)


def _rows(hold: Hold) -> list[HoldFrame]:
    """The frames that a hold knows, without their maps."""
    return [row for row in hold.known.defer("data") if not row.gone]


def hold_out(hold: Hold, rows: list[HoldFrame] | None = None) -> HoldOut:
    """A hold as the screens see it. ``rows``: its frames, when they are at hand."""
    engine = hold.engine(frames=False)
    rect = ready.view_rect(hold, engine)
    rows = _rows(hold) if rows is None else rows
    notes = {
        row.frame: Note(
            row.drift_rms, row.lost, row.trouble, row.hidden, row.off, tuple(row.place) if row.place else None
        )
        for row in rows
    }
    return HoldOut(
        id=hold.id, kind=hold.kind, method=hold.method, anchor=hold.anchor, first=hold.first, last=hold.last,
        state=hold.state, work=hold.work, done=hold.passed + sum(row.hold_id == hold.id for row in rows), wanted=hold.wanted,
        problem=hold.problem, ground=hold.ground, grid=hold.grid, still_left=rect.left, still_top=rect.top,
        still_width=rect.width, still_height=rect.height, cells_left=engine.corner[0], cells_top=engine.corner[1],
        cell=CELL,
        frames=[
            HeldOut(
                frame=row.frame, drift=round(row.drift_rms, 2), seen=row.seen, lost=row.lost, trouble=row.trouble,
                hidden=row.hidden, off=row.off, by=row.hold_id,
            )
            for row in rows
        ],
        keys=[KeyOut(frame=int(frame), pins=key["pins"]) for frame, key in sorted(hold.keys.items(), key=lambda k: int(k[0]))],
        weak=[WeakOut(**asdict(weak)) for weak in weak_stretches(notes, hold.anchor)],
    )  # fmt: skip


def fix_out(fix: Fix) -> FixOut:
    """A fix as the screens see it."""
    document = fix.document
    hold = Hold.objects.filter(id=document["hold"]).first() if document["hold"] else None
    plate = Plate.objects.filter(id=document["plate"]).first() if document["plate"] else None
    edge = document["edge"]
    path = Path.objects.filter(id=edge["path"]).first() if edge["path"] else None
    frames = _rows(hold) if hold else []
    rows = Stroke.objects.in_bulk([entry["id"] for entry in document["strokes"]])
    labels = dict(fix.revisions.filter(number__in=(fix.revision, fix.revision + 1)).values_list("number", "label"))
    return FixOut(
        id=fix.id, shot=fix.shot_id, order=fix.order, version=fix.version, name=document["name"], on=document["on"],
        lacks=actions.missing_part(document), hold=hold_out(hold, frames) if hold else None,
        edge=EdgeOut(nodes=path.nodes if path else [], growth=edge["growth"], softness=edge["softness"]),
        plate=_plate_out(plate, hold) if plate and hold else None,
        strokes=[
            StrokeOut(
                id=entry["id"], on=entry["on"], kind=rows[entry["id"]].data["kind"],
                radius=rows[entry["id"]].data["radius"], opacity=rows[entry["id"]].data["opacity"],
            )
            for entry in document["strokes"] if entry["id"] in rows
        ],
        match=document["match"], off=document.get("off", []),
        undo=labels.get(fix.revision, "") if fix.revision > 1 else "",
        redo=labels.get(fix.revision + 1, ""),
        suggested_plate=_suggested(hold, frames) if hold else None,
    )  # fmt: skip


def _suggested(hold: Hold, rows: list[HoldFrame]) -> int:
    """The frame that shows the spot most clearly, once the hold is done; before that the anchor."""
    if hold.state != Hold.State.DONE:
        return hold.anchor
    clear = [row for row in rows if not row.lost and row.worth > 0]
    return max(clear, key=lambda row: (row.worth, -row.frame)).frame if clear else hold.anchor


def _plate_out(plate: Plate, hold: Hold) -> PlateOut:
    rect = still_rect(hold.engine(frames=False), plate.frame)
    return PlateOut(id=plate.id, frame=plate.frame, left=rect.left, top=rect.top, width=rect.width, height=rect.height)


def _fix(fix: int) -> Fix:
    return get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)


Do = Callable[[actions.Document, Fix], str]


def _change(request: HttpRequest, fix: int, version: int, do: Do) -> FixOut:
    found = _fix(fix)
    return fix_out(actions.change(fix, version, request.user, lambda document: do(document, found)))


@router.get("shots/{shot}/fixes", response=list[FixOut])
def list_fixes(request: HttpRequest, shot: int) -> list[FixOut]:
    """A shot's fixes, in patch order."""
    return [fix_out(fix) for fix in Fix.objects.select_related("shot__clip").filter(shot=shot)]


@router.get("fixes/{fix}", response=FixOut)
def get_fix(request: HttpRequest, fix: int) -> FixOut:
    """One fix."""
    return fix_out(_fix(fix))


@router.post("shots/{shot}/circle", response={201: FixOut})
def circle(request: HttpRequest, shot: int, payload: CircleIn) -> Status:
    """Start a fix from a loop: it proposes everything and begins to track both ways."""
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    return Status(201, fix_out(actions.circle(found, payload.frame, payload.loop, request.user)))


@router.patch("fixes/{fix}/name", response=FixOut)
def rename(request: HttpRequest, fix: int, payload: NameIn) -> FixOut:
    """Rename."""
    return _change(request, fix, payload.version, lambda d, _: actions.set_name(d, payload.name))


@router.patch("fixes/{fix}/on", response=FixOut)
def switch(request: HttpRequest, fix: int, payload: OnIn) -> FixOut:
    """Switch on or off."""
    return _change(request, fix, payload.version, lambda d, _: actions.set_on(d, payload.on))


@router.patch("fixes/{fix}/edge", response=FixOut)
def edge(request: HttpRequest, fix: int, payload: EdgeIn) -> FixOut:
    """Another outline, growth or softness."""
    nodes = None if payload.nodes is None else [node.model_dump(mode="json") for node in payload.nodes]
    args = (nodes, payload.growth, payload.softness)
    return _change(request, fix, payload.version, lambda d, f: actions.set_edge(d, f, *args))


@router.post("fixes/{fix}/track", response=FixOut)
def track(request: HttpRequest, fix: int, payload: TrackIn) -> FixOut:
    """Measure anew from a ground."""
    args = (payload.ground, payload.method, payload.way)
    return _change(request, fix, payload.version, lambda d, f: holding.track(d, f, *args))


@router.post("fixes/{fix}/onward", response=FixOut)
def onward(request: HttpRequest, fix: int, payload: OnwardIn) -> FixOut:
    """Go on from a frame, one way."""
    args = (payload.frame, payload.way, payload.until, payload.renew)
    return _change(request, fix, payload.version, lambda d, f: holding.onward(d, f, *args))


@router.post("fixes/{fix}/keys", response=FixOut)
def set_key(request: HttpRequest, fix: int, payload: KeyIn) -> FixOut:
    """Correct the hold by hand on a frame."""
    args = (payload.frame, payload.pins, payload.whole, payload.reach)
    return _change(request, fix, payload.version, lambda d, f: holding.set_key(d, f, *args))


@router.post("fixes/{fix}/keys/delete", response=FixOut)
def delete_key(request: HttpRequest, fix: int, payload: FrameIn) -> FixOut:
    """Take a correction away."""
    return _change(request, fix, payload.version, lambda d, f: holding.delete_key(d, f, payload.frame))


@router.post("fixes/{fix}/redo-range", response=FixOut)
def redo_range(request: HttpRequest, fix: int, payload: RangeIn) -> FixOut:
    """Measure a range again."""
    return _change(request, fix, payload.version, lambda d, f: holding.redo(d, f, payload.first, payload.last))


@router.post("fixes/{fix}/smooth", response=FixOut)
def smooth(request: HttpRequest, fix: int, payload: SmoothIn) -> FixOut:
    """Take the jitter out of a range."""
    args = (payload.first, payload.last, payload.strength)
    return _change(request, fix, payload.version, lambda d, f: holding.smooth(d, f, *args))


@router.post("fixes/{fix}/throw-away", response=FixOut)
def throw_away(request: HttpRequest, fix: int, payload: RangeIn) -> FixOut:
    """Forget a range's measures."""
    return _change(request, fix, payload.version, lambda d, f: holding.throw_away(d, f, payload.first, payload.last))


@router.post("fixes/{fix}/second-pass", response=FixOut)
def second_pass(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Measure every frame once more against a cleaner template."""
    return _change(request, fix, payload.version, holding.second_pass)


@router.patch("fixes/{fix}/off", response=FixOut)
def set_off(request: HttpRequest, fix: int, payload: OffIn) -> FixOut:
    """The stretches on which the fix is off."""
    return _change(request, fix, payload.version, lambda d, f: holding.set_off(d, f, payload.off))


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
    return _change(request, fix, version, lambda d, f: holding.import_track(d, f, text, anchor, point or None))


@router.patch("fixes/{fix}/plate", response=FixOut)
def plate(request: HttpRequest, fix: int, payload: PlateIn) -> FixOut:
    """Take a frame as the plate."""
    return _change(request, fix, payload.version, lambda d, f: actions.set_plate(d, f, payload.frame))


@router.post("fixes/{fix}/strokes", response=FixOut)
def stroke(request: HttpRequest, fix: int, payload: StrokeIn) -> FixOut:
    """Lay a stroke on the plate."""
    return _change(request, fix, payload.version, lambda d, f: actions.add_stroke(d, f, payload.stroke))


@router.patch("fixes/{fix}/strokes", response=FixOut)
def strokes(request: HttpRequest, fix: int, payload: StrokesIn) -> FixOut:
    """Switch, reorder or take away strokes."""
    entries = [entry.dict() for entry in payload.strokes]
    return _change(request, fix, payload.version, lambda d, f: actions.set_strokes(d, f, entries))


@router.patch("fixes/{fix}/match", response=FixOut)
def match(request: HttpRequest, fix: int, payload: MatchIn) -> FixOut:
    """Another light mode, or blur on or off."""
    return _change(request, fix, payload.version, lambda d, _: actions.set_match(d, payload.match))


@router.post("fixes/{fix}/undo", response=FixOut)
def undo(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Back one change."""
    return fix_out(actions.step(fix, payload.version, -1))


@router.post("fixes/{fix}/redo", response=FixOut)
def redo(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Forward one change."""
    return fix_out(actions.step(fix, payload.version, 1))


@router.delete("fixes/{fix}", response={204: None})
def take_away(request: HttpRequest, fix: int, version: int) -> Status:
    """Delete a fix for good."""
    actions.take_away(fix, version)
    return Status(204, None)


@router.post("holds/{hold}/stop", response=HoldOut)
def stop(request: HttpRequest, hold: int) -> HoldOut:
    """Stop tracking; what is measured stays."""
    return hold_out(holding.stop(get_object_or_404(Hold, id=hold)))


@router.post("holds/{hold}/go-on", response=HoldOut)
def go_on(request: HttpRequest, hold: int) -> HoldOut:
    """Go on tracking where it stopped."""
    return hold_out(holding.go_on(get_object_or_404(Hold, id=hold)))


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


MOST_MAPS = 64


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
