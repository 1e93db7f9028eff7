"""From a recipe to fixes that are ready to be laid."""

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from hushcore.arrays import Codes
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.hold.record import Hold
from hushcore.media.artwork import read_artwork
from hushcore.media.pictures import read_codes
from hushcore.patch.carried import carried
from hushcore.patch.evidence import gather
from hushcore.patch.filling import filled_plate, on_its_own, shading_area
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.lay import lay_all
from hushcore.patch.plan import ON_ITS_OWN, Plan
from hushcore.patch.uncovered import uncovered_plates
from hushcore.plates.art import Art, in_light
from hushcore.plates.plate import Plate, averaged, held_still, make_plate, still_picture, still_rect, with_strokes
from hushcore.plates.shade import shading
from hushcore.recipe.models import ArtData, FixData, HoldData, PlateData, Recipe, load

Reader = Callable[[int], Codes]
LAID_KEPT = 192 << 20  # bytes of frames that are kept while a fix is made ready


def load_hold(path: Path) -> Hold:
    """A hold from its file. Raises HushError when it is not one."""
    return Hold.of(load(path, HoldData).model_dump(mode="json"))


Begin = Callable[[Plate, int, Codes], Plate]


def build_plate(
    data: PlateData, hold: Hold, shot: Reader, below: Reader, finished: Codes | None, encoding: Encoding,
    begin: Begin | None = None,
) -> Plate:  # fmt: skip
    """A plate as its data says. ``shot`` reads frames as shot, ``below`` with the fixes below laid in; ``begin``: what its
    source makes of a plate and its frame before any stroke, unless a finished picture of it came back."""
    start = None
    if data.average:
        start = averaged(below, hold, data.frame, data.average, encoding)
    elif data.start == "shot":
        start = still_picture(shot(data.frame), hold, data.frame, still_rect(hold, data.frame), encoding)
    codes = below(data.frame)
    bare = make_plate(codes, hold, data.frame, [], finished, encoding, start)
    if begin is not None and finished is None:
        bare = begin(bare, data.frame, codes)
    return with_strokes(bare, data.painted(), held_still(hold, below, bare.rect, encoding))


def build_art(data: ArtData | None, path: Path | None, encoding: Encoding) -> Art | None:
    """Artwork in the shot's light."""
    if data is None or path is None:
        return None
    picture = in_light(*read_artwork(path), encoding)
    return Art(picture, np.asarray(data.corners, float), data.mode, data.opacity)


def build_fix(
    data: FixData, hold: Hold, read: Reader, beside: Path | None = None, encoding: Encoding = SRGB,
    laid: Sequence[tuple[FixData, Fix]] = (), seed: int = 0,
) -> Fix:  # fmt: skip
    """Read and paint the plates, look at the shot, and prepare the fix. ``laid``: the fixes below it."""

    def below(frame: int) -> Codes:
        return lay_all(read(frame), frame, [fix for at, fix in laid if at.covers(frame) and fix.hold.has(frame)])[0]

    def other(name: str | None) -> Hold | None:
        return load_hold(beside / name) if name and beside else None

    reader = below if laid else read
    looked = _kept(below) if laid else read
    plan = ready_plan(data, other(data.edge.hold))
    donor = other(data.fill.donor_hold) if data.fill else None
    begin = filling(plan, hold, looked, donor)
    plates = []
    for plate in data.plates:
        finished = read_codes(beside / plate.picture) if plate.picture and beside else None
        plates.append((plate.frame, build_plate(plate, hold, read, looked, finished, encoding, begin)))
    plates = with_base(plan, hold, plates, looked, encoding, donor)
    art = build_art(data.art, beside / data.art.picture if data.art and beside else None, encoding)
    kept = data.match.chosen.choice() if data.match.chosen else None
    evidence = gather(looked, hold, plan.edge, encoding, plan, plates, kept)
    return make_fix(hold, plan, plates, evidence, art, reader, seed, donor, encoding)


def _kept(read: Reader) -> Reader:
    """A reader that keeps the frames it read last: what looks at a shot reads the same frames again and again."""
    frames: OrderedDict[int, Codes] = OrderedDict()

    def reader(frame: int) -> Codes:
        codes = frames.pop(frame, None)
        frames[frame] = read(frame) if codes is None else codes
        while len(frames) > 1 and sum(each.nbytes for each in frames.values()) > LAID_KEPT:
            frames.popitem(last=False)
        return frames[frame]

    return reader


def ready_plan(data: FixData, carrier: Hold | None) -> Plan:
    """The fix's plan, its edge carried by another hold (``carrier``) where it is. Raises HushError for one that cannot be."""
    plan = data.plan()
    return plan if carrier is None else replace(plan, edge=carried(plan.edge, carrier))


def with_base(
    plan: Plan, hold: Hold, plates: Sequence[tuple[int, Plate]], read: Reader, encoding: Encoding, donor: Hold | None
) -> list[tuple[int, Plate]]:
    """The plates of a source that needs none of them: first the anchor frame as the source makes it, then its own; for what
    is taken from other frames pictures of what lies behind."""
    if plan.source not in (*ON_ITS_OWN, "fill"):
        return list(plates)
    if plan.from_others:
        return uncovered_plates(hold, plan, read, encoding, plates)
    codes = read(hold.anchor)
    bare = make_plate(codes, hold, hold.anchor, [], None, encoding)
    begin = filling(plan, hold, read, donor)
    if begin is None:
        return [(hold.anchor, on_its_own(bare, hold.anchor, plan, held_still(hold, read, bare.rect, encoding)))]
    return [(hold.anchor, begin(bare, hold.anchor, codes)), *plates]


def filling(plan: Plan, hold: Hold, read: Reader, donor: Hold | None) -> Begin | None:
    """How a fill that is solved once begins its plates, in the light that is usual; None for all other sources."""
    if plan.source != "fill" or plan.from_others:
        return None

    def begin(plate: Plate, frame: int, codes: Codes) -> Plate:
        return filled_plate(plate, frame, plan, donor, codes, shading(plate, hold, read, shading_area(plan)))

    return begin


def build_all(recipe: Recipe, beside: Path, read: Reader, encoding: Encoding = SRGB) -> list[tuple[FixData, Fix]]:
    """All fixes of a recipe file that are on; other files are looked for in the folder ``beside``."""
    made: list[tuple[FixData, Fix]] = []
    for number, data in enumerate(recipe.fixes):
        if data.on:
            made.append((data, build_fix(data, load_hold(beside / data.hold), read, beside, encoding, made, number)))
    return made
