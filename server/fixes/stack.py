"""The fixes of a shot as a stack: their order, taking one away, bringing it back. Steps of the shot; see jobs.history."""

from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.dispatch import receiver
from django.utils import timezone
from events.tell import tell
from jobs import history
from jobs.models import Shot
from jobs.signals import shot_goes

from fixes.change import locked, person
from fixes.models import Fix
from fixes.signals import fix_goes, fix_leaves, order_changed
from hushcore.errors import HushError


@transaction.atomic
def take_away(fix_id: int, version: int, by: Any = None) -> None:
    """Take a fix away. It can be brought back for some days; then it is deleted for good."""
    fix = locked(fix_id, version)
    name = fix.document["name"]
    history.record(
        fix.shot,
        "fix",
        f"Take {name} away"[:80],
        {"fix": fix.id, "here": True},
        {"fix": fix.id, "here": False},
        person(by),
    )
    _put(fix, here=False)


@transaction.atomic
def bring_back(fix: Fix, by: Any = None) -> None:
    """Bring a fix that was taken away back into its place; a step of the shot."""
    label = f"Bring {fix.document['name']} back"[:80]
    history.record(fix.shot, "fix", label, {"fix": fix.id, "here": False}, {"fix": fix.id, "here": True}, person(by))
    _put(fix, here=True)


KEEPERS: list[Callable[[int], bool]] = []


def kept_if(needed: Callable[[int], bool]) -> None:
    """Say what an app above still needs of fixes that were taken away; ``needed`` takes a fix's id."""
    KEEPERS.append(needed)


@history.putting_back("fix")
def _put_back(shot: Shot, state: dict[str, Any]) -> None:
    fix = Fix.every.select_for_update().filter(id=state["fix"]).first()
    if fix is None:
        raise HushError("This fix was taken away too long ago; it is deleted.", "not-found")
    _put(fix, state["here"])


def _put(fix: Fix, here: bool) -> None:
    if not here:
        fix_leaves.send(Fix, fix=fix)
    fix.gone = None if here else timezone.now()
    fix.version += 1
    fix.save()
    tell("fix", fix=fix.id, shot=fix.shot_id, gone=not here)
    order_changed.send(Fix, shot=fix.shot_id, order=fix.order)


@transaction.atomic
def delete(fix: Fix) -> None:
    """Delete a fix for good; the apps above clear what they keep for it."""
    fix_leaves.send(Fix, fix=fix)
    fix_goes.send(Fix, fix=fix)
    fix.delete()


@receiver(shot_goes)
def delete_all(shot: Shot, **_: object) -> None:
    """The fixes go with their shot, those that were taken away too."""
    for fix in Fix.every.filter(shot=shot):
        delete(fix)


@transaction.atomic
def reorder(shot: Shot, ids: list[int], by: Any = None) -> None:
    """Lay a shot's fixes in another order. Raises HushError when ``ids`` are not exactly its fixes."""
    before = list(shot.fixes.values_list("id", flat=True))
    if _lay(shot, ids):
        history.record(shot, "order", "Order of the fixes", before, ids, person(by))


@history.putting_back("order")
def _put_order(shot: Shot, ids: list[int]) -> None:
    here = set(shot.fixes.values_list("id", flat=True))
    known = [one for one in ids if one in here]
    _lay(shot, known + sorted(here - set(known)))


def _lay(shot: Shot, ids: list[int]) -> bool:
    fixes = {fix.id: fix for fix in shot.fixes.select_for_update()}
    if sorted(ids) != sorted(fixes):
        raise HushError("The fixes have changed meanwhile; look again before you move them.", "conflict")
    moved = [number for number, one in enumerate(ids, 1) if fixes[one].order != number]
    for number in moved:
        fix = fixes[ids[number - 1]]
        fix.order = number
        fix.save(update_fields=["order"])
    if moved:
        tell("order", shot=shot.id)
        order_changed.send(Fix, shot=shot.id, order=moved[0])
    return bool(moved)
