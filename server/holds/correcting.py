"""Correcting a hold: keys, going on, redoing, smoothing, a second pass. Every change makes a new hold."""

import math
from collections.abc import Iterable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
from fixes.document import Document
from fixes.models import Fix
from procrastinate.contrib.django import app

from holds.current import current_hold
from holds.measuring import WAYS, add_run, mask, stop
from holds.models import Hold, HoldFrame, Run
from holds.rows import keep
from hushcore.errors import HushError
from hushcore.hold.confidence import GAIN, LOG_CAP
from hushcore.hold.in_frame import KIND
from hushcore.hold.keys import Pin, corrected
from hushcore.hold.record import HoldFrame as EngineFrame
from hushcore.hold.record import params_plain
from hushcore.hold.redo import stretch_of
from hushcore.hold.smooth import LARGEST
from hushcore.recipe.models import PinData

STAYS = "The mark is taken off each frame where it stands: nothing is tracked. Choose another source first."
UNKNOWN = round(GAIN * math.exp(LOG_CAP), 3)  # px: the drift figure's ceiling


def child(before: Hold, work: str, **more: Any) -> Hold:
    """A hold that goes on from another: it reads it on every frame that it does not measure itself.

    Raises HushError while the other is being smoothed or measured a second time: half of that would be a jump; and where nothing
    is measured.
    """
    if before.kind == KIND:
        raise HushError(STAYS, "standing")
    if before.running and before.work in (Hold.Work.SMOOTH, Hold.Work.SECOND):
        raise HushError("Let it finish, or stop and undo it, before the hold is changed again.", "running")
    stop(before)
    made = Hold(
        fix=before.fix, kind=before.kind, method=before.method, anchor=before.anchor, first=before.first,
        last=before.last, ground=before.ground, grid=before.grid, corner=before.corner, line=[*before.line, before.id],
        keys=dict(before.keys), work=work,
    )  # fmt: skip
    for name, value in more.items():
        setattr(made, name, value)
    made.save()
    return made


Part = dict[str, Any]  # a stretch to redo: before, after (its fixed frames), first, last


def _go_on_with(before: Hold, made: Hold, stretches: list[Part], judge: list[int]) -> None:
    """Queue what the new hold is to redo, and all that the one before it had not come to."""

    low = min((part["first"] for part in stretches), default=0)
    high = max((part["last"] for part in stretches), default=-1)
    waiting = [
        part for part in before.todo.get("stretches", []) if not low <= part["first"] <= part["last"] <= high
    ]  # fmt: skip
    judged = [frame for frame in before.todo.get("judge", []) if str(frame) in made.keys and frame not in judge]
    _carry_runs(before, made, range(low, high + 1))
    stretches, judge = [*stretches, *waiting], [*judge, *judged]
    if stretches or judge:
        made.todo = {"stretches": stretches, "judge": judge}
        made.wanted += len(judge) + sum(
            (part["last"] - part["first"] + 1) * (1 if None in (part["before"], part["after"]) else 2)
            for part in stretches
        )
        app.configure_task("rework").defer(hold=made.id)
    made.save(update_fields=["todo", "wanted"])


def _carry_runs(before: Hold, made: Hold, redone: range) -> None:
    """What the hold before was still to measure goes on in the new one, unless that redoes it from a key."""
    for run in _unfinished(before):
        if run.next_frame in redone or made.runs.filter(direction=run.direction).exists():
            continue
        more = {"origin": run.origin, "until": run.until, "renew": run.renew, "state": run.state}
        add_run(made, run.direction, run.next_frame, **more)
        made.wanted += abs((run.until if run.until is not None else _far_end(made, run)) - run.next_frame) + 1


def _unfinished(hold: Hold) -> list[Run]:
    """Directions in which a hold was being measured; none of one that the artist has stopped."""
    return [run for run in hold.runs.filter(done=False) if not run.over] if hold.running else []


def _far_end(hold: Hold, run: Run) -> int:
    return hold.last if run.direction > 0 else hold.first


