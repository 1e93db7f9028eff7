"""A hold in open forms, for other programs."""

import json

import numpy as np

from holds.models import Hold
from hushcore.errors import HushError
from hushcore.hold.redo import corners_of
from hushcore.hold.tracks import matrices_json, points_csv
from hushcore.recipe.models import GroundData


def text_of(hold: Hold, form: str) -> tuple[str, str]:
    """The text of ``hold.json``, ``points.csv`` or ``matrices.json``, and its content type."""
    engine = hold.engine()
    ground = GroundData.model_validate(hold.ground).ground()
    corners = corners_of(engine, ground)
    if form == "hold.json":
        return json.dumps(engine.plain(), separators=(",", ":")), "application/json"
    if form == "matrices.json":
        return matrices_json(engine, corners), "application/json"
    if form == "points.csv":
        middle = corners.mean(0)
        names = (
            ["middle"] if hold.kind == "point" else ["top left", "top right", "bottom right", "bottom left", "middle"]
        )
        points = middle[None] if hold.kind == "point" else np.vstack([corners, middle])
        return points_csv(engine, names, points), "text/csv"
    raise HushError("Tracks go out as hold.json, points.csv or matrices.json.", "no-form")
