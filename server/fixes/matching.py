"""Edge, source, front and match: what can be done, each as a change of the fix's document."""

from typing import Any

import numpy as np

from fixes import holding
from fixes.actions import Document, edge_data, mark_of, plain_outline
from fixes.models import Artwork, Fix, Hold, Path
from fixes.propose import ground_of
from hushcore.errors import HushError
from hushcore.recipe.models import ArtData, FrontData, GroundData, MatchData, MethodData, OutlineData, check

LEAST_ART = 4  # px a side on the surface


def set_edge(
    document: Document, fix: Fix, outlines: list[OutlineData] | None, growth: float, softness: float, inside: float
) -> str:
    """Other outlines (none: as they are), growth and softness. Raises HushError for an edge without area."""
    before = document["edge"]
    kept = before["outlines"] if outlines is None else [stored(fix, outline) for outline in outlines]
    document["edge"] = {"outlines": kept, "growth": growth, "softness": softness, "inside": inside}
    edge_data(document).edge().check()
    return "Growth and softness" if outlines is None else "Edge"


def set_nodes(document: Document, fix: Fix, nodes: list[dict[str, Any]], growth: float, softness: float) -> str:
    """Another first outline."""
    edge = document["edge"]
    rest = edge["outlines"][1:]
    outline = check({"nodes": nodes}, OutlineData, "The edge")
    outline.outline()
    document["edge"] = {**edge, "outlines": [stored(fix, outline), *rest], "growth": growth, "softness": softness}
    edge_data(document).edge().check()
    return "Edge"


def stored(fix: Fix, outline: OutlineData) -> Document:
    """An outline with its points as paths of the fix."""

    def path(nodes: Any) -> int:
        return Path.objects.create(fix=fix, nodes=[node.model_dump(mode="json") for node in nodes]).id

    return {
        **plain_outline(path(outline.nodes) if outline.nodes else None),
        "keys": [{"frame": key.frame, "path": path(key.nodes)} for key in outline.keys],
        "takes": outline.takes, "width": outline.width, "span": outline.span,
    }  # fmt: skip


def set_match(document: Document, match: MatchData) -> str:
    """How the plate is matched."""
    before = document["match"]
    document["match"] = match.model_dump(mode="json")
    moved = [name for name, value in document["match"].items() if before.get(name) != value]
    return f"Match: {moved[0].replace('_', ' ')}" if len(moved) == 1 else "Match"


def set_source(document: Document, fix: Fix, source: str, blend: str, stands: bool) -> str:
    """What replaces the mark, how plates share the shot, and whether the mark stands still in the frame: then it is no
    ground, and the hold is measured anew without it."""
    changed = source != document["source"]
    if stands != document["stands"]:
        _ground_without(document, fix, stands)
    document["source"], document["blend"], document["stands"] = source, blend, stands
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
    holding.track(document, fix, ground, method, "both")


def set_front(document: Document, fix: Fix, front: FrontData) -> str:
    """What passes in front: whether it is found, and what is drawn by hand."""
    for shape in front.shapes:
        shape.outline()
    document["front"] = {"auto": front.auto, "shapes": [stored(fix, shape) for shape in front.shapes]}
    return "In front"


def bring_art(document: Document, art: Artwork, corners: list[tuple[float, float]]) -> str:
    """Put artwork on the surface."""
    document["art"] = {"id": art.id, "corners": corners, "mode": "normal", "opacity": 1.0}
    document["source"] = "insert"
    return "Artwork"


def set_art(document: Document, corners: list[tuple[float, float]], mode: str, opacity: float) -> str:
    """Another place, blend mode or opacity for the artwork."""
    if document["art"] is None:
        raise HushError("No artwork yet: bring in a picture to put on.", "no-art")
    check({"picture": "art", "corners": corners, "mode": mode, "opacity": opacity}, ArtData, "The artwork")
    (left, top), (right, bottom) = (
        tuple(pick(point[k] for point in corners) for k in range(2)) for pick in (min, max)
    )  # fmt: skip
    if right - left < LEAST_ART or bottom - top < LEAST_ART:
        raise HushError("The artwork has no area; pull its corners apart.", "no-area")
    document["art"] = {**document["art"], "corners": corners, "mode": mode, "opacity": opacity}
    return "Artwork"
