"""Undo and redo for what belongs to a shot as a whole: its look and range here, order and fixes taken away above.

An app registers how its kind of step is put back; see ``putting_back``.
"""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone
from events.tell import tell

from hushcore.errors import HushError
from jobs.models import Shot, Step

PutBack = Callable[[Shot, Any], None]
KINDS: dict[str, PutBack] = {}
TOGETHER = timedelta(seconds=3)  # a slider that is dragged is one step


def putting_back(kind: str) -> Callable[[PutBack], PutBack]:
    """Registers what puts a shot in the state that a step of this kind names."""

    def register(do: PutBack) -> PutBack:
        KINDS[kind] = do
        return do

    return register


def record(shot: Shot, kind: str, label: str, before: Any, after: Any, by: Any = None) -> None:
    """Keep a step; what was undone before it is forgotten. Steps alike in quick succession become one."""
    shot.steps.filter(undone__isnull=False).delete()
    last = shot.steps.last()
    if last and (last.kind, last.label) == (kind, label) and timezone.now() - last.made < TOGETHER and kind == "facts":
        last.after, last.made = after, timezone.now()
        last.save(update_fields=["after", "made"])
        return
    Step.objects.create(shot=shot, kind=kind, label=label, before=before, after=after, by=by)


def to_undo(shot: Shot) -> Step | None:
    """The step that undo would take back."""
    return shot.steps.filter(undone__isnull=True).last()


def to_redo(shot: Shot) -> Step | None:
    """The step that redo would do again."""
    return shot.steps.filter(undone__isnull=False).first()


@transaction.atomic
def step(shot_id: int, back: bool) -> Step:
    """Undo (``back``) or redo the shot's last step. Raises HushError (no-revision, or why it cannot be put back)."""
    shot = Shot.objects.select_for_update(of=("self",)).select_related("clip", "job").get(id=shot_id)
    found = to_undo(shot) if back else to_redo(shot)
    if found is None:
        raise HushError("There is nothing to undo." if back else "There is nothing to redo.", "no-revision")
    KINDS[found.kind](shot, found.before if back else found.after)
    found.undone = timezone.now() if back else None
    found.save(update_fields=["undone"])
    tell("shot", shot=shot.id, job=shot.job_id)
    return found
