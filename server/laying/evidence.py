"""What a shot says of its own light, grain and shutter, and what was chosen from it for a fix.

What is seen is read once a hold; what is chosen hangs on the fix's edge, source and plates too, and is looked at anew when
they change. Both are kept, and are the same for all who lay the fix.
"""

from functools import lru_cache

from fixes.models import Fix
from holds.models import Hold

from hushcore.patch.plan import Evidence
from laying.models import Evidence as Row
from laying.names import digest

READS = "light, grain, shutter, standing highlights, 4"  # what is looked at; evidence of less is read anew
CHOOSES = "light, share, standing, usual, veil, lines, unveil, 9"  # what is chosen
MATTERS = ("edge", "plates", "source", "stands", "fill", "soften")  # parts of a document that a choice hangs on
KEPT_ROWS = 12  # of a fix: choices for states that undo may come back to


def root_of(hold: Hold) -> int:
    """The measurement that a hold's corrections go back to: correcting a hold does not change what the shot says."""
    return int(hold.line[0]) if hold.line else hold.id


def row_of(fix: Fix, hold: Hold) -> Row | None:
    """What was chosen for a fix as it stands, else what is kept of its shot; None before workers have looked."""
    rows = {
        row.key: row
        for row in fix.evidence.filter(key__in=(choice_key(fix, hold), seen_key(fix, hold))).only("id", "key")
    }
    return rows.get(choice_key(fix, hold)) or rows.get(seen_key(fix, hold))


def of(fix: Fix, hold: Hold) -> Evidence:
    """The evidence for a fix; before workers have looked at its shot, the plain one. Never slow."""
    return named(fix, hold)[0]


def named(fix: Fix, hold: Hold) -> tuple[Evidence, str]:
    """The evidence for a fix and a name for exactly it; what was read is never changed."""
    row = row_of(fix, hold)
    return (Evidence(), "") if row is None else (_kept(row.id), str(row.id))


def is_settled(fix: Fix, hold: Hold) -> bool:
    """Whether what is chosen was chosen for the fix as it stands."""
    return fix.evidence.filter(key=choice_key(fix, hold)).exists()


@lru_cache(maxsize=64)
def _kept(number: int) -> Evidence:
    return Evidence.of(Row.objects.get(id=number).data)


def seen_key(fix: Fix, hold: Hold) -> str:

    return digest([root_of(hold), str(fix.shot.clip.encoding), READS])


def choice_key(fix: Fix, hold: Hold) -> str:

    parts = {name: fix.document[name] for name in MATTERS if fix.document.get(name) is not None}
    return digest([root_of(hold), str(fix.shot.clip.encoding), READS, CHOOSES, parts])
