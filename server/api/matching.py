"""Edge, source, front, match and artwork over HTTP, what was read of the shot, and the tells.

Every change names the version it was made on.
"""

import uuid
from pathlib import Path

from django.http import HttpRequest
from fixes import shape
from fixes.document import Document, edge_data, mark_of, missing_part
from fixes.models import Fix
from holds import stands as standing
from holds.current import current_hold
from laying import evidence
from ninja import File, Form, Router, UploadedFile
from plates import art as artwork
from plates.models import Artwork
from plates.root import kept_if_used, plates_root
from tells import states as judged

from api.fix_asked import (
    ArtIn,
    EdgeIn,
    FrontIn,
    MatchIn,
    SourceIn,
)
from api.fix_out import apply, found_fix
from api.fix_schemas import EvidenceOut, FixOut, GrainPoint, LinesOut, TellOut, TellsOut, TriedOut
from hushcore.edge.matte import lines
from hushcore.errors import HushError
from hushcore.media.artwork import read_artwork
from hushcore.patch.choose import words

router = Router(tags=["patch"])


@router.patch("fixes/{fix}/edge", response=FixOut)
def edge(request: HttpRequest, fix: int, payload: EdgeIn) -> FixOut:
    """Other outlines, growth or softness."""
    nodes = None if payload.nodes is None else [node.model_dump(mode="json") for node in payload.nodes]

    def do(document: Document, found: Fix) -> str:
        inside = document["edge"]["inside"] if payload.inside is None else payload.inside
        if nodes is not None:
            document["edge"]["inside"] = inside
            return shape.set_nodes(document, found, nodes, payload.growth, payload.softness)
        return shape.set_edge(document, found, payload.outlines, payload.growth, payload.softness, inside)

    return apply(request, fix, payload.version, do)


@router.get("fixes/{fix}/edge-lines", response=LinesOut)
def edge_lines(request: HttpRequest, fix: int, frame: int) -> LinesOut:
    """Where the patch is full on a frame, and where it ends."""
    made = edge_data(found_fix(fix).document).edge()
    full, ends = lines(made, made.rect().grown(1), frame)
    plain = [[[(float(x), float(y)) for x, y in line] for line in side] for side in (full, ends)]
    return LinesOut(full=plain[0], ends=plain[1])


@router.patch("fixes/{fix}/source", response=FixOut)
def source(request: HttpRequest, fix: int, payload: SourceIn) -> FixOut:
    """What replaces the mark."""

    def do(document: Document, found: Fix) -> str:
        # an edge that another hold carries is in frame px as long as it is carried
        stands = document["stands"] if document["edge"].get("hold") else payload.stands
        return standing.set_source(document, found, payload.source, payload.blend, stands)

    return apply(request, fix, payload.version, do)


@router.patch("fixes/{fix}/front", response=FixOut)
def front(request: HttpRequest, fix: int, payload: FrontIn) -> FixOut:
    """What passes in front."""
    return apply(request, fix, payload.version, lambda d, f: shape.set_front(d, f, payload.front))


@router.patch("fixes/{fix}/match", response=FixOut)
def match(request: HttpRequest, fix: int, payload: MatchIn) -> FixOut:
    """How the plate is matched."""
    return apply(request, fix, payload.version, lambda d, _: shape.set_match(d, payload.match))


@router.get("fixes/{fix}/evidence", response=EvidenceOut)
def facts(request: HttpRequest, fix: int) -> EvidenceOut:
    """What the shot says of its light, grain and shutter."""
    found = found_fix(fix)
    said = evidence.of(found, current_hold(found))
    grain = said.grain
    points = [] if grain is None else [
        GrainPoint(level=round(float(level), 4), sigma=(float(s[0]), float(s[1]), float(s[2])))
        for level, s in zip(grain.levels, grain.sigma, strict=True)
    ]  # fmt: skip
    return EvidenceOut(
        known=grain is not None, multiplies=said.multiplies, shutter=said.shutter, standing=said.standing is not None,
        veil=None if said.veil is None else said.veil.share,
        stained=said.veil is not None and said.veil.stained,
        grain=points, settled=evidence.is_settled(found, current_hold(found)),
        words=words(said.choice) if said.choice else "",
        tried=[TriedOut(**one) for one in said.choice.plain()["tried"]] if said.choice else [],
    )  # fmt: skip


@router.get("fixes/{fix}/tells", response=TellsOut)
def tells(request: HttpRequest, fix: int) -> TellsOut:
    """The tells of each frame that has been measured."""
    found = found_fix(fix)
    if missing_part(found.document):
        return TellsOut(frames=[], waiting=0, problem="")
    wanted = judged.states(found, current_hold(found))
    rows = list(found.tells.all())
    fresh = {row.frame for row in rows if wanted.get(row.frame) == row.state}
    return TellsOut(
        frames=[TellOut(frame=row.frame, stale=row.frame not in fresh, **row.values) for row in rows],
        waiting=len(set(wanted) - fresh),
        problem=found.unmeasured,
    )


@router.post("fixes/{fix}/art", response=FixOut)
def bring_art(request: HttpRequest, fix: int, version: Form[int], file: File[UploadedFile]) -> FixOut:
    """Bring in artwork and put it over the mark."""
    found = found_fix(fix)
    name = Path(file.name or "artwork.png").name
    if (file.size or 0) > MOST_ART_BYTES:
        raise HushError(
            f"{name} is larger than {MOST_ART_BYTES // 1_000_000} MB; bring in a smaller picture.", "too-large"
        )
    place = f"{found.id}/art-{uuid.uuid4().hex[:12]}{Path(name).suffix.lower()}"
    path = plates_root() / place
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(file.read())
    with kept_if_used(place):
        picture, _ = read_artwork(path)
        height, width = picture.shape[:2]
        corners = _art_corners(found, width, height)

        def do(document: Document, at: Fix) -> str:
            row = Artwork.objects.create(fix=at, file=place, name=name[:120], width=width, height=height)
            return artwork.bring_art(document, row, corners)

        return apply(request, fix, version, do)


def _art_corners(fix: Fix, width: int, height: int) -> list[tuple[float, float]]:
    """Where new artwork lies: in the middle of the mark, in its own shape."""
    mark = mark_of(fix.document)
    if mark is None:
        raise HushError("No edge yet: draw where the artwork may lie first.", "incomplete")
    low, high = mark.min(0), mark.max(0)
    scale = ART_SHARE * min((high[0] - low[0]) / width, (high[1] - low[1]) / height)
    (x, y), w, h = (low + high) / 2, width * scale / 2, height * scale / 2
    return [(float(a), float(b)) for a, b in ((x - w, y - h), (x + w, y - h), (x + w, y + h), (x - w, y + h))]


@router.patch("fixes/{fix}/art", response=FixOut)
def art(request: HttpRequest, fix: int, payload: ArtIn) -> FixOut:
    """Another place, blend mode or opacity for the artwork."""
    args = (payload.corners, payload.mode, payload.opacity)
    return apply(request, fix, payload.version, lambda d, _: artwork.set_art(d, *args))


MOST_ART_BYTES = 400_000_000


ART_SHARE = 0.6  # of the mark's box that new artwork fills
