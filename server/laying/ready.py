"""Fixes prepared for looking and delivering, kept in memory while their documents stand."""

import hashlib
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from fixes.document import fill_of, is_off, missing_part
from fixes.models import Fix
from holds.current import current_hold
from holds.models import Hold
from jobs.models import Shot, inside_root
from jobs.pictures import codes_of, frame_key
from jobs.shelf import Shelf
from jobs.viewing import View, look_name
from plates import retouching
from plates.models import Artwork, Plate
from plates.root import plates_root

from hushcore.arrays import F32, Codes, Rect
from hushcore.errors import HushError
from hushcore.hold.record import Hold as EngineHold
from hushcore.media.pictures import read_codes
from hushcore.patch.filling import on_its_own
from hushcore.patch.fix import Fix as ReadyFix
from hushcore.patch.fix import make_fix, reach_of
from hushcore.patch.lay import lay_all
from hushcore.patch.plan import ON_ITS_OWN, Plan
from hushcore.plates import plate as plates
from hushcore.recipe.build import build_art
from hushcore.recipe.models import ArtData, MatchData, check
from hushcore.retouch.strokes import Canvas, paint
from laying import bases, behind, evidence
from laying.names import digest, recipe_of
from laying.recipe import fix_data, strokes_of

PARTS = ("edge", "plates", "source", "blend", "art", "front", "stands", "match", "fill", "soften")
PLANE_SHOWS = 0.25  # of the ground's size, beyond it on every side
LOOKED_AT = "What shows through the mark is read from the shot's frames; it is laid as soon as that is done."
SNAPSHOT_EVERY = 64  # strokes: editing an early one repaints from the last picture before it


def _fix_bytes(fix: ReadyFix) -> int:
    parts = {id(p): p.nbytes for sheet in fix.sheets for p in vars(sheet).values() if isinstance(p, np.ndarray)}
    sheets = sum(parts.values())
    return int(sheets + (8 * fix.matte.nbytes if fix.matte is not None else 0))


plates_kept: Shelf = Shelf(lambda plate: int(plate.original.nbytes + plate.painted.nbytes))
behind_kept: Shelf = Shelf(lambda made: sum(int(plate.original.nbytes) for _, plate in made))
fixes_kept: Shelf = Shelf(_fix_bytes)
patched_kept: Shelf = Shelf(lambda codes: int(codes.nbytes))


def hold_near(hold: Hold, frame: int, reach: int = 1) -> EngineHold:
    """The engine's hold with the frames that patching ``frame`` needs: itself and its neighbours."""
    engine = hold.engine(frames=False)
    for row in hold.on(list(range(frame - reach, frame + reach + 1))):
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


