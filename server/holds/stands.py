"""What replaces a mark, and whether the mark stands in the frame: then it is no ground."""

import numpy as np
from fixes.document import Document, mark_of
from fixes.models import Fix
from fixes.shape import without_proposal

from holds import measuring
from holds.models import Hold
from hushcore.recipe.circle import ground_of
from hushcore.recipe.models import GroundData, MethodData


def set_source(document: Document, fix: Fix, source: str, blend: str, stands: bool) -> str:
    """What replaces the mark, how plates share the shot, and whether the mark stands still in the frame: then it is no
    ground, and the hold is measured anew without it."""
    changed = source != document["source"]
    if stands != document["stands"]:
        _ground_without(document, fix, stands)
    document["source"], document["blend"], document["stands"] = source, blend, stands
    if changed and source in ("fill", "soften"):
        without_proposal(document)
    return source.capitalize() if changed else "Source"


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
