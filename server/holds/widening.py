"""A loop's own ground had too little to hold on to: the same surface in the channel that shows the mark, or on a wider ground,
where the mark is the better for it."""

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from functools import lru_cache

import numpy as np
from django.db import transaction
from fixes.change import follow
from fixes.models import Fix

from holds.models import Hold, HoldFrame
from holds.reading import reader_of
from holds.rows import row_of
from hushcore.errors import HushError
from hushcore.hold.mark import Mark
from hushcore.hold.record import Hold as EngineHold
from hushcore.hold.record import Reader
from hushcore.hold.through import track
from hushcore.hold.wider import better, clearest, poor
from hushcore.plates.choose import clarity
from hushcore.recipe.circle import wider_ground
from hushcore.recipe.models import GroundData, MethodData

KEPT = 3  # frames read last
LABEL = "Held on a wider ground"
CHANNELS = {"r": "its red channel", "g": "its green channel", "b": "its blue channel"}


def widened(hold: Hold, outline: np.ndarray | None) -> Hold | None:
    """The hold that a fix lies on after another look: a new one where the channel that shows the mark, or a wider ground, is
    better, else None. ``outline``: the mark's. Only for a loop that nobody has touched since; takes as long as tracking."""
    if outline is None or not _untouched(hold):
        return None
    engine = hold.engine()
    if not poor(engine):
        return None
    outline = np.asarray(outline, float)
    read = lru_cache(maxsize=KEPT)(reader_of(hold))
    channel = clearest(read(hold.anchor), outline, engine.size, MethodData.model_validate(hold.method).prep.channel)
    taken: tuple[Otherwise, EngineHold] | None = None
    for otherwise in _otherwise(hold, outline, channel):
        rival = _measured(hold, otherwise, outline, read)
        if not _untouched(hold):
            return None
        if rival is not None and better(read, engine, rival, outline, channel):
            engine, taken = rival, (otherwise, rival)
            if not poor(rival):
                break
    return None if taken is None else _taken(hold, *taken, outline, read)


@dataclass(frozen=True)
class Otherwise:
    """Another ground or method for a poor hold, and what taking it is called."""

    ground: GroundData
    method: MethodData
    label: str


def _otherwise(hold: Hold, outline: np.ndarray, channel: str) -> Iterator[Otherwise]:
    """What is tried, one after the other, as ``hushcore.hold.through.track`` does."""
    clip = hold.fix.shot.clip
    method = MethodData.model_validate(hold.method)
    if channel != method.prep.channel:
        prep = method.prep.model_copy(update={"channel": channel})
        clear = method.model_copy(update={"prep": prep})
        yield Otherwise(GroundData.model_validate(hold.ground), clear, f"Held by {CHANNELS[channel]}")
    yield Otherwise(wider_ground(outline, hold.anchor, clip.width, clip.height), method, LABEL)


def _measured(hold: Hold, otherwise: Otherwise, outline: np.ndarray, read: Reader) -> EngineHold | None:
    """The shot held otherwise; None where that cannot be, or somebody has begun to work on the fix."""
    rival: EngineHold | None = None
    try:
        for _, growing in track(
            read,
            otherwise.ground.ground(),
            otherwise.method.method(),
            hold.anchor,
            hold.first,
            hold.last,
            Mark(outline),
        ):
            if not _untouched(hold):
                return None
            rival = growing
    except HushError:  # a ground that cannot be held is no rival
        return None
    return rival


def _taken(hold: Hold, otherwise: Otherwise, rival: EngineHold, outline: np.ndarray, read: Reader) -> Hold | None:
    """The fix laid on the rival as a step of its own; None where somebody has touched it meanwhile."""
    rows = {number: (frame, None if frame.lost else clarity(read(number), rival.at(number), outline))
            for number, frame in sorted(rival.frames.items())}  # fmt: skip
    with transaction.atomic():
        fix = Fix.objects.select_for_update().filter(id=hold.fix_id).first()
        if fix is None or not _untouched(hold):
            return None
        made = Hold.objects.create(
            fix=fix, kind=hold.kind, method=otherwise.method.model_dump(mode="json"), anchor=hold.anchor,
            first=hold.first, last=hold.last, ground=otherwise.ground.model_dump(mode="json"), corner=list(rival.corner),
            state=Hold.State.DONE, wanted=hold.wanted, grid=None if rival.grid is None else asdict(rival.grid),
        )  # fmt: skip
        HoldFrame.objects.bulk_create([row_of(made, number, frame, clear) for number, (frame, clear) in rows.items()])
        follow(fix, {**fix.document, "hold": made.id}, otherwise.label)
    return Hold.objects.select_related("fix__shot__clip").get(id=made.id)


def _untouched(hold: Hold) -> bool:
    """Whether a fix is as its loop has made it, and lies on this hold: a ground that somebody drew is theirs."""
    fix = Fix.objects.filter(id=hold.fix_id, document__hold=hold.id, revision=1).first()
    return fix is not None and not fix.document["stands"] and bool(hold.method.get("took")) and not hold.line
