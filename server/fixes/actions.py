"""What can be done with a fix: each change checks the version, writes a revision and tells the open screens."""

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
from fixes.models import Fix, Hold, Path, Plate, Revision, Stroke, blank_document
from hushcore.errors import HushError
from hushcore.recipe.models import EdgeData, FixData, GroundData, MatchData, MethodData, StrokeData, check

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
    tell("fix", fix=fix.id, shot=fix.shot_id, version=fix.version)


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
    tell("fix", fix=fix.id, shot=fix.shot_id, version=fix.version)
    return fix


def circle(shot: Shot, frame: int, loop: list[tuple[float, float]], by: AbstractBaseUser | None) -> Fix:
    """A new fix from a loop round a mark on ``frame``: ground, kind of hold, anchor, edge; it starts to track.

    The slow part (trying both kinds of hold on a few frames) is done before the transaction.
    """
    from fixes import holding

    clip = shot.clip
    media = clip.media()
    outline = propose.check_loop(loop, clip.width, clip.height)
    ground = GroundData(anchor=frame, read=[propose.ground_around(outline, clip.width, clip.height)])
    media.check_range(frame, frame)
    kind = propose.better_kind(media.read, ground.ground(), frame, shot.last, shot.first)
    with transaction.atomic():
        order = (shot.fixes.aggregate(top=Max("order"))["top"] or 0) + 1
        document = blank_document(f"Fix {order}")
        fix = Fix.objects.create(shot=shot, order=order, document=document)
        path = Path.objects.create(fix=fix, nodes=propose.edge_nodes(outline))
        hold = holding.begin(fix, ground, MethodData(kind=kind))
        document = deepcopy(document)
        document["edge"] = {**document["edge"], "path": path.id, "growth": 0.0, "softness": 14.0}
        document["hold"] = hold.id
        fix.document = document
        fix.save()
        Revision.objects.create(fix=fix, number=1, document=document, label="Circle", by=_person(by))
        shot.status = Shot.Status.IN_HAND
        shot.save(update_fields=["status"])
        tell("fix", fix=fix.id, shot=shot.id, version=fix.version)
    return fix


def current_hold(fix: Fix) -> Hold:
    """The fix's hold. Raises HushError when it has none."""
    hold = Hold.objects.filter(id=fix.document["hold"]).first() if fix.document["hold"] else None
    if hold is None:
        raise HushError("No hold yet: circle the mark or draw the ground.", "no-hold")
    return hold


def set_edge(document: Document, fix: Fix, nodes: list[dict[str, Any]] | None, growth: float, softness: float) -> str:
    """Another outline, growth or softness. Raises HushError for an outline without area."""
    edge = document["edge"]
    outline = nodes if nodes is not None else Path.objects.get(id=edge["path"]).nodes if edge["path"] else []
    data = check({"nodes": outline, "growth": growth, "softness": softness}, EdgeData, "The edge")
    data.edge().check()
    path = edge["path"]
    if nodes is not None:
        path = Path.objects.create(fix=fix, nodes=[node.model_dump(mode="json") for node in data.nodes or []]).id
    document["edge"] = {"path": path, "growth": growth, "softness": softness}
    return "Edge" if nodes is not None else "Growth and softness"


def set_plate(document: Document, fix: Fix, frame: int) -> str:
    """Take another frame as the plate; the strokes made on another plate stay with that one."""
    hold = current_hold(fix)
    if frame != hold.anchor and not any(not row.lost for row in hold.on([frame])):
        raise HushError(f"The hold does not reach frame {frame} yet; let it track there first.", "not-held")
    plate = fix.plates.filter(frame=frame, picture="").first() or Plate.objects.create(fix=fix, frame=frame)
    document["plate"] = plate.id
    document["strokes"] = []
    return f"Plate {frame}"


def add_stroke(document: Document, fix: Fix, data: StrokeData) -> str:
    """Lay a stroke on the plate. Raises HushError when there is no plate or the brush has no donor."""
    if document["plate"] is None:
        raise HushError("No plate yet: pick a frame to retouch first.", "no-plate")
    data.stroke().check()
    stroke = Stroke.objects.create(plate_id=document["plate"], data=data.model_dump(mode="json"))
    document["strokes"] = [*document["strokes"], {"id": stroke.id, "on": True}]
    return "Restore" if data.kind == "restore" else "Clone"


def set_strokes(document: Document, fix: Fix, strokes: list[dict[str, Any]]) -> str:
    """Switch, reorder or take away strokes."""
    known = {entry["id"] for entry in document["strokes"]}
    if len({entry["id"] for entry in strokes}) != len(strokes) or not {e["id"] for e in strokes} <= known:
        raise HushError("The stroke list names a stroke that is not there.", "bad-stroke")
    document["strokes"] = [{"id": entry["id"], "on": bool(entry["on"])} for entry in strokes]
    return "Strokes"


def set_match(document: Document, match: MatchData) -> str:
    """Another light mode, or blur on or off."""
    document["match"] = match.model_dump(mode="json")
    return "Match"


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
    """Delete a fix for good, its tracking stopped first."""
    from fixes import holding

    fix = locked(fix_id, version)
    for hold in fix.holds.all():
        holding.stop(hold)
    tell("fix", fix=fix.id, shot=fix.shot_id, gone=True)
    fix.delete()


def strokes_of(document: Document) -> list[tuple[int, StrokeData]]:
    """The strokes that are on, in order, with their ids."""
    rows = Stroke.objects.in_bulk([entry["id"] for entry in document["strokes"]])
    return [
        (entry["id"], StrokeData.model_validate(rows[entry["id"]].data))
        for entry in document["strokes"]
        if entry["on"] and entry["id"] in rows
    ]


def is_off(document: Document, frame: int) -> bool:
    """Whether the fix is off on a frame."""
    return any(first <= frame <= last for first, last in document.get("off", []))


def missing_part(document: Document) -> str:
    """What a fix still lacks to be laid, in words; empty when nothing."""
    if document["hold"] is None:
        return "No hold yet: circle the mark."
    if document["edge"]["path"] is None:
        return "No edge yet: draw it round the mark."
    if document["plate"] is None:
        return "No plate yet: pick a frame to retouch."
    return ""


def fix_data(document: Document) -> FixData:
    """The document as the engine's recipe. Raises HushError when a part is missing."""
    lacking = missing_part(document)
    if lacking:
        raise HushError(lacking, "incomplete")
    edge = document["edge"]
    nodes = Path.objects.get(id=edge["path"]).nodes
    plate = Plate.objects.get(id=document["plate"])
    return check(
        {
            "name": document["name"], "on": document["on"], "hold": f"hold-{document['hold']}.json",
            "edge": {"nodes": nodes, "growth": edge["growth"], "softness": edge["softness"]},
            "plate": {"frame": plate.frame, "strokes": [data.model_dump() for _, data in strokes_of(document)]},
            "match": document["match"], "off": document.get("off", []),
        },
        FixData,
        document["name"],
    )  # fmt: skip
