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

from fixes import actions, evidence, exports, holding, judging, pictures, ready
from fixes.asked import (
    CircleIn,
    FrameIn,
    KeyIn,
    NameIn,
    OffIn,
    OnIn,
    OnwardIn,
    OrderIn,
    RangeIn,
    SmoothIn,
    TrackIn,
    VersionIn,
)
from fixes.models import Artwork, Fix, Hold, HoldFrame, Path, Plate, Stroke
from fixes.schemas import (
    ArtOut,
    EdgeOut,
    FixOut,
    HeldOut,
    HoldMapOut,
    HoldOut,
    IssueOut,
    KeyOut,
    LoudOut,
    ManyMapsOut,
    PlateOut,
    StrokeOut,
    WeakOut,
)
from hushcore.errors import HushError
from hushcore.hold.confidence import CELL
from hushcore.hold.record import frame_plain
from hushcore.hold.report import Note, weak_stretches
from hushcore.plates.plate import still_rect
from hushcore.recipe.models import FrontData, Node, OutlineData, StrokeData

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
    edge = document["edge"]
    outlines = [OutlineData.model_validate(actions.outline_of(outline)) for outline in edge["outlines"]]
    frames = _rows(hold) if hold else []
    protect = Path.objects.filter(id=document["protect"]).first() if document["protect"] else None
    labels = dict(fix.revisions.filter(number__in=(fix.revision, fix.revision + 1)).values_list("number", "label"))
    plates = plates_out(fix, hold) if hold else []
    loud = judging.loudest(fix)
    said = evidence.row_of(fix, hold) if hold else None
    return FixOut(
        id=fix.id, shot=fix.shot_id, order=fix.order, version=fix.version, name=document["name"], on=document["on"],
        lacks=actions.missing_part(document), hold=hold_out(hold, frames) if hold else None,
        edge=EdgeOut(
            nodes=_first_nodes(outlines), outlines=outlines, growth=edge["growth"],
            softness=edge["softness"], inside=edge["inside"],
        ),
        plate=next((plate for plate in plates if plate.id == document["plate"]), None), plates=plates,
        strokes=_strokes_out(document), source=document["source"], blend=document["blend"], stands=document["stands"],
        art=_art_out(document),
        front=FrontData(
            auto=document["front"]["auto"],
            shapes=[OutlineData.model_validate(actions.outline_of(shape)) for shape in document["front"]["shapes"]],
        ),
        protect=protect.nodes if protect else None, match=document["match"],
        settled=said.id if said else 0, loud=LoudOut(**loud) if loud else None,
        off=document.get("off", []),
        undo=labels.get(fix.revision, "") if fix.revision > 1 else "",
        redo=labels.get(fix.revision + 1, ""),
        suggested_plate=_suggested(hold, frames) if hold else None,
    )  # fmt: skip


def _first_nodes(outlines: list[OutlineData]) -> list[Node]:
    """The first outline's points, on its first key if it is keyed."""
    if not outlines:
        return []
    return outlines[0].keys[0].nodes if outlines[0].keys else outlines[0].nodes or []


def _strokes_out(document: actions.Document) -> list[StrokeOut]:
    entry = next((entry for entry in document["plates"] if entry["id"] == document["plate"]), None)
    if entry is None:
        return []
    rows = Stroke.objects.in_bulk([stroke["id"] for stroke in entry["strokes"]])
    shown = ("kind", "radius", "hardness", "opacity", "flow", "band", "scale", "donor", "amount", "moved")
    made = []
    for stroke in entry["strokes"]:
        if stroke["id"] in rows:
            data = StrokeData.model_validate(rows[stroke["id"]].data)
            facts = {name: getattr(data, name) for name in shown}
            made.append(StrokeOut(id=stroke["id"], on=stroke["on"], at=data.points[0][:2], **facts))
    return made


def _art_out(document: actions.Document) -> ArtOut | None:
    art = document["art"]
    row = Artwork.objects.filter(id=art["id"]).first() if art else None
    if row is None:
        return None
    return ArtOut(
        id=row.id, name=row.name, width=row.width, height=row.height, corners=art["corners"], mode=art["mode"],
        opacity=art["opacity"],
    )  # fmt: skip


def _suggested(hold: Hold, rows: list[HoldFrame]) -> int:
    """The frame that shows the spot most clearly, once the hold is done; before that the anchor."""
    if hold.state != Hold.State.DONE:
        return hold.anchor
    clear = [row for row in rows if not row.lost and row.worth > 0]
    return max(clear, key=lambda row: (row.worth, -row.frame)).frame if clear else hold.anchor


def plates_out(fix: Fix, hold: Hold) -> list[PlateOut]:
    """The recipe's plates, each with the stretch that it serves."""
    entries = fix.document["plates"]
    rows = Plate.objects.in_bulk([entry["id"] for entry in entries])
    engine = hold.engine(frames=False)
    every = sorted(rows[entry["id"]].frame for entry in entries)
    made = []
    for entry in entries:
        row = rows[entry["id"]]
        rect = still_rect(engine, row.frame)
        k = every.index(row.frame)
        by_light = fix.document["blend"] == "light"
        made.append(
            PlateOut(
                id=row.id, frame=row.frame, left=rect.left, top=rect.top, width=rect.width, height=rect.height,
                start=row.start, average=row.average, strokes=len(entry["strokes"]),
                issues=[
                    IssueOut(id=other.id, issue=other.issue, outside=bool(other.picture))
                    for other in fix.plates.filter(frame=row.frame).order_by("issue", "id")
                ],
                first=hold.first if k == 0 or by_light else every[k - 1] + 1,
                last=hold.last if k == len(every) - 1 or by_light else every[k + 1] - 1,
            )
        )  # fmt: skip
    return made


