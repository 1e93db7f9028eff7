"""Measuring a hold: begin, track anew, stop, go on. Every change makes a new hold."""

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from django.db import transaction
from events.tell import tell
from fixes.document import Document
from fixes.models import Fix
from procrastinate.contrib.django import app

from holds.models import Hold, HoldFrame, Run
from hushcore.errors import HushError
from hushcore.geometry.spline import Grid
from hushcore.hold.search import check as check_windows
from hushcore.recipe.models import GroundData, MethodData

WAYS = {"both": (1, -1), "ahead": (1,), "back": (-1,)}


def begin(fix: Fix, ground: GroundData, method: MethodData, way: str = "both") -> Hold:
    """Measure from the anchor; the directions are queued in the same transaction.

    Raises HushError for a ground that cannot be read or an anchor outside the shot.
    """
    clip, shot = fix.shot.clip, fix.shot
    shapes = ground.ground()
    region = shapes.rect(clip.width, clip.height)
    check_windows(method.kind, shapes)
    if not shot.first <= ground.anchor <= shot.last:
        raise HushError(f"The anchor frame {ground.anchor} is outside the shot.", "bad-range")
    first, last = _unbroken(shot.first, shot.last, ground.anchor, set(clip.missing))
    engine = method.method()
    hold = Hold.objects.create(
        fix=fix, kind=method.kind, method=method.model_dump(mode="json"), anchor=ground.anchor, first=first, last=last,
        ground=ground.model_dump(mode="json"),
        grid=asdict(Grid.over(region, engine.stiffness.spacing)) if engine.bends else None,
        wanted=sum(last - ground.anchor if one > 0 else ground.anchor - first for one in WAYS[way]),
    )  # fmt: skip
    for direction in WAYS[way]:
        add_run(hold, direction, ground.anchor + direction)
    return hold


def add_run(hold: Hold, direction: int, next_frame: int, **more: Any) -> Run:

    run = Run.objects.create(hold=hold, direction=direction, next_frame=next_frame, **more)
    app.configure_task("track").defer(hold=hold.id, direction=direction)
    return run


def _unbroken(first: int, last: int, anchor: int, missing: set[int]) -> tuple[int, int]:
    """The stretch round the anchor without a missing frame."""
    low = max((n + 1 for n in missing if n < anchor), default=first)
    high = min((n - 1 for n in missing if n > anchor), default=last)
    return max(first, low), min(last, high)


def track(document: Document, fix: Fix, ground: GroundData, method: MethodData, way: str) -> str:
    """Measure anew on another ground, anchor or method; edge, plates and strokes stay as they are.

    One way only, with ground and method as they were, keeps what is measured on the other side.
    """
    before = Hold.objects.filter(id=document["hold"]).first() if document["hold"] else None
    if before is not None:
        stop(before)
    hold = begin(fix, ground, method, way)
    if before is not None and way != "both" and _alike(before, hold):
        hold.line, hold.corner = [*before.line, before.id], before.corner
        hold.save(update_fields=["line", "corner"])
        side = range(hold.anchor + 1, hold.last + 1) if way == "ahead" else range(hold.first, hold.anchor)
        mask(hold, side)
        hold.keys = {frame: key for frame, key in before.keys.items() if int(frame) not in side}
        hold.save(update_fields=["keys"])
    document["hold"] = hold.id
    return {"both": "Track both ways", "ahead": "Track ahead", "back": "Track back"}[way]


def _alike(one: Hold, other: Hold) -> bool:
    methods = [MethodData.model_validate(hold.method) for hold in (one, other)]  # older rows lack what is newer
    return methods[0] == methods[1] and (one.ground, one.anchor) == (other.ground, other.anchor)


def mask(hold: Hold, frames: Iterable[int]) -> None:
    """Frames whose older measures do not count any more."""
    known = set(HoldFrame.objects.filter(hold__in=hold.line, frame__in=list(frames)).values_list("frame", flat=True))
    HoldFrame.objects.bulk_create([HoldFrame(hold=hold, frame=frame, gone=True) for frame in sorted(known)])


@transaction.atomic
def stop(hold: Hold) -> Hold:
    """Ask the workers to stop; what is measured stays."""
    held = Hold.objects.select_for_update().get(id=hold.id)
    if held.running:
        held.stop_asked = True
        held.state = Hold.State.STOPPED
        held.save(update_fields=["stop_asked", "state"])
        tell("hold", hold=held.id, fix=held.fix_id, shot=held.fix.shot_id, state=held.state)
    return held


@transaction.atomic
def go_on(hold: Hold) -> Hold:
    """Take a stopped or failed measurement up where it stands."""

    held = Hold.objects.select_for_update().get(id=hold.id)
    if held.running or held.state == Hold.State.DONE:
        return held
    held.stop_asked, held.problem, held.state = False, "", Hold.State.WAITING
    held.save()
    for run in held.runs.filter(done=False):
        app.configure_task("track").defer(hold=held.id, direction=run.direction)
    if held.todo or held.work == Hold.Work.SECOND:
        app.configure_task("rework").defer(hold=held.id)
    tell("hold", hold=held.id, fix=held.fix_id, shot=held.fix.shot_id, state=held.state)
    return held
