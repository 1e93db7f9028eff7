"""What can be done with a fix: each change checks the version, writes a revision and tells the open screens."""

import shutil
from collections.abc import Callable
from copy import deepcopy
from typing import Any

from config.errors import Conflict
from config.events import tell
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.db.models import Max
from jobs.models import Shot

from fixes import propose
from fixes.models import Artwork, Fix, Hold, Path, Plate, Revision, Stroke, blank_document
from hushcore.errors import HushError
from hushcore.hold.overlay import stands_still
from hushcore.recipe.models import EdgeData, FixData, MethodData, OutlineData, StrokeData, check

Document = dict[str, Any]
Change = Callable[[Document], str]


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
    _keep(fix, document, label, by)
    return fix


def locked(fix_id: int, version: int) -> Fix:
    """The fix, locked for this transaction. Raises Conflict or HushError (not-found)."""
    fix = Fix.objects.select_for_update().filter(id=fix_id).first()
    if fix is None:
        raise HushError("This fix was taken away in another window.", "not-found")
    if fix.version != version:
        raise Conflict(document_out(fix))
    return fix


def _keep(fix: Fix, document: Document, label: str, by: AbstractBaseUser | None) -> None:
    fix.revisions.filter(number__gt=fix.revision).delete()
    fix.revision += 1
    fix.version += 1
    fix.document = document
    fix.save()
    Revision.objects.create(fix=fix, number=fix.revision, document=document, label=label, by=_person(by))
    changed(fix)


def changed(fix: Fix) -> None:
    """Tell the screens, and have the tells measured anew: this fix's and those of the fixes that lie on it."""
    from fixes import judging

    tell("fix", fix=fix.id, shot=fix.shot_id, version=fix.version)
    judging.ask(fix.shot_id, fix.order)


def _person(by: AbstractBaseUser | None) -> Any:
    return by if by is not None and by.is_authenticated else None


@transaction.atomic
def step(fix_id: int, version: int, by: int) -> Fix:
    """Undo (-1) or redo (+1)."""
    fix = locked(fix_id, version)
    found = fix.revisions.filter(number=fix.revision + by).first()
    if found is None:
        raise HushError("There is nothing to undo." if by < 0 else "There is nothing to redo.", "no-revision")
    fix.revision, fix.document = found.number, found.document
    fix.version += 1
    fix.save()
    changed(fix)
    return fix


def circle(shot: Shot, frame: int, loop: list[tuple[float, float]], by: AbstractBaseUser | None) -> Fix:
    """A new fix from a loop round a mark on ``frame``: ground, anchor, edge, whether the mark stands in the frame; it starts
    to track, and the worker chooses the surface by trying.

    The slow part (looking whether the mark stands) is done before the transaction.
    """
    from fixes import holding

    clip = shot.clip
    media = clip.media()
    outline = propose.check_loop(loop, clip.width, clip.height)
    media.check_range(frame, frame)
    stands = not clip.missing and stands_still(media.read, outline, frame, shot.first, shot.last)
    ground = propose.ground_of(outline, frame, clip.width, clip.height, stands)
    with transaction.atomic():
        order = (shot.fixes.aggregate(top=Max("order"))["top"] or 0) + 1
        document = blank_document(f"Fix {order}")
        fix = Fix.objects.create(shot=shot, order=order, document=document)
        path = Path.objects.create(fix=fix, nodes=propose.edge_nodes(outline))
        hold = holding.begin(fix, ground, MethodData())
        document = deepcopy(document)
        document["stands"] = stands
        document["edge"] = {"outlines": [plain_outline(path.id)], "growth": 0.0, "softness": 14.0, "inside": 0.0}
        document["hold"] = hold.id
        fix.document = document
        fix.save()
        Revision.objects.create(fix=fix, number=1, document=document, label="Circle", by=_person(by))
        shot.status = Shot.Status.IN_HAND
        shot.save(update_fields=["status"])
        tell("fix", fix=fix.id, shot=shot.id, version=fix.version)
    return fix


def plain_outline(path: int | None) -> Document:
    """An outline as a document has it: a path that is added and stays as it is."""
    return {"path": path, "keys": [], "takes": False, "width": None, "span": None}


def current_hold(fix: Fix) -> Hold:
    """The fix's hold. Raises HushError when it has none."""
    hold = Hold.objects.filter(id=fix.document["hold"]).first() if fix.document["hold"] else None
    if hold is None:
        raise HushError("No hold yet: circle the mark or draw the ground.", "no-hold")
    hold.fix = fix  # it is at hand: no need to look it up again
    return hold


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