def onward(document: Document, fix: Fix, frame: int, way: str, until: int | None, renew: bool) -> str:
    """Go on from a frame that is held, one way, perhaps with the template taken anew from it."""
    before = current_hold(fix)
    row = _held(before, frame)
    if renew and row is not None and row.lost:
        raise HushError(
            f"The hold is lost on {frame}; set it right there before the template is taken from it.", "lost"
        )
    step = WAYS[way][0]
    end = until if until is not None else (before.last if step > 0 else before.first)
    if not before.first <= frame + step <= before.last or (end - frame) * step < 1:
        raise HushError(f"There is nothing to track beyond {frame} that way.", "bad-range")
    end = min(max(end, before.first), before.last)
    made = child(before, Hold.Work.TRACK, wanted=abs(end - frame))
    side = range(frame + 1, end + 1) if step > 0 else range(end, frame)
    made.keys = {number: key for number, key in made.keys.items() if int(number) not in side}
    made.save(update_fields=["keys"])
    mask(made, side)
    origin = None if frame == before.anchor else frame
    add_run(made, step, frame + step, origin=origin, until=end, renew=renew and origin is not None)
    _go_on_with(before, made, [], [])
    document["hold"] = made.id
    words = {1: f"Track on from {frame}", -1: f"Track back from {frame}"}[step]
    return f"{words}, new template" if renew else words


def _held(hold: Hold, frame: int) -> HoldFrame | None:
    """The row of a frame, None for the anchor. Raises HushError when it is not held."""
    if frame == hold.anchor:
        return None
    rows = hold.on([frame])
    if not rows:
        raise HushError(f"The hold does not reach frame {frame} yet; track there first.", "not-held")
    return rows[0]


def set_key(document: Document, fix: Fix, frame: int, pins: list[PinData], whole: bool, reach: float) -> str:
    """A correction by hand; the stretches on both sides, up to the next keys, are measured anew.

    Raises HushError for the anchor frame, a frame out of range, or pins that cannot be.
    """
    before = current_hold(fix)
    if frame == before.anchor:
        raise HushError(
            f"{frame} is the anchor: the surface is held in its pose. Draw other ground there, or correct another frame.",
            "bad-key",
        )
    if not before.first <= frame <= before.last:
        raise HushError(f"Frame {frame} is outside the hold ({before.first} to {before.last}).", "bad-range")
    engine = before.engine()
    now = engine.params_at(frame if frame in engine.frames else _nearest(engine.frames, before.anchor, frame))
    params = corrected(engine, now, [Pin(pin.still, pin.at) for pin in pins], whole, reach)
    keys = dict(before.keys)
    keys[str(frame)] = {"params": params_plain(params), "pins": [pin.model_dump() for pin in pins]}
    made = child(before, Hold.Work.REDO, keys=keys)
    low, high = stretch_of(made.engine(frames=False), frame, made.first, made.last)
    keep(made, frame, _placed(params, engine.frames.get(frame)))
    _go_on_with(before, made, _stretches(before, made, [low, frame, high], frame), [frame])
    document["hold"] = made.id
    return f"Key {frame}"


def _nearest(frames: Iterable[int], anchor: int, frame: int) -> int:
    return min([*frames, anchor], key=lambda number: abs(number - frame))


def _placed(params: np.ndarray, old: EngineFrame | None) -> EngineFrame:
    """The frame of a key until the worker has judged it: its place is new, the rest as it was known."""
    if old is not None:
        return replace(old, params=params, lost=False)
    return EngineFrame(params, np.full((2, 2), UNKNOWN, np.float32), UNKNOWN, 0.0, False)


def _stretches(before: Hold, made: Hold, fixed: list[int | None], frame: int) -> list[Part]:
    """The stretches between neighbours of ``fixed``; None is an open end, as far as the hold reaches from ``frame``.

    Where the hold before was still being measured beyond that, the stretch goes on to where that would have ended.
    """
    known = {row.frame for row in made.known.defer("data") if not row.gone}
    for run in _unfinished(before):
        end = run.until if run.until is not None else _far_end(made, run)
        known.update(range(min(run.next_frame, end), max(run.next_frame, end) + 1))
    found = []
    for low, high in pairwise(fixed):
        first = low + 1 if low is not None else _end(known, frame, -1, made)
        last = high - 1 if high is not None else _end(known, frame, 1, made)
        if first <= last and (low is not None or high is not None):
            found.append({"before": low, "after": high, "first": first, "last": last})
    return found


