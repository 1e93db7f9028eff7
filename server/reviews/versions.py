"""Versions: any state of a shot named, looked at, and gone back to."""

from typing import Any

from accounts.log import note
from django.db import transaction
from django.db.models import Max
from events.tell import tell
from fixes import change as changes
from fixes import stack
from fixes.document import Document
from fixes.models import Fix
from jobs.actions import correct
from jobs.models import Shot
from laying.stood import entries_of

from hushcore.errors import HushError
from reviews.models import Version


@transaction.atomic
def name_state(shot: Shot, name: str, by: Any, sent: bool = False) -> Version:
    """Keep how a shot stands under a name. Raises HushError for no name."""
    held = Shot.objects.select_for_update(of=("self",)).get(id=shot.id)
    if not name.strip():
        raise HushError("Give the version a name.", "no-name")
    number = (held.versions.aggregate(top=Max("number"))["top"] or 0) + 1
    made = Version.objects.create(
        shot=held, number=number, name=name.strip()[:120], entries=entries_of(held), look=held.look,
        by=changes.person(by), sent=sent,
    )  # fmt: skip
    note(by, "named a version", f"{held.name}: {number} {made.name}", held.job_id, held.id)
    tell("version", shot=held.id, job=held.job_id)
    return made


@transaction.atomic
def go_back(version: Version, by: Any) -> None:
    """Bring a shot back to how it stood: each fix's document of then, those taken away since, in their order; those made since
    are taken away. All of it are steps that undo takes back. Raises HushError for a fix that was deleted for good."""
    shot = Shot.objects.select_for_update(of=("self",)).select_related("clip", "job").get(id=version.shot_id)
    wanted = {entry["fix"]: entry["document"] for entry in version.entries}
    rows = {fix.id: fix for fix in Fix.every.select_for_update().filter(shot=shot)}
    if not wanted.keys() <= rows.keys():
        raise HushError("A fix of this version was deleted for good; it cannot be gone back to whole.", "not-found")
    name_before(shot, version, by)
    for number, fix in rows.items():
        if number not in wanted and fix.gone is None:
            stack.take_away(number, fix.version, by)
    for number, document in wanted.items():
        fix = rows[number]
        if fix.gone is not None:
            stack.bring_back(fix, by)
            fix.refresh_from_db()
        if fix.document != document:
            changes.change(number, fix.version, by, _as(document, f"Back to {version.name}"))
    stack.reorder(shot, list(wanted), by)
    if shot.look != version.look:
        correct(shot, {"look": version.look}, by=by)
    note(by, "went back to a version", f"{shot.name}: {version.number} {version.name}", shot.job_id, shot.id)
    tell("version", shot=shot.id, job=shot.job_id)


def name_before(shot: Shot, version: Version, by: Any) -> None:
    """How it stood is kept first, unless a version holds exactly that already."""
    now = entries_of(shot)
    if now and not any(kept.entries == now for kept in shot.versions.all()):
        name_state(shot, f"Before going back to {version.name}"[:120], by)


def _as(document: Document, label: str) -> changes.Change:
    def do(now: Document) -> str:
        now.clear()
        now.update(document)
        return label[:80]

    return do


def documents_of(fix: int) -> list[Document]:
    """The documents of a fix that versions keep."""
    kept = Version.objects.filter(shot__fixes=fix).values_list("entries", flat=True)
    return [entry["document"] for entries in kept for entry in entries if entry["fix"] == fix]


def needs(fix: int) -> bool:
    """Whether a version cannot be looked at without a fix."""
    return Version.objects.filter(entries__contains=[{"fix": fix}]).exists()
