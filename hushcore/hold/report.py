"""Where a hold is weak, in words that say what to do."""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import groupby

import numpy as np

from hushcore.hold.bridge import runs
from hushcore.hold.confidence import CELL
from hushcore.hold.record import HOW, Hold, HoldFrame
from hushcore.hold.state import NOT_READ, OFF_FRAME
from hushcore.hold.trouble import WORDS

NOTICEABLE, LOUD = 1.4, 2.4  # px of drift RMS over the ground at which to look twice, and to expect trouble
HIDDEN = 3  # a cell that is used less than this (of 9) is covered or has changed
SLIPPED = 15.0  # px: above it the figure only says that the surface may be anywhere
COVERED = 0.35  # of the ground hidden while the rest still holds
MOSTLY = 0.85  # of the ground hidden: there is nothing left to ignore it for
FEW = 3  # stretches that are told one by one
PARTLY = 0.15  # share of the ground off the frame, or not seen, that is worth a word


@dataclass(frozen=True)
class Weak:
    """A stretch to look at.

    ``kind``: lost, cut, black, comb, covered, drift or off-frame; ``worst``: its weakest frame; ``place``: still point (px) of
    what is weak there, where that can be told.
    """

    first: int
    last: int
    kind: str
    worst: int
    words: str
    place: tuple[float, float] | None = None


@dataclass(frozen=True)
class Otherwise:
    """Frames that were not simply followed, from ``first`` on; ``how``: a key of ``record.HOW``."""

    how: str
    first: int
    words: str


@dataclass(frozen=True)
class Note:
    """What a report needs to know of a frame.

    ``hidden``, ``off``: shares of the ground that are covered or changed, and off the frame; ``place``: still point
    (px) of what is weak.
    """

    drift: float
    lost: bool
    trouble: str
    hidden: float
    off: float
    place: tuple[float, float] | None


def note_of(frame: HoldFrame, corner: tuple[int, int]) -> Note:
    """The note of a measured frame. ``corner``: top left of its cells, still px."""
    return Note(
        frame.drift_rms, frame.lost, frame.trouble, share_of(frame, off=False), share_of(frame, off=True),
        place_of(frame, corner),
    )  # fmt: skip


def weak_stretches(notes: Mapping[int, Note], anchor: int) -> list[Weak]:
    """All weak stretches in order of the frames."""
    found = []
    numbers = sorted(notes)
    held = [number for number in numbers if not notes[number].lost] + [anchor]
    kinds = {number: _kind(notes[number]) for number in numbers}
    for number in numbers:  # a cut that the surface comes back from was something that came before the lens
        if kinds[number] == "cut" and min(held) < number < max(held):
            kinds[number] = "lost"
    for (_, kind), group in groupby(enumerate(numbers), key=lambda pair: (pair[1] - pair[0], kinds[pair[1]])):
        stretch = [number for _, number in group]
        if kind:
            found.append(_weak(kind, stretch, notes, anchor))
    return found


def held_otherwise(hows: Mapping[int, str]) -> list[Otherwise]:
    """A line for each way in which frames are held that were not simply followed. ``hows``: a key of ``HOW``, or nothing,
    for each held frame."""
    found = []
    for how, words in HOW.items():
        frames = sorted(number for number, one in hows.items() if one == how)
        if frames:
            count = "all frames" if len(frames) == len(hows) else f"{len(frames)} frame{'s' * (len(frames) > 1)}"
            found.append(Otherwise(how, frames[0], f"{count} {words}, {_where(frames)}"))
    return found


def _where(frames: list[int]) -> str:
    """Stretches of ascending frames; many of them as the whole in which they lie."""
    parts = runs(frames)
    if len(parts) > FEW:
        return f"between {frames[0]} and {frames[-1]}"
    return ", ".join(str(first) if first == last else f"{first} to {last}" for first, last in parts)


def _kind(note: Note) -> str:
    if note.trouble in ("cut", "black"):
        return note.trouble
    if note.lost:
        return "lost"
    if note.trouble == "comb":
        return "comb"
    if note.hidden >= COVERED:
        return "covered"
    if note.drift >= NOTICEABLE:
        return "drift"
    return "off-frame" if note.off >= PARTLY else ""


def share_of(frame: HoldFrame, off: bool) -> float:
    """Share 0..1 of the ground that lies off the frame, or else that is in it but hidden or changed."""
    if frame.cells is None:
        return 0.0 if off else 1 - frame.seen
    ground = frame.cells != NOT_READ
    marked = frame.cells == OFF_FRAME if off else frame.cells < HIDDEN
    return float((marked & ground).sum() / max(1, ground.sum()))


def place_of(frame: HoldFrame, corner: tuple[int, int]) -> tuple[float, float] | None:
    """Still point in the middle of what is hidden, or of what drifts most."""
    if frame.cells is None:
        return None
    weak = frame.cells < HIDDEN
    if not weak.any():
        ground = frame.cells != NOT_READ
        if not ground.any():
            return None
        weak = ground & (frame.drift >= np.quantile(frame.drift[ground], 0.9))
    rows, cols = np.nonzero(weak)
    return (float(corner[0] + (cols.mean() + 0.5) * CELL), float(corner[1] + (rows.mean() + 0.5) * CELL))


def _weak(kind: str, stretch: list[int], notes: Mapping[int, Note], anchor: int) -> Weak:
    hiding = 0.0 if kind == "drift" else 1e3  # what is said of drift is where that is largest
    worst = max(stretch, key=lambda number: notes[number].drift + hiding * notes[number].hidden)
    note = notes[worst]
    first, last = stretch[0], stretch[-1]
    middle = (first + last) // 2
    after = last + 1 if last + 1 in notes or first < anchor else None
    where = f"on {first}" if first == last else f"from {first} to {last}"
    hidden, off = note.hidden, note.off
    if kind == "cut":
        edge = first if first > anchor else last
        words = f"The picture cuts at {edge}. End the shot {'before' if first > anchor else 'after'} it."
    elif kind == "black":
        words = f"Black or blank {where}; the hold is carried over it. Switch it off there if nothing is to be patched."
    elif kind == "comb":
        words = f"{first} to {last}: {WORDS['comb']}."
    elif kind == "lost":
        cause = _cause(hidden, off)
        key = after if after is not None else middle
        remedy = "Read more of the surface beside it" if hidden > MOSTLY else "Ignore what covers it"
        words = f"Lost {where}: {cause}. {remedy}, or set a key at {key} and redo."
    elif kind == "covered":
        words = f"{round(100 * hidden)} % of the ground is covered {where}; the rest holds it. Look there, or ignore what passes."
    elif kind == "off-frame":
        words = f"{round(100 * off)} % of the ground is off the frame {where}; that part is carried on by the rest."
    else:
        size = f"by up to {note.drift:.1f} px" if note.drift < SLIPPED else f"by more than {SLIPPED:.0f} px"
        words = f"May be off {size} {where}, most at {worst}. Look there; drag it if it slips."
    return Weak(first, last, kind, worst, words, note.place)


def _cause(hidden: float, off: float) -> str:
    if off > 0.5:
        return f"{round(100 * off)} % of the ground is off the frame"
    if hidden > MOSTLY:
        return "hardly anything of the ground is found; it is covered, or looks otherwise"
    if hidden > 0.3:
        return f"{round(100 * hidden)} % of the ground is covered"
    return "the ground does not look as on the anchor frame"


def report(hold: Hold) -> list[Weak]:
    """Where a hold is weak."""
    return weak_stretches({n: note_of(frame, hold.corner) for n, frame in hold.frames.items()}, hold.anchor)
