"""How much of the grain that a frame shows beside a mark a patch lacks, in the finest band and finer still."""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.grain.model import luma_of
from hushcore.grain.steps import Steps
from hushcore.patch.finish import FINEST

INWARD = 5  # px: the kernel that keeps the finest band's reach inside what can be read
# what rounding that leans to its neighbours adds, times the variance of a rounding (a step squared over 12): to the finest
# band, to a Laplacian, and to the finest band of chroma that is halved across (.65 where it is not, .1 where down too)
LEANT, ROUGH, COLOUR = 0.65, 1.0, 0.4
LAPLACIAN = np.array([[-1, 2, -1], [2, -4, 2], [-1, 2, -1]], np.float32) / 4
LEAST = 0.1  # of the variance


@dataclass(frozen=True)
class Strengths:
    """Times that what was found beside a mark is laid: the luma of its finest part and of the rest, and its colour."""

    fine: float = LEAST**0.5
    rest: float = LEAST**0.5
    colour: float = LEAST**0.5

    def of(self, parts: tuple[F32, F32]) -> F32:
        """Grain (h, w, channels) of its finest part and the rest."""
        fine, rest = parts
        if fine.shape[2] == 1:
            return np.asarray(self.fine * fine + self.rest * rest, np.float32)
        luma = (self.fine - self.colour) * luma_of(fine) + (self.rest - self.colour) * luma_of(rest)
        return np.asarray(self.colour * (fine + rest) + luma[..., None], np.float32)


def strengths(there: F32, made: F32, parts: tuple[F32, F32], usable: Mask, steps: Steps) -> Strengths:
    """What brings the patch to the frame's energy in a Laplacian, in the finest band and in the finest band of colour, where
    its surroundings are ``usable``: less than once where what they differ by is not grain alone, but texture that the hold
    misses by a fraction of a pixel, and by what rounding will add.

    ``there``, ``made``: the frame and the patch's own picture of it (h, w, 3), tonal; ``parts``: what they differ by
    (``squares.split``), of luma alone or of all channels.
    """
    inner = cv2.erode(usable.astype(np.uint8), np.ones((INWARD, INWARD), np.uint8)) > 0
    if not inner.any():
        return Strengths()
    fine, rest = (part[..., 0] if part.shape[2] == 1 else luma_of(part) for part in parts)
    frame, patch = luma_of(there), luma_of(made)
    rough, lacking = (
        _power(band, frame, inner) - _power(band, patch, inner) - share / (12 * steps.count**2)
        for band, share in ((_laplacian, ROUGH), (_finest, LEANT))
    )
    first = _times(rough, _power(_laplacian, fine + rest, inner))
    second = _second(first * fine, rest, lacking, inner)
    colour = 1.0 if parts[0].shape[2] == 1 else _of_colour(there, made, parts[0] + parts[1], inner, steps)
    return Strengths(first, second, colour)


def _second(fine: F32, rest: F32, lacking: float, inner: Mask) -> float:
    """Times ``rest`` that has, with ``fine``, the power ``lacking`` in the finest band: the root of a square."""
    one, other = _finest(fine)[inner], _finest(rest)[inner]
    own, between, whole = (float((a * b).mean()) for a, b in ((one, one), (one, other), (other, other)))
    root = np.sqrt(max(between**2 - whole * (own - lacking), 0.0))
    return float(np.clip((root - between) / max(whole, 1e-12), LEAST**0.5, 1.0))


def _of_colour(there: F32, made: F32, rest: F32, inner: Mask, steps: Steps) -> float:
    """Times the differences of red and blue from luma."""
    frame, own, beside = (
        float(np.mean([_power(_finest, side[..., k] - luma_of(side), inner) for k in (0, 2)]))
        for side in (there, made, rest)
    )
    red, _, blue = steps.weights
    rounding = ((2 - 2 * red) ** 2 + (2 - 2 * blue) ** 2) / 2 / (12 * steps.count**2)
    return _times(frame - own - COLOUR * rounding, beside)


def _times(lacking: float, there_is: float) -> float:
    return float(np.sqrt(np.clip(lacking / max(there_is, 1e-12), LEAST, 1.0)))


def _power(band: Callable[[F32], F32], luma: F32, inner: Mask) -> float:
    return float((band(luma)[inner] ** 2).mean())


def _finest(luma: F32) -> F32:
    return np.asarray(luma - cv2.GaussianBlur(luma, (0, 0), FINEST))


def _laplacian(luma: F32) -> F32:
    return np.asarray(cv2.filter2D(luma, -1, LAPLACIAN))
