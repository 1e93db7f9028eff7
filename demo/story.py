"""What has happened in the demo's job: a shot that waits for review with two notes, one delivered with its proof.

Made with the same actions as people use, by workers that are running; safe to run again, and to stop at any moment.
"""

import math
import time
from collections.abc import Mapping
from typing import Any

LONG = 600  # seconds that tracking and proposing may take
# shot, name of the fix, frame on which it is circled, middle and half sizes of the loop in px
MOLE = ("110 arm", "Mole", 30, (1008.0, 246.0), (30.0, 28.0))
OVERLAY = ("150 yard", "Overlay", 40, (1126.0, 84.0), (84.0, 44.0))
NOTES = (
    ("Gone at this size. Is the skin a touch too smooth here when it turns?", 22, (1000.0, 262.0), True),
    ("The last frames are fine for me.", 58, None, False),
)


def tell(shots: Mapping[str, Any]) -> None:
    """Have the mole taken off and looked at, and the overlay taken off and delivered. ``shots``: the job's, by name."""
    from django.contrib.auth.models import User

    people = {user.username: user for user in User.objects.filter(username__in=("demo", "ines", "otto"))}
    arm, yard = shots.get(MOLE[0]), shots.get(OVERLAY[0])
    if arm is not None and _hushed(arm, MOLE, people["ines"]):
        _reviewed(arm, people)
    if yard is not None and _hushed(yard, OVERLAY, people["ines"]):
        _delivered(yard, people["ines"])


def _hushed(shot: Any, what: tuple[Any, ...], by: Any) -> bool:
    """Circle a mark; True once it is tracked and a retouch was proposed. Nothing is done to a shot that somebody works on."""
    from fixes import change
    from fixes.document import missing_part
    from fixes.models import Fix
    from holds.circle import circle

    if shot.fixes.exists():
        return False
    _, words, frame, (x, y), (wide, tall) = what
    turns = [2 * math.pi * k / 24 for k in range(24)]
    made = circle(shot, frame, [(x + wide * math.cos(turn), y + tall * math.sin(turn)) for turn in turns], by)
    until = time.monotonic() + LONG
    while time.monotonic() < until:
        now = Fix.objects.filter(id=made.id).first()
        if now is None:
            return False
        if now.document.get("proposed") and not missing_part(now.document):
            change.change(now.id, now.version, by, lambda document: change.set_name(document, words))
            return True
        time.sleep(2)
    return False


def _reviewed(shot: Any, people: Mapping[str, Any]) -> None:
    from reviews import notes

    version = notes.send(shot, "Mole taken off", people["ines"])
    for said, at, spot, drawn in NOTES:
        lines = [[(965.0, 226.0), (958.0, 262.0), (980.0, 292.0)]] if drawn else []
        notes.pin(shot, at, said, people["otto"], spot, lines, version)
    first = shot.notes.first()
    if first is not None:
        notes.answer(first, "I will lay its texture back a little.", people["ines"])


def _delivered(shot: Any, by: Any) -> None:
    from deliveries import actions

    pieces = [{"what": "frames", "form": "source"}, {"what": "mattes", "form": "png16"}, {"what": "side"}]
    actions.ask(shot, shot.first, shot.last, by, pieces)
