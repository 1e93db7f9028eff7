"""Tracking in worker processes: chunks of frames, each frame kept as soon as it is measured."""

import logging
from dataclasses import asdict
from functools import lru_cache

import numpy as np
from django.db import transaction
from django.dispatch import receiver
from events.tell import tell
from fixes.document import mark_of
from fixes.models import Fix
from fixes.signals import fix_leaves
from procrastinate.contrib.django import app

from holds.measuring import stop
from holds.models import Hold, Run
from holds.reading import parts_of, reader_of, try_surfaces
from holds.reworking import made_anew
from holds.rows import keep, pack_state, unpack_state
from holds.sharing import holds_of
from holds.signals import hold_settled
from holds.widening import widened
from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.hold.record import Hold as EngineHold
from hushcore.hold.record import HoldFrame as Measured
from hushcore.hold.record import of_measured
from hushcore.hold.solid import DOUBT
from hushcore.hold.state import State
from hushcore.hold.through import mended
from hushcore.hold.tracker import Tracker, make_tracker
from hushcore.plates.choose import Clarity, clarity

log = logging.getLogger("hush")
CHUNK = 16  # frames a job; a killed worker's chunk is taken up after its last kept frame
KEPT = 3  # frames read last: measured, judged and looked at for a plate
SOON = 10  # before deliveries and all else that nobody sits and waits for
BROKE_DOWN = "The tracker broke down here. What it measured before is kept; go on from it or redo."


def _found(hold: int) -> Hold | None:
    found = Hold.objects.select_related("fix__shot__clip").filter(id=hold).first()
    return None if found is None or found.stop_asked else found


@app.task(queue="track", priority=SOON, name="track")
def track(hold: int, direction: int) -> None:
    """Measure the next chunk of one direction, then queue the one after it."""
    found = _found(hold)
    run = found.runs.filter(direction=direction).first() if found else None
    if found is None or run is None:
        return
    try:
        if not _method_known(found, direction):
            if found.state == Hold.State.FAILED:  # the other direction has found nothing to hold on to
                return
            track.configure(schedule_in={"seconds": 1}).defer(hold=hold, direction=direction)
            return
        more = _chunk(found, run)
    except HushError as error:
        _finish(found, run, error.message)
        return
    except Exception:
        _finish(found, run, BROKE_DOWN)
        raise
    if more:
        track.defer(hold=hold, direction=direction)


def _method_known(hold: Hold, direction: int) -> bool:
    """Whether the surface is known; one direction tries, the other waits for what it finds."""
    if hold.method["kind"] != "auto":
        return True
    Hold.objects.filter(id=hold.id, trying_way=None).update(trying_way=direction)
    hold.refresh_from_db(fields=["kind", "method", "trying_way"])
    if hold.trying_way == direction and hold.method["kind"] == "auto":
        try_surfaces(hold)
    return bool(hold.method["kind"] != "auto")


def _chunk(hold: Hold, run: Run) -> bool:
    """Up to ``CHUNK`` frames; returns whether there is more to do."""
    if run.over:
        _finish(hold, run, "")
        return False
    read = reader_of(hold)
    tracker = _tracker(hold, run)
    outline = _outline(hold)
    for _ in range(CHUNK):
        if run.over or tracker.over:
            break
        if _stopped(hold):
            return False
        codes = read(run.next_frame)
        measured = of_measured(tracker.step(codes, run.next_frame))
        _keep_step(hold, run, tracker, measured, _clear(codes, tracker, measured, outline))
    if not (run.over or tracker.over):
        return True
    _finish(hold, run, "")
    return False


def _stopped(hold: Hold) -> bool:
    return not Hold.objects.filter(id=hold.id, stop_asked=False).exists()


def _tracker(hold: Hold, run: Run) -> Tracker:
    """A tracker where its direction stands: at the anchor, at the frame it goes on from, or after its last frame."""
    read = reader_of(hold)
    ground, method = parts_of(hold)
    tracker = make_tracker(read(hold.anchor), ground, method, hold.anchor)
    if run.state:
        state = State.from_arrays(unpack_state(bytes(run.state)))
        tracker.restore(state, read(state.template.frame) if state.template else None)
    elif run.origin is not None:
        _start_at(hold, run, tracker)
    _describe(hold, tracker)
    return tracker


def _start_at(hold: Hold, run: Run, tracker: Tracker) -> None:
    assert run.origin is not None
    origin, behind = run.origin, run.origin - run.direction
    engine = hold.engine(frames=False)
    for row in hold.on([origin, behind]):
        engine.frames[row.frame] = row.engine()
    if not engine.has(origin):
        raise HushError(f"Frame {origin} is not held any more; go on from another.", "not-held")
    params = engine.params_at(origin)
    codes = reader_of(hold)(origin)
    if run.renew:
        tracker.renew(codes, origin, params)
    tracker.place(codes, origin, params, engine.params_at(behind) if engine.has(behind) else None)


def _describe(hold: Hold, tracker: Tracker) -> None:
    """Where the map's grid and drift cells lie; the same for both directions."""
    grid = tracker.grid
    hold.grid = None if grid is None else asdict(grid)
    hold.corner = [tracker.still.rect.left, tracker.still.rect.top]
    Hold.objects.filter(id=hold.id).update(grid=hold.grid, corner=hold.corner)
    Hold.objects.filter(id=hold.id, state=Hold.State.WAITING).update(state=Hold.State.TRACKING)


