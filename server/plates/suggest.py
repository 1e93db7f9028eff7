"""Which frame would make the next plate, and why."""

from dataclasses import dataclass

import numpy as np
from fixes.models import Fix
from holds.models import Hold

from hushcore.plates.choose import Standing, ranked

MOST = 4


@dataclass(frozen=True)
class Suggestion:
    """A frame with the reasons for it, in words."""

    frame: int
    worth: float
    words: str


def suggestions(fix: Fix, hold: Hold) -> list[Suggestion]:
    """The best frames first, the plates that are there taken into account."""
    rows = [row for row in hold.known if not row.gone and not row.lost and row.worth > 0]
    standings = []
    for row in rows:
        assert row.data is not None
        facts = row.clarity or {}
        standings.append(
            Standing(
                row.frame, row.worth, facts.get("detail", 0.0), facts.get("uneven", 0.0), facts.get("facing", 1.0),
                row.hidden, np.asarray(facts.get("light", [0.0] * 10)),
            )
        )  # fmt: skip
    taken = [fix.plates.get(id=entry["id"]).frame for entry in fix.document["plates"]]
    return [Suggestion(one.frame, one.worth, one.words) for one in ranked(standings, taken)[:MOST]]
