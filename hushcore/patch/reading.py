"""A frame while it is looked at: its picture on the still surface beside the first plate, and how far they fit."""

from functools import cached_property

import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.hold.maps import HoldMap
from hushcore.light.region import Pair, Region, halved, misplaced
from hushcore.patch.fix import Fix
from hushcore.patch.motion import Blur, blur_between, blurred, blurred_where, halved_smear
from hushcore.patch.place import Place
from hushcore.patch.sheets import Sheet

Maps = tuple[F32, F32]


class Reading:
    """A frame over a fix's place: the linear picture ``current`` (h, w, 3) with its ``maps`` into the frame, and the ``blurs``
    between it and each plate. ``clip``: the light over which the footage no longer says what it was."""

    def __init__(
        self, frame: int, fix: Fix, spot: Place, maps: Maps, current: F32, blurs: tuple[Blur, ...], clip: float
    ) -> None:
        self.frame, self.fix, self.spot, self.maps = frame, fix, spot, maps
        self.current, self.blurs, self.clip = current, blurs, clip
        self.now = halved(current)
        self._then: dict[int, F32] = {}
        self._loose: dict[int, F32] = {}

    @cached_property
    def original(self) -> F32:
        """The first plate with its mark, smeared as the frame is."""
        return blurred(self.fix.sheets[0].original, self.blurs[0].plate)

    @cached_property
    def painted(self) -> F32:
        """Its retouch at half size, smeared as the frame is."""
        return blurred(halved(self.fix.sheets[0].painted), halved_smear(self.blurs[0].plate))

    def pair(self, usable: Mask) -> Pair:
        """Now and then of the first plate, read where the frame is ``usable`` (h, w)."""
        return self.pair_with(0, Region.around(self.spot.outside, usable.astype(np.float32), self.clip))

    def pair_with(self, k: int, region: Region) -> Pair:
        """Now and then of plate ``k``, each with what it lacks of the other's motion blur."""
        now = blurred_where(self.now, region.usable, halved_smear(self.blurs[k].frame))
        return self._loosened(Pair.of(now, self._plate(k), region), k)

    def shown(self, pair: Pair) -> Pair:
        """The first plate's pair with the frame as it is: what is in front keeps its own edge."""
        if self.blurs[0].frame is None:
            return pair
        return self._loosened(Pair.of(self.now, self._plate(0), pair.region), 0)

    def _plate(self, k: int) -> F32:
        """Plate ``k`` at half size, smeared as the frame is."""
        if k not in self._then:
            self._then[k] = blurred(self.fix.sheets[k].half, halved_smear(self.blurs[k].plate))
        return self._then[k]

    def _loosened(self, pair: Pair, k: int) -> Pair:
        """With weights that allow for how far the mark lies off, which is read once. Of a mark that stands in the frame nothing
        is known: another part of the surface is under it on the plate."""
        if self.fix.plan.stands:
            return pair
        if k not in self._loose:
            self._loose[k] = misplaced(pair, self.fix.sheets[k].steep)
        return pair.allowing(self._loose[k])


def blur_to(fix: Fix, sheet: Sheet, frame: int, held: HoldMap) -> Blur:
    """Between a frame and a plate; pictures put together from several frames are taken as sharp."""
    if not fix.plan.match.blur:
        return Blur()
    own = None if fix.plan.from_others else sheet.frame
    return blur_between(fix.hold, frame, held, own, fix.rect, fix.evidence.shutter)