def _outline(hold: Hold) -> np.ndarray | None:
    """The mark's outline, to say how clearly each frame shows it."""
    found: np.ndarray | None = mark_of(hold.fix.document)
    return found


def _clear(codes: Codes, held: Tracker | EngineHold, frame: Measured, outline: np.ndarray | None) -> Clarity | None:
    if outline is None or frame.lost:
        return None
    return clarity(codes, held.map_of(frame.params), outline)


def _keep_step(hold: Hold, run: Run, tracker: Tracker, frame: Measured, clear: Clarity | None) -> None:
    """The frame and the state that follows it, both or neither."""
    number = run.next_frame
    with transaction.atomic():
        keep(hold, number, frame, clear)
        run.next_frame = number + run.direction
        run.state = pack_state(tracker.state.arrays())
        run.save(update_fields=["next_frame", "state"])


def _finish(hold: Hold, run: Run | None, problem: str) -> None:
    """A direction, or the rework, is done or has failed."""
    with transaction.atomic():
        held = Hold.objects.select_for_update().get(id=hold.id)
        if problem:
            held.problem, held.state = problem, Hold.State.FAILED
        elif run is not None:
            run.done = True
            run.save(update_fields=["done"])
        else:
            held.todo = {}
        waiting = held.runs.filter(done=False).exists() or held.todo
        if not problem and not waiting and held.state != Hold.State.FAILED and not held.stop_asked:
            held.state = Hold.State.DONE
        held.save(update_fields=["state", "problem", "todo"])
        tell("hold", hold=held.id, fix=held.fix_id, shot=hold.fix.shot_id, state=held.state)
        if held.state == Hold.State.DONE:
            settle.defer(hold=held.id)


@app.task(queue="track", priority=SOON, name="settle")
def settle(hold: int) -> None:
    """A hold is done: mend it, see whether a wider ground is surer, and tell whoever goes on from there."""
    held = Hold.objects.select_related("fix__shot__clip").filter(id=hold).first()
    if held is None or not held.fix.shot.fixes.filter(document__hold=hold).exists():
        return
    weak = any(row.lost or row.drift_rms > DOUBT for row in held.known if not row.gone)
    if weak:
        _settling(held, True)
    try:
        _mend(held)
        final = widened(held, _outline(held)) or held
    finally:
        if weak or held.settling:  # a worker that was killed may have left it so
            _settling(held, False)
    hold_settled.send(Hold, hold=final)


@transaction.atomic
def _settling(hold: Hold, now: bool) -> None:
    """Say that a hold is looked at once more, or is not any longer."""
    Hold.objects.filter(id=hold.id).update(settling=now)
    tell("hold", hold=hold.id, fix=hold.fix_id, shot=hold.fix.shot_id, state=hold.state)


def _mend(hold: Hold) -> None:
    """Frames on which the mark is found elsewhere, stretches on which the surface was hidden, and all where a second pass
    makes it steadier, measured anew. Only stretches are bridged where an artist has corrected it, or has gone on from it."""
    if hold.work not in (Hold.Work.TRACK, Hold.Work.REDO):
        return
    ground, method = parts_of(hold)
    engine, outline = hold.engine(), _outline(hold)
    read = lru_cache(maxsize=KEPT)(reader_of(hold))
    fresh = hold.work == Hold.Work.TRACK and not hold.line and not hold.fix.document["stands"]
    for number, frame in mended(engine, ground, method, read, outline if fresh else None):
        if _stopped(hold):
            return
        keep(hold, number, frame, _clear(read(number), engine, frame, outline))


@app.task(queue="track", priority=SOON, name="rework")
def rework(hold: int) -> None:
    """Redo stretches, smooth a range or measure a second time; taken up from its beginning after a crash."""
    found = _found(hold)
    if found is None:
        return
    found.passed = 0
    Hold.objects.filter(id=found.id, state=Hold.State.WAITING).update(state=Hold.State.TRACKING, passed=0)
    try:
        whole = _rework(found)
    except HushError as error:
        _finish(found, None, error.message)
        return
    except Exception:
        _finish(found, None, BROKE_DOWN)
        raise
    if whole:
        _finish(found, None, "")


def _rework(hold: Hold) -> bool:
    """Returns False when it was stopped on the way; what is done by then stays."""
    engine, outline = hold.engine(), _outline(hold)
    read = lru_cache(maxsize=KEPT)(reader_of(hold))
    for number, frame in made_anew(hold, engine, read):
        if _stopped(hold):
            return False
        engine.frames[number] = frame
        keep(hold, number, frame, _clear(read(number), engine, frame, outline))
    return True


@receiver(fix_leaves)
def stop_all(fix: Fix, **_: object) -> None:
    """Holds end with their fix, but for those that others lie on."""
    others = {number for other in fix.shot.fixes.exclude(id=fix.id) for number in holds_of(other.document)}
    for hold in fix.holds.exclude(id__in=[number for number in others if number]):
        stop(hold)
