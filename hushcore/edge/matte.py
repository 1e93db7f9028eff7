"""From an outline with growth and softness to a matte."""

from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, F64, Rect
from hushcore.errors import HushError
from hushcore.geometry.paths import area, signed_distance

SMALLEST_AREA = 1.0  # square px
LARGEST_GROWTH, LARGEST_SOFTNESS = 200.0, 200.0


@dataclass(frozen=True)
class Edge:
    """An outline (n, 2) in anchor px, grown by ``growth`` px, falling off over ``softness`` px outside that."""

    polygon: F64
    growth: float = 6.0
    softness: float = 14.0

    def check(self) -> None:
        """Raises HushError when nothing would be inside or a number is out of range."""
        if len(self.polygon) < 3 or area(self.polygon) < SMALLEST_AREA:
            raise HushError("The edge has no area; draw it around the mark.", "no-area")
        if not abs(self.growth) <= LARGEST_GROWTH or not 0 <= self.softness <= LARGEST_SOFTNESS:
            raise HushError(
                f"Growth goes to {LARGEST_GROWTH:.0f} px and softness from 0 to {LARGEST_SOFTNESS:.0f} px.", "bad-edge"
            )

    def rect(self) -> Rect:
        """Whole pixels that hold the matte."""
        return Rect.around(self.polygon).grown(int(np.ceil(max(self.growth, 0) + self.softness)) + 1)

    def matte(self, rect: Rect) -> F32:
        """Coverage 0..1 over ``rect`` (still surface). Raises HushError when there is none at all."""
        self.check()
        distance = signed_distance(self.polygon, rect)
        matte = ramp(distance + np.float32(self.growth), self.softness)
        if not matte.any():
            raise HushError("The edge has no area left; grow it or draw it larger.", "no-area")
        return matte


def ramp(distance: F32, softness: float) -> F32:
    """1 inside (distance >= 0), a smooth fall to 0 at -softness; a hard edge is covered by the share of the pixel."""
    if softness < 1:
        return np.asarray(np.clip(distance + 0.5, 0, 1), np.float32)
    t = np.clip(distance / np.float32(softness) + 1, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
