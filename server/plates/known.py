"""Strokes as the engine's data, read and checked once: a stroke is never changed once made."""

import threading
from collections import OrderedDict

from hushcore.recipe.models import StrokeData
from plates.models import Stroke

MOST = 8000  # strokes remembered by a process

_known: OrderedDict[int, StrokeData] = OrderedDict()
_lock = threading.Lock()


def strokes(ids: list[int]) -> dict[int, StrokeData]:
    """The strokes of those ids that there are."""
    with _lock:
        found = {number: _known[number] for number in ids if number in _known}
    missing = [number for number in ids if number not in found]
    fresh = (
        {row.id: StrokeData.model_validate(row.data) for row in Stroke.objects.filter(id__in=missing)}
        if missing
        else {}
    )
    with _lock:
        for number, data in fresh.items():
            _known[number] = data
        while len(_known) > MOST:
            _known.popitem(last=False)
    return {**found, **fresh}
