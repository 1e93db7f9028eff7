"""The steps that a clip's values stand on, and the noise that rounding to them makes.

A movie's picture comes as R, G and B over 16 bits, but its luma holds 8, 10 or 12: what is laid must stand on the same steps,
and needs that much less grain. Source: ITU-R BT.601, BT.709, BT.2020 (weights, ranges); the variance of a rounding is the
step squared over 12 (Bennett 1948).
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from hushcore.arrays import F64, Codes
from hushcore.colour.encoding import Encoding
from hushcore.luma import WEIGHTS

TOP = 65535.0
LUMA_STEPS = (219.0, 255.0, 876.0, 1023.0, 3504.0, 4095.0)  # of white: limited and full range, coarse first
OFF, SHARE, FEWEST = 2.0, 0.97, 2000  # codes; of the places; places
EVERY = 3  # px


@dataclass(frozen=True)
class Steps:
    """Luma of R'G'B' codes lies on whole multiples of white over ``count``; ``matrix``: its weights (``luma.WEIGHTS``)."""

    matrix: str
    count: float

    @property
    def weights(self) -> F64:
        """Of R', G', B'."""
        kr, kb = WEIGHTS[self.matrix]
        return np.array([kr, 1 - kr - kb, kb])

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        return {"matrix": self.matrix, "count": self.count}

    @staticmethod
    def of(data: dict[str, Any]) -> "Steps":
        """From ``plain`` data."""
        return Steps(str(data["matrix"]), float(data["count"]))

    def kept(self, before: Codes, after: Codes) -> Codes:
        """Codes ``after`` (h, w, 3) whose luma differs from that of ``before`` by whole steps."""
        step = TOP / self.count
        change = (
            (after.astype(np.float32) - before.astype(np.float32)) @ self.weights.astype(np.float32) / np.float32(step)
        )
        more = (np.rint(change) - change) * np.float32(step)
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
                return found
    return None


def rounding(steps: Steps | None, encoding: Encoding) -> F64:
    """Covariance (3, 3) of what rounding adds to R, G and B, tonal values: the luma's own in all three alike, or each channel's
    own; nothing for light, whose tonal values are not what is rounded."""
    if encoding.floats_linear:
        return np.zeros((3, 3))
    if steps is not None:
        return np.full((3, 3), steps.count**-2 / 12)
    return np.eye(3) * (2.0**encoding.bits - 1) ** -2 / 12
