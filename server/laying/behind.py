"""What lies behind a mark, put together from other frames: kept on the disk, for it takes long and all workers need it.

The files lie with the fix's plates and go with it.
"""

import os
import uuid
from collections.abc import Callable
from pathlib import Path

import numpy as np
from fixes.models import Fix
from holds.models import Hold
from plates.root import plates_root

from hushcore.arrays import Codes, Rect
from hushcore.patch.plan import Plan
from hushcore.patch.uncovered import uncovered_plates
from hushcore.plates.plate import Plate

PATTERN = "behind-*.npz"
KEPT = 3  # states of a fix that undo may come back to

Plates = list[tuple[int, Plate]]


def plates(fix: Fix, hold: Hold, plan: Plan, name: str, read: Callable[[int], Codes], guides: Plates) -> Plates:
    """Pictures without the mark, a few over the shot; ``name`` says exactly what they are made of."""
    folder = plates_root() / str(fix.id)
    file, encoding = folder / f"behind-{name}.npz", fix.shot.clip.encoding
    if file.exists():
        with np.load(file) as kept:
            rect = Rect(*(int(value) for value in kept["rect"]))
            pictures = {int(frame): kept[f"f{frame}"] for frame in kept["frames"]}
        return [(frame, Plate(rect, picture, picture, encoding)) for frame, picture in pictures.items()]
    made = uncovered_plates(hold.engine(), plan, read, encoding, guides)
    rect = made[0][1].rect
    folder.mkdir(parents=True, exist_ok=True)
    part = folder / f".behind-{uuid.uuid4().hex[:8]}.npz"
    with part.open("wb") as out:
        np.savez(
            out, rect=np.array([rect.left, rect.top, rect.right, rect.bottom]), frames=np.array([n for n, _ in made]),
            **{f"f{number}": plate.painted for number, plate in made},
        )  # fmt: skip
    os.replace(part, file)
    _clear(folder)
    return made


def _clear(folder: Path) -> None:
    """Only the newest few stay."""
    old = sorted(folder.glob(PATTERN), key=lambda file: file.stat().st_mtime)[:-KEPT]
    for file in old:
        file.unlink(missing_ok=True)


def on_disk(fix: Fix) -> int:
    """Bytes that the kept pictures of a fix take."""
    return sum(file.stat().st_size for file in (plates_root() / str(fix.id)).glob(PATTERN))
