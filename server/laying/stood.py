"""A shot as it stood once: its fixes' documents of then, whatever has become of them since."""

import hashlib
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from fixes.document import is_off
from fixes.models import Fix
from jobs.models import Shot
from plates.models import Plate

import hushcore
from hushcore.errors import HushError
from hushcore.hold.record import Hold as EngineHold
from hushcore.patch.fix import Fix as ReadyFix
from laying import gathering, ready
from laying.names import digest, recipe_of

Entries = Sequence[dict[str, Any]]
READ_ALONG = ("fill", "retrace")  # sources that are made ready from more frames than their plates'


def as_it_stood(shot: Shot, entries: Entries) -> Shot:
    """The shot with fixes as ``entries`` ({fix, document}) have them, in that order. Raises HushError for a fix that was
    deleted for good."""
    rows = Fix.every.in_bulk([entry["fix"] for entry in entries])
    then = Shot.objects.select_related("clip", "job").get(id=shot.id)
    then.look = shot.look
    fixes = []
    for number, entry in enumerate(entries, 1):
        if entry["fix"] not in rows:
            raise HushError("A fix that this was made of was deleted for good; it can only be made anew.", "incomplete")
        fix = rows[entry["fix"]]
        fix.document, fix.order, fix.shot = entry["document"], number, then
        fixes.append(fix)
    known = Fix.objects.filter(shot=then)
    known._result_cache = fixes  # what the shot's fixes are read from, here and in all that asks the shot for them
    known._prefetch_done = True
    then._prefetched_objects_cache = {"fixes": known}  # type: ignore[attr-defined]
    return then


def entries_of(shot: Shot) -> list[dict[str, Any]]:
    """How a shot's fixes stand now."""
    return [{"fix": fix.id, "document": fix.document} for fix in shot.fixes.all()]


def prepared(then: Shot) -> list[ready.Layer]:
    """The fixes of a shot as it stood, made ready with what the shot says of each. Raises HushError for one that cannot be."""
    made = []
    for fix in then.fixes.all():
        if not fix.document["on"]:
            continue
        gathering.ensure(fix, ready.current_hold(fix))
        made.append(ready.layer(fix))
    return made


def on_frame(layers: Sequence[ready.Layer], frame: int) -> list[tuple[ready.Layer, ReadyFix]]:
    """The fixes that lie on a frame, each with the part of its hold that the frame needs."""
    found = []
    for layer in layers:
        if is_off(layer.fix.document, frame):
            continue
        near = ready.hold_near(layer.hold, frame, layer.prepared.reach)
        found.append((layer, replace(layer.prepared, hold=near)))
    return found


def name_of(then: Shot, lying: Sequence[tuple[ready.Layer, ReadyFix]], frame: int) -> str:
    """A name for all that makes a frame's pixels: its source, the fixes on it and the code that lays them. A correction of a
    hold elsewhere does not change it."""
    parts = [_lies(layer, fix.hold) for layer, fix in lying]
    return digest([list(map(str, then.clip.media().stamp(frame))), str(then.clip.encoding), parts, code_name()])


def _lies(layer: ready.Layer, near: EngineHold) -> list[Any]:
    document, plan = layer.fix.document, layer.prepared.plan
    same = {name: value for name, value in recipe_of(document).items() if name not in ("hold", "off")}
    held: list[Any] = [layer.hold.id]  # other frames of the hold were read to make it ready
    if not (plan.stands or plan.source in READ_ALONG or document["edge"].get("hold")):
        rows = Plate.objects.filter(id__in=[entry["id"] for entry in document["plates"]]).order_by("frame", "id")
        held = [ready.held_name(ready.hold_near(layer.hold, row.frame, max(1, row.average))) for row in rows]
    return [layer.fix.id, same, ready.held_name(near), held, layer.evidence_name, layer.below]


@lru_cache(maxsize=1)
def code_name() -> str:
    """A name for the engine's code: what another engine made is not taken over."""
    whole = hashlib.sha256()
    root = Path(hushcore.__file__).parent
    for path in sorted(root.rglob("*.py")):
        whole.update(path.relative_to(root).as_posix().encode() + path.read_bytes())
    return whole.hexdigest()[:16]