@transaction.atomic
def take_away(fix_id: int, version: int) -> None:
    """Delete a fix for good, its tracking stopped first; the pictures that came back for it go with it."""
    from fixes import holding, judging, ready

    fix = locked(fix_id, version)
    for hold in fix.holds.all():
        holding.stop(hold)
    tell("fix", fix=fix.id, shot=fix.shot_id, gone=True)
    shot, order = fix.shot_id, fix.order
    pictures = ready.plates_root() / str(fix.id)
    transaction.on_commit(lambda: shutil.rmtree(pictures, ignore_errors=True))
    fix.delete()
    judging.ask(shot, order)  # those above it now lie on something else


@transaction.atomic
def reorder(shot: Shot, ids: list[int]) -> None:
    """Lay a shot's fixes in another order. Raises HushError when ``ids`` are not exactly its fixes."""
    from fixes import judging

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
        judging.ask(shot.id, moved[0])


def is_off(document: Document, frame: int) -> bool:
    """Whether the fix is off on a frame."""
    return any(first <= frame <= last for first, last in document.get("off", []))


def missing_part(document: Document) -> str:
    """What a fix still lacks to be laid, in words; empty when nothing."""
    if document["hold"] is None:
        return "No hold yet: circle the mark."
    if not document["edge"]["outlines"]:
        return "No edge yet: draw it round the mark."
    if not document["plates"]:
        return "No plate yet: pick a frame to retouch."
    if document["source"] == "insert" and document["art"] is None:
        return "No artwork yet: bring in a picture to put on."
    return ""


def strokes_of(entry: Document) -> list[tuple[int, StrokeData]]:
    """The strokes of a plate's entry that are on, in order, with their ids."""
    rows = Stroke.objects.in_bulk([stroke["id"] for stroke in entry["strokes"]])
    return [
        (stroke["id"], StrokeData.model_validate(rows[stroke["id"]].data))
        for stroke in entry["strokes"]
        if stroke["on"] and stroke["id"] in rows
    ]


def outline_of(outline: Document) -> Document:
    """An outline of a document as the engine's OutlineData, its points read from the paths that it names."""
    wanted = [outline["path"], *(key["path"] for key in outline["keys"])]
    rows = Path.objects.in_bulk([number for number in wanted if number is not None])
    plain = {name: outline[name] for name in ("takes", "width", "span")}
    keys = [{"frame": key["frame"], "nodes": rows[key["path"]].nodes} for key in outline["keys"]]
    return {**plain, "keys": keys, "nodes": rows[outline["path"]].nodes if outline["path"] in rows else None}


def edge_data(document: Document) -> EdgeData:
    """The edge for the engine. Raises HushError when there is none."""
    edge = document["edge"]
    if not edge["outlines"]:
        raise HushError("No edge yet: draw it round the mark.", "incomplete")
    first, *more = (outline_of(outline) for outline in edge["outlines"])
    numbers = {name: edge[name] for name in ("growth", "softness", "inside")}
    return check({**first, "more": more, **numbers}, EdgeData, "The edge")


def mark_of(document: Document) -> Any:
    """The first outline as a polygon (n, 2) on the still surface, or None."""
    if not document["edge"]["outlines"]:
        return None
    outline = OutlineData.model_validate(outline_of(document["edge"]["outlines"][0])).outline()
    return outline.at(outline.keys[0][0]).line(outline.width is None)[0]


def fix_data(document: Document) -> FixData:
    """The document as the engine's recipe. Raises HushError when a part is missing."""
    lacking = missing_part(document)
    if lacking:
        raise HushError(lacking, "incomplete")
    rows = Plate.objects.in_bulk([entry["id"] for entry in document["plates"]])
    art = Artwork.objects.filter(id=document["art"]["id"]).first() if document["art"] else None
    return check(
        {
            "name": document["name"], "on": document["on"], "hold": f"hold-{document['hold']}.json",
            "edge": edge_data(document).model_dump(),
            "plates": [
                {
                    "frame": rows[entry["id"]].frame, "picture": rows[entry["id"]].picture or None,
                    "start": rows[entry["id"]].start, "average": rows[entry["id"]].average,
                    "strokes": [data.model_dump() for _, data in strokes_of(entry)],
                }
                for entry in document["plates"]
            ],
            "source": document["source"], "blend": document["blend"], "stands": document["stands"],
            "art": None if art is None else {
                "picture": art.file, **{name: document["art"][name] for name in ("corners", "mode", "opacity")},
            },
            "front": {
                "auto": document["front"]["auto"], "shapes": [outline_of(shape) for shape in document["front"]["shapes"]],
            },
            "match": document["match"], "off": document.get("off", []),
        },
        FixData,
        document["name"],
    )  # fmt: skip
