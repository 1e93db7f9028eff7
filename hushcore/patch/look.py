"""A frame looked at on the still surface: what can be read there, and what passes in front."""

from dataclasses import dataclass

import numpy as np

from hushcore.arrays import F32, Codes, Mask, most, three
from hushcore.edge import unmix
from hushcore.errors import HushError
from hushcore.hold.maps import dense_forward
from hushcore.light.region import CLIP_AT, Pair, Region
from hushcore.light.standing import without
from hushcore.patch import place as places
from hushcore.patch.fix import LEAST_COVER, Fix, place_of, unsure
from hushcore.patch.motion import Blur, Smear, longest, smear
from hushcore.patch.overhang import beside
from hushcore.patch.passing import COVERED, passing
from hushcore.patch.place import Place
from hushcore.patch.reading import Maps, Reading, blur_to
from hushcore.plates.plate import sample_linear

READ_LEAST = 0.12  # how square-on a place is seen: with less it has all but turned away
FAINT, STRONG = 0.02, 0.15  # linear: a highlight that does not matter; one under which nothing can be read


@dataclass(frozen=True)
class Seen:
    """A frame on the still surface: how it was read, how it is ``smeared`` by motion, what passes in front, and now and then of
    the first plate; without the ``gleam`` (h, w, 3) of a highlight that stands in the frame."""

    reading: Reading
    smeared: Smear | None
    covering: unmix.Covering | None
    first: Pair
    gleam: F32 | None = None

    @property
    def spot(self) -> Place:
        """Where the fix lies."""
        return self.reading.spot

    @property
    def current(self) -> F32:
        """The linear picture (h, w, 3)."""
        return self.reading.current

    @property
    def maps(self) -> Maps:
        """Where in the frame each place lies."""
        return self.reading.maps

    @property
    def blurs(self) -> tuple[Blur, ...]:
        """Between the frame and each plate."""
        return self.reading.blurs

    @property
    def region(self) -> Region:
        """Where light is read."""
        return self.first.region

    def pair(self, k: int) -> Pair:
        """Now and then of plate ``k``, at half size."""
        return self.first if k == 0 else self.reading.pair_with(k, self.region)


def look(codes: Codes, frame: int, fix: Fix) -> Seen | None:
    """A frame pulled back to the still surface, with what can be read of it; None where the fix does not show."""
    held = fix.hold.at(frame)
    smeared = smear(fix.hold, frame, held, fix.rect, fix.evidence.shutter)
    spot = place_of(fix, held, frame, codes, 0.0 if smeared is None else longest(smeared))
    if spot is None:
        return None
    maps = dense_forward(held, spot.rect)
    current = _picture(codes, maps, fix)
    usable = _usable(codes, frame, fix, spot, maps)
    standing = fix.plan.gleam(fix.evidence)
    gleam = None if standing is None else standing.at(*maps)
    if gleam is not None:
        current = without(current, gleam)
        usable &= _free_of(gleam, spot)
        if fix.sheets[0].gleam is not None:
            usable &= _free_of(fix.sheets[0].gleam, spot)
    blurs = tuple(blur_to(fix, sheet, frame, held) for sheet in fix.sheets)
    reading = Reading(frame, fix, spot, maps, current, blurs, CLIP_AT * fix.encoding.white(codes.dtype))
    covering, first = passing(reading, usable)
    if unsure(fix, frame):
        over = beside(spot, fix.sheets[0], first, fix.encoding.decode(three(codes[spot.target.slices])))
        if over is not None:
            reading.spot = over.spot
            usable &= over.readable(maps, fix.sheets[0])
            if covering is not None:
                covering = unmix.without(covering, [(over.marked(maps), True)])
                usable &= covering.alpha < COVERED
            first = reading.pair(usable)
    return Seen(reading, smeared if fix.plan.match.blur else None, covering, first, gleam)


def _picture(codes: Codes, maps: Maps, fix: Fix) -> F32:
    """The frame on the still surface; black where a mark stands in the frame and the surface under it has left that, as far as
    its hold knows: nothing of it is usable then."""
    try:
        return sample_linear(codes, *maps, fix.encoding)
    except HushError as error:
        if error.kind != "outside" or not fix.plan.stands:
            raise
        return np.zeros((*maps[0].shape, 3), np.float32)


def _free_of(gleam: F32, spot: Place) -> Mask:
    """Where light can be read beside a highlight: not where it is strong, for little is left when it is taken off; and
    not on the mark where it would be seen at all, for the mark may be dull."""
    level = most(gleam)
    return np.asarray(np.where(spot.outside > 0, level < STRONG, level < FAINT))


def _usable(codes: Codes, frame: int, fix: Fix, spot: Place, maps: Maps) -> Mask:
    """Where the frame shows the surface."""
    map_x, map_y = maps
    height, width = codes.shape[:2]
    usable = (map_x >= 0) & (map_y >= 0) & (map_x <= width - 1) & (map_y <= height - 1)
    if spot.slant is not None:
        usable &= spot.slant > READ_LEAST
    if fix.plan.stands:
        # pictures put together from other frames are without the mark
        others = () if fix.plan.from_others else tuple(sheet.frame for sheet in fix.sheets)
        for number in (frame, *others):
            if fix.hold.has(number):
                usable &= places.standing(fix.hold.at(number), spot.rect, fix.plan.edge, number)[0] < LEAST_COVER
    return np.asarray(usable)
