"""What a shot says of its own light, grain and shutter: read once a hold, kept, and the same for all who lay the fix."""

from functools import lru_cache

from config.events import tell
from django.db import transaction

from fixes import actions
from fixes.models import Evidence as Row
from fixes.models import Fix, Hold
from hushcore.patch.evidence import gather
from hushcore.patch.plan import Evidence

READS = "light, grain, shutter, standing highlights"  # what is looked at; evidence of less is read anew


def root_of(hold: Hold) -> int:
    """The measurement that a hold's corrections go back to: correcting a hold does not change what the shot says."""
    return int(hold.line[0]) if hold.line else hold.id


def row_of(fix: Fix, hold: Hold) -> Row | None:
    """What is kept for a fix; None before workers have looked."""
    return fix.evidence.filter(key=_key(fix, hold)).first()


def of(fix: Fix, hold: Hold) -> Evidence:
    """The evidence for a fix; before workers have looked at its shot, the plain one. Never slow."""
    return named(fix, hold)[0]


def named(fix: Fix, hold: Hold) -> tuple[Evidence, str]:
    """The evidence for a fix and a name for exactly it; what was read is never changed."""
    number = fix.evidence.filter(key=_key(fix, hold)).values_list("id", flat=True).first()
    return (Evidence(), "") if number is None else (_kept(number), str(number))


@lru_cache(maxsize=64)
def _kept(number: int) -> Evidence:
    return Evidence.of(Row.objects.get(id=number).data)


def ensure(fix: Fix, hold: Hold) -> None:
    """In a worker: look at the shot, unless that is done or its hold is not there yet. Takes seconds."""
    from fixes import ready

    root = Hold.objects.filter(id=root_of(hold)).first() or hold
    if row_of(fix, hold) is not None or root.running or hold.running or not fix.document["edge"]["outlines"]:
        return
    edge = actions.edge_data(fix.document).edge()
    said = gather(lambda frame: ready.codes_below(fix, frame), hold.engine(), edge, fix.shot.clip.encoding)
    with transaction.atomic():
        Row.objects.update_or_create(fix=fix, key=_key(fix, hold), defaults={"data": said.plain()})
        tell("settled", fix=fix.id, shot=fix.shot_id)


def _key(fix: Fix, hold: Hold) -> str:
    from fixes.ready import digest

    return digest([root_of(hold), str(fix.shot.clip.encoding), READS])
