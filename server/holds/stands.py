"""What replaces a mark, and whether the mark stands in the frame: then it is no ground, and a see-through one needs no hold that
is measured."""

import numpy as np
from django.dispatch import receiver
from fixes.document import Document, mark_of
from fixes.models import Fix
from fixes.shape import without_proposal
from fixes.signals import fix_changed
from procrastinate.contrib.django import app

from holds import measuring
from holds.models import Hold, HoldFrame
from holds.rows import row_of
from hushcore.errors import HushError
from hushcore.hold.in_frame import KIND, held_in_frame
from hushcore.patch.plan import VEILED
from hushcore.recipe.circle import ground_of
from hushcore.recipe.models import GroundData, MethodData

AT_ONCE = 20  # priority: before a hold's measuring


def set_source(document: Document, fix: Fix, source: str, blend: str, stands: bool) -> str:
    """What replaces the mark, how plates share the shot, and whether the mark stands still in the frame: then it is no
    ground, and the hold is measured anew without it."""
    changed = source != document["source"]
    if source == "unveil" and not stands:
        raise HushError(VEILED, "not-standing")
    if stands != document["stands"]:
        _ground_without(document, fix, stands)
        if stands:
            look_at_once(fix)
    document["source"], document["blend"], document["stands"] = source, blend, stands
    if changed and source in ("fill", "soften", "unveil"):
        without_proposal(document)
    hold_as_asked(document, fix)
    return source.capitalize() if changed else "Source"


def hold_as_asked(document: Document, fix: Fix) -> None:
    """The hold that the source asks for: what is unveiled is held in the frame, where nothing needs measuring; all else on the
    ground round it, as it was measured before, or is now."""
    hold = Hold.objects.filter(id=document["hold"]).first() if document["hold"] else None
    stays = document["source"] == "unveil"
    if hold is None or (hold.kind == KIND) == stays:
        return
    known = [one for one in fix.holds.order_by("-id") if (one.kind == KIND) == stays and one.ground == hold.ground]
    if known:
        document["hold"] = known[0].id
    elif stays:
        document["hold"] = in_frame(fix, hold).id
    else:
        ground, method = GroundData.model_validate(hold.ground), MethodData.model_validate(hold.method)
        measuring.track(document, fix, ground, method, "both")


def in_frame(fix: Fix, before: Hold) -> Hold:
    """A hold that leaves every frame as it is. ``before``: its ground and method are kept for when one is to be measured."""
    shot, clip = fix.shot, fix.shot.clip
    made = Hold.objects.create(
        fix=fix, kind=KIND, method=before.method, anchor=before.anchor, first=shot.first, last=shot.last, ground=before.ground,
        corner=[0, 0], state=Hold.State.DONE, work=Hold.Work.NONE,
    )  # fmt: skip
    frames = set(range(shot.first, shot.last + 1)) - set(clip.missing)
    held = held_in_frame(sorted(frames), made.anchor, (clip.width, clip.height))
    HoldFrame.objects.bulk_create(row_of(made, number, frame) for number, frame in held.frames.items())
    return made


@receiver(fix_changed)
def rest_or_go_on(fix: Fix, before: Document, **_: object) -> None:
    """While a fix lies in the frame the measuring of its hold rests; it goes on when that is asked for again, also by undo."""
    numbers = before.get("hold"), fix.document["hold"]
    if numbers[0] == numbers[1] or None in numbers:
        return
    rows = Hold.objects.in_bulk(numbers)
    old, new = (rows.get(number) for number in numbers)
    if old is None or new is None or (old.kind == KIND) == (new.kind == KIND):
        return
    if new.kind == KIND:
        if not fix.shot.fixes.filter(document__hold=old.id).exists():
            measuring.stop(old)
    elif new.state == Hold.State.DONE:
        app.configure_task("settle").defer(hold=new.id)
    else:
        measuring.go_on(new)


def look_at_once(fix: Fix) -> None:
    """Have a worker look whether a first retouch can be proposed before the hold is measured, which that may make needless."""
    app.configure_task("first_look", priority=AT_ONCE).defer(fix=fix.id)


def _ground_without(document: Document, fix: Fix, stands: bool) -> None:
    """Measure the hold anew, without the mark if it stands; where there is nothing to measure it on yet, nothing is done."""
    hold = Hold.objects.filter(id=document["hold"]).first() if document["hold"] else None
    outline = mark_of(document)
    if hold is None or outline is None or hold.kind in ("point", "two-point"):
        return
    clip = fix.shot.clip
    ground = ground_of(np.asarray(outline, float), hold.anchor, clip.width, clip.height, stands)
    before = GroundData.model_validate(hold.ground)
    method = MethodData.model_validate(hold.method)
    if method.took:
        method = method.model_copy(update={"kind": "auto", "took": ""})
    ground = ground.model_copy(update={"ignore": before.ignore, "passing": before.passing})
    measuring.track(document, fix, ground, method, "both")
