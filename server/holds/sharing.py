"""One hold for many fixes: a loop on a surface that is held already, a hold used again, corrections that all gain by."""

from typing import NamedTuple

import numpy as np
from django.dispatch import receiver
from fixes.change import follow
from fixes.document import Document
from fixes.models import Fix
from fixes.signals import fix_changed, fix_goes
from jobs.models import Shot

from holds.models import Hold
from hushcore.arrays import F64, Rect
from hushcore.errors import HushError
from hushcore.hold.in_frame import KIND
from hushcore.hold.likeness import likenesses
from hushcore.hold.record import Hold as EngineHold

QUIET = 1.0  # px of drift: with more there a hold is not offered
HELD_SHARE = 0.85  # of the frames on which it must be
APART = (3, 6, 10)  # frames away at which what is in the loop must be the same, held still
FEWEST = 2  # frames
ALIKE = 0.5  # correlation
NOT_HERE = "That fix's hold is not of this shot; choose a fix of the same shot."
NO_SURFACE = (
    "{} is taken off where it stands in the frame: it follows no surface. Circle the surface as a fix of its own."
)
SAME = "The mark lies on that very hold; circle the surface behind it as a fix of its own."


class Surface(NamedTuple):
    """A fix whose surface holds a loop, and the loop (n, 2) on its still surface."""

    fix: Fix
    hold: Hold
    loop: F64


def surface_under(shot: Shot, frame: int, loop: F64) -> Surface | None:
    """The fix whose ground holds a loop (n, 2, px of ``frame``) and is quiet there; the quietest of several."""
    found: list[tuple[float, Surface]] = []
    seen: set[int] = set()
    for fix in shot.fixes.all():
        number = fix.document["hold"]
        hold = Hold.objects.filter(id=number, state=Hold.State.DONE).first() if number else None
        if hold is None or hold.id in seen or fix.document["stands"] or hold.kind in ("point", "two-point"):
            continue
        seen.add(hold.id)
        hold.fix = fix
        engine = hold.engine()
        still = on_still(engine, frame, loop)
        if still is None or not _on_ground(hold, still):
            continue
        drift = _drift(engine, still)
        if drift <= QUIET and _rides(engine, shot, frame, still):
            found.append((drift, Surface(fix, hold, still)))
    return min(found, key=lambda one: one[0])[1] if found else None


def on_still(engine: EngineHold, frame: int, loop: F64) -> F64 | None:
    """A loop of a frame on the still surface; None where the hold does not know the frame."""
    if not engine.has(frame) or (frame != engine.anchor and engine.frames[frame].lost):
        return None
    still = engine.at(frame).inverse(loop)
    return still if np.isfinite(still).all() else None


def _on_ground(hold: Hold, still: F64) -> bool:
    """Whether a loop lies in the hold's ground."""
    shapes = np.concatenate([np.asarray(shape, float) for shape in hold.ground["read"]])
    box = Rect.around(shapes).grown(1)
    (left, top), (right, bottom) = still.min(0), still.max(0)
    return bool(box.left <= left and box.top <= top and right <= box.right and bottom <= box.bottom)


def _rides(engine: EngineHold, shot: Shot, frame: int, still: F64) -> bool:
    """Whether what is in a loop moves with a hold: held still, other frames show the same there. Somebody who passes before a
    held wall does not ride it."""
    near = [
        n for by in APART for n in (frame - by, frame + by) if n != frame and on_still(engine, n, still) is not None
    ]
    alike = likenesses(shot.clip.media().read, (engine,), still, frame, near)[0]
    alike = alike[np.isfinite(alike)]
    return len(alike) >= FEWEST and float(np.quantile(alike, 0.25)) > ALIKE


def _drift(engine: EngineHold, still: F64) -> float:
    """The drift there on nearly all frames, px; infinite where it is lost on too many."""
    good = [number for number, frame in engine.frames.items() if not frame.lost]
    if not good or len(good) < HELD_SHARE * len(engine.frames):
        return float("inf")
    return float(np.quantile([float(np.median(engine.drift_at(number, still))) for number in good], 0.9))


def use_hold(document: Document, fix: Fix, other: Fix) -> str:
    """Lie on another fix's hold. Raises HushError when it follows no surface, or is of another shot."""
    if other.shot_id != fix.shot_id:
        raise HushError(NOT_HERE, "not-here")
    document["hold"] = surface_of(other)
    return f"Hold of {other.document['name']}"[:80]


def surface_of(other: Fix) -> int:
    """The hold of the surface that another fix lies on. Raises HushError when it follows none."""
    number = other.document["hold"]
    if not number:
        raise HushError(f"{other.document['name']} has no hold yet; let it track first.", "no-hold")
    if Hold.objects.filter(id=number, kind=KIND).exists():
        raise HushError(NO_SURFACE.format(other.document["name"]), "no-hold")
    return int(number)


def take_behind(document: Document, fix: Fix, other: Fix) -> str:
    """What lies behind is another fix's surface: that hold carries the picture, the fix's own one its edge."""
    own = document["edge"].get("hold") or document["hold"]
    use_hold(document, fix, other)
    if own == document["hold"]:
        raise HushError(SAME, "same-hold")
    document["edge"] = {**document["edge"], "hold": own}
    return f"Behind it: {other.document['name']}"[:80]


def sharing(fix: Fix) -> list[Fix]:
    """The other fixes that lie on a fix's hold."""
    number = fix.document["hold"]
    return list(fix.shot.fixes.filter(document__hold=number).exclude(id=fix.id)) if number else []


@receiver(fix_changed)
def gain_together(fix: Fix, before: Document, **_: object) -> None:
    """A hold was corrected, or its correction undone: all fixes that lay on it lie on the new one."""
    old, new = before.get("hold"), fix.document["hold"]
    if not old or not new or old == new or not _goes_on(old, new):
        return
    for other in Fix.objects.filter(shot=fix.shot_id, document__hold=old).exclude(id=fix.id):
        follow(other, {**other.document, "hold": new}, f"Hold corrected with {fix.document['name']}"[:80])


def _goes_on(old: int, new: int) -> bool:
    """Whether one of two holds was made by correcting the other."""
    lines = dict(Hold.objects.filter(id__in=(old, new)).values_list("id", "line"))
    return old in lines.get(new, []) or new in lines.get(old, [])


@receiver(fix_goes)
def hand_over(fix: Fix, **_: object) -> None:
    """Holds that others lie on, or that carry others' edges and donors, do not go with the fix that they were made for."""
    for other in Fix.every.filter(shot=fix.shot_id).exclude(id=fix.id):
        rows = Hold.objects.filter(id__in=[number for number in holds_of(other.document) if number])
        lines = {number for row in rows for number in [row.id, *row.line]}
        Hold.objects.filter(fix=fix, id__in=lines).update(fix=other)


def holds_of(document: Document) -> list[int | None]:
    """All holds that a document names."""
    return [document["hold"], document["edge"].get("hold"), (document.get("fill") or {}).get("donor")]
