"""Looking at a shot in a worker: what it says of its light and grain, and what is chosen from that for a fix."""

from functools import lru_cache

from django.db import transaction
from events.tell import tell
from fixes.document import missing_part
from fixes.models import Fix
from holds.models import Hold

from hushcore.patch.evidence import observed, of_steps, settled_by
from hushcore.patch.plan import Evidence, Plan
from hushcore.plates.plate import Plate
from laying import bases, ready
from laying.evidence import KEPT_ROWS, choice_key, is_settled, root_of, seen_key
from laying.models import Evidence as Row


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

    encoding, engine = fix.shot.clip.encoding, hold.engine()
    edge = bases.edge_of(fix)

    def read(frame: int):  # type: ignore[no-untyped-def]
        return ready.codes_below(fix, frame)

    if fix.document["source"] == "unveil":  # nothing is asked of the shot but its own pictures
        keep(fix, hold, settled_by(of_steps(read, engine), read, engine, bases.plan_of(fix), [], encoding))
        return
    row = fix.evidence.filter(key=seen_key(fix, hold)).first()
    if row is None:
        said = observed(read, engine, edge, encoding, fix.document["stands"])
        # nothing that is only a candidate is on before it has been judged
        plain = {**said.plain(), "standing": None, "candidate": said.plain()["standing"]}
        row = Row.objects.update_or_create(fix=fix, key=seen_key(fix, hold), defaults={"data": plain})[0]
        _seen.cache_clear()
    plan, plates = Plan(edge, stands=fix.document["stands"]), list[tuple[int, Plate]]()
    if not missing_part(fix.document):
        plan = bases.plan_of(fix)
        plates = ready.based_plates(fix, hold, plan)
    keep(fix, hold, settled_by(_seen(row.id), read, engine, plan, plates, encoding))


def keep(fix: Fix, hold: Hold, made: Evidence) -> None:
    """What was chosen for a fix as it stands."""
    with transaction.atomic():
        Row.objects.update_or_create(fix=fix, key=choice_key(fix, hold), defaults={"data": made.plain()})
        old = fix.evidence.exclude(key=seen_key(fix, hold)).order_by("-id").values_list("id", flat=True)[KEPT_ROWS:]
        fix.evidence.filter(id__in=list(old)).delete()
        tell("settled", fix=fix.id, shot=fix.shot_id)