def found_fix(fix: int) -> Fix:
    return get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)


Do = Callable[[actions.Document, Fix], str]


def apply(request: HttpRequest, fix: int, version: int, do: Do) -> FixOut:
    """A change of a fix's document, as the request asks."""
    found = found_fix(fix)
    return fix_out(actions.change(fix, version, request.user, lambda document: do(document, found)))


@router.get("shots/{shot}/fixes", response=list[FixOut])
def list_fixes(request: HttpRequest, shot: int) -> list[FixOut]:
    """A shot's fixes, in patch order."""
    return [fix_out(fix) for fix in Fix.objects.select_related("shot__clip").filter(shot=shot)]


@router.put("shots/{shot}/order", response=list[FixOut])
def reorder(request: HttpRequest, shot: int, payload: OrderIn) -> list[FixOut]:
    """Lay a shot's fixes in another order: all their ids, the lowest first."""
    actions.reorder(get_object_or_404(Shot, id=shot), payload.fixes)
    return list_fixes(request, shot)


@router.get("fixes/{fix}", response=FixOut)
def get_fix(request: HttpRequest, fix: int) -> FixOut:
    """One fix."""
    return fix_out(found_fix(fix))


@router.post("shots/{shot}/circle", response={201: FixOut})
def circle(request: HttpRequest, shot: int, payload: CircleIn) -> Status:
    """Start a fix from a loop: it proposes everything and begins to track both ways."""
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    return Status(201, fix_out(actions.circle(found, payload.frame, payload.loop, request.user)))


@router.patch("fixes/{fix}/name", response=FixOut)
def rename(request: HttpRequest, fix: int, payload: NameIn) -> FixOut:
    """Rename."""
    return apply(request, fix, payload.version, lambda d, _: actions.set_name(d, payload.name))


@router.patch("fixes/{fix}/on", response=FixOut)
def switch(request: HttpRequest, fix: int, payload: OnIn) -> FixOut:
    """Switch on or off."""
    return apply(request, fix, payload.version, lambda d, _: actions.set_on(d, payload.on))


@router.post("fixes/{fix}/track", response=FixOut)
def track(request: HttpRequest, fix: int, payload: TrackIn) -> FixOut:
    """Measure anew from a ground."""
    args = (payload.ground, payload.method, payload.way)
    return apply(request, fix, payload.version, lambda d, f: holding.track(d, f, *args))


@router.post("fixes/{fix}/onward", response=FixOut)
def onward(request: HttpRequest, fix: int, payload: OnwardIn) -> FixOut:
    """Go on from a frame, one way."""
    args = (payload.frame, payload.way, payload.until, payload.renew)
    return apply(request, fix, payload.version, lambda d, f: holding.onward(d, f, *args))


@router.post("fixes/{fix}/keys", response=FixOut)
def set_key(request: HttpRequest, fix: int, payload: KeyIn) -> FixOut:
    """Correct the hold by hand on a frame."""
    args = (payload.frame, payload.pins, payload.whole, payload.reach)
    return apply(request, fix, payload.version, lambda d, f: holding.set_key(d, f, *args))


@router.post("fixes/{fix}/keys/delete", response=FixOut)
def delete_key(request: HttpRequest, fix: int, payload: FrameIn) -> FixOut:
    """Take a correction away."""
    return apply(request, fix, payload.version, lambda d, f: holding.delete_key(d, f, payload.frame))


@router.post("fixes/{fix}/redo-range", response=FixOut)
def redo_range(request: HttpRequest, fix: int, payload: RangeIn) -> FixOut:
    """Measure a range again."""
    return apply(request, fix, payload.version, lambda d, f: holding.redo(d, f, payload.first, payload.last))


@router.post("fixes/{fix}/smooth", response=FixOut)
def smooth(request: HttpRequest, fix: int, payload: SmoothIn) -> FixOut:
    """Take the jitter out of a range."""
    args = (payload.first, payload.last, payload.strength)
    return apply(request, fix, payload.version, lambda d, f: holding.smooth(d, f, *args))


@router.post("fixes/{fix}/throw-away", response=FixOut)
def throw_away(request: HttpRequest, fix: int, payload: RangeIn) -> FixOut:
    """Forget a range's measures."""
    return apply(request, fix, payload.version, lambda d, f: holding.throw_away(d, f, payload.first, payload.last))


@router.post("fixes/{fix}/second-pass", response=FixOut)
def second_pass(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Measure every frame once more against a cleaner template."""
    return apply(request, fix, payload.version, holding.second_pass)


@router.patch("fixes/{fix}/off", response=FixOut)
def set_off(request: HttpRequest, fix: int, payload: OffIn) -> FixOut:
    """The stretches on which the fix is off."""
    return apply(request, fix, payload.version, lambda d, f: holding.set_off(d, f, payload.off))


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
    return apply(request, fix, version, lambda d, f: holding.import_track(d, f, text, anchor, point or None))


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
