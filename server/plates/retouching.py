"""Plates and the strokes on them: what can be done, each as a change of the fix's document."""

from typing import Any

import numpy as np
from fixes.document import Document, plain_outline
from fixes.models import Fix, Path
from holds.current import current_hold

from hushcore.errors import HushError
from hushcore.recipe.models import OutlineData, StrokeData, check
from plates.models import Plate, Stroke

SPOT_HARDNESS = 0.6
PROPOSED = 0  # the issue of a plate that nobody painted; whoever takes the frame gets it as it was shot
MOST_STROKES = 2000
LABELS = {"sharpen": "Sharpen texture"}


def entry_of(document: Document, plate: int | None = None) -> Document:
    """The plate that is worked on (or ``plate``) in a document. Raises HushError when there is none."""
    wanted = document["plate"] if plate is None else plate
    for entry in document["plates"]:
        if entry["id"] == wanted:
            return entry  # type: ignore[no-any-return]
    raise HushError("No plate yet: pick a frame to retouch first.", "no-plate")


def set_plate(document: Document, fix: Fix, frame: int) -> str:
    """Work on the plate of a frame, in place of the one that is worked on; its strokes stay with that one."""
    row = _row(fix, frame)
    entries = document["plates"]
    if row.id in [entry["id"] for entry in entries]:
        document["plate"] = row.id
        return f"Plate {frame}"
    kept = [entry for entry in entries if entry["id"] != document["plate"]]
    document["plates"] = [*kept, {"id": row.id, "strokes": _strokes_before(fix, row)}]
    document["plate"] = row.id
    return f"Plate {frame}"


def take_proposed(document: Document, fix: Fix, frame: int, picture: str) -> None:
    """A finished picture that nobody painted becomes the fix's only plate."""
    row = Plate.objects.create(fix=fix, frame=frame, picture=picture, issue=PROPOSED)
    document["plates"], document["plate"] = [{"id": row.id, "strokes": []}], row.id


def add_plate(document: Document, fix: Fix, frame: int) -> str:
    """Another plate beside those that are there; they share the shot."""
    row = _row(fix, frame)
    if row.id not in [entry["id"] for entry in document["plates"]]:
        document["plates"] = [*document["plates"], {"id": row.id, "strokes": _strokes_before(fix, row)}]
    document["plate"] = row.id
    return f"Plate {frame} too"


def _row(fix: Fix, frame: int) -> Plate:
    """The frame's latest plate, or a new one. Raises HushError where the hold does not reach."""
    hold = current_hold(fix)
    if frame != hold.anchor and not any(not row.lost for row in hold.on([frame])):
        raise HushError(f"The hold does not reach frame {frame} yet; let it track there first.", "not-held")
    return fix.plates.filter(frame=frame, issue__gt=PROPOSED).order_by("-issue", "-id").first() or Plate.objects.create(
        fix=fix, frame=frame
    )


def _strokes_before(fix: Fix, row: Plate) -> list[Document]:
    """The strokes that a plate had when it was last in the recipe."""
    for revision in fix.revisions.filter(number__lte=fix.revision).order_by("-number"):
        for entry in revision.document.get("plates", []):
            if entry["id"] == row.id:
                return list(entry["strokes"])
    return []


def choose_plate(document: Document, plate: int) -> str:
    """Which of the plates is worked on."""
    document["plate"] = entry_of(document, plate)["id"]
    return "Another plate"


def drop_plate(document: Document, plate: int) -> str:
    """Take a plate out of the recipe; it comes back with undo, its strokes on it."""
    entry_of(document, plate)
    document["plates"] = [entry for entry in document["plates"] if entry["id"] != plate]
    document["plate"] = document["plates"][-1]["id"] if document["plates"] else None
    return "Plate away"


def start_plate(document: Document, fix: Fix, plate: int, start: str, average: int) -> str:
    """Begin a plate from the result of the fixes below or as shot, and average it with frames round it."""
    entry, old = entry_of(document, plate), Plate.objects.get(id=plate)
    made = Plate.objects.create(
        fix=fix, frame=old.frame, picture=old.picture, issue=old.issue, start=start, average=average
    )
    entry["id"] = made.id
    document["plate"] = made.id
    return f"Average of {average + 1} frames" if average else "Plate's start"


