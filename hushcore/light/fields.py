"""Light: how the plate's picture is brought into a frame's light, by mode.

A field is a log gain and, for highlights, an added light; both lie on the still surface and act in scene-linear.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, mean
from hushcore.light import ring
from hushcore.light.region import Pair, full
from hushcore.light.under import Under, under


@dataclass(frozen=True)
class Light:
    """``gain`` (h, w, 3): log; ``added`` (h, w, 3): linear, or None for nothing."""

    gain: F32
    added: F32 | None = None

    def on(self, picture: F32) -> F32:
        """A picture (h, w, 3) in this light."""
        lit = picture * np.exp(self.gain)
        return np.asarray(lit if self.added is None else lit + self.added, np.float32)

    def times(self, strength: float) -> "Light":
        """Only so much of it: 0 nothing, 1 all."""
        if strength == 1:
            return self
        added = None if self.added is None else self.added * np.float32(strength)
        return Light(self.gain * np.float32(strength), added)

    def coloured_as(self, other: "Light") -> "Light":
        """As bright, and of another's colour."""
        level = mean(self.gain) - mean(other.gain)
        return Light(np.asarray(other.gain + level[..., None], np.float32), self.added)


Solved = tuple[F32, F32 | None]
_MODES: dict[str, Callable[[Pair, Under], Solved]] = {
    "even": lambda pair, _: (ring.even(pair), None),
    "slope": lambda pair, _: (pair.slope, None),
    "rim": lambda pair, _: (ring.rim(pair), None),
    "under": lambda pair, how: under(pair, Under(1.0, how.capped)),
    "shine": lambda pair, how: under(pair, Under(0.0, how.capped)),
    "auto": under,
}
MODES = ("off", *_MODES)
DEFAULT = Under()


def light_of(mode: str, pair: Pair, how: Under = DEFAULT) -> Light:
    """The light for a mode of ``MODES``. ``how.multiplies`` is the shot's own evidence, read by ``auto`` alone."""
    region = pair.region
    if mode == "off":
        return Light(np.zeros((*region.shape, 3), np.float32))
    gain, added = _MODES[mode](pair, how)
    return Light(full(gain, region), None if added is None else full(added, region))
