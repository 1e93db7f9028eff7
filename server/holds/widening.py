"""A loop's own ground had too little to hold on to: the same surface on a wider ground, where the mark is the better for it."""

from dataclasses import asdict
from functools import lru_cache

import numpy as np
from django.db import transaction
from fixes.change import follow
from fixes.models import Fix

from holds.models import Hold, HoldFrame
from holds.reading import parts_of, reader_of
from holds.rows import row_of
from hushcore.errors import HushError
from hushcore.hold.mark import Mark
from hushcore.hold.record import Hold as EngineHold
from hushcore.hold.through import track
from hushcore.hold.wider import better, poor
from hushcore.plates.choose import clarity
from hushcore.recipe.circle import wider_ground

KEPT = 3  # frames read last
LABEL = "Held on a wider ground"


def widened(hold: Hold, outline: np.ndarray | None) -> Hold | None:
    """The hold that a fix lies on after another look: a new one where a wider ground is better, else None. ``outline``: the
    mark's. Only for a loop that nobody has touched since; takes as long as tracking."""
    if outline is None or not _untouched(hold):
        return None
    engine = hold.engine()
    if not poor(engine):
        return None
    clip = hold.fix.shot.clip
    outline = np.asarray(outline, float)
    ground = wider_ground(outline, hold.anchor, clip.width, clip.height)
    read = lru_cache(maxsize=KEPT)(reader_of(hold))
    rival: EngineHold | None = None
    try:
        for _, growing in track(
            read, ground.ground(), parts_of(hold)[1], hold.anchor, hold.first, hold.last, Mark(outline)
        ):
            if not _untouched(hold):
                return None
            rival = growing
    except HushError:  # a ground that cannot be held is no rival
        return None
    if rival is None or not better(read, engine, rival, outline):
        return None
    rows = {number: (frame, None if frame.lost else clarity(read(number), rival.at(number), outline))
            for number, frame in sorted(rival.frames.items())}  # fmt: skip
    with transaction.atomic():
        fix = Fix.objects.select_for_update().filter(id=hold.fix_id).first()
        if fix is None or not _untouched(hold):
            return None
        made = Hold.objects.create(
            fix=fix, kind=hold.kind, method=hold.method, anchor=hold.anchor, first=hold.first, last=hold.last,
            ground=ground.model_dump(mode="json"), corner=list(rival.corner), state=Hold.State.DONE, wanted=hold.wanted,
            grid=None if rival.grid is None else asdict(rival.grid),
        )  # fmt: skip
        HoldFrame.objects.bulk_create([row_of(made, number, frame, clear) for number, (frame, clear) in rows.items()])
        follow(fix, {**fix.document, "hold": made.id}, LABEL)
    return Hold.objects.select_related("fix__shot__clip").get(id=made.id)


def _untouched(hold: Hold) -> bool:
    """Whether a fix is as its loop has made it, and lies on this hold: a ground that somebody drew is theirs."""
    fix = Fix.objects.filter(id=hold.fix_id, document__hold=hold.id, revision=1).first()
    return fix is not None and not fix.document["stands"] and bool(hold.method.get("took")) and not hold.line
