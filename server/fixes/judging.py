"""The tells of each fix, measured by workers; only what has changed is measured anew."""

import logging
from dataclasses import replace
from typing import Any

from config.events import tell
from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from fixes import actions, evidence, ready
from fixes.models import Fix, Hold, Tell
from hushcore.errors import HushError
from hushcore.patch.lay import lay
from hushcore.tells.measure import NAMES, Remembered, judge

log = logging.getLogger("hush")
CHUNK = 16  # frames a job
AFTER = 4  # seconds of rest after a change
PRIORITY = -10  # behind tracking and delivering


def ask(shot: int, order: int = 0) -> None:
    """Have the tells of a shot's fixes from ``order`` on measured, once things have come to rest."""
    for fix in Fix.objects.filter(shot=shot, order__gte=order).values_list("id", flat=True):
        later = measure.configure(schedule_in={"seconds": AFTER}, queueing_lock=f"tells-{fix}", priority=PRIORITY)
        try:
            with transaction.atomic():
                later.defer(fix=fix)
        except AlreadyEnqueued:
            continue  # what is waiting will read the newest state


def states(fix: Fix, hold: Hold) -> dict[int, str]:
    """What the tells of each held frame depend on, by name. Frames on which the fix is off are left out."""
    rows = {frame: by for frame, by, gone in hold.known.values_list("frame", "hold_id", "gone") if not gone}
    rows[hold.anchor] = 0
    same = {name: value for name, value in ready.recipe_of(fix.document).items() if name not in ("hold", "off")}
    whole = ready.digest([same, ready.below_state(fix), evidence.root_of(hold), str(fix.shot.clip.encoding)])
    return {
        frame: ready.digest([whole, [rows.get(frame + k) for k in (-1, 0, 1)]])
        for frame in sorted(rows)
        if not actions.is_off(fix.document, frame)
    }


@app.task(queue="default", name="tells")
def measure(fix: int) -> None:
    """Measure the tells of up to ``CHUNK`` frames whose state has changed, then queue the rest."""
    found = Fix.objects.select_related("shot__clip").filter(id=fix).first()
    if found is None or not found.document["on"] or actions.missing_part(found.document):
        return
    hold = actions.current_hold(found)
    if hold.running:
        return  # it asks again when it is done
    try:
        more = _chunk(found, hold)
    except HushError as error:
        log.info("tells of fix %s: %s", fix, error.message)
        return
    if more:
        ask(found.shot_id, found.order)
    else:
        with transaction.atomic():
            tell("told", fix=fix, shot=found.shot_id)


def _chunk(fix: Fix, hold: Hold) -> bool:
    """Returns whether there is more to do."""
    wanted = states(fix, hold)
    known = dict(fix.tells.values_list("frame", "state"))
    todo = [frame for frame, state in wanted.items() if known.get(frame) != state]
    fix.tells.exclude(frame__in=wanted).delete()
    evidence.ensure(fix, hold)
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
    source = ready.codes_below(fix, frame)
    tells, remembered = judge(lay(source, frame, near), frame, near, before)
    return tells.plain(), remembered


def loudest(fix: Fix) -> dict[str, Any] | None:
    """The greatest tell of a fix: its name, value and frame; None when nothing is measured."""
    best: dict[str, Any] | None = None
    for row in fix.tells.all():
        name = max(NAMES, key=lambda name: row.values[name])
        if best is None or row.values[name] > best["value"]:
            best = {"tell": name, "value": row.values[name], "frame": row.frame}
    return best
