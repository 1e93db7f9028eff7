"""The tells of each fix, measured by workers; only what has changed is measured anew."""

import logging
from dataclasses import replace
from typing import Any

from django.db import transaction
from django.dispatch import receiver
from events.tell import tell
from fixes.document import missing_part
from fixes.models import Fix
from fixes.signals import fix_changed, order_changed
from holds.current import current_hold
from holds.models import Hold
from holds.signals import hold_settled
from jobs.pictures import as_bytes, keep, proxy_path
from jobs.viewing import VIEW_WIDTH, View, seen
from laying import gathering, ready
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.patch.lay import lay
from hushcore.tells.measure import Remembered, judge
from tells.models import Tell
from tells.states import states

log = logging.getLogger("hush")
CHUNK = 16  # frames a job
AFTER = 4  # seconds of rest after a change
PRIORITY = -10  # behind tracking and delivering


@receiver(fix_changed)
def changed(fix: Fix, **_: object) -> None:
    """A fix does something else: its tells, and those of the fixes that lie on it, are old."""
    ask(fix.shot_id, fix.order)


@receiver(order_changed)
def reordered(shot: int, order: int, **_: object) -> None:
    """The fixes from an order on lie on something else."""
    ask(shot, order)


@receiver(hold_settled)
def settled(hold: Hold, **_: object) -> None:
    """A hold is done: there is something to judge."""
    ask(hold.fix.shot_id)


def ask(shot: int, order: int = 0) -> None:
    """Have the tells of a shot's fixes from ``order`` on measured, once things have come to rest."""
    for fix in Fix.objects.filter(shot=shot, order__gte=order).values_list("id", flat=True):
        _queue(fix, schedule_in={"seconds": AFTER})


def _queue(fix: int, **when: Any) -> None:
    try:
        with transaction.atomic():
            measure.configure(queueing_lock=f"tells-{fix}", priority=PRIORITY, **when).defer(fix=fix)
    except AlreadyEnqueued:
        pass  # what is waiting will read the newest state


@app.task(queue="default", name="tells")
def measure(fix: int) -> None:
    """Measure the tells of up to ``CHUNK`` frames whose state has changed, then queue the rest."""
    found = Fix.objects.select_related("shot__clip").filter(id=fix).first()
    if found is None or not found.document["on"] or missing_part(found.document):
        return
    hold = current_hold(found)
    if hold.running:
        return  # it asks again when it is done
    try:
        more = _chunk(found, hold)
    except HushError as error:
        log.info("tells of fix %s: %s", fix, error.message)
        _said(found, error.message)
        return
    if more:
        _queue(fix)
    else:
        _said(found, "")


@transaction.atomic
def _said(fix: Fix, problem: str) -> None:
    """All is measured, or why it is not."""
    Fix.objects.filter(id=fix.id).update(unmeasured=problem[:300])
    tell("told", fix=fix.id, shot=fix.shot_id)


def _chunk(fix: Fix, hold: Hold) -> bool:
    """Returns whether there is more to do."""
    wanted = states(fix, hold)
    known = dict(fix.tells.values_list("frame", "state"))
    todo = [frame for frame, state in wanted.items() if known.get(frame) != state]
    fix.tells.exclude(frame__in=wanted).delete()
    gathering.ensure(fix, hold)
    prepared, _ = ready.ready(fix)
    before: tuple[int, Remembered | None] = (0, None)
    for frame in todo[:CHUNK]:
        if Fix.objects.filter(id=fix.id).values_list("version", flat=True).first() != fix.version:
            return True  # it has changed meanwhile: what is queued next reads it anew
        if before[0] != frame - 1 and frame - 1 in wanted:
            before = (frame - 1, _one(fix, hold, prepared, frame - 1, None)[1])
        values, remembered = _one(fix, hold, prepared, frame, before[1] if before[0] == frame - 1 else None)
        before = (frame, remembered)
        with transaction.atomic():
            Tell.objects.update_or_create(fix=fix, frame=frame, defaults={"state": wanted[frame], "values": values})
            tell("judged", fix=fix.id, shot=fix.shot_id, frame=frame, values=values)
    return len(todo) > CHUNK


def _one(fix: Fix, hold: Hold, prepared: Any, frame: int, before: Remembered | None) -> tuple[Any, Remembered | None]:
    near = replace(prepared, hold=ready.hold_near(hold, frame, prepared.reach))
    stack = ready.stack(fix.shot, frame)
    laid = lay(ready.codes_below(fix, frame), frame, near)
    # the topmost fix, exactly as it stands now, on what lay below it all the while
    if stack[0] and _same(stack[0][-1], prepared) and ready.stack(fix.shot, frame)[1] == stack[1]:
        _keep_shown(fix, frame, stack[1], laid.codes)
    tells, remembered = judge(laid, frame, near, before)
    return tells.plain(), remembered


def _same(one: Any, other: Any) -> bool:
    """Whether two fixes are the same one, made ready once; one without a plate has no sheets of its own."""
    return one.sheets is other.sheets and one.evidence is other.evidence


def _keep_shown(fix: Fix, frame: int, state: str, codes: Codes) -> None:
    """The topmost fix was laid: that is the whole patched frame, as playing will ask for it."""
    view = View(width=VIEW_WIDTH)
    path = proxy_path(fix.shot_id, ready.patched_key(fix.shot, frame, state, view, "jpg"), "jpg")
    if not path.exists():
        keep(path, as_bytes(seen(codes, fix.shot, view), "jpg"))
