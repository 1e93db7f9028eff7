"""Fixes over HTTP. Every change names the version it was made on; see ``config.errors.Conflict``."""

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from jobs.api import values_out
from jobs.models import Shot
from jobs.schemas import ValuesOut
from ninja import Router, Status

from fixes import actions, pictures, ready
from fixes.models import Fix, Hold, Path, Plate, Stroke
from fixes.schemas import (
    CircleIn,
    EdgeIn,
    EdgeOut,
    FixOut,
    HeldOut,
    HoldMapOut,
    HoldOut,
    MatchIn,
    NameIn,
    OnIn,
    PlateIn,
    PlateOut,
    StrokeIn,
    StrokeOut,
    StrokesIn,
    TrackIn,
    VersionIn,
)  # fmt: skip
from hushcore.hold.maps import MeshMap, PlanarMap
from hushcore.plates.plate import still_rect

router = Router(tags=["fixes"])


@router.get("shots/{shot}/patched/values", response=ValuesOut)
def patched_values(request: HttpRequest, shot: int, frame: int, x: int, y: int) -> ValuesOut:
    """The patched pixel under the pointer: in code, in scene-linear light, as the display shows it."""
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    return values_out(found, pictures.patched_codes(found, frame), x, y)


def hold_out(hold: Hold) -> HoldOut:
    """A hold as the screens see it."""
    engine = hold.engine(frames=False)
    rect = ready.view_rect(engine)
    rows = hold.frames.values_list("frame", "drift_rms", "seen", "lost")
    return HoldOut(
        id=hold.id, kind=hold.kind, anchor=hold.anchor, first=hold.first, last=hold.last, state=hold.state,
        problem=hold.problem, ground=hold.ground, grid=hold.grid, still_left=rect.left, still_top=rect.top,
        still_width=rect.width, still_height=rect.height,
        frames=[HeldOut(frame=f, drift=round(d, 2), seen=s, lost=lost) for f, d, s, lost in rows],
    )  # fmt: skip


def fix_out(fix: Fix) -> FixOut:
    """A fix as the screens see it."""
    document = fix.document
    hold = Hold.objects.filter(id=document["hold"]).first() if document["hold"] else None
    plate = Plate.objects.filter(id=document["plate"]).first() if document["plate"] else None
    edge = document["edge"]
    path = Path.objects.filter(id=edge["path"]).first() if edge["path"] else None
    rows = Stroke.objects.in_bulk([entry["id"] for entry in document["strokes"]])
    labels = dict(fix.revisions.filter(number__in=(fix.revision, fix.revision + 1)).values_list("number", "label"))
    return FixOut(
        id=fix.id, shot=fix.shot_id, order=fix.order, version=fix.version, name=document["name"], on=document["on"],
        lacks=actions.missing_part(document), hold=hold_out(hold) if hold else None,
        edge=EdgeOut(nodes=path.nodes if path else [], growth=edge["growth"], softness=edge["softness"]),
        plate=_plate_out(plate, hold) if plate and hold else None,
        strokes=[
            StrokeOut(
                id=entry["id"], on=entry["on"], kind=rows[entry["id"]].data["kind"],
                radius=rows[entry["id"]].data["radius"], opacity=rows[entry["id"]].data["opacity"],
            )
            for entry in document["strokes"] if entry["id"] in rows
        ],
        match=document["match"],
        undo=labels.get(fix.revision, "") if fix.revision > 1 else "",
        redo=labels.get(fix.revision + 1, ""),
        suggested_plate=_suggested(hold) if hold else None,
    )  # fmt: skip


def _suggested(hold: Hold) -> int:
    """The frame that shows the spot most clearly, once the hold is done; before that the anchor."""
    best = hold.frames.filter(lost=False, worth__gt=0).order_by("-worth", "frame").first()
    return best.frame if best and hold.state == Hold.State.DONE else hold.anchor


