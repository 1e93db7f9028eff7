"""A change of a fix: one change, one version, one revision, one message; undo and redo."""

from collections.abc import Callable
from copy import deepcopy
from typing import Any

from accounts.log import name_of, note
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from events.tell import tell

from fixes.document import Document
from fixes.models import Fix, Revision
from fixes.signals import fix_changed
from hushcore.errors import HushError

Change = Callable[[Document], str]


class Conflict(HushError):
    """Someone else changed it first; ``newer`` is how it stands now."""

    def __init__(self, newer: Any, last: Revision | None = None) -> None:
        who = name_of(last.by) if last and last.by else ""
        what = f" ({last.label})" if last and last.label else ""
        super().__init__(
            f"{who or 'Somebody'} changed this fix meanwhile{what}. It is shown as it stands now; yours was not made.",
            "conflict",
        )
        self.newer = newer


def document_out(fix: Fix) -> Document:
    """For ``Conflict``: the newer version and document."""
    return {"fix": fix.id, "version": fix.version, "document": fix.document}


@transaction.atomic
def change(fix_id: int, version: int, by: AbstractBaseUser | None, do: Change) -> Fix:
    """Apply ``do`` to the document (it returns the change's label), unless someone was faster.

    Raises Conflict with the newer state when ``version`` is not the fix's own any more.
    """
    fix = locked(fix_id, version)
    document = deepcopy(fix.document)
    label = do(document)
    if document == fix.document:
        return fix
    _touched(fix.document, document)
    _keep(fix, document, label, by)
    return fix


def _touched(before: Document, after: Document) -> None:
    """What was proposed is the artist's own once it is touched."""
    parts = ("plates", "edge", "source", "stands", "fill", "soften")
    same = all(before.get(name) == after.get(name) for name in parts)
    if before.get("proposed") and after.get("proposed") == before["proposed"] and not same:
        del after["proposed"]


def locked(fix_id: int, version: int) -> Fix:
    """The fix, locked for this transaction. Raises Conflict or HushError (not-found)."""
    fix = Fix.objects.select_for_update().filter(id=fix_id).first()
    if fix is None:
        raise HushError("This fix was taken away in another window.", "not-found")
    if fix.version != version:
        raise Conflict(document_out(fix), fix.revisions.filter(number=fix.revision).select_related("by").first())
    return fix


def _keep(fix: Fix, document: Document, label: str, by: AbstractBaseUser | None) -> None:
    before = fix.document
    fix.revisions.filter(number__gt=fix.revision).delete()
    fix.revision += 1
    fix.version += 1
    fix.document = document
    fix.save()
    Revision.objects.create(fix=fix, number=fix.revision, document=document, label=label, by=person(by))
    if person(by) is not None:
        note(by, "changed a fix", f"{document['name']}: {label}", fix.shot.job_id, fix.shot_id)
    changed(fix, before)


def follow(fix: Fix, document: Document, label: str) -> None:
    """A change that another fix's has brought about, in the same transaction: a step of its own."""
    _keep(Fix.objects.select_for_update().get(id=fix.id), document, label, None)


def changed(fix: Fix, before: Document) -> None:
    """Tell the screens, and whoever hangs on what the fix does to pixels. ``before``: its document until now."""
    tell("fix", fix=fix.id, shot=fix.shot_id, version=fix.version)
    fix_changed.send(Fix, fix=fix, before=before)


def person(by: AbstractBaseUser | None) -> Any:
    """Who made a change, if anyone is signed in."""
    return by if by is not None and by.is_authenticated else None


@transaction.atomic
def step(fix_id: int, version: int, by: int) -> Fix:
    """Undo (-1) or redo (+1)."""
    fix = locked(fix_id, version)
    found = fix.revisions.filter(number=fix.revision + by).first()
    if found is None:
        raise HushError("There is nothing to undo." if by < 0 else "There is nothing to redo.", "no-revision")
    before = fix.document
    fix.revision, fix.document = found.number, found.document
    fix.version += 1
    fix.save()
    changed(fix, before)
    return fix


def set_name(document: Document, name: str) -> str:
    """Rename."""
    if not name.strip():
        raise HushError("Give the fix a name.", "no-name")
    document["name"] = name.strip()[:120]
    return "Rename"


def set_on(document: Document, on: bool) -> str:
    """Switch the whole fix."""
    document["on"] = on
    return "On" if on else "Off"


def set_off(document: Document, fix: Fix, off: list[tuple[int, int]]) -> str:
    """The stretches on which the fix is off."""
    shot = fix.shot
    for first, last in off:
        if not shot.first <= first <= last <= shot.last:
            raise HushError(
                f"{first} to {last} is not a range of this shot ({shot.first} to {shot.last}).", "bad-range"
            )
    document["off"] = sorted([first, last] for first, last in off)
    return "Off ranges"
