"""A fix's document as the engine's recipe."""

from fixes.document import Document, edge_data, fill_of, missing_part, outline_of, soften_of
from plates.known import strokes
from plates.models import Artwork, Plate

from hushcore.errors import HushError
from hushcore.recipe.models import FixData, StrokeData, check


def strokes_of(entry: Document) -> list[tuple[int, StrokeData]]:
    """The strokes of a plate's entry that are on, in order, with their ids."""
    known = strokes([stroke["id"] for stroke in entry["strokes"]])
    return [
        (stroke["id"], known[stroke["id"]]) for stroke in entry["strokes"] if stroke["on"] and stroke["id"] in known
    ]


def _source(document: Document) -> Document:
    """The source with what it needs."""
    made: Document = {"source": document["source"]}
    if document["source"] == "fill":
        fill = dict(fill_of(document))
        donor = fill.pop("donor", None)
        made["fill"] = {**fill, "donor_hold": f"hold-{donor}.json" if donor else None}
    elif document["source"] == "soften":
        made["soften"] = soften_of(document)
    elif document["source"] == "retrace":
        made["strokes"] = [data.model_dump() for entry in document["plates"] for _, data in strokes_of(entry)]
    return made


def fix_data(document: Document) -> FixData:
    """The document as the engine's recipe. Raises HushError when a part is missing."""
    lacking = missing_part(document)
    if lacking:
        raise HushError(lacking, "incomplete")
    rows = Plate.objects.in_bulk([entry["id"] for entry in document["plates"]])
    art = Artwork.objects.filter(id=document["art"]["id"]).first() if document["art"] else None
    return check(
        {
            "name": document["name"], "on": document["on"], "hold": f"hold-{document['hold']}.json",
            "edge": edge_data(document).model_dump(),
            "plates": [
                {
                    "frame": rows[entry["id"]].frame, "picture": rows[entry["id"]].picture or None,
                    "start": rows[entry["id"]].start, "average": rows[entry["id"]].average,
                    "strokes": [data.model_dump() for _, data in strokes_of(entry)],
                }
                for entry in document["plates"]
            ],
            **_source(document), "blend": document["blend"], "stands": document["stands"],
            "art": None if art is None else {
                "picture": art.file, **{name: document["art"][name] for name in ("corners", "mode", "opacity")},
            },
            "front": {
                "auto": document["front"]["auto"], "shapes": [outline_of(shape) for shape in document["front"]["shapes"]],
            },
            "match": document["match"], "off": document.get("off", []),
        },
        FixData,
        document["name"],
    )  # fmt: skip
