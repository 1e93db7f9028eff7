"""Grain for a patch from what the frame itself shows beside the mark: of coded footage, whose grain no model says."""

import zlib

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Mask, three
from hushcore.geometry import sampling
from hushcore.grain import squares
from hushcore.grain.lay import fresh
from hushcore.grain.model import Grain, luma_of
from hushcore.grain.steps import COARSE, Steps, rounding
from hushcore.hold.maps import BENDS_AWAY, dense_inverse
from hushcore.patch.candidate import Candidate
from hushcore.patch.finish import FINEST, sigma_at
from hushcore.patch.fix import LEAST_COVER, Fix
from hushcore.patch.look import COVERED, Seen

BESIDE = 28  # px round the patch that are looked at: as far as a fix knows the surface
CLEAR = 2.0  # px from the matte
INWARD = 5  # px: the kernel that keeps the finest band's reach inside what can be read
# share of a rounding's variance in the finest band: as white noise has it; of one that leans to its neighbours
SCATTERED, LEANT = 0.8, 0.35
LEAST = 0.1  # of the variance


def own_grain(codes: Codes, frame: int, seen: Seen, made_of: Candidate, fix: Fix) -> F32 | None:
    """Grain (h, w, 3) of ``seen.spot.target``, tonal, as strong as it is to be laid; None where the frame is not coded, or
    shows too little beside the mark.

    What the frame differs by from the patch's own picture beside the mark, in squares; as much of it as the patch lacks of
    the frame's finest energy there. What is wider is the measured grain's. Where steps are coarse, only luma is carried:
    codecs leave no finer colour there.
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
    luma = luma_of(there), luma_of(made)
    coarse = steps.count <= COARSE
    rest = squares.grain_of((luma[0] - luma[1])[..., None] if coarse else there - made, usable)
    local = spot.target.moved(-wide.left, -wide.top).slices
    wanted = np.zeros(usable.shape, bool)
    wanted[local] = spot.cover > LEAST_COVER
    found = squares.carried(rest, usable, wanted, (wide.left, wide.top), zlib.crc32(f"{fix.seed}".encode()))
    if found is None:
        return None
    wide_part = cv2.GaussianBlur(_measured(grain, made[local], frame, fix), (0, 0), squares.WIDE)
    laid = _strength(*luma, rest, usable, steps) * found[local] + made_of.grain / plan.match.grain_amount * wide_part
    return np.asarray(plan.match.grain_amount * laid, np.float32)


def _bare(seen: Seen) -> F32:
    """Where a frame shows the surface beside the mark, on the still surface."""
    region = seen.region
    usable = cv2.resize(region.usable, region.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0.5
    usable &= seen.spot.outside > CLEAR
    if seen.covering is not None:
        usable &= (seen.covering.alpha < COVERED) & (seen.covering.near <= 0)
    return np.asarray(usable, np.float32)


def _strength(there: F32, made: F32, rest: F32, usable: Mask, steps: Steps) -> float:
    """Times what is beside the mark that brings the patch to the frame's energy in the finest band: less than once where the
    rest is not grain alone, but texture that the hold misses by a fraction of a pixel."""
    inner = cv2.erode(usable.astype(np.uint8), np.ones((INWARD, INWARD), np.uint8)) > 0
    if not inner.any():
        return float(np.sqrt(LEAST))
    level = rest[..., 0] if rest.shape[2] == 1 else luma_of(rest)
    frame, own, beside = (_finest(side, inner) for side in (there, made, level))
    stood_on = (LEANT if steps.count <= COARSE else SCATTERED) / (12 * steps.count**2)
    return float(np.sqrt(np.clip((frame - own - stood_on) / max(beside, 1e-12), LEAST, 1.0)))


def _finest(luma: F32, inner: Mask) -> float:
    return float(((luma - cv2.GaussianBlur(luma, (0, 0), FINEST))[inner] ** 2).mean())


def _measured(grain: Grain, tonal: F32, frame: int, fix: Fix) -> F32:
    """Grain of the measured spectrum, beyond what rounding will add."""
    less = grain.less(rounding(fix.evidence.steps, fix.encoding))
    made = fresh(less, (tonal.shape[0], tonal.shape[1]), grain_seed(fix, frame))
    return np.asarray(made * sigma_at(less, luma_of(tonal)), np.float32)


def grain_seed(fix: Fix, frame: int) -> int:
    """What names a frame's grain: another for each fix and frame, the same on every run."""
    return zlib.crc32(f"{fix.seed} {frame}".encode())
