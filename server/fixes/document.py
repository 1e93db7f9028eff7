"""A fix's document as plain data: what is chosen, what is missing, whether it is off; and its outlines for the engine."""

from typing import Any

from fixes.models import Path
from hushcore.errors import HushError
from hushcore.recipe.models import EdgeData, FillData, MatchData, OutlineData, SoftenData, check

Document = dict[str, Any]


def blank_document(name: str) -> dict[str, Any]:
    """A fix with nothing decided yet."""
    return {
        "name": name, "on": True, "hold": None,
        "edge": {"outlines": [], "growth": 6.0, "softness": 14.0, "inside": 0.0},
        "plate": None, "plates": [], "source": "replace", "blend": "time", "art": None,
        "fill": None, "soften": None,
        "front": {"auto": True, "shapes": []}, "stands": False, "protect": None, "match": MatchData().model_dump(), "off": [],
    }  # fmt: skip


def plain_outline(path: int | None) -> Document:
    """An outline as a document has it: a path that is added and stays as it is."""
    return {"path": path, "keys": [], "takes": False, "width": None, "span": None}


def is_off(document: Document, frame: int) -> bool:
    """Whether the fix is off on a frame."""
    return any(first <= frame <= last for first, last in document.get("off", []))


def missing_part(document: Document) -> str:
    """What a fix still lacks to be laid, in words; empty when nothing."""
    if document["hold"] is None:
        return "No hold yet: circle the mark."
    if not document["edge"]["outlines"]:
        return "No edge yet: draw it round the mark."
    source = document["source"]
    if source == "fill":
        fill = fill_of(document)
        unset = fill["kind"] == "borrow" and not fill["keys"] and tuple(fill["offset"]) == (0, 0)
        return "Nothing to borrow from yet: drag the clean place in the Still view." if unset else ""
    if source in ("soften", "unveil"):
        return ""
    if not document["plates"]:
        return "No plate yet: pick a frame to retouch."
    if source == "retrace" and not any(one["on"] for entry in document["plates"] for one in entry["strokes"]):
        return "No stroke yet: paint on the plate, and it is redone on every frame."
    if source == "insert" and document["art"] is None:
        return "No artwork yet: bring in a picture to put on."
    return ""


def fill_of(document: Document) -> Document:
    """What is asked of the fill; as it is begun where nothing was set."""
    kept: Document | None = document.get("fill")
    return kept if kept is not None else {**FillData().model_dump(mode="json", exclude={"donor_hold"}), "donor": None}


def soften_of(document: Document) -> Document:
    """How it is softened; as it is begun where nothing was set."""
    kept: Document | None = document.get("soften")
    return kept if kept is not None else SoftenData().model_dump(mode="json")


def outline_of(outline: Document) -> Document:
    """An outline of a document as the engine's OutlineData, its points read from the paths that it names."""
    wanted = [outline["path"], *(key["path"] for key in outline["keys"])]
    rows = Path.objects.in_bulk([number for number in wanted if number is not None])
    plain = {name: outline[name] for name in ("takes", "width", "span")}
    keys = [{"frame": key["frame"], "nodes": rows[key["path"]].nodes} for key in outline["keys"]]
    return {**plain, "keys": keys, "nodes": rows[outline["path"]].nodes if outline["path"] in rows else None}


def edge_data(document: Document) -> EdgeData:
    """The edge for the engine. Raises HushError when there is none."""
    edge = document["edge"]
    if not edge["outlines"]:
        raise HushError("No edge yet: draw it round the mark.", "incomplete")
    first, *more = (outline_of(outline) for outline in edge["outlines"])
    numbers = {name: edge[name] for name in ("growth", "softness", "inside")}
    hold = f"hold-{edge['hold']}.json" if edge.get("hold") else None
    return check({**first, "more": more, **numbers, "hold": hold}, EdgeData, "The edge")


def mark_of(document: Document) -> Any:
    """The first outline as a polygon (n, 2) on the still surface, or None."""
    if not document["edge"]["outlines"]:
        return None
    outline = OutlineData.model_validate(outline_of(document["edge"]["outlines"][0])).outline()
    return outline.at(outline.keys[0][0]).line(outline.width is None)[0]
