"""From a recipe to fixes that are ready to be laid."""

from collections.abc import Callable
from pathlib import Path

from hushcore.arrays import Codes
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.hold.record import Hold
from hushcore.media.pictures import read_codes
from hushcore.patch.fix import Fix, make_fix
from hushcore.plates.plate import make_plate
from hushcore.recipe.models import FixData, HoldData, Recipe, load

Reader = Callable[[int], Codes]


def load_hold(path: Path) -> Hold:
    """A hold from its file. Raises HushError when it is not one."""
    return Hold.of(load(path, HoldData).model_dump(mode="json"))


def build_fix(data: FixData, hold: Hold, read: Reader, finished: Codes | None = None, encoding: Encoding = SRGB) -> Fix:
    """Read the plate's frame, paint it, and prepare the fix."""
    plate = make_plate(read(data.plate.frame), hold, data.plate.frame, data.plate.painted(), finished, encoding)
    return make_fix(hold, data.edge.edge(), plate, data.match.light, data.match.blur)


def build_all(recipe: Recipe, beside: Path, read: Reader, encoding: Encoding = SRGB) -> list[tuple[FixData, Fix]]:
    """All fixes of a recipe file that are on; other files are looked for in the folder ``beside``."""
    made = []
    for data in recipe.fixes:
        if not data.on:
            continue
        finished = read_codes(beside / data.plate.picture) if data.plate.picture else None
        made.append((data, build_fix(data, load_hold(beside / data.hold), read, finished, encoding)))
    return made
