"""What a shot says of its own light, grain and shutter, and what was chosen from it for a fix.

What is seen is read once a hold; what is chosen hangs on the fix's edge, source and plates too, and is looked at anew when
they change. Both are kept, and are the same for all who lay the fix.
"""

from functools import lru_cache

from config.events import tell
from django.db import transaction

from fixes import actions
from fixes.models import Evidence as Row
from fixes.models import Fix, Hold
from hushcore.patch.evidence import observed, settled_by
from hushcore.patch.plan import Evidence, Plan

READS = "light, grain, shutter, standing highlights, 2"  # what is looked at; evidence of less is read anew
CHOOSES = "light, share, standing, usual, 2"  # what is chosen
MATTERS = ("edge", "plates", "source", "stands")  # parts of a document that a choice hangs on
KEPT_ROWS = 12  # of a fix: choices for states that undo may come back to


def root_of(hold: Hold) -> int:
    """The measurement that a hold's corrections go back to: correcting a hold does not change what the shot says."""
    return int(hold.line[0]) if hold.line else hold.id


def row_of(fix: Fix, hold: Hold) -> Row | None:
    """What was chosen for a fix as it stands, else what is kept of its shot; None before workers have looked."""
    rows = {
        row.key: row for row in fix.evidence.filter(key__in=(_choice_key(fix, hold), _key(fix, hold))).only("id", "key")
    }
    return rows.get(_choice_key(fix, hold)) or rows.get(_key(fix, hold))


def of(fix: Fix, hold: Hold) -> Evidence:
    """The evidence for a fix; before workers have looked at its shot, the plain one. Never slow."""
    return named(fix, hold)[0]


def named(fix: Fix, hold: Hold) -> tuple[Evidence, str]:
    """The evidence for a fix and a name for exactly it; what was read is never changed."""
    row = row_of(fix, hold)
    return (Evidence(), "") if row is None else (_kept(row.id), str(row.id))


def is_settled(fix: Fix, hold: Hold) -> bool:
    """Whether what is chosen was chosen for the fix as it stands."""
    return fix.evidence.filter(key=_choice_key(fix, hold)).exists()


@lru_cache(maxsize=64)
def _kept(number: int) -> Evidence:
    return Evidence.of(Row.objects.get(id=number).data)


@lru_cache(maxsize=8)
def _seen(number: int) -> Evidence:
    """What was seen, with a standing highlight as a candidate."""
    data = Row.objects.get(id=number).data
    return Evidence.of({**data, "standing": data.get("candidate")})


def ensure(fix: Fix, hold: Hold) -> None:
    """In a worker: look at the shot and choose, unless that is done or its hold is not there yet. Takes seconds."""
    root = Hold.objects.filter(id=root_of(hold)).first() or hold
    if is_settled(fix, hold) or root.running or hold.running or not fix.document["edge"]["outlines"]:
        return
    from fixes import ready

    encoding, engine = fix.shot.clip.encoding, hold.engine()
    edge = actions.edge_data(fix.document).edge()

    def read(frame: int):  # type: ignore[no-untyped-def]
        return ready.codes_below(fix, frame)

    row = fix.evidence.filter(key=_key(fix, hold)).first()
    if row is None:
        said = observed(read, engine, edge, encoding)
        # nothing that is only a candidate is on before it has been judged
        plain = {**said.plain(), "standing": None, "candidate": said.plain()["standing"]}
        row = Row.objects.update_or_create(fix=fix, key=_key(fix, hold), defaults={"data": plain})[0]
        _seen.cache_clear()
    plates = ready.painted_plates(fix, hold)
    plan = actions.fix_data(fix.document).plan() if plates else Plan(edge, stands=fix.document["stands"])
    made = settled_by(_seen(row.id), read, engine, plan, plates, encoding)
    with transaction.atomic():
        Row.objects.update_or_create(fix=fix, key=_choice_key(fix, hold), defaults={"data": made.plain()})
        old = fix.evidence.exclude(key=_key(fix, hold)).order_by("-id").values_list("id", flat=True)[KEPT_ROWS:]
        fix.evidence.filter(id__in=list(old)).delete()
        tell("settled", fix=fix.id, shot=fix.shot_id)


def _key(fix: Fix, hold: Hold) -> str:
    from fixes.ready import digest

    return digest([root_of(hold), str(fix.shot.clip.encoding), READS])


def _choice_key(fix: Fix, hold: Hold) -> str:
    from fixes.ready import digest

    parts = {name: fix.document[name] for name in MATTERS}
    return digest([root_of(hold), str(fix.shot.clip.encoding), READS, CHOOSES, parts])
