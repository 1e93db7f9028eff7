"""Edge, front and match: what can be done, each as a change of the fix's document."""

from typing import Any

from fixes.document import Document, edge_data, fill_of, plain_outline, soften_of
from fixes.models import Fix, Path
from hushcore.recipe.models import FillData, FrontData, MatchData, OutlineData, SoftenData, check


def set_edge(
    document: Document, fix: Fix, outlines: list[OutlineData] | None, growth: float, softness: float, inside: float
) -> str:
    """Other outlines (none: as they are), growth and softness. Raises HushError for an edge without area."""
    before = document["edge"]
    kept = before["outlines"] if outlines is None else [stored(fix, outline) for outline in outlines]
    document["edge"] = {"outlines": kept, "growth": growth, "softness": softness, "inside": inside}
    if before.get("hold"):
        if outlines is None:
            document["edge"]["hold"] = before["hold"]
        else:  # drawn on the frames themselves from here on
            document["stands"] = True
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


def set_fill(document: Document, fill: FillData, donor: int | None) -> str:
    """How the mark's place is filled; ``donor``: the hold that carries what is borrowed. Raises HushError for a place
    without area."""
    fill.fill()
    before = fill_of(document)
    document["fill"] = {**fill.model_dump(mode="json", exclude={"donor_hold"}), "donor": donor}
    document["source"] = "fill"
    without_proposal(document)
    label = fill.kind.capitalize()
    moved = [name for name, value in document["fill"].items() if before.get(name) != value]
    return f"{label}: {moved[0]}" if len(moved) == 1 and moved != ["kind"] else label


def without_proposal(document: Document) -> None:
    """What nobody has painted does not guide what is chosen instead."""
    if document.pop("proposed", None):
        document["plates"], document["plate"] = [], None


def set_soften(document: Document, soften: SoftenData) -> str:
    """How the mark is softened."""
    before = soften_of(document)
    document["soften"] = soften.model_dump(mode="json")
    document["source"] = "soften"
    without_proposal(document)
    moved = [name for name, value in document["soften"].items() if before.get(name) != value]
    return f"Soften: {moved[0]}" if len(moved) == 1 else "Soften"


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
