"""The first retouch of what stands in the frame: each frame's own picture from under it, or what lies behind it, from other
frames, if that is judged good enough."""

from collections.abc import Callable, Sequence

from hushcore.arrays import Codes
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.fill.plan import Fill
from hushcore.hold.record import Hold
from hushcore.patch.evidence import gather
from hushcore.patch.explain import spread
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.patch.uncovered import uncovered_plates
from hushcore.plates.plate import Plate
from hushcore.tells.measure import judge

LOOKED_AT = 7  # frames
QUIET_SHARE = 0.6  # of them that must be quiet
LOUDEST = 3.0  # a tell on any of them, that rules it out
CODED_LOUDEST = 2.0  # where what comes back cannot be trusted whole
WORDS = "taken from the frames on which it was uncovered"
OWN = "taken off each frame's own picture, {0} % of which shows through it"


def from_behind(hold: Hold, read: Callable[[int], Codes], edge: Edge, encoding: Encoding) -> bool:
    """Whether a mark that stands in the frame can be filled from other frames by itself. ``edge`` in frame px.

    What it made is judged on a few frames as any patch is. Raises HushError where nothing can be taken from other frames.
    """
    plan = Plan(edge, Match(), "fill", stands=True, fill=Fill("other frames"))
    return is_quiet(hold, read, plan, uncovered_plates(hold, plan, read, encoding), encoding)


def from_itself(hold: Hold, read: Callable[[int], Codes], edge: Edge, encoding: Encoding) -> Fix | None:
    """A mark that stands in the frame taken off each frame's own picture; None where it is not see-through, or too much of it
    would be seen. ``edge`` in frame px, without keys."""
    if edge.changes:
        return None
    plan = Plan(edge, Match(), "unveil", stands=True)
    evidence = gather(read, hold, edge, encoding, plan)
    if evidence.veil is None or evidence.veil.stained:
        return None
    fix = make_fix(hold, plan, (), evidence, None, read, 0, encoding=encoding)
    frames = spread(sorted({hold.anchor, *hold.frames}), LOOKED_AT)
    told = [judge(lay(read(frame), frame, fix), frame, fix, None)[0] for frame in frames]
    loudest = LOUDEST if evidence.veil.trust is None else CODED_LOUDEST
    return fix if good_enough([float(getattr(one, one.loudest)) for one in told], loudest) else None


def is_quiet(
    hold: Hold, read: Callable[[int], Codes], plan: Plan, plates: Sequence[tuple[int, Plate]], encoding: Encoding
) -> bool:
    """Whether what lies behind a mark, as ``plates`` show it, makes a patch that is worth proposing."""
    fix = make_fix(hold, plan, plates, gather(read, hold, plan.edge, encoding, plan, plates), None, read, 0)
    held = sorted(n for n, frame in hold.frames.items() if not frame.lost)
    return good_enough([_loudest(fix, read, frame) for frame in spread(held, LOOKED_AT)])


def _loudest(fix: Fix, read: Callable[[int], Codes], frame: int) -> float:
    tells, known = judge(lay(read(frame), frame, fix), frame, fix, None)
    # a frame on which nothing could be told is not quiet
    return float(getattr(tells, tells.loudest)) if known is not None else LOUDEST


def good_enough(values: Sequence[float], loudest: float = LOUDEST) -> bool:
    """Whether the loudest tells of some frames are those of a patch that is worth proposing."""
    if not values:
        return False
    quiet = sum(value < 1 for value in values) / len(values)
    return quiet >= QUIET_SHARE and max(values) < loudest
