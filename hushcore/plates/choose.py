"""Which frame is the best to retouch: where the spot is sharp, faces the camera and is plainly lit."""

from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F64, Codes, Rect
from hushcore.geometry import sampling
from hushcore.geometry.paths import signed_distance
from hushcore.hold.maps import HoldMap, dense_forward
from hushcore.hold.picture import luma

RING = 30.0  # px round the mark that are looked at for the light
FINE, WIDE = 1.5, 9.0  # px: detail below, light above
UNEVEN_COSTS = 4.0  # an unevenness of a quarter halves a frame's worth
EPSILON = 0.02


@dataclass(frozen=True)
class Clarity:
    """``detail``: fine contrast of the spot over its brightness; ``uneven``: spread of the light round it (share)."""

    detail: float
    uneven: float

    @property
    def worth(self) -> float:
        """Higher is better."""
        return self.detail / (1 + UNEVEN_COSTS * self.uneven)


def clarity(codes: Codes, held: HoldMap, outline: F64) -> Clarity:
    """How clearly a frame shows the spot inside ``outline`` (n, 2 on the still surface).

    Detail is measured in frame pixels of the unwarped spot, so that motion blur and foreshortening count against it.
    """
    rect = Rect.around(outline).grown(int(RING))
    map_x, map_y = dense_forward(held, rect)
    height, width = codes.shape[:2]
    if map_x.min() < 0 or map_y.min() < 0 or map_x.max() > width - 1 or map_y.max() > height - 1:
        return Clarity(0.0, 1.0)  # part of it is out of the picture
    spot = np.empty(map_x.shape, np.float32)
    sampling.bilinear(np.ascontiguousarray(luma(codes), np.float32), map_x, map_y, spot)
    ring = signed_distance(outline, rect) < 0
    light = cv2.GaussianBlur(spot, (0, 0), WIDE)[ring]
    fine = spot - cv2.GaussianBlur(spot, (0, 0), FINE)
    level = float(light.mean()) + EPSILON
    return Clarity(float(fine.std()) / level, float(light.std()) / level)