def came_back(document: Document, fix: Fix, plate: int, picture: str) -> str:
    """A picture of the plate's frame came back from an editor: the next issue, without strokes (they are in it)."""
    entry, old = entry_of(document, plate), Plate.objects.get(id=plate)
    made = Plate.objects.create(fix=fix, frame=old.frame, picture=picture, issue=old.issue + 1, start=old.start)
    entry["id"], entry["strokes"] = made.id, []
    document["plate"] = made.id
    return f"Plate {old.frame} back, issue {made.issue}"


def use_issue(document: Document, fix: Fix, plate: int, issue: int) -> str:
    """Go back to another issue of a plate, with the strokes that it had."""
    entry = entry_of(document, plate)
    row = fix.plates.filter(id=issue, frame=Plate.objects.get(id=plate).frame).first()
    if row is None:
        raise HushError("This issue of the plate is not there any more.", "not-found")
    entry["id"], entry["strokes"] = row.id, _strokes_before(fix, row)
    document["plate"] = row.id
    return f"Plate {row.frame}, issue {row.issue}"


def add_stroke(document: Document, fix: Fix, data: StrokeData) -> str:
    """Lay a stroke on the plate. Raises HushError when there is no plate or the brush has no donor."""
    return add_strokes(document, fix, [data])


def add_strokes(document: Document, fix: Fix, many: list[StrokeData]) -> str:
    """Lay strokes on the plate as one change."""
    entry = entry_of(document)
    if len(entry["strokes"]) + len(many) > MOST_STROKES:
        raise HushError(
            f"A plate holds up to {MOST_STROKES} strokes; send it out and back to go on from there.", "full"
        )
    within = protecting(document)
    made = []
    for data in many:
        data = data.model_copy(update={"within": within}) if within is not None and data.within is None else data
        data.stroke().check()
        made.append(Stroke.objects.create(plate_id=entry["id"], data=data.model_dump(mode="json")))
    entry["strokes"] = [*entry["strokes"], *({"id": stroke.id, "on": True} for stroke in made)]
    kind = many[0].kind
    return LABELS.get(kind, kind.capitalize()) if len(many) == 1 else f"{len(many)} spots"


def protecting(document: Document) -> list[tuple[float, float]] | None:
    """The protecting outline as a polygon, or None."""
    path = Path.objects.filter(id=document["protect"]).first() if document["protect"] else None
    if path is None:
        return None
    outline = check({**_plain(), "nodes": path.nodes}, OutlineData, "The protecting outline").outline()
    return [(float(x), float(y)) for x, y in np.round(outline.at(0).line(True)[0], 2)]


def _plain() -> dict[str, Any]:
    return {name: value for name, value in plain_outline(None).items() if name != "path"}


def set_protect(document: Document, fix: Fix, nodes: list[dict[str, Any]] | None) -> str:
    """An outline that strokes must not leave, or none."""
    if nodes is None:
        document["protect"] = None
        return "No protecting outline"
    check({**_plain(), "nodes": nodes}, OutlineData, "The protecting outline").outline()
    document["protect"] = Path.objects.create(fix=fix, nodes=nodes).id
    return "Protecting outline"


def set_strokes(document: Document, fix: Fix, strokes: list[dict[str, Any]]) -> str:
    """Switch, reorder or take away strokes."""
    entry = entry_of(document)
    known = {stroke["id"] for stroke in entry["strokes"]}
    if len({stroke["id"] for stroke in strokes}) != len(strokes) or not {e["id"] for e in strokes} <= known:
        raise HushError("The stroke list names a stroke that is not there.", "bad-stroke")
    entry["strokes"] = [{"id": stroke["id"], "on": bool(stroke["on"])} for stroke in strokes]
    return "Strokes"


def edit_stroke(document: Document, fix: Fix, stroke: int, changes: dict[str, Any]) -> str:
    """Another donor, size, opacity, band or place for a stroke that is laid already."""
    entry = entry_of(document)
    if stroke not in [known["id"] for known in entry["strokes"]]:
        raise HushError("The stroke list names a stroke that is not there.", "bad-stroke")
    old = Stroke.objects.get(id=stroke)
    donor = {**old.data["donor"], **changes.pop("donor", {})}
    data = check({**old.data, **changes, "donor": donor}, StrokeData, "The stroke")
    data.stroke().check()
    made = Stroke.objects.create(plate_id=entry["id"], data=data.model_dump(mode="json"))
    entry["strokes"] = [{**known, "id": made.id} if known["id"] == stroke else known for known in entry["strokes"]]
    return "Edit stroke"
