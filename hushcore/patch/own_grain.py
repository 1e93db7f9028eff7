"""Grain for a patch from what the frame itself shows beside the mark: of coded footage, whose grain no model says."""

import zlib

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, three
from hushcore.geometry import sampling
from hushcore.grain import squares
from hushcore.grain.lay import fresh
from hushcore.grain.model import Grain, luma_of
from hushcore.grain.steps import COARSE, rounding
from hushcore.hold.maps import BENDS_AWAY, dense_inverse
from hushcore.patch.candidate import Candidate
from hushcore.patch.finish import sigma_at
from hushcore.patch.fix import LEAST_COVER, Fix
from hushcore.patch.look import Seen
from hushcore.patch.passing import COVERED
from hushcore.patch.strengths import strengths

BESIDE = 28  # px round the patch that are looked at: as far as a fix knows the surface
CLEAR = 2.0  # px from the matte


def own_grain(codes: Codes, frame: int, seen: Seen, made_of: Candidate, fix: Fix) -> F32 | None:
    """Grain (h, w, 3) of ``seen.spot.target``, tonal, as strong as it is to be laid; None where the frame is not coded, or
    shows too little beside the mark.

    What the frame differs by from the patch's own picture beside the mark, in squares; as much of it as the patch lacks of
    the frame's energy at fine scales there. What is wider is the measured grain's. Where steps are coarse, only luma is
    carried: codecs leave no finer colour there.
    """
    plan, steps, grain = fix.plan, fix.evidence.steps, fix.evidence.grain
    if steps is None or grain is None or plan.stands or plan.source != "replace" or plan.match.grain != "fresh":
        return None
    spot = seen.spot
    if spot.slant is not None and float(spot.slant[spot.matte > 0].min(initial=1.0)) < BENDS_AWAY:
        return None  # more than one place of the surface may lie at a pixel
    wide = spot.target.grown(BESIDE).clipped(codes.shape[1], codes.shape[0])
    x, y = dense_inverse(fix.hold.at(frame), wide)
    x, y = x - np.float32(spot.rect.left), y - np.float32(spot.rect.top)
    usable = cv2.remap(_bare(seen), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0) > 0.99
    there = fix.encoding.tonal(three(codes[wide.slices]))
    made = fix.encoding.tonal_of(np.maximum(sampling.sampled(made_of.added, x, y), 0))
    coarse = steps.count <= COARSE
    rest = squares.grain_of(luma_of(there - made)[..., None] if coarse else there - made, usable)
    local = spot.target.moved(-wide.left, -wide.top).slices
    wanted = np.zeros(usable.shape, bool)
    wanted[local] = spot.cover > LEAST_COVER
    parts = squares.split(rest)
    found = squares.carried(parts, usable, wanted, (wide.left, wide.top), zlib.crc32(f"{fix.seed}".encode()))
    if found is None:
        return None
    laid = strengths(there, made, parts, usable, steps).of((found[0][local], found[1][local]))
    wide_part = cv2.GaussianBlur(_measured(grain, made[local], frame, fix), (0, 0), squares.MEETS)
    return np.asarray(plan.match.grain_amount * laid + made_of.grain * wide_part, np.float32)


def _bare(seen: Seen) -> F32:
    """Where a frame shows the surface beside the mark, on the still surface."""
    region = seen.region
    usable = cv2.resize(region.usable, region.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0.5
    usable &= seen.spot.outside > CLEAR
    if seen.covering is not None:
        usable &= (seen.covering.alpha < COVERED) & (seen.covering.near <= 0)
    return np.asarray(usable, np.float32)


def _measured(grain: Grain, tonal: F32, frame: int, fix: Fix) -> F32:
    """Grain of the measured spectrum, beyond what rounding will add."""
    less = grain.less(rounding(fix.evidence.steps, fix.encoding))
    made = fresh(less, (tonal.shape[0], tonal.shape[1]), grain_seed(fix, frame))
    return np.asarray(made * sigma_at(less, luma_of(tonal)), np.float32)


def grain_seed(fix: Fix, frame: int) -> int:
    """What names a frame's grain: another for each fix and frame, the same on every run."""
    return zlib.crc32(f"{fix.seed} {frame}".encode())
