"""Light over time: noise of the fields averaged between frames that agree, flicker left as it is."""

from collections.abc import Mapping

import cv2
import numpy as np

from hushcore.light.fields import Light

REACH = 3  # frames either side
SIGMA = 1.5  # frames
AGREE = 0.06  # log units: fields further apart than this are not averaged
COMPARE = 4.0  # px at which two fields are compared


def steadied(lights: Mapping[int, Light], frame: int, amount: float = 1.0) -> Light:
    """The light of ``frame`` averaged with its neighbours', each frame's own level (its median per channel) kept.

    Frames are taken in pairs before and behind, so that a slope in time is not turned into a lag; those whose shape
    differs by more than ``AGREE`` stay out. ``amount`` 0..1 says how far to go.
    """
    own = lights[frame]
    if amount <= 0:
        return own
    level = np.median(own.gain, axis=(0, 1))
    shape = own.gain - level
    total, weight = shape.copy(), np.ones((*shape.shape[:2], 1), np.float32)
    rough = cv2.GaussianBlur(shape, (0, 0), COMPARE)
    for k in range(1, REACH + 1):
        if frame - k not in lights or frame + k not in lights:
            continue
        sides = [lights[n].gain - np.median(lights[n].gain, axis=(0, 1)) for n in (frame - k, frame + k)]
        mean = (sides[0] + sides[1]) / 2
        apart = np.abs(cv2.GaussianBlur(mean, (0, 0), COMPARE) - rough).max(-1, keepdims=True)
        near = 2 * np.exp(-((apart / AGREE) ** 2) / 2 - k * k / (2 * SIGMA**2))
        total += near * mean
        weight += near
    smooth = total / weight
    return Light(np.asarray(level + shape + amount * (smooth - shape), np.float32), own.added)
