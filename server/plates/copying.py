"""A fix duplicated: its own paths, plates, strokes and artwork, on the same hold."""

import shutil
from copy import deepcopy
from typing import Any

from django.db import transaction
from events.tell import tell
from fixes.change import person
from fixes.document import Document
from fixes.models import Fix, Path, Revision
from fixes.signals import fix_changed, order_changed

from plates.models import Artwork, Plate, Stroke
from plates.root import plates_root


@transaction.atomic
def duplicate(fix: Fix, strokes: bool, by: Any = None) -> Fix:
    """A copy of a fix right above it, with or without its plates and strokes; what it lies on is the same hold.

    Files are copied too, so that either of both can go.
    """
    shot = fix.shot
    for other in shot.fixes.filter(order__gt=fix.order).order_by("-order"):
        Fix.objects.filter(id=other.id).update(order=other.order + 1)
    document = deepcopy(fix.document)
    document["name"] = f"{document['name']} 2"[:120]
    document.pop("proposed", None)
    made = Fix.objects.create(shot=shot, order=fix.order + 1, document=document)
    _own_paths(document, made)
    if strokes:
        _own_plates(document, made)
    else:
        document["plates"], document["plate"] = [], None
    _own_art(document, made)
    made.document = document
    made.save()
    Revision.objects.create(
        fix=made, number=1, document=document, label=f"Duplicate {fix.document['name']}"[:80], by=person(by)
    )
    tell("fix", fix=made.id, shot=shot.id, version=made.version)
    tell("order", shot=shot.id)
    fix_changed.send(Fix, fix=made, before=document)
    order_changed.send(Fix, shot=shot.id, order=made.order)
    return made


def _own_paths(document: Document, made: Fix) -> None:
    """Every path that the document names, copied."""

    def copied(number: int | None) -> int | None:
        row = Path.objects.filter(id=number).first() if number is not None else None
        return None if row is None else Path.objects.create(fix=made, nodes=row.nodes).id

    for outline in [*document["edge"]["outlines"], *document["front"]["shapes"]]:
        outline["path"] = copied(outline["path"])
        for key in outline["keys"]:
            key["path"] = copied(key["path"])
    document["protect"] = copied(document["protect"])


def _own_plates(document: Document, made: Fix) -> None:
    """Plates with their strokes; those that the recipe names."""
    active = document["plate"]
    for entry in document["plates"]:
        old = Plate.objects.get(id=entry["id"])
        row = Plate.objects.create(
            fix=made, frame=old.frame, issue=old.issue, start=old.start, average=old.average,
            picture=_own_file(old.picture, made),
        )  # fmt: skip
        if old.id == active:
            document["plate"] = row.id
        rows = Stroke.objects.in_bulk([stroke["id"] for stroke in entry["strokes"]])
        entry["id"] = row.id
        entry["strokes"] = [
            {"id": Stroke.objects.create(plate=row, data=rows[stroke["id"]].data).id, "on": stroke["on"]}
            for stroke in entry["strokes"] if stroke["id"] in rows
        ]  # fmt: skip


def _own_art(document: Document, made: Fix) -> None:
    art = document["art"]
    row = Artwork.objects.filter(id=art["id"]).first() if art else None
    if row is not None:
        copy = Artwork.objects.create(
            fix=made, file=_own_file(row.file, made), name=row.name, width=row.width, height=row.height
        )
        document["art"] = {**art, "id": copy.id}


def _own_file(place: str, made: Fix) -> str:
    """A file under the plates root copied into the new fix's folder."""
    if not place:
        return ""
    source = plates_root() / place
    own = f"{made.id}/{source.name}"
    (plates_root() / own).parent.mkdir(parents=True, exist_ok=True)
    if source.exists():
        shutil.copyfile(source, plates_root() / own)
    return own
