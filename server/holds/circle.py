"""A new fix from a loop round a mark."""

from copy import deepcopy

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.db.models import Max
from events.tell import tell
from fixes.change import person
from fixes.document import blank_document, plain_outline
from fixes.models import Fix, Path, Revision
from jobs.models import Shot

from holds import measuring, sharing
from holds.stands import look_at_once
from hushcore.hold.overlay import stands_still
from hushcore.recipe import circle as circling
from hushcore.recipe.models import MethodData


def circle(
    shot: Shot, frame: int, loop: list[tuple[float, float]], by: AbstractBaseUser | None, anew: bool = False
) -> Fix:
    """A new fix from a loop round a mark on ``frame``: ground, anchor, edge, whether the mark stands in the frame; it starts
    to track, and the worker chooses the surface by trying; of a mark that stands it sees first whether each frame's own picture
    shows through it. On a surface that is held already that hold is used again, unless it is to be tracked ``anew``.

    The slow part (looking whether the mark stands) is done before the transaction.
    """

    clip = shot.clip
    media = clip.media()
    outline = circling.check_loop(loop, clip.width, clip.height)
    media.check_range(frame, frame)
    stands = not clip.missing and stands_still(media.read, outline, frame, shot.first, shot.last)
    under = None if stands or anew else sharing.surface_under(shot, frame, outline)
    ground = circling.ground_of(outline, frame, clip.width, clip.height, stands)
    with transaction.atomic():
        order = (shot.fixes.aggregate(top=Max("order"))["top"] or 0) + 1
        document = blank_document(f"Fix {order}")
        fix = Fix.objects.create(shot=shot, order=order, document=document)
        path = Path.objects.create(fix=fix, nodes=circling.edge_nodes(outline if under is None else under.loop))
        hold = measuring.begin(fix, ground, MethodData()) if under is None else under.hold
        document = deepcopy(document)
        document["stands"] = stands
        document["edge"] = {"outlines": [plain_outline(path.id)], "growth": 0.0, "softness": 14.0, "inside": 0.0}
        document["hold"] = hold.id
        fix.document = document
        fix.save()
        Revision.objects.create(fix=fix, number=1, document=document, label="Circle", by=person(by))
        shot.status = Shot.Status.IN_HAND
        shot.save(update_fields=["status"])
        tell("fix", fix=fix.id, shot=shot.id, version=fix.version)
        if (
            under is not None or stands
        ):  # held already, or in no need of it: what follows a settled hold follows at once
            look_at_once(fix)
    return fix
