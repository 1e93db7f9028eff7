"""Fixes over HTTP. Every change names the version it was made on; see ``fixes.change.Conflict``."""

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from fixes import change as changes
from fixes import stack
from fixes.models import Fix
from holds import circle as circling
from jobs.models import Shot
from laying import still
from ninja import Router, Status

from api.fix_asked import (
    CircleIn,
    NameIn,
    OffIn,
    OnIn,
    OrderIn,
    VersionIn,
)
from api.fix_out import apply, fix_out, found_fix
from api.fix_schemas import (
    FixOut,
)
from api.job_schemas import ValuesOut
from api.jobs import values_out

router = Router(tags=["fixes"])


@router.get("shots/{shot}/patched/values", response=ValuesOut)
def patched_values(request: HttpRequest, shot: int, frame: int, x: int, y: int) -> ValuesOut:
    """The patched pixel under the pointer: in code, in scene-linear light, as the display shows it."""
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    return values_out(found, still.patched_codes(found, frame), x, y)


@router.get("shots/{shot}/fixes", response=list[FixOut])
def list_fixes(request: HttpRequest, shot: int) -> list[FixOut]:
    """A shot's fixes, in patch order."""
    return [fix_out(fix) for fix in Fix.objects.select_related("shot__clip").filter(shot=shot)]


@router.put("shots/{shot}/order", response=list[FixOut])
def reorder(request: HttpRequest, shot: int, payload: OrderIn) -> list[FixOut]:
    """Lay a shot's fixes in another order: all their ids, the lowest first."""
    stack.reorder(get_object_or_404(Shot, id=shot), payload.fixes, request.user)
    return list_fixes(request, shot)


@router.get("fixes/{fix}", response=FixOut)
def get_fix(request: HttpRequest, fix: int) -> FixOut:
    """One fix."""
    return fix_out(found_fix(fix))


@router.post("shots/{shot}/circle", response={201: FixOut})
def circle(request: HttpRequest, shot: int, payload: CircleIn) -> Status:
    """Start a fix from a loop: it proposes everything and begins to track both ways."""
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    return Status(201, fix_out(circling.circle(found, payload.frame, payload.loop, request.user, payload.anew)))


@router.patch("fixes/{fix}/name", response=FixOut)
def rename(request: HttpRequest, fix: int, payload: NameIn) -> FixOut:
    """Rename."""
    return apply(request, fix, payload.version, lambda d, _: changes.set_name(d, payload.name))


@router.patch("fixes/{fix}/on", response=FixOut)
def switch(request: HttpRequest, fix: int, payload: OnIn) -> FixOut:
    """Switch on or off."""
    return apply(request, fix, payload.version, lambda d, _: changes.set_on(d, payload.on))


@router.patch("fixes/{fix}/off", response=FixOut)
def set_off(request: HttpRequest, fix: int, payload: OffIn) -> FixOut:
    """The stretches on which the fix is off."""
    return apply(request, fix, payload.version, lambda d, f: changes.set_off(d, f, payload.off))


@router.post("fixes/{fix}/undo", response=FixOut)
def undo(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Back one change."""
    return fix_out(changes.step(fix, payload.version, -1))


@router.post("fixes/{fix}/redo", response=FixOut)
def redo(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Forward one change."""
    return fix_out(changes.step(fix, payload.version, 1))


@router.delete("fixes/{fix}", response={204: None})
def take_away(request: HttpRequest, fix: int, version: int) -> Status:
    """Take a fix away; the shot's undo brings it back."""
    stack.take_away(fix, version, request.user)
    return Status(204, None)
