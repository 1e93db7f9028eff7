"""Tracking in worker processes: chunks of frames, each frame kept as soon as it is measured."""

import logging

import numpy as np
from config.events import tell
from django.db import transaction
from procrastinate.contrib.django import app

from fixes.actions import pack_state, unpack_state
from fixes.models import Hold, HoldFrame, Path, Run
from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.hold.record import HoldFrame as Measured
from hushcore.hold.record import frame_plain, of_measured
from hushcore.hold.tracker import State, Tracker, make_tracker
from hushcore.plates.choose import clarity
from hushcore.recipe.models import EdgeData, GroundData

log = logging.getLogger("hush")
CHUNK = 16  # frames a job; a killed worker's chunk is taken up after its last kept frame
STALLED_AFTER = 6  # seconds without a heartbeat


@app.task(queue="default", name="track")
def track(hold: int, direction: int) -> None:
    """Measure the next chunk of one direction, then queue the one after it."""
    found = Hold.objects.select_related("fix__shot__clip").filter(id=hold).first()
    if found is None or found.stop_asked:
        return
    run = found.runs.get(direction=direction)
    try:
        more = _chunk(found, run)
    except HushError as error:
        _finish(found, run, error.message)
        return
    except Exception:
        _finish(found, run, "The tracker broke down here. What it measured before is kept; go on from it or redo.")
        raise
    if more:
        track.defer(hold=hold, direction=direction)


def _chunk(hold: Hold, run: Run) -> bool:
    """Up to ``CHUNK`` frames; returns whether there is more to do."""
    if run.done or not hold.first <= run.next_frame <= hold.last:
        _finish(hold, run, "")
        return False
    media = hold.fix.shot.clip.media()
    tracker = _tracker(hold, run, media.read(hold.anchor))
    outline = _outline(hold)
    for _ in range(CHUNK):
        if not hold.first <= run.next_frame <= hold.last:
            break
        if Hold.objects.filter(id=hold.id, stop_asked=True).exists() or not Hold.objects.filter(id=hold.id).exists():
            return False
        codes = media.read(run.next_frame)
        measured = of_measured(tracker.step(codes))
        _keep(hold, run, tracker, measured, _worth(codes, tracker, measured, outline))
    if hold.first <= run.next_frame <= hold.last:
        return True
    _finish(hold, run, "")
    return False


def _tracker(hold: Hold, run: Run, anchor_codes: object) -> Tracker:
    ground = GroundData.model_validate(hold.ground).ground()
    tracker = make_tracker(anchor_codes, ground, hold.kind)  # type: ignore[arg-type]
    if run.state:
        tracker.state = State.from_arrays(unpack_state(bytes(run.state)))
    _describe(hold, tracker)
    return tracker


def _describe(hold: Hold, tracker: Tracker) -> None:
    """Where the map's grid and drift cells lie; the same for both directions."""
    grid = tracker.grid
    hold.grid = None if grid is None else {
        "left": grid.left, "top": grid.top, "spacing": grid.spacing, "across": grid.across, "down": grid.down,
    }  # fmt: skip
    hold.corner = [tracker.still.rect.left, tracker.still.rect.top]
    Hold.objects.filter(id=hold.id).update(grid=hold.grid, corner=hold.corner)
    Hold.objects.filter(id=hold.id, state=Hold.State.WAITING).update(state=Hold.State.TRACKING)


def _outline(hold: Hold) -> np.ndarray | None:
    """The mark's outline, to say how clearly each frame shows it."""
    path = Path.objects.filter(id=hold.fix.document["edge"]["path"]).first()
    return EdgeData(nodes=path.nodes).outline() if path else None


def _worth(codes: Codes, tracker: Tracker, frame: Measured, outline: np.ndarray | None) -> float:
    if outline is None or frame.lost:
        return 0.0
    return clarity(codes, tracker.map_of(frame.params), outline).worth


def _keep(hold: Hold, run: Run, tracker: Tracker, frame: Measured, worth: float) -> None:
    """The frame and the state that follows it, both or neither."""
    number = run.next_frame
    with transaction.atomic():
        HoldFrame.objects.update_or_create(
            hold=hold, frame=number,
            defaults={
                "data": frame_plain(frame), "drift_rms": frame.drift_rms, "seen": frame.seen, "lost": frame.lost,
                "worth": worth,
            },
        )  # fmt: skip
        run.next_frame = number + run.direction
        run.state = pack_state(tracker.state.arrays())
        run.save(update_fields=["next_frame", "state"])
        tell(
            "held", hold=hold.id, fix=hold.fix_id, shot=hold.fix.shot_id, frame=number,
            drift=round(frame.drift_rms, 2), lost=frame.lost,
        )  # fmt: skip


def _finish(hold: Hold, run: Run, problem: str) -> None:
    with transaction.atomic():
        held = Hold.objects.select_for_update().get(id=hold.id)
        if not problem:
            run.done = True
            run.save(update_fields=["done"])
        else:
            held.problem = problem
        if problem:
            held.state = Hold.State.FAILED
        elif not held.runs.filter(done=False).exists() and held.state != Hold.State.FAILED:
            held.state = Hold.State.DONE
        held.save(update_fields=["state", "problem"])
        tell("hold", hold=held.id, fix=held.fix_id, shot=hold.fix.shot_id, state=held.state)


@app.periodic(cron="* * * * * */3")
@app.task(queue="default", queueing_lock="take-up", pass_context=True, name="take_up_stalled")
async def take_up_stalled(context: object, timestamp: int) -> None:
    """Put the jobs of workers that died back in the queue."""
    manager = app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER):
        log.info("job %s (%s) lost its worker; it is taken up again", job.id, job.task_name)
        await manager.retry_job(job)
