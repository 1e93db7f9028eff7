"""A whole shot held: measured both ways from the anchor, then bridged where it was hidden; on a wider ground where the own one
has too little to hold on to."""

from collections.abc import Iterator
from contextlib import suppress

from hushcore.errors import HushError
from hushcore.hold.auto import chosen
from hushcore.hold.bridge import bridge
from hushcore.hold.method import Method
from hushcore.hold.record import Hold, Reader, follow, start, ways
from hushcore.hold.still import Ground
from hushcore.hold.tracker import make_tracker
from hushcore.hold.wider import Wider, better, poor


def track(
    read: Reader, ground: Ground, method: Method | str, anchor: int, first: int, last: int, wider: Wider | None = None
) -> Iterator[tuple[int, Hold]]:
    """Measure first..last from the anchor both ways, then bridge what was hidden; yields the growing hold after each frame.

    ``wider``: what is tried where the hold is poor, and taken where the mark is the better for it; the hold that is yielded
    last is the one that was taken. Raises HushError when the anchor lies outside the range or the ground cannot be held.
    """
    if not first <= anchor <= last:
        raise HushError(f"The anchor frame {anchor} is outside {first} to {last}; widen the range.", "bad-range")
    if isinstance(method, str):
        method = Method(method)
    if method.kind == "auto":
        method = chosen(read, ground, method, anchor, first, last)[1]
    hold: Hold | None = None
    for number, hold in _once(read, ground, method, anchor, first, last):
        yield number, hold
    if wider is None or hold is None or not poor(hold):
        return
    rival: Hold | None = None
    with suppress(HushError):  # a ground that cannot be held is no rival
        for number, rival in _once(read, wider.ground, method, anchor, first, last):
            yield number, rival
    if rival is None or not better(read, hold, rival, wider.mark):
        yield anchor, hold


def _once(
    read: Reader, ground: Ground, method: Method, anchor: int, first: int, last: int
) -> Iterator[tuple[int, Hold]]:
    codes = read(anchor)
    hold: Hold | None = None
    for way in ways(first, last, anchor):
        tracker = make_tracker(codes, ground, method, anchor)
        hold = hold or start(tracker, anchor)
        for number, frame in follow(tracker, read, way):
            hold.frames[number] = frame
            yield number, hold
    if hold is not None and not hold.frames:
        yield anchor, hold
    if hold is not None:
        for number, frame in bridge(hold, ground, method, read):
            hold.frames[number] = frame
            yield number, hold
