"""A hold from a track that was made elsewhere."""

from fixes.document import Document
from fixes.models import Fix

from holds.models import Hold, HoldFrame
from holds.rows import row_of
from hushcore.errors import HushError
from hushcore.hold.tracks import point_hold, read_points
from hushcore.recipe.models import GroundData, MethodData


def import_track(document: Document, fix: Fix, text: str, anchor: int, point: str | None) -> str:
    """A point hold from a CSV track. Raises HushError with the first mistake."""
    tracks = read_points(text)
    name = point or next(iter(tracks))
    if name not in tracks:
        raise HushError(f"The track has no point {name!r}; it has {', '.join(tracks)}.", "bad-track")
    clip, shot = fix.shot.clip, fix.shot
    made = point_hold(tracks[name], anchor, (clip.width, clip.height), shot.first, shot.last)
    x, y = tracks[name][anchor]
    half = 16.0
    box = [(x - half, y - half), (x + half, y - half), (x + half, y + half), (x - half, y + half)]
    ground = GroundData(anchor=anchor, read=[box])
    hold = Hold.objects.create(
        fix=fix, kind="point", method=MethodData(kind="point").model_dump(mode="json"), anchor=anchor,
        first=shot.first, last=shot.last, ground=ground.model_dump(mode="json"), corner=list(made.corner),
        work=Hold.Work.NONE, state=Hold.State.DONE,
    )  # fmt: skip
    HoldFrame.objects.bulk_create([row_of(hold, number, frame) for number, frame in made.frames.items()])
    document["hold"] = hold.id
    return "Import track"