def _end(known: set[int], frame: int, step: int, made: Hold) -> int:
    """How far the hold reaches from a frame to its open end."""
    number = frame
    while number + step in known and made.first <= number + step <= made.last:
        number += step
    return number


def delete_key(document: Document, fix: Fix, frame: int) -> str:
    """Take a key away; the stretch between its neighbours is measured anew."""
    before = current_hold(fix)
    if str(frame) not in before.keys:
        raise HushError(f"There is no key on {frame}.", "bad-key")
    keys = {number: key for number, key in before.keys.items() if int(number) != frame}
    made = child(before, Hold.Work.REDO, keys=keys)
    low, high = stretch_of(made.engine(frames=False), frame, made.first, made.last)
    _go_on_with(before, made, _stretches(before, made, [low, high], frame), [])
    document["hold"] = made.id
    return f"Delete key {frame}"


def redo(document: Document, fix: Fix, first: int, last: int) -> str:
    """Measure a range again, from the held frames on both sides of it, through the keys inside it."""
    before = current_hold(fix)
    first, last = _range(before, first, last)
    made = child(before, Hold.Work.REDO)
    fixed = [n for n in sorted({before.anchor, *(int(k) for k in before.keys)}) if first <= n <= last]
    known = {before.anchor, *(row.frame for row in made.known.defer("data") if not row.gone)}
    ends = [first - 1 if first - 1 in known else None, *fixed, last + 1 if last + 1 in known else None]
    stretches = [
        {
            "before": low,
            "after": high,
            "first": first if low is None else low + 1,
            "last": last if high is None else high - 1,
        }
        for low, high in pairwise(ends)
        if low is not None or high is not None
    ]
    stretches = [part for part in stretches if part["first"] <= part["last"]]
    if not stretches:
        raise HushError("There is nothing held next to this range to start from; track there first.", "not-held")
    _go_on_with(before, made, stretches, [])
    document["hold"] = made.id
    return f"Redo {first} to {last}"


def _range(hold: Hold, first: int, last: int) -> tuple[int, int]:
    first, last = max(first, hold.first), min(last, hold.last)
    if first > last:
        raise HushError(f"Choose a range within {hold.first} to {hold.last}.", "bad-range")
    return first, last


def smooth(document: Document, fix: Fix, first: int, last: int, strength: float) -> str:
    """Take the jitter out of a stretch."""
    before = _at_rest(fix)
    first, last = _range(before, first, last)
    if not 0 < strength <= LARGEST:
        raise HushError("Choose how much to smooth.", "bad-smoothing")
    todo = {"first": first, "last": last, "strength": strength}
    _rework(document, child(before, Hold.Work.SMOOTH, todo=todo, wanted=last - first + 1))
    return f"Smooth {first} to {last}"


def second_pass(document: Document, fix: Fix) -> str:
    """Measure every frame once more against a cleaner template."""
    before = _at_rest(fix)
    wanted = sum(not row.gone for row in before.known.defer("data"))
    _rework(document, child(before, Hold.Work.SECOND, wanted=wanted))
    return "Second pass"


def _at_rest(fix: Fix) -> Hold:
    """The fix's hold, when nothing is being measured. Raises HushError when something is."""
    hold = current_hold(fix)
    if hold.running:
        raise HushError("Let the tracking finish first, or stop it.", "running")
    return hold


def _rework(document: Document, made: Hold) -> None:

    document["hold"] = made.id
    app.configure_task("rework").defer(hold=made.id)


def throw_away(document: Document, fix: Fix, first: int, last: int) -> str:
    """Forget a range's measures; keys in it go with them."""
    before = _at_rest(fix)
    first, last = _range(before, first, last)
    keys = {number: key for number, key in before.keys.items() if not first <= int(number) <= last}
    made = child(before, Hold.Work.NONE, keys=keys, state=Hold.State.DONE)
    mask(made, range(first, last + 1))
    document["hold"] = made.id
    return f"Throw away {first} to {last}"
