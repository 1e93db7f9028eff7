"""What a fill, a retrace or a softening starts from: the plan with its edge and donor carried by the holds that they name, and
plates that nobody painted."""

from collections.abc import Callable

from fixes.document import edge_data, fill_of
from fixes.models import Fix
from holds.models import Hold
from jobs.shelf import Shelf

from hushcore.arrays import F32, Codes
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.hold.record import Hold as EngineHold
from hushcore.patch.carried import carried
from hushcore.patch.filling import filled_plate, shading_area
from hushcore.patch.plan import Plan
from hushcore.plates.plate import Plate
from hushcore.plates.shade import shading
from hushcore.recipe.build import ready_plan
from laying.names import digest
from laying.recipe import fix_data

Reader = Callable[[int], Codes]
GONE = "The hold that carries {} is gone; choose another, or draw it on the frames."

shades_kept: Shelf = Shelf(lambda shades: int(shades[0].nbytes))


def _hold(number: int | None, what: str) -> EngineHold | None:
    """Another hold with all its frames. Raises HushError when it is not there."""
    if not number:
        return None
    found = Hold.objects.select_related("fix__shot__clip").filter(id=number).first()
    if found is None:
        raise HushError(GONE.format(what), "no-hold")
    return found.engine()


def plan_of(fix: Fix) -> Plan:
    """The fix's plan. Raises HushError when a part is missing, or cannot be."""
    return ready_plan(fix_data(fix.document), _hold(fix.document["edge"].get("hold"), "the edge"))


def edge_of(fix: Fix) -> Edge:
    """The fix's edge, also when another hold carries it."""
    edge, carrier = edge_data(fix.document).edge(), _hold(fix.document["edge"].get("hold"), "the edge")
    return edge if carrier is None else carried(edge, carrier)


def donor_of(fix: Fix) -> EngineHold | None:
    """The hold that carries what is borrowed, when it has one of its own."""
    if fix.document["source"] != "fill":
        return None
    return _hold(fill_of(fix.document).get("donor"), "the donor")


def begun_name(fix: Fix) -> str:
    """A name for what a plate of a fill begins with; empty for other sources."""
    if fix.document["source"] != "fill":
        return ""
    return digest([fill_of(fix.document), fix.document["edge"], fix.document["stands"]])


def begun(fix: Fix, hold: Hold, frame: int, plate: Plate, codes: Codes, read: Reader, below: str) -> Plate:
    """A plate as its source begins it: filled, for a fill; as it is for all others."""
    if fix.document["source"] != "fill":
        return plate
    plan = plan_of(fix)
    if plan.from_others:
        return plate
    shades = _shades(fix, hold, frame, plate, plan, read, below)
    return filled_plate(plate, frame, plan, donor_of(fix), codes, shades)


def _shades(fix: Fix, hold: Hold, frame: int, plate: Plate, plan: Plan, read: Reader, below: str) -> F32 | None:
    """The light on a plate beside what is usual, read once for a hold and an edge."""
    key = (hold.id, hold.running, frame, below, digest([fix.document["edge"], str(fix.shot.clip.encoding)]))
    found: tuple[F32] | None = shades_kept.get(key)
    if found is not None:
        return found[0]
    made = shading(plate, hold.engine(), read, shading_area(plan))
    if made is not None:
        shades_kept.put(key, (made,))
    return made
