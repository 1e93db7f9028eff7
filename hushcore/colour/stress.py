"""What the viewer can do to a picture so that a hidden patch shows: single channels, and pushes of tone and colour.

All of it works on display values (0..1) after the look; it is for looking only.
"""

from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32
from hushcore.errors import HushError

CHANNELS = ("colour", "r", "g", "b", "a", "luma", "tone", "texture", "grain")
WEIGHTS = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709
TEXTURE_GAIN, GRAIN_GAIN = 4.0, 8.0  # so that what is left above a low-pass can be seen


@dataclass(frozen=True)
class Stress:
    """``exposure`` in stops, ``gamma`` and ``saturation`` as factors (1 leaves alone), ``posterise``: steps, 0 for none."""

    exposure: float = 0.0
    gamma: float = 1.0
    saturation: float = 1.0
    posterise: int = 0

    @property
    def idle(self) -> bool:
        """Whether nothing is pushed."""
        return self == Stress()

    def check(self) -> None:
        """Raises HushError for values out of reach."""
        pushes = abs(self.exposure) <= 8 and 0.1 <= self.gamma <= 8
        if not (pushes and 0 <= self.saturation <= 16 and 0 <= self.posterise <= 64):
            raise HushError("Stress goes to 8 stops, gamma .1 to 8, saturation to 16, 64 steps.", "bad-stress")


def pushed(shown: F32, stress: Stress) -> F32:
    """Display values (h, w, 3) pushed: exposure in linear-like light (2.2), saturation about luma, gamma, steps."""
    out: F32 = np.asarray(shown, np.float32)
    if stress.exposure:
        out = np.clip(out, 0, None) * np.float32(2.0 ** (stress.exposure / 2.2))
    if stress.saturation != 1:
        luma = (out @ WEIGHTS)[..., None]
        out = luma + np.float32(stress.saturation) * (out - luma)
    out = np.clip(out, 0, 1)
    if stress.gamma != 1:
        out = out ** np.float32(1 / stress.gamma)
    if stress.posterise > 1:
        steps = np.float32(stress.posterise - 1)
        out = np.rint(out * steps) / steps
    return np.asarray(out, np.float32)


def alone(shown: F32, channel: str) -> F32:
    """One channel of display values, as grey (h, w, 3). Raises HushError for one that does not exist."""
    if channel in ("r", "g", "b"):
        single = shown[..., "rgb".index(channel)]
    elif channel == "luma":
        single = shown @ WEIGHTS
    else:
        raise HushError(f"There is no channel {channel!r}; choose {', '.join(CHANNELS)}.", "bad-channel")
    return np.repeat(np.asarray(single, np.float32)[..., None], 3, axis=2)
