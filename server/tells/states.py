"""What the tells of a fix hang on, and the loudest of them."""

from typing import Any

from fixes.document import is_off
from fixes.models import Fix
from holds.models import Hold
from laying import evidence, ready
from laying.names import digest, recipe_of

from hushcore.tells.measure import NAMES


def states(fix: Fix, hold: Hold) -> dict[int, str]:
    """What the tells of each held frame depend on, by name. Frames on which the fix is off are left out."""
    rows = {frame: by for frame, by, gone in hold.known.values_list("frame", "hold_id", "gone") if not gone}
    rows[hold.anchor] = 0
    same = {name: value for name, value in recipe_of(fix.document).items() if name not in ("hold", "off")}
    whole = digest([same, ready.below_state(fix), evidence.root_of(hold), str(fix.shot.clip.encoding)])
    return {
        frame: digest([whole, [rows.get(frame + k) for k in (-1, 0, 1)]])
        for frame in sorted(rows)
        if not is_off(fix.document, frame)
    }


def loudest(fix: Fix) -> dict[str, Any] | None:
    """The greatest tell of a fix: its name, value and frame; None when nothing is measured."""
    best: dict[str, Any] | None = None
    for row in fix.tells.all():
        name = max(NAMES, key=lambda name: row.values[name])
        if best is None or row.values[name] > best["value"]:
            best = {"tell": name, "value": row.values[name], "frame": row.frame}
    return best
