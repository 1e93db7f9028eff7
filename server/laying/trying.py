"""Ways to take a mark away, tried beside each other on a few frames before one is taken; nothing of the fix changes."""

from collections.abc import Iterator
from copy import deepcopy
from dataclasses import dataclass, replace

import cv2
from fixes.document import Document, fill_of, missing_part, soften_of
from fixes.models import Fix
from fixes.shape import without_proposal
from holds.current import current_hold
from jobs.pictures import as_bytes
from jobs.shelf import Shelf
from jobs.viewing import View, seen

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.fill.make import ON_THE_SURFACE
from hushcore.hold.record import Hold
from hushcore.patch.lay import lay
from hushcore.plates.plate import still_picture
from hushcore.tells.measure import judge
from laying import evidence, gathering, ready
from laying.names import digest
from laying.still import spot

WIDE = 340  # px of a crop
BEHIND = ("other frames",)


@dataclass(frozen=True)
class Way:
    """A way to take the mark away: a name, its words, and the parts of a document that it changes."""

    key: str
    words: str
    parts: Document


@dataclass(frozen=True)
class Tried:
    """A way on a frame: its crop as JPEG, and its loudest tell there."""

    crop: bytes
    tell: str
    value: float


tried_kept: Shelf = Shelf(lambda one: len(one.crop))


def ways(fix: Fix) -> list[Way]:
    """The ways that fit a fix, each as it is set now: the fix as it stands first."""
    document, bare = fix.document, deepcopy(fix.document)
    made = [Way("now", "As it stands", {})] if not missing_part(document) else []
    without_proposal(bare)  # as it goes when a fill is taken instead
    plates = {name: bare[name] for name in ("plates", "plate")}
    behind = document["stands"] or bool(document["edge"].get("hold"))
    if document["source"] == "unveil":
        return made  # nothing is held that another way could be laid on
    if _may_be_unveiled(document):
        made.append(Way("unveil", "Unveil", {"source": "unveil", **plates}))
    for kind in BEHIND if behind else ON_THE_SURFACE:
        parts = {"source": "fill", "fill": {**fill_of(document), "kind": kind}, **plates}
        if not missing_part({**document, **parts}):
            made.append(Way(kind, kind.capitalize(), parts))
    if not behind:
        made.append(Way("soften", "Soften", {"source": "soften", "soften": soften_of(document), **plates}))
        if document["plates"]:
            made += [Way(one, one.capitalize(), {"source": one}) for one in ("replace", "lift")]
    return [way for way in made if way.key == "now" or not _same(document, way.parts)]


def _may_be_unveiled(document: Document) -> bool:
    edge = document["edge"]
    keyed = any(outline["keys"] or outline["span"] for outline in edge["outlines"])
    return bool(document["stands"] and not edge.get("hold") and not keyed)


def _same(document: Document, parts: Document) -> bool:
    return all(document.get(name) == value for name, value in parts.items())


def tried(fix: Fix, key: str, frame: int) -> Tried:
    """A way on a frame. Raises HushError for a way that does not fit, or cannot be made."""
    way = next((one for one in ways(fix) if one.key == key), None)
    if way is None:
        raise HushError("This way does not fit the mark as it stands.", "bad-way")
    hold = current_hold(fix)
    said = evidence.named(fix, hold)[1]
    name = digest([fix.id, fix.document, way.parts, frame, hold.id, hold.running, ready.below_state(fix), said])
    return tried_kept.once(name, lambda: _tried(fix, way, frame))


def _tried(fix: Fix, way: Way, frame: int) -> Tried:
    asked = Fix(id=fix.id, shot=fix.shot, order=fix.order, document={**fix.document, **way.parts})
    if way.key == "unveil":
        gathering.ensure(asked, current_hold(fix))
    prepared, hold = ready.ready(asked)
    near = ready.hold_near(hold, frame, prepared.reach)
    if not near.has(frame):
        raise HushError(f"The hold does not reach frame {frame}; track to it first.", "not-held")
    laid = lay(ready.codes_below(fix, frame), frame, replace(prepared, hold=near))
    tells, _ = judge(laid, frame, replace(prepared, hold=near), None)
    return Tried(_crop(fix, laid.codes, frame, near), tells.loudest, round(getattr(tells, tells.loudest), 2))


def _crop(fix: Fix, codes: Codes, frame: int, near: Hold) -> bytes:
    rect = spot(fix)
    linear = still_picture(codes, near, frame, rect, fix.shot.clip.encoding)
    picture = seen(fix.shot.clip.encoding.encode(linear, codes.dtype), fix.shot, View())
    scale = min(2.0, WIDE / picture.shape[1])
    size = (round(picture.shape[1] * scale), round(picture.shape[0] * scale))
    return as_bytes(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), "jpg")


def frames_of(fix: Fix, frame: int) -> Iterator[int]:
    """This frame, the first and the last that are held."""
    hold = current_hold(fix)
    known = sorted({hold.anchor, *(row.frame for row in hold.known.defer("data") if not row.gone and not row.lost)})
    for number in (frame, known[0], known[-1]):
        yield min(known, key=lambda one: abs(one - number))