def painted_plate(fix: Fix, entry: dict[str, Any], hold: Hold) -> plates.Plate:
    """A plate of the recipe; strokes are laid onto the longest part of the list that is already kept."""
    row = Plate.objects.get(id=entry["id"])
    strokes = strokes_of(entry)
    ids = tuple(number for number, _ in strokes)
    begun = bases.begun_name(fix) if not row.picture else ""
    base = (row.id, hold.id if row.frame != hold.anchor else 0, fix.shot.clip.encoding, below_state(fix), begun)
    for count in range(len(ids), -1, -1):
        found = plates_kept.get((base, ids[:count]))
        if found is not None:
            break
    else:
        count, found = 0, plates_kept.put((base, ()), _bare_plate(fix, row, hold))
    donors = _Donors(fix, hold, found.rect)
    while count < len(ids):
        upto = min(len(ids), (count // SNAPSHOT_EVERY + 1) * SNAPSHOT_EVERY)
        painted = found.painted.copy()
        paint(
            Canvas(painted, found.original, found.rect, found.encoding, donors),
            [data.stroke() for _, data in strokes[count:upto]],
        )
        found = plates_kept.put((base, ids[:upto]), replace(found, painted=painted))
        count = upto
    return found


def _bare_plate(fix: Fix, row: Plate, hold: Hold) -> plates.Plate:
    """A plate before any stroke."""
    clip = fix.shot.clip
    engine = hold_near(hold, row.frame)
    start = None
    if row.average:
        start = plates.averaged(
            lambda n: codes_below(fix, n),
            hold_near(hold, row.frame, row.average),
            row.frame,
            row.average,
            clip.encoding,
        )
    elif row.start == "shot":
        rect = plates.still_rect(engine, row.frame)
        start = plates.still_picture(codes_of(clip.media(), row.frame), engine, row.frame, rect, clip.encoding)
    finished = read_codes(inside_root(plates_root(), row.picture)) if row.picture else None
    codes = codes_below(fix, row.frame)
    made = plates.make_plate(codes, engine, row.frame, [], finished, encoding=clip.encoding, start=start)
    return made if row.picture else _begun(fix, hold, row.frame, made, codes)


def _begun(fix: Fix, hold: Hold, frame: int, made: plates.Plate, codes: Codes) -> plates.Plate:
    return bases.begun(fix, hold, frame, made, codes, lambda n: codes_below(fix, n), below_state(fix))


class _Donors:
    """Other frames on the still surface, each pulled back once a painting."""

    def __init__(self, fix: Fix, hold: Hold, rect: Rect) -> None:
        self.fix, self.hold, self.rect = fix, hold, rect
        self.kept: dict[int, F32] = {}

    def __call__(self, frame: int) -> F32:
        if frame not in self.kept:
            engine = hold_near(self.hold, frame)
            if not engine.has(frame):
                raise HushError(f"The hold does not reach frame {frame}, which a stroke takes from.", "not-held")
            codes = codes_below(self.fix, frame)
            self.kept[frame] = plates.still_picture(codes, engine, frame, self.rect, self.fix.shot.clip.encoding)
        return self.kept[frame]


def based_plates(fix: Fix, hold: Hold, plan: Plan) -> list[tuple[int, plates.Plate]]:
    """The fix's plates, each with its frame, painted as they stand; of a source that needs none, first the anchor frame as
    the source makes it."""
    if plan.unveils:
        return []
    own = [(Plate.objects.get(id=e["id"]).frame, painted_plate(fix, e, hold)) for e in fix.document["plates"]]
    if plan.source not in (*ON_ITS_OWN, "fill"):
        return own
    if plan.from_others:
        key = _base_key(fix, hold)
        return behind_kept.once(
            key, lambda: behind.plates(fix, hold, plan, digest(list(map(str, key))), _reader(fix), own)
        )
    base = plates_kept.once(_base_key(fix, hold), lambda: _base_plate(fix, hold, plan))
    return [(hold.anchor, base), *(own if plan.source == "fill" else ())]


def _reader(fix: Fix) -> Callable[[int], Codes]:
    return lambda frame: codes_below(fix, frame)


def _base_key(fix: Fix, hold: Hold) -> Any:
    document = fix.document
    parts = {name: document.get(name) for name in ("edge", "source", "fill", "soften", "stands")}
    if document["source"] == "retrace" or fill_of(document)["rest"] == "plate":
        parts["plates"] = document["plates"]
    return ("base", hold.id, hold.running, fix.shot.clip.encoding, below_state(fix), digest(parts))


def _base_plate(fix: Fix, hold: Hold, plan: Plan) -> plates.Plate:
    codes, engine, encoding = codes_below(fix, hold.anchor), hold_near(hold, hold.anchor), fix.shot.clip.encoding
    made = plates.make_plate(codes, engine, hold.anchor, [], None, encoding)
    if plan.source in ON_ITS_OWN:
        return on_its_own(made, hold.anchor, plan, _Donors(fix, hold, made.rect))
    return _begun(fix, hold, hold.anchor, made, codes)


def ready(fix: Fix) -> tuple[ReadyFix, Hold]:
    """A fix prepared from its document. Raises HushError when a part is missing."""
    return _prepared(fix, below_state(fix))[:2]


def _prepared(fix: Fix, below: str) -> tuple[ReadyFix, Hold, str]:
    """A fix made ready on what lies ``below``, its hold, and the name of its evidence."""
    document = fix.document
    hold = current_hold(fix)
    said, evidence_name = evidence.named(fix, hold)
    parts = {k: document.get(k) for k in PARTS}
    key = (fix.id, hold.id, hold.running, fix.shot.clip.encoding, below, digest([parts, evidence_name]))

    def make() -> ReadyFix:
        data, plan = fix_data(document), bases.plan_of(fix)
        made = based_plates(fix, hold, plan)
        # plates must be found on their own frames, donors on all
        whole = plan.stands or said.standing is not None or plan.source == "retrace"
        engine = hold.engine(frames=whole)
        art = _art(fix, data.art)
        donor = bases.donor_of(fix)
        if plan.unveils and not evidence.is_settled(fix, hold):
            raise HushError(LOOKED_AT, "not-yet")
        encoding = fix.shot.clip.encoding
        prepared = make_fix(engine, plan, made, said, art, lambda n: codes_below(fix, n), fix.id, donor, encoding)
        return replace(prepared, hold=hold.engine(frames=False)) if whole else prepared

    return fixes_kept.once(key, make), hold, evidence_name


def _art(fix: Fix, data: ArtData | None) -> Any:
    if data is None:
        return None
    row = Artwork.objects.get(id=fix.document["art"]["id"])
    return build_art(data, inside_root(plates_root(), row.file), fix.shot.clip.encoding)


def below_state(fix: Fix) -> str:
    """A name for all that the fixes below do; empty when there are none."""
    return _lower_state([
        other for other in fix.shot.fixes.all()
        if other.order < fix.order and other.document["on"] and not missing_part(other.document)
    ])  # fmt: skip


def _lower_state(lower: list[Fix]) -> str:
    return digest([[other.id, recipe_of(other.document)] for other in lower]) if lower else ""


def codes_below(fix: Fix, frame: int) -> Codes:
    """A frame with the fixes below this one laid in."""
    return laid_codes(fix.shot, frame, fix.order)


Stack = tuple[list[ReadyFix], str]
NOTHING = digest([])  # the state of a frame on which nothing is laid


def held_name(near: EngineHold) -> str:
    """A name for where a hold lies on the few frames that it knows."""
    whole = hashlib.sha256(f"{near.kind} {near.anchor} ".encode())
    for number, frame in sorted(near.frames.items()):
        whole.update(f"{number} ".encode() + np.ascontiguousarray(frame.params, np.float64).tobytes())
    return whole.hexdigest()[:24]


def laid_codes(shot: Shot, frame: int, below: int | None = None, known: Stack | None = None) -> Codes:
    """A frame with all fixes that can be laid (those of an order under ``below``), the last few kept. ``known``: its
    stack, when that is at hand."""
    laid, state = known or stack(shot, frame, below)
    media = shot.clip.media()
    if not laid:
        return codes_of(media, frame)
    return patched_kept.once((media.stamp(frame), state), lambda: lay_all(codes_of(media, frame), frame, laid)[0])


class Layer(NamedTuple):
    """A fix of the stack made ready: all that does not hang on the frame. ``below``: a name for what lies under it."""

    fix: Fix
    prepared: ReadyFix
    hold: Hold
    evidence_name: str
    below: str = ""


def layer(fix: Fix) -> Layer:
    """One fix made ready. Raises HushError when a part is missing."""
    below = below_state(fix)
    return Layer(fix, *_prepared(fix, below), below)


def layers(shot: Shot, below: int | None = None) -> list[Layer]:
    """The fixes that can be laid (those of an order under ``below``), in order."""
    made, lower = [], list[Fix]()
    for fix in shot.fixes.all():
        fix.shot, document = shot, fix.document
        if below is not None and fix.order >= below:
            break
        if not document["on"] or missing_part(document):
            continue
        beneath = _lower_state(lower)
        lower.append(fix)
        with suppress(HushError):  # its stage says what is wrong; looking goes on
            made.append(Layer(fix, *_prepared(fix, beneath), beneath))
    return made


def stack(shot: Shot, frame: int, below: int | None = None) -> Stack:
    """The fixes that can be laid on a frame, in order, and a name for exactly this state."""
    laid, names = [], []
    for layer in layers(shot, below):
        if is_off(layer.fix.document, frame):
            continue
        near = hold_near(layer.hold, frame, layer.prepared.reach)
        if near.has(frame):
            laid.append(replace(layer.prepared, hold=near))
            names.append(_name(layer.fix, near, layer.evidence_name))
    return laid, digest(names)


def _name(fix: Fix, near: EngineHold, evidence_name: str) -> list[Any]:
    return [fix.id, recipe_of(fix.document), held_name(near), evidence_name]


def states(shot: Shot, frames: range) -> dict[int, str]:
    """The names that ``stack`` gives to some frames in a row, with one look at each hold; nothing is made ready for it. A
    fix that cannot be made ready is named too, so that such a shot's pictures are not found and say so where they are laid."""
    names: dict[int, list[Any]] = {frame: [] for frame in frames}
    for fix in shot.fixes.all():
        fix.shot = shot
        if not fix.document["on"] or missing_part(fix.document):
            continue
        with suppress(HushError):
            _name_all(fix, frames, names)
    return {frame: digest(found) for frame, found in names.items()}


def _name_all(fix: Fix, frames: range, names: dict[int, list[Any]]) -> None:
    hold = current_hold(fix)
    _, evidence_name = evidence.named(fix, hold)
    reach = reach_of(check(fix.document["match"], MatchData, fix.document["name"]).match())
    rows = {row.frame: row.engine() for row in hold.on(list(range(frames[0] - reach, frames[-1] + reach + 1)))}
    whole = hold.engine(frames=False)
    for frame in frames:
        near = replace(whole, frames={n: rows[n] for n in range(frame - reach, frame + reach + 1) if n in rows})
        if not is_off(fix.document, frame) and near.has(frame):
            names[frame].append(_name(fix, near, evidence_name))


def patched_key(shot: Shot, frame: int, state: str, view: View, suffix: str) -> str:
    """The name of a patched picture in the shot's store; ``state`` as ``stack`` gives it. A frame on which nothing is laid has
    the picture that it has as shot."""
    if state == NOTHING:
        return frame_key(shot, frame, view, suffix)
    return f"patched {shot.clip.media().stamp(frame)} {state} {look_name(shot)} {view.name}"


def active_plate(fix: Fix) -> tuple[plates.Plate, Hold]:
    """The plate that is worked on. Raises HushError when there is none."""
    hold = current_hold(fix)
    return painted_plate(fix, retouching.entry_of(fix.document), hold), hold
