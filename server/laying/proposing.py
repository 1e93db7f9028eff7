"""The first retouch, which nobody painted: the anchor frame healed from beside, and the edge drawn in to the mark.

It is one change that can be undone, and is marked as proposed until it is kept or touched (``document["proposed"]``).
"""

from copy import deepcopy

import numpy as np
from django.contrib.auth.models import AbstractBaseUser
from fixes import change as changes
from fixes.document import Document, mark_of, plain_outline
from fixes.models import Fix, Path
from fixes.shape import set_fill
from holds import stands
from holds.current import current_hold
from plates import retouching
from plates.root import kept_if_used

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.hold.in_frame import held_in_frame
from hushcore.plates.plate import Plate
from hushcore.plates.propose import Proposal, finished, first_retouch
from hushcore.recipe.circle import corner_nodes
from hushcore.recipe.models import FillData
from hushcore.tells.behind import OWN, WORDS, from_itself, is_quiet
from laying import gathering
from laying.bases import edge_of, plan_of
from laying.ready import based_plates, codes_below
from laying.roundtrip import keep_picture

NONE_CLEAN = "Nothing beside it is clean enough to heal from. Take a plate and paint, or bring a finished picture in."
STANDING = (
    "A mark that stands in the frame has another surface under it on every frame; nothing is proposed for it yet."
)


def untouched(document: Document) -> bool:
    """Whether only the loop is there so far, or a proposal that nobody has touched."""
    return (not document["plates"] and document["source"] == "replace") or bool(document.get("proposed"))


def proposed(fix: Fix, skip: list[tuple[int, int]], without: list[str]) -> tuple[Proposal, Plate] | None:
    """A proposal for a fix and the plate it is made on; donors in ``skip`` and fills in ``without`` are not taken again.
    Takes seconds.

    Raises HushError when the fix cannot have one.
    """
    hold = current_hold(fix)
    known = fix.document.get("proposed") or {}
    outline = known["loop"] if known else mark_of(fix.document)
    if outline is None:
        raise HushError("No edge yet: draw it round the mark.", "incomplete")
    if fix.document["stands"]:
        raise HushError(STANDING, "standing")
    loop, engine = np.asarray(outline, float), hold.engine()

    def read(frame: int) -> Codes:
        return codes_below(fix, frame)

    return first_retouch(engine, read, loop, fix.shot.clip.encoding, skip, without)


def propose_behind(fix: Fix) -> Fix | None:
    """A mark that stands in the frame, filled from other frames, as one change; None where that would not be good enough.

    Raises Conflict when its artist was faster, HushError when it has no hold.
    """
    hold = current_hold(fix)
    asked = deepcopy(fix.document)
    set_fill(asked, FillData(kind="other frames"), None)
    tried = Fix(id=fix.id, shot=fix.shot, order=fix.order, document=asked)
    plan = plan_of(tried)
    # as they will be asked for when it is taken: put together once
    plates = based_plates(tried, hold, plan)
    if not is_quiet(hold.engine(), lambda frame: codes_below(fix, frame), plan, plates, fix.shot.clip.encoding):
        return None
    loop = np.round(mark_of(fix.document), 1).tolist()

    def do(document: Document) -> str:
        set_fill(document, FillData(kind="other frames"), None)
        document["proposed"] = {"words": WORDS, "loop": loop, "tried": [], "fills": []}
        return "Proposed retouch"

    return changes.change(fix.id, fix.version, None, do)


def propose_unveiled(fix: Fix) -> Fix | None:
    """A see-through mark that stands in the frame, taken off each frame's own picture, as one change; None where it is none, or
    too much of it would be seen. Its hold may still be measured: it is not asked.

    Raises Conflict when its artist was faster.
    """
    hold, clip = current_hold(fix), fix.shot.clip
    frames = [n for n in range(fix.shot.first, fix.shot.last + 1) if n not in set(clip.missing)]
    engine = held_in_frame(frames, hold.anchor, (clip.width, clip.height))
    made = from_itself(engine, lambda frame: codes_below(fix, frame), edge_of(fix), clip.encoding)
    if made is None or made.evidence.veil is None:
        return None
    words = OWN.format(round(100 * made.evidence.veil.share))
    loop = np.round(mark_of(fix.document), 1).tolist()

    def do(document: Document) -> str:
        stands.set_source(document, fix, "unveil", document["blend"], True)
        document["proposed"] = {"words": words, "loop": loop, "tried": [], "fills": []}
        return "Proposed retouch"

    changed = changes.change(fix.id, fix.version, None, do)
    gathering.keep(changed, current_hold(changed), made.evidence)
    return changed


def take(
    fix: Fix, version: int, by: AbstractBaseUser | None, made: tuple[Proposal, Plate], skip: list[tuple[int, int]],
    without: list[str],
) -> Fix:  # fmt: skip
    """Make a proposal the fix's retouch, as one change. Raises Conflict as ``fixes.change.change`` does."""
    found, plate = made
    anchor = current_hold(fix).anchor
    loop = (fix.document.get("proposed") or {}).get("loop") or np.round(mark_of(fix.document), 1).tolist()
    file = keep_picture(fix, anchor, finished(codes_below(fix, anchor), plate, found.picture))

    def do(document: Document) -> str:
        retouching.take_proposed(document, fix, anchor, file)
        paths = [Path.objects.create(fix=fix, nodes=corner_nodes(outline)) for outline in found.outlines]
        document["edge"]["outlines"] = [plain_outline(path.id) for path in paths]
        offsets = [[int(v) for v in stroke.donor.offset] for stroke in found.strokes]
        document["proposed"] = {
            "words": found.words, "loop": loop, "tried": [*map(list, skip), *offsets],
            "fills": sorted({*without, *found.fills}),
        }  # fmt: skip
        return "Proposed retouch"

    with kept_if_used(file):
        return changes.change(fix.id, version, by, do)


def another(fix: Fix, version: int, by: AbstractBaseUser | None) -> Fix:
    """Propose a retouch, or another one in place of one that nobody has touched.

    Raises HushError when there is none, or the artist's own would be lost.
    """
    if not untouched(fix.document):
        raise HushError("There is a retouch of your own already; undo it or take the plate away first.", "touched")
    before = fix.document.get("proposed") or {}
    skip, without = [tuple(one) for one in before.get("tried", [])], list(before.get("fills", []))
    found = proposed(fix, skip, without)
    if found is None:
        none = NONE_CLEAN if not (skip or without) else "There is no other place beside it as clean."
        raise HushError(none, "no-donor")
    return take(fix, version, by, found, skip, without)


def keep(document: Document) -> str:
    """The artist keeps what is proposed."""
    document.pop("proposed", None)
    return "Keep the proposal"
