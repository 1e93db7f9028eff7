"""Patched pictures that workers have laid already, found without looking at the fixes again for each."""

import time
from contextlib import suppress

from jobs.models import Shot
from jobs.pictures import proxy_path
from jobs.shelf import Shelf
from jobs.viewing import View

from hushcore.errors import HushError
from laying import ready

TOGETHER = 48  # frames that are named at once
GOOD_FOR = 10.0  # seconds at most; addresses change with what they name, so that this bounds only what they cannot know
NAME_BYTES = 200

_named: Shelf = Shelf(lambda names: NAME_BYTES * (1 + len(names)))


def stored(shot: int, frame: int, version: str, view: View, suffix: str) -> bytes | None:
    """The patched picture of a frame from the shot's store, if it is there. ``version``: the state that the screen asks
    for and the look it has, as its address names them; a stretch of frames is named at once."""
    stretch, since = frame // TOGETHER, int(time.monotonic() / GOOD_FOR)
    key = (shot, version, f"{view.name} {suffix}", stretch, since)
    name = _named.once(key, lambda: _names(shot, stretch, view, suffix)).get(frame)
    if name is None:
        return None
    try:
        return proxy_path(shot, name, suffix).read_bytes()
    except FileNotFoundError:
        return None


def _names(shot: int, stretch: int, view: View, suffix: str) -> dict[int, str]:
    found = Shot.objects.select_related("clip").filter(id=shot).first()
    if found is None:
        return {}
    made = {}
    frames = range(max(found.first, stretch * TOGETHER), min(found.last + 1, (stretch + 1) * TOGETHER))
    for n, state in ready.states(found, frames).items() if frames else ():
        with suppress(HushError):  # a frame that is gone says so where it is looked at
            made[n] = ready.patched_key(found, n, state, view, suffix)
    return made
