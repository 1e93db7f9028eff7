"""Edge, front and match: what can be done, each as a change of the fix's document."""

from typing import Any

from fixes.document import Document, edge_data, plain_outline
from fixes.models import Fix, Path
from hushcore.recipe.models import FrontData, MatchData, OutlineData, check


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


def set_front(document: Document, fix: Fix, front: FrontData) -> str:
    """What passes in front: whether it is found, and what is drawn by hand."""
    for shape in front.shapes:
        shape.outline()
    document["front"] = {"auto": front.auto, "shapes": [stored(fix, shape) for shape in front.shapes]}
    return "In front"
