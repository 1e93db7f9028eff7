"""What a fill, a retrace or a softening starts from: the plan with its edge and donor carried by the holds that they name, and
plates that nobody painted."""

from collections.abc import Callable
from dataclasses import replace

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
from laying.names import digest
from laying.recipe import fix_data

Reader = Callable[[int], Codes]
GONE = "The hold that carries {} is gone; choose another, or draw it on the frames."

edges_kept: Shelf = Shelf(lambda edge: sum(800 * len(outline.keys) for outline in edge.outlines))
shades_kept: Shelf = Shelf(lambda shades: int(shades[0].nbytes))


def plan_of(fix: Fix) -> Plan:
    """The fix's plan. Raises HushError when a part is missing, or cannot be."""
    plan = fix_data(fix.document).plan()
    if fix.document["edge"].get("hold"):
        plan = replace(plan, edge=edge_of(fix))
    return plan


def edge_of(fix: Fix) -> Edge:
    """The fix's edge, also when another hold carries it: worked out once as long as both stand."""
    number = fix.document["edge"].get("hold")
    if not number:
        return edge_data(fix.document).edge()
    found = _found(number, "the edge")
    key = (found.id, found.state, found.passed, digest(fix.document["edge"]))
    return edges_kept.once(key, lambda: carried(edge_data(fix.document).edge(), found.engine()))


def _found(number: int, what: str) -> Hold:
    """Another hold. Raises HushError when it is not there."""
    found = Hold.objects.select_related("fix__shot__clip").filter(id=number).first()
    if found is None:
        raise HushError(GONE.format(what), "no-hold")
    return found


def donor_of(fix: Fix) -> EngineHold | None:
    """The hold that carries what is borrowed, when it has one of its own."""
    fill = fill_of(fix.document)
    if fix.document["source"] != "fill" or fill["kind"] != "borrow" or not fill.get("donor"):
        return None
    return _found(fill["donor"], "the donor").engine()


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
