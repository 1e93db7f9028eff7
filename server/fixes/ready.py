"""Fixes prepared for looking and delivering, kept in memory while their documents stand."""

import hashlib
import json
from dataclasses import replace
from typing import Any

import numpy as np
from jobs.models import Clip, Shot
from jobs.pictures import codes_of
from jobs.shelf import Shelf

from fixes import actions
from fixes.models import Fix, Hold, Plate
from hushcore.arrays import Rect
from hushcore.errors import HushError
from hushcore.hold.record import Hold as EngineHold
from hushcore.patch.fix import Fix as ReadyFix
from hushcore.patch.fix import make_fix
from hushcore.plates import plate as plates
from hushcore.retouch.strokes import paint

PLANE_SHOWS = 0.25  # of the ground's size, beyond it on every side
PLATE_BYTES, FIX_BYTES = 400_000_000, 200_000_000  # kept in memory


plates_kept: Shelf = Shelf(PLATE_BYTES, lambda plate: int(plate.original.nbytes + plate.painted.nbytes))
fixes_kept: Shelf = Shelf(FIX_BYTES, lambda fix: int(4 * fix.matte.nbytes + fix.original.nbytes + fix.painted.nbytes))


def hold_near(hold: Hold, frame: int) -> EngineHold:
    """The engine's hold with the frames that patching ``frame`` needs: itself and its neighbours."""
    engine = hold.engine(frames=False)
    for row in hold.on([frame - 1, frame, frame + 1]):
        engine.frames[row.frame] = row.engine()
    return engine


def view_rect(hold: Hold, engine: EngineHold) -> Rect:
    """What the Still view shows: always the same place round the ground, so that it holds still."""
    width, height = engine.size
    if engine.grid is not None:
        return engine.grid.rect.grown(plates.BESIDE).clipped(width, height)
    ground = Rect.around(np.concatenate([np.array(shape, float) for shape in hold.ground["read"]]))
    beside = plates.BESIDE + int(PLANE_SHOWS * max(ground.width, ground.height))
    return ground.grown(beside).clipped(width, height)


def painted_plate(document: dict[str, Any], hold: Hold, clip: Clip) -> plates.Plate:
    """The document's plate; strokes are laid onto the longest part of the list that is already kept."""
    row = Plate.objects.get(id=document["plate"])
    strokes = actions.strokes_of(document)
    ids = tuple(number for number, _ in strokes)
    base = (row.id, hold.id if row.frame != hold.anchor else 0, clip.encoding)
    for count in range(len(ids), -1, -1):
        found = plates_kept.get((base, ids[:count]))
        if found is not None:
            break
    else:
        count = 0
        engine = hold_near(hold, row.frame)
        found = plates.make_plate(codes_of(clip.media(), row.frame), engine, row.frame, [], encoding=clip.encoding)
        plates_kept.put((base, ()), found)
    if count == len(ids):
        return found
    painted = found.painted.copy()
    paint(painted, found.original, found.rect, [data.stroke() for _, data in strokes[count:]])
    return plates_kept.put((base, ids), replace(found, painted=painted))


def ready(fix: Fix) -> tuple[ReadyFix, Hold]:
    """A fix prepared from its document. Raises HushError when a part is missing."""
    document = fix.document
    data = actions.fix_data(document)
    hold = actions.current_hold(fix)
    key = (
        fix.id,
        hold.id,
        fix.shot.clip.encoding,
        digest({k: document[k] for k in ("edge", "plate", "strokes", "match")}),
    )

    def make() -> ReadyFix:
        plate = painted_plate(document, hold, fix.shot.clip)
        return make_fix(hold.engine(frames=False), data.edge.edge(), plate, data.match.light, data.match.blur)

    return fixes_kept.once(key, make), hold


def digest(data: Any) -> str:
    """A short name for plain data."""
    return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()[:24]


def stack(shot: Shot, frame: int, but: int | None = None) -> tuple[list[ReadyFix], str]:
    """The fixes that can be laid on a frame, in order, and a name for exactly this state."""
    laid, names = [], []
    for fix in shot.fixes.select_related("shot__clip").all():
        document = fix.document
        if fix.id == but or not document["on"] or actions.is_off(document, frame) or actions.missing_part(document):
            continue
        try:
            prepared, hold = ready(fix)
        except HushError:
            continue  # its stage says what is wrong; looking goes on
        near = hold_near(hold, frame)
        if not near.has(frame):
            continue
        laid.append(replace(prepared, hold=near))
        held = [(n, digest(np.asarray(f.params).tolist())) for n, f in sorted(near.frames.items())]
        names.append(digest([fix.id, document, held]))
    return laid, digest(names)