def _plate_out(plate: Plate, hold: Hold) -> PlateOut:
    rect = still_rect(hold.engine(frames=False), plate.frame)
    return PlateOut(id=plate.id, frame=plate.frame, left=rect.left, top=rect.top, width=rect.width, height=rect.height)


def _fix(fix: int) -> Fix:
    return get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)


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
    do = lambda document: actions.set_name(document, payload.name)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


@router.patch("fixes/{fix}/on", response=FixOut)
def switch(request: HttpRequest, fix: int, payload: OnIn) -> FixOut:
    """Switch on or off."""
    do = lambda document: actions.set_on(document, payload.on)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


@router.patch("fixes/{fix}/edge", response=FixOut)
def edge(request: HttpRequest, fix: int, payload: EdgeIn) -> FixOut:
    """Another outline, growth or softness."""
    found = _fix(fix)
    nodes = None if payload.nodes is None else [node.model_dump(mode="json") for node in payload.nodes]
    do = lambda document: actions.set_edge(document, found, nodes, payload.growth, payload.softness)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


@router.post("fixes/{fix}/track", response=FixOut)
def track(request: HttpRequest, fix: int, payload: TrackIn) -> FixOut:
    """Measure anew from a ground, both ways."""
    found = _fix(fix)
    do = lambda document: actions.set_ground(document, found, payload.ground, payload.kind)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


@router.patch("fixes/{fix}/plate", response=FixOut)
def plate(request: HttpRequest, fix: int, payload: PlateIn) -> FixOut:
    """Take a frame as the plate."""
    found = _fix(fix)
    do = lambda document: actions.set_plate(document, found, payload.frame)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


@router.post("fixes/{fix}/strokes", response=FixOut)
def stroke(request: HttpRequest, fix: int, payload: StrokeIn) -> FixOut:
    """Lay a stroke on the plate."""
    found = _fix(fix)
    do = lambda document: actions.add_stroke(document, found, payload.stroke)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


@router.patch("fixes/{fix}/strokes", response=FixOut)
def strokes(request: HttpRequest, fix: int, payload: StrokesIn) -> FixOut:
    """Switch, reorder or take away strokes."""
    found = _fix(fix)
    entries = [entry.dict() for entry in payload.strokes]
    do = lambda document: actions.set_strokes(document, found, entries)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


@router.patch("fixes/{fix}/match", response=FixOut)
def match(request: HttpRequest, fix: int, payload: MatchIn) -> FixOut:
    """Another light mode, or blur on or off."""
    do = lambda document: actions.set_match(document, payload.match)  # noqa: E731
    return fix_out(actions.change(fix, payload.version, request.user, do))


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
    return hold_out(actions.stop(get_object_or_404(Hold, id=hold)))


@router.post("holds/{hold}/go-on", response=HoldOut)
def go_on(request: HttpRequest, hold: int) -> HoldOut:
    """Go on tracking where it stopped."""
    return hold_out(actions.go_on(get_object_or_404(Hold, id=hold)))


@router.get("holds/{hold}", response=HoldOut)
def get_hold(request: HttpRequest, hold: int) -> HoldOut:
    """A hold and how far it has got."""
    return hold_out(get_object_or_404(Hold.objects.select_related("fix__shot__clip"), id=hold))


@router.get("holds/{hold}/maps/{frame}", response=HoldMapOut)
def get_map(request: HttpRequest, hold: int, frame: int) -> HoldMapOut:
    """The map of one frame, for linking the pointer and drawing on the bent surface."""
    found = get_object_or_404(Hold.objects.select_related("fix__shot__clip"), id=hold)
    held = ready.hold_near(found, frame).at(frame)
    assert isinstance(held, PlanarMap | MeshMap)
    params = held.matrix if isinstance(held, PlanarMap) else held.coefficients
    return HoldMapOut(frame=frame, params=[float(value) for value in np.asarray(params).ravel()])
