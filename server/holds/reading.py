"""What a hold is measured on and how: the footage as shot or the result of the fixes below, its ground and its surface."""

from collections.abc import Callable

from events.tell import tell
from fixes.models import Fix

from holds.models import Hold
from hushcore.arrays import Codes
from hushcore.hold.auto import chosen
from hushcore.hold.method import Method
from hushcore.hold.record import Reader
from hushcore.hold.still import Ground
from hushcore.recipe.models import GroundData, MethodData

_below: list[Callable[[Fix, int], Codes]] = []


def below_is_laid_by(laid: Callable[[Fix, int], Codes]) -> None:
    """Say who lays the fixes below one into a frame; that app stands above this one."""
    _below[:] = [laid]


def reader_of(hold: Hold) -> Reader:
    """Reads the frames that a hold is measured on."""
    if hold.method.get("reads") == "below":
        return lambda frame: _below[0](hold.fix, frame)
    return hold.fix.shot.clip.media().read


def try_surfaces(hold: Hold) -> None:
    """Choose the surface, and keep what was taken."""
    ground, method = (GroundData.model_validate(hold.ground), MethodData.model_validate(hold.method))

    def trying(surface: str) -> None:
        Hold.objects.filter(id=hold.id).update(trying=surface)
        Hold.objects.filter(id=hold.id, state=Hold.State.WAITING).update(state=Hold.State.TRACKING)
        _tell(hold)

    asked = (ground.ground(), method.method(), hold.anchor, hold.first, hold.last)
    try:
        surface = chosen(reader_of(hold), *asked, trying)[0]
    finally:  # nothing is tried any more, also where nothing can be held
        Hold.objects.filter(id=hold.id).update(trying="")
    hold.method = method.taking(surface).model_dump(mode="json")
    hold.kind = hold.method["kind"]
    hold.save(update_fields=["kind", "method"])
    _tell(hold)


def _tell(hold: Hold) -> None:
    tell("hold", hold=hold.id, fix=hold.fix_id, shot=hold.fix.shot_id, state=hold.state)


def parts_of(hold: Hold) -> tuple[Ground, Method]:
    """The ground and the method of a hold, for the engine."""
    if hold.method["kind"] == "auto":  # corrected before anything was tried
        try_surfaces(hold)
    return GroundData.model_validate(hold.ground).ground(), MethodData.model_validate(hold.method).method()
