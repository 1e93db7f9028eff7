"""How well a way of reading the light explains a shot, and whether the mark leaks into it: no truth is needed.

The candidate light is put on the plate's own frame with the mark *still on it*, and held against the frame as shot: the
mark is in both. Light does not know the mark: a field in which the retouch can be seen has read the mark for light.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Mask
from hushcore.colour import difference, spaces
from hushcore.colour.encoding import Encoding
from hushcore.light.fields import Light, light_of
from hushcore.light.region import BLACK
from hushcore.light.under import Under
from hushcore.patch.fix import Fix, Reader
from hushcore.patch.look import Seen, look
from hushcore.patch.motion import blurred, blurred_where

FRAMES = 9  # over the shot that are looked at
LOW = 3.0  # px: finer than this is grain
RING = 3.0, 26.0  # px outside the matte
HIGH, RETOUCH_LOW = 6.0, 1.5  # px: what of a field and of the retouch is held against each other
RETOUCH_LEAST = 0.02  # log units
STRONG = 0.25  # of the strongest of the retouch
FEWEST = 60  # places
LINEAR709 = "Linear Rec.709 (sRGB)"


@dataclass(frozen=True)
class Way:
    """A way of reading the light: a mode, and how much of it multiplies."""

    light: str
    multiplies: float


@dataclass(frozen=True)
class Figures:
    """Mean Lab distance within the matte and in the ring, and the leak: the share of the retouch in the field."""

    mark: float
    ring: float
    leak: float


@dataclass(frozen=True)
class Place:
    """A frame that is looked at, and where it can be read: the same places for every candidate."""

    frame: int
    seen: Seen
    usable: Mask


def spread(frames: Sequence[int], count: int = FRAMES) -> list[int]:
    """Frames evenly over a shot."""
    return [frames[k] for k in np.unique(np.linspace(0, len(frames) - 1, count).astype(int))]


def places_of(fix: Fix, frames: Sequence[int], read: Reader) -> list[Place]:
    """Frames looked at; those on which the fix does not show are left out."""
    out = []
    for frame in frames:
        seen = look(read(frame), frame, fix)
        if seen is not None:
            usable = cv2.resize(seen.region.usable, seen.region.shape[::-1], interpolation=cv2.INTER_LINEAR) > 0.5
            out.append(Place(frame, seen, usable))
    return out


def figures(fix: Fix, places: Sequence[Place], way: Way) -> Figures | None:
    """A way's figures over frames; None when too little can be read."""
    rows = []
    for place in places:
        light = light_of(way.light, place.seen.pair(0), Under(way.multiplies, fix.plan.match.capped))
        row = _frame(fix, place, light)
        if row is not None:
            rows.append(row)
    if not rows:
        return None
    table = np.array(rows)
    return Figures(float(table[:, 0].mean()), float(table[:, 1].mean()), float(np.median(table[:, 2])))


def _frame(fix: Fix, place: Place, light: Light) -> tuple[float, float, float] | None:
    seen, sheet = place.seen, fix.sheets[0]
    gleam = 0 if seen.gleam is None else seen.gleam
    blur = seen.blurs[0]
    then, clean = (np.maximum(blurred(side, blur.plate), 0) for side in (sheet.original, sheet.painted))
    current = blurred_where(seen.current, place.usable.astype(np.float32), blur.frame)
    apart = np.linalg.norm(_lab(current + gleam, fix.encoding) - _lab(light.on(then) + gleam, fix.encoding), axis=-1)
    outside = seen.spot.outside
    inside = (outside <= 0) & place.usable
    ring = (outside > RING[0]) & (outside < RING[1]) & place.usable
    if min(inside.sum(), ring.sum()) < FEWEST:
        return None
    return float(apart[inside].mean()), float(apart[ring].mean()), leak(light, clean, then)


def retouched(fix: Fix) -> float:
    """Mean Lab distance (low-passed) between the first plate before and after its retouch, where that changes something."""
    sheet = fix.sheets[0]
    one, other = (_lab(np.maximum(side, 0), fix.encoding) for side in (sheet.original, sheet.painted))
    apart = np.linalg.norm(one - other, axis=-1)
    changed = np.abs(sheet.painted - sheet.original).max(-1) > 0
    return float(apart[changed].mean()) if changed.any() else 0.0


def leak(light: Light, clean: F32, then: F32) -> float:
    """Share of the retouch that the light holds: its high-pass regressed on that of the log ratio, where that is strong."""
    retouch = np.log((clean + BLACK) / (then + BLACK))
    field = np.log((np.maximum(light.on(clean), 0) + BLACK) / (clean + BLACK))
    r, f = _high(cv2.GaussianBlur(retouch, (0, 0), RETOUCH_LOW)), _high(field)
    level = np.abs(r).max(-1)
    if level.max() < RETOUCH_LEAST:  # nothing is retouched: nothing can leak
        return 0.0
    strong = (level > STRONG * level.max())[..., None]
    return -float((strong * r * f).sum() / max((strong * r * r).sum(), 1e-9))


def _high(field: F32) -> F32:
    return np.asarray(field - cv2.GaussianBlur(field, (0, 0), HIGH))


def _lab(picture: F32, encoding: Encoding) -> F32:
    low = cv2.GaussianBlur(np.maximum(picture, 0).astype(np.float32), (0, 0), LOW)
    if encoding.linear_space != LINEAR709:
        low = spaces.apply(spaces.between(encoding.linear_space, LINEAR709, encoding.config), low)
    return np.asarray(difference.linear_to_lab(low), np.float32)
