"""What a rework measures: stretches from both sides, a smoothed range, a second pass."""

from collections.abc import Iterator
from dataclasses import replace

from events.tell import tell

from holds.models import Hold
from holds.reading import parts_of
from hushcore.hold.method import Method
from hushcore.hold.record import Hold as EngineHold
from hushcore.hold.record import HoldFrame as Measured
from hushcore.hold.record import Reader, of_measured
from hushcore.hold.redo import Redo, corners_of
from hushcore.hold.second import SecondPass
from hushcore.hold.smooth import smoothed
from hushcore.hold.still import Ground
from hushcore.hold.tracker import make_tracker

TELL_EVERY = 3  # frames


def made_anew(hold: Hold, engine: EngineHold, read: Reader) -> Iterator[tuple[int, Measured]]:
    """The frames that the rework makes, one by one."""
    ground, method = parts_of(hold)
    if hold.work == Hold.Work.SECOND:
        yield from SecondPass(engine, ground, method, read).run()
    elif hold.work == Hold.Work.SMOOTH:
        todo = hold.todo
        made = smoothed(engine, todo["first"], todo["last"], todo["strength"], corners_of(engine, ground))
        tracker = make_tracker(read(hold.anchor), ground, method, hold.anchor)
        for number, params in made.items():
            old = engine.frames[number]
            judged = of_measured(tracker.place(read(number), number, params))
            yield number, replace(judged, params=params, seen=old.seen, lost=old.lost, cells=old.cells,
                                  trouble=old.trouble, how=old.how)  # fmt: skip
    else:
        yield from _redone(hold, engine, ground, method, read)


def _redone(
    hold: Hold, engine: EngineHold, ground: Ground, method: Method, read: Reader
) -> Iterator[tuple[int, Measured]]:
    tracker = make_tracker(read(hold.anchor), ground, method, hold.anchor)
    for number in hold.todo["judge"]:  # a key's own frame: its place stands, the picture says how well it fits
        params = engine.keys[number]
        judged = of_measured(tracker.place(read(number), number, params))
        yield number, Measured(params, judged.drift, judged.drift_rms, judged.seen, False, judged.cells, judged.trouble)
    for part in hold.todo["stretches"]:
        ends = [end for end in (part["before"], part["after"]) if end is not None and end != hold.anchor]
        through = EngineHold(engine.kind, engine.anchor, engine.size, engine.grid, engine.corner, engine.frames)
        through.keys = {end: engine.keys.get(end, engine.params_at(end)) for end in ends}
        yield from Redo(
            through, ground, method, read, part["before"], part["after"], part["first"], part["last"],
            lambda: _passed(hold),
        ).run()  # fmt: skip


def _passed(hold: Hold) -> None:
    """One more frame of a first side: nothing to keep yet, but there is something to tell."""
    hold.passed += 1
    Hold.objects.filter(id=hold.id).update(passed=hold.passed)
    if hold.passed % TELL_EVERY == 0:
        tell("working", hold=hold.id, fix=hold.fix_id, shot=hold.fix.shot_id, passed=hold.passed)
