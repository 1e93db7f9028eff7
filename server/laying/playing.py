"""Patched pictures that workers have laid already, found without looking at the fixes again for each."""

import threading
import time
from collections import OrderedDict
from contextlib import suppress

from jobs.models import Shot
from jobs.pictures import proxy_path
from jobs.viewing import View

from hushcore.errors import HushError
from laying import ready

AHEAD = 48  # frames named together
GOOD_FOR = 10.0  # seconds; addresses change with what they name, so that this bounds only what they cannot know
MOST = 64  # stretches remembered

_named: OrderedDict[tuple[int, str, str], tuple[float, dict[int, str]]] = OrderedDict()
_lock = threading.Lock()


def stored(shot: int, frame: int, version: str, view: View, suffix: str) -> bytes | None:
    """The patched picture of a frame from the shot's store, if it is there. ``version``: the state that the screen asks
    for and the look it has, as its address names them; the first frame of a state names those that follow."""
    key = (shot, version, f"{view.name} {suffix}")
    with _lock:
        since, names = _named.get(key, (0.0, {}))
    if frame not in names or time.monotonic() - since > GOOD_FOR:
        names = _names(shot, frame, view)
        with _lock:
            _named[key] = (time.monotonic(), names)
            _named.move_to_end(key)
            while len(_named) > MOST:
                _named.popitem(last=False)
    if frame not in names:
        return None
    try:
        return proxy_path(shot, names[frame], suffix).read_bytes()
    except FileNotFoundError:
        return None


def _names(shot: int, frame: int, view: View) -> dict[int, str]:
    found = Shot.objects.select_related("clip").filter(id=shot).first()
    if found is None or not found.first <= frame <= found.last:
        return {}
    made = {}
    for n, state in ready.states(found, range(frame, min(frame + AHEAD, found.last + 1))).items():
        with suppress(HushError):  # a frame that is gone says so where it is looked at
            made[n] = ready.patched_key(found, n, state, view)
    return made
