"""A mark that is seen beside its patch, on frames whose hold is unsure.

Where a surface turns away or a hold slips, a slice of the mark is left standing beyond the matte. What lies there is the mark's
if it hangs together with what is covered and is of the mark's colours, and neither of those that the surface has round about it
nor of anything further off on the frame. No light is read where the frame shows the mark and the plate does not, or the other way
round.
"""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from scipy.spatial import KDTree

from hushcore.arrays import F32, Mask, least, mean
from hushcore.light.region import BLACK, SMALLEST_RING, Pair
from hushcore.patch.place import BEYOND, Place
from hushcore.patch.sheets import Sheet

Maps = tuple[F32, F32]

SOFT = 0.7  # px
LEVEL = 0.3  # of a difference in light that counts as one in colour does: what turns away is lit otherwise
CLEARLY = 0.5  # times the distance to any other colour, within which that to the mark's must be
NEVER = 0.4  # such distances beyond which it is another thing
FAR = NEVER / CLEARLY  # from which on it does not matter how far
SURFACE = 0.2  # such distances beyond which it is not the surface
SAMPLES, AROUND = 48, 160  # colours of the mark, and of what it is not
FEWEST = 12  # px
EITHER, HALF = 0.2, 0.5  # of a px
TOUCHING, NEXT = np.ones((5, 5), np.uint8), np.ones((3, 3), np.uint8)


@dataclass(frozen=True)
class Overhang:
    """``spot``: with a patch that goes on as far as its mark is seen beside it; (h, w) of its target: where the frame shows
    colours of the ``mark``, and of the ``surface``."""

    spot: Place
    mark: Mask
    surface: Mask

    def marked(self, maps: Maps) -> F32:
        """How far (0..1) the frame shows the mark's colours, on the still surface."""
        return self._still(self.mark, maps)

    def readable(self, maps: Maps, sheet: Sheet) -> Mask:
        """Where light can be read, on the still surface: where frame and plate both show the mark, or both the surface."""
        seen, surface = self.marked(maps) > EITHER, self._still(self.surface, maps) > 1 - EITHER
        marked = cv2.resize(sheet.marked.astype(np.float32), seen.shape[::-1]) > HALF
        odd = (seen != marked) | ~(seen | surface)
        return np.asarray(cv2.dilate(odd.astype(np.uint8), NEXT) == 0)

    def _still(self, side: Mask, maps: Maps) -> F32:
        target = self.spot.target
        x, y = maps[0] - np.float32(target.left), maps[1] - np.float32(target.top)
        found = cv2.remap(side.astype(np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(found, np.float32)


def beside(spot: Place, sheet: Sheet, pair: Pair, frame: F32) -> Overhang | None:
    """What is seen of a mark beside its patch, at most ``BEYOND`` px away; None for nothing. ``frame``: the linear picture
    (h, w, 3) of ``spot.target``; ``pair``: with the light round about (``slope``)."""
    on, marked = spot.cover > 0, sheet.marked
    if marked.sum() < FEWEST or (pair.region.in_ring & (least(pair.weight) > 0)).sum() < SMALLEST_RING:
        return None  # no light is known in which the mark could be told
    gone = np.asarray(cv2.distanceTransform((~on).astype(np.uint8), cv2.DIST_L2, 5))
    lit = np.exp(np.median(pair.slope[marked], axis=0))
    colours = _colours(cv2.GaussianBlur(frame, (0, 0), SOFT))
    own = _far(colours, _some(_colours(sheet.half * lit)[marked], SAMPLES))
    clean = _far(colours, _some(_colours(sheet.half_painted * lit).reshape(-1, 4), AROUND))
    others = clean
    if (gone > BEYOND).sum() >= FEWEST:
        others = np.minimum(others, _far(colours, _some(colours[gone > BEYOND], AROUND)))
    mark = np.asarray((own < CLEARLY * others) & (own < NEVER))
    shown = _hanging_on(mark & (spot.cover < 1) & (gone <= BEYOND), on)
    if shown.sum() < FEWEST:
        return None
    # a pixel beside it shows it in part
    share = np.where(shown, 1, others / np.maximum(own + others, 1e-6))
    near = cv2.dilate(shown.astype(np.uint8), NEXT) > 0
    cover = np.asarray(np.where(near, np.maximum(spot.cover, share), spot.cover), np.float32)
    return Overhang(replace(spot, cover=cover), mark, np.asarray(clean < SURFACE))


def _colours(linear: F32) -> F32:
    """What is told apart (h, w, 4): log units of colour, and of light a part."""
    logs = np.log(np.maximum(linear, 0) + BLACK)
    level = mean(logs)[..., None]
    return np.asarray(np.concatenate([logs - level, LEVEL * level], -1), np.float32)


def _some(colours: F32, count: int) -> F32:
    return colours[:: max(1, len(colours) // count)]


def _far(colours: F32, others: F32) -> F32:
    """Distance (h, w) to the nearest of ``others`` (n, 4), at most ``FAR``."""
    found, _ = KDTree(others).query(colours.reshape(-1, 4), distance_upper_bound=FAR)
    return np.asarray(np.minimum(found, FAR).reshape(colours.shape[:2]), np.float32)


def _hanging_on(shown: Mask, on: Mask) -> Mask:
    """Those that hang together with what is ``on`` the surface."""
    count, labels = cv2.connectedComponents(shown.astype(np.uint8))
    kept = np.zeros(count, bool)
    kept[np.unique(labels[shown & (cv2.dilate(on.astype(np.uint8), TOUCHING) > 0)])] = True
    kept[0] = False
    return np.asarray(kept[labels])
