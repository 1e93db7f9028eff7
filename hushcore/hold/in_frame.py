"""The hold of what stands in the frame: nothing moves, so that nothing is measured."""

from collections.abc import Iterable

import numpy as np

from hushcore.hold.record import Hold, HoldFrame

KIND = "frame"


def held_in_frame(frames: Iterable[int], anchor: int, size: tuple[int, int]) -> Hold:
    """A hold that leaves every frame as it is. ``size``: width, height."""
    hold = Hold(KIND, anchor, size, None, (0, 0))
    for number in frames:
        if number != anchor:
            hold.frames[number] = HoldFrame(np.eye(3), np.zeros((2, 2), np.float32), 0.0, 1.0, False)
    return hold
