"""A shot in short, for the list of jobs: its marks on a frame, its tells over time, how far each fix is."""

from typing import Any

import numpy as np
from fixes.document import mark_of, missing_part
from fixes.models import Fix
from holds.models import Hold
from jobs.models import Shot

from hushcore.tells.measure import NAMES
from tells.models import Tell
from tells.states import loudest

COLUMNS = 120  # of the ribbon at most


def card(shot: Shot) -> dict[str, Any]:
    """``poster``: the frame that shows the first mark best, or the middle one; ``marks``: outlines on it, frame px;
    ``ribbon``: the loudest tell in each of up to COLUMNS even stretches, None where nothing is measured."""
    fixes = list(shot.fixes.all())
    holds = {hold.id: hold for hold in Hold.objects.filter(id__in=[fix.document["hold"] for fix in fixes])}
    held = [holds[fix.document["hold"]] for fix in fixes if fix.document["hold"] in holds]
    inside = [hold.anchor for hold in held if shot.first <= hold.anchor <= shot.last]
    poster = inside[0] if inside else (shot.first + shot.last) // 2
    marks = [_mark(fix, holds.get(fix.document["hold"]), poster) for fix in fixes if fix.document["on"]]
    return {
        "shot": shot.id, "poster": poster, "marks": [mark for mark in marks if mark], "ribbon": ribbon(shot, fixes),
        "fixes": [_fix(fix, holds.get(fix.document["hold"])) for fix in fixes],
    }  # fmt: skip


def _mark(fix: Fix, hold: Hold | None, frame: int) -> list[list[float]] | None:
    outline = mark_of(fix.document)
    if hold is None or outline is None or len(outline) < 3:
        return None
    if fix.document["stands"] or frame == hold.anchor:
        return np.round(outline, 1).tolist()
    rows = hold.on([frame])
    if not rows or rows[0].lost:
        return None
    engine = hold.engine(frames=False)
    return np.round(engine.map_of(rows[0].engine().params).forward(outline), 1).tolist()


def _fix(fix: Fix, hold: Hold | None) -> dict[str, Any]:
    loud = loudest(fix)
    lacks = missing_part(fix.document)
    running = hold is not None and hold.state in (Hold.State.WAITING, Hold.State.TRACKING)
    return {
        "name": fix.document["name"], "on": fix.document["on"], "lacks": lacks,
        "state": "tracking" if running else "not whole" if lacks else "measured" if loud else "whole",
        "loud": loud["value"] if loud and not lacks else None, "frame": loud["frame"] if loud and not lacks else None,
    }  # fmt: skip


def ribbon(shot: Shot, fixes: list[Fix]) -> list[float | None]:
    """The loudest tell of the fixes that are on, a column an even stretch of the shot."""
    total = shot.last - shot.first + 1
    count = min(COLUMNS, total)
    made: list[float | None] = [None] * count
    on = [fix.id for fix in fixes if fix.document["on"] and not missing_part(fix.document)]
    for frame, values in Tell.objects.filter(fix__in=on, frame__range=(shot.first, shot.last)).values_list(
        "frame", "values"
    ):
        k = (frame - shot.first) * count // total
        made[k] = max(made[k] or 0.0, *(values[name] for name in NAMES))
    return [None if value is None else round(value, 2) for value in made]
