"""Which frame is the best to retouch: where the spot is sharp, faces the camera, is plainly lit and uncovered, and shows
what the plates that are there do not."""

from collections.abc import Sequence
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
PATCHES = 3  # a side, in which the light round the mark is told
LIGHT_APART = 0.12  # log units: a plate in light this much different is worth having
APART = 6  # frames between suggestions, so that they are not all neighbours


@dataclass(frozen=True)
class Clarity:
    """``detail``: fine contrast of the spot over its brightness; ``uneven``: spread of the light round it (share);
    ``facing``: its area on the frame over that on the anchor; ``light``: log light in ``PATCHES`` squared parts."""

    detail: float
    uneven: float
    facing: float = 1.0
    light: tuple[float, ...] = (0.0,) * PATCHES**2

    @property
    def worth(self) -> float:
        """Higher is better."""
        return self.detail * min(self.facing, 1.0) / (1 + UNEVEN_COSTS * self.uneven)


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
    light = cv2.GaussianBlur(spot, (0, 0), WIDE)
    fine = spot - cv2.GaussianBlur(spot, (0, 0), FINE)
    level = float(light[ring].mean()) + EPSILON
    across, down = np.gradient(map_x), np.gradient(map_y)
    facing = float(np.median(np.abs(across[1] * down[0] - across[0] * down[1])))
    parts = cv2.resize(light, (PATCHES, PATCHES), interpolation=cv2.INTER_AREA)
    told = tuple(round(float(v), 3) for v in np.log(parts.ravel() + EPSILON))
    return Clarity(float(fine.std()) / level, float(light[ring].std()) / level, facing, told)


@dataclass(frozen=True)
class Standing:
    """A frame as it stands for being a plate: its clarity, and the share of its ground that is ``hidden``."""

    frame: int
    worth: float
    detail: float
    uneven: float
    facing: float
    hidden: float
    light: F64


@dataclass(frozen=True)
class Ranked:
    """A frame with its worth beside the plates that are there, and the reasons in words."""

    frame: int
    worth: float
    words: str


def ranked(standings: Sequence[Standing], taken: Sequence[int]) -> list[Ranked]:
    """The best frames first. With plates there, a frame is worth what it shows that they do not: another light, another
    angle, less covered; frames next to a plate or to a better suggestion are left out."""
    known = {one.frame: one for one in standings}
    plates = [known[frame] for frame in taken if frame in known]
    if not standings:
        return []
    best = max(one.worth for one in standings)
    scored = []
    for one in standings:
        new = min((_new(one, plate) for plate in plates), default=1.0)
        worth = one.worth / best * (1 - one.hidden) * new
        scored.append(Ranked(one.frame, worth, _words(one, standings, plates)))
    chosen: list[Ranked] = []
    for found in sorted(scored, key=lambda one: (-one.worth, one.frame)):
        if all(abs(found.frame - other) >= APART for other in [*taken, *(c.frame for c in chosen)]):
            chosen.append(found)
    return chosen


def _new(one: Standing, plate: Standing) -> float:
    """How much a frame shows that a plate does not, 0..1."""
    light = one.light - plate.light
    shape = float(np.abs(light - light.mean()).mean()) / LIGHT_APART
    angle = abs(float(np.log(max(one.facing, 1e-3) / max(plate.facing, 1e-3)))) / 0.3
    level = abs(float(light.mean())) / (4 * LIGHT_APART)
    return float(1 - np.exp(-(shape + angle + level)))


def _words(one: Standing, standings: Sequence[Standing], plates: Sequence[Standing]) -> str:
    said = []
    if one.detail >= np.quantile([other.detail for other in standings], 0.85):
        said.append("sharp")
    if one.uneven <= np.quantile([other.uneven for other in standings], 0.3):
        said.append("evenly lit")
    if one.facing >= np.quantile([other.facing for other in standings], 0.7):
        said.append("faces the camera")
    if one.hidden < 0.02 and any(other.hidden > 0.1 for other in standings):
        said.append("nothing in front")
    if plates:
        light = min((one.light - plate.light for plate in plates), key=lambda d: float(np.abs(d - d.mean()).mean()))
        if float(np.abs(light - light.mean()).mean()) > LIGHT_APART:
            said.append("light that no plate has")
        elif abs(float(light.mean())) > 2 * LIGHT_APART:
            said.append("brighter than the plates" if light.mean() > 0 else "darker than the plates")
    return ", ".join(said) or "the best of what is left"
