"""Artwork on the surface."""

from fixes.document import Document

from hushcore.errors import HushError
from hushcore.recipe.models import ArtData, check
from plates.models import Artwork

LEAST_ART = 4  # px a side on the surface


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
