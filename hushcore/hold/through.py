"""A whole shot held: measured both ways from the anchor, the mark looked for where that failed, bridged where it was hidden; in
another channel, or on a wider ground, where the own one has too little to hold on to."""

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace

from hushcore.arrays import F64
from hushcore.errors import HushError
from hushcore.hold.auto import chosen
from hushcore.hold.bridge import bridge, hidden_stretches
from hushcore.hold.mark import Mark
from hushcore.hold.method import Method
from hushcore.hold.onward import onward
from hushcore.hold.record import Hold, HoldFrame, Reader, follow, start, ways
from hushcore.hold.seek import BETTER_BY, FOUND, seen_again, sought
from hushcore.hold.solid import turned
from hushcore.hold.steadier import steadied
from hushcore.hold.still import Ground
from hushcore.hold.tracker import make_tracker
from hushcore.hold.wider import better, clearest, poor


def track(
    read: Reader, ground: Ground, method: Method | str, anchor: int, first: int, last: int, mark: Mark | None = None
) -> Iterator[tuple[int, Hold]]:
    """Measure first..last from the anchor both ways, then mend that; yields the growing hold after each frame.

    ``mark``: judges, and is looked for where it is not where the hold says. With a wider ground to try, a poor hold is measured
    in the channel that shows the mark far more clearly, and on that ground; each is taken where the mark is the better for
    it; the hold that is yielded last is the one that was taken.
    Raises HushError when the anchor lies outside the range or the ground cannot be held.
    """
    if not first <= anchor <= last:
        raise HushError(f"The anchor frame {anchor} is outside {first} to {last}; widen the range.", "bad-range")
    if isinstance(method, str):
        method = Method(method)
    if method.kind == "auto":
        method = chosen(read, ground, method, anchor, first, last)[1]
    hold: Hold | None = None
    outline = None if mark is None else mark.outline
    for number, hold in _once(read, ground, method, anchor, first, last, outline):
        yield number, hold
    if mark is None or mark.around is None or hold is None or not poor(hold):
        return
    channel = clearest(read(anchor), mark.outline, hold.size, method.prep.channel)
    for other, way in _rivals(ground, mark.around, method, channel):
        rival: Hold | None = None
        with suppress(HushError):  # a ground that cannot be held is no rival
            for number, rival in _once(read, other, way, anchor, first, last, mark.outline):
                yield number, rival
        if rival is not None and better(read, hold, rival, mark.outline, channel):
            hold = rival
            if not poor(hold):
                break
    yield anchor, hold


def _rivals(ground: Ground, around: Ground, method: Method, channel: str) -> Iterator[tuple[Ground, Method]]:
    """What else a poor hold is tried with, one after the other: the ``channel`` that shows the mark, a wider ground."""
    if channel != method.prep.channel:
        yield ground, replace(method, prep=replace(method.prep, channel=channel))
    yield around, method


def _once(
    read: Reader, ground: Ground, method: Method, anchor: int, first: int, last: int, outline: F64 | None
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
        for number, _ in mended(hold, ground, method, read, outline):
            yield number, hold


def mended(
    hold: Hold, ground: Ground, method: Method, read: Reader, outline: F64 | None
) -> Iterator[tuple[int, HoldFrame]]:  # fmt: skip
    """The frames of a measured hold that are measured anew, and are its own from then on: those on which the mark
    (``outline``: (n, 2), anchor px) is found elsewhere, those on which the surface was hidden, and all of them where a
    second pass makes the hold steadier."""
    sure = set()
    mark = outline if method.seeks else None
    for number, frame in sought(hold, ground, method, read, mark) if mark is not None else ():
        if not frame.lost:
            sure.add(number)
        yield number, frame
    for number, frame in _bridged(hold, ground, method, read, outline, sure):
        hold.frames[number] = frame
        yield number, frame
    yield from onward(hold, ground, method, read, mark) if mark is not None else ()
    for number, frame in steadied(hold, ground, method, read, outline) if outline is not None else ():
        hold.frames[number] = frame
        yield number, frame
    for number, frame in turned(hold, ground, method, read) if outline is not None else ():
        hold.frames[number] = frame
        yield number, frame


def _bridged(
    hold: Hold, ground: Ground, method: Method, read: Reader, outline: F64 | None, sure: set[int]
) -> Iterator[tuple[int, HoldFrame]]:  # fmt: skip
    """The frames of hidden stretches. A surface may be hidden round about a mark that is seen: where that looks enough like
    itself, or more so than on the smooth way, the frame is left as it was measured."""
    if outline is None or not hidden_stretches(hold, sure):
        yield from bridge(hold, ground, method, read, sure)
        return
    alike, usual = seen_again(hold, read, outline, None, method.prep.channel)
    held = {n for n, row in hold.frames.items() if not row.lost}
    sure = sure | {n for n in held if usual > 0 and alike[n] >= FOUND * usual}
    measured = dict(hold.frames)
    for number, frame in bridge(hold, ground, method, read, sure):
        if number in held and usual > 0:
            bridged = replace(hold, frames={**measured, number: frame})
            if seen_again(bridged, read, outline, [number], method.prep.channel)[0][number] < alike[number] - BETTER_BY:
                continue
        yield number, frame
