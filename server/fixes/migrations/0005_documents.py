"""Documents with one outline and one plate become documents with lists of them."""

from django.db import migrations

FRESH = {
    "strength": 1.0, "steady": 0.0, "capped": True, "sharpness": True, "texture": 1.0, "texture_scale": 6.0,
    "repair": None, "grain": "fresh", "grain_amount": 1.0,
}  # fmt: skip


def widened(document):
    """A document in the new form; one that is in it already stays."""
    if "plates" in document:
        return document
    old = dict(document)
    edge, strokes = old["edge"], old.pop("strokes")
    path = edge.pop("path")
    outlines = [] if path is None else [{"path": path, "keys": [], "takes": False, "width": None, "span": None}]
    return {
        **old,
        "edge": {"outlines": outlines, "inside": 0.0, **edge},
        "plates": [] if old["plate"] is None else [{"id": old["plate"], "strokes": strokes}],
        "source": "replace", "blend": "time", "art": None, "front": {"auto": True, "shapes": []}, "stands": False,
        "protect": None, "match": {**FRESH, **old["match"]},
    }  # fmt: skip


def stroked(data):
    """A stroke whose donor was one offset."""
    if "offset" in data:
        data = {**data, "donor": {"offset": data["offset"], "turn": 0.0, "zoom": 1.0, "flip": False, "source": "painted"}}
        del data["offset"]
    return data


def widen(apps, schema):
    for name in ("Fix", "Revision"):
        for row in apps.get_model("fixes", name).objects.all():
            row.document = widened(row.document)
            row.save(update_fields=["document"])
    for row in apps.get_model("fixes", "Stroke").objects.all():
        row.data = stroked(row.data)
        row.save(update_fields=["data"])


class Migration(migrations.Migration):
    dependencies = [("fixes", "0004_plates")]
    operations = [migrations.RunPython(widen, migrations.RunPython.noop)]
