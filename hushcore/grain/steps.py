"""The steps that a clip's values stand on, and the noise that rounding to them makes.

A movie's picture comes as R, G and B over 16 bits, but its luma holds 8, 10 or 12: what is laid must stand on the same steps,
and needs that much less grain; so does its chroma, whose grain is often finer than its own steps. Source: ITU-R BT.601, BT.709,
BT.2020 (weights, ranges), H.273 (where chroma lies); the variance of a rounding is the step squared over 12 (Bennett 1948).
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from hushcore.arrays import F32, F64, Codes
from hushcore.colour.encoding import Encoding
from hushcore.grain.model import BLOCK
from hushcore.luma import WEIGHTS
from hushcore.rounding import add_whole

TOP = 65535.0
LUMA_STEPS = (219.0, 255.0, 876.0, 1023.0, 3504.0, 4095.0)  # of white: limited and full range, coarse first
COARSE = 255.0  # steps: those of 8 bits
LEAN = 0.7  # of the neighbours' miss, where luma is rounded smoothly
OFF, SHARE, FEWEST = 2.0, 0.97, 2000  # codes; of the places; places
EVERY = 3  # px
CHROMA_COUNTS = {219.0: 224.0, 876.0: 896.0, 3504.0: 3584.0}  # steps of chroma for those of luma, limited range
CHROMA_OFF = 6.0  # codes
# how a halved sample spreads over pixels: on the first of its two, or between them
ON_IT = (0.5, 1.0, 0.5)
BETWEEN = (0.25, 0.75, 0.75, 0.25)


@dataclass(frozen=True)
class Steps:
    """Luma of R'G'B' codes lies on whole multiples of white over ``count``; ``matrix``: its weights (``luma.WEIGHTS``);
    ``across``, ``down``: how a chroma sample spreads where there is one for two pixels (empty: one a pixel)."""

    matrix: str
    count: float
    across: tuple[float, ...] = ()
    down: tuple[float, ...] = ()

    @property
    def weights(self) -> F64:
        """Of R', G', B'."""
        kr, kb = WEIGHTS[self.matrix]
        return np.array([kr, 1 - kr - kb, kb])

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        return {"matrix": self.matrix, "count": self.count, "across": list(self.across), "down": list(self.down)}

    @staticmethod
    def of(data: dict[str, Any]) -> "Steps":
        """From ``plain`` data."""
        spreads = (tuple(float(x) for x in data.get(name, ())) for name in ("across", "down"))
        return Steps(str(data["matrix"]), float(data["count"]), *spreads)

    def kept(self, before: Codes, after: Codes, smoothly: bool = False) -> Codes:
        """Codes ``after`` (h, w, 3) whose luma differs from that of ``before`` by whole steps; ``smoothly``: so that what is
        smooth is not roughened."""
        step = TOP / self.count
        weights = self.weights.astype(np.float32)
        change = (after.astype(np.float32) - before.astype(np.float32)) @ weights / np.float32(step)
        whole = np.rint(change)
        if smoothly:
            old = np.rint(before.astype(np.float32) @ weights / np.float32(step)).astype(np.int32)
            new, peak = old.copy(), int(self.count)
            add_whole(new, change.astype(np.float64), (before != after).any(-1), peak, LEAN)
            whole = (new - old).astype(np.float32)
        more = (whole - change) * np.float32(step)
        return np.asarray(np.clip(np.rint(after + more[..., None]), 0, TOP), after.dtype)


def steps_of(codes: Codes) -> Steps | None:
    """The steps of a frame's luma; None where there are none, or it is no movie's picture."""
    if codes.dtype != np.uint16 or codes.ndim != 3 or codes.shape[2] < 3:
        return None
    some = codes[::EVERY, ::EVERY, :3].reshape(-1, 3).astype(float)
    some = some[(some.min(1) > 0) & (some.max(1) < TOP)]  # cut off, they tell nothing
    if len(some) < FEWEST:
        return None
    for count in LUMA_STEPS:
        for matrix in WEIGHTS:
            found = Steps(matrix, count)
            step = TOP / count
            place = some @ found.weights / step
            if (np.abs(place - np.rint(place)) * step < OFF).mean() >= SHARE:
                whole = codes[..., :3].astype(np.float32)
                blue = whole[..., 2] - whole @ found.weights.astype(np.float32)
                return Steps(matrix, count, _spread(blue.T), _spread(blue))
    return None


def _spread(rows: F32) -> tuple[float, ...]:
    """How samples of every second row were spread over all of them; empty where they were not."""
    even, odd = rows[0::2], rows[1::2]
    count = min(len(even), len(odd)) - 2
    if count < 1:
        return ()
    first = odd[:count] - (even[:count] + even[1 : count + 1]) / 2
    # a sample from the two px before its own, and from its own two
    ahead = (3 * even[1 : count + 1] - odd[:count]) / 2 - (3 * odd[1 : count + 1] - even[2 : count + 2]) / 2
    for miss, spread in ((first, ON_IT), (ahead, BETWEEN)):
        if (np.abs(miss[:, ::EVERY]) < CHROMA_OFF).mean() >= SHARE:
            return spread
    return ()


def rounding(steps: Steps | None, encoding: Encoding) -> F64:
    """Covariance of what rounding adds to R, G and B, tonal values, at every frequency of a block (16, 16, 3, 3) or at all alike
    (3, 3): the luma's own in all three, and the chroma's; or each channel's own; nothing for light, whose tonal values are
    not what is rounded."""
    if encoding.floats_linear:
        return np.zeros((3, 3))
    if steps is None:
        return np.eye(3) * (2.0**encoding.bits - 1) ** -2 / 12
    red, green, blue = steps.weights
    # what a unit of B - Y and of R - Y, each over its range of -.5 to .5, adds to R, G and B
    sides = [np.array([0, -2 * blue * (1 - blue) / green, 2 * (1 - blue)])]
    sides.append(np.array([2 * (1 - red), -2 * red * (1 - red) / green, 0]))
    power = np.outer(_response(steps.down), _response(steps.across))
    chroma = sum(np.outer(side, side) for side in sides) * CHROMA_COUNTS.get(steps.count, steps.count) ** -2 / 12
    return np.asarray(np.full((3, 3), steps.count**-2 / 12) + power[..., None, None] * chroma)


def _response(spread: tuple[float, ...]) -> F64:
    """Power of white samples of variance 1 that were spread, at the frequencies of a block."""
    if not spread:
        return np.ones(BLOCK)
    return np.asarray(np.abs(np.fft.fft(spread, BLOCK)) ** 2 / 2)
