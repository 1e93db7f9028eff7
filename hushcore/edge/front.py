"""What passes in front of a mark: found on the still surface, corrected by hand, its edge unmixed.

All pictures are scene-linear (h, w, 3) on the still surface: ``current`` the frame, ``lit`` the original anchor frame
in the frame's light. Where something passes in front, the one does not look like the other.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Mask, least, mean, most
from hushcore.edge.outline import Outline

BLACK = 0.003
APART, APART_TEXTURED = 0.35, 0.15  # log units from what the light explains
CORRELATION_SIGMA = 2.5  # half-size px
UNLIKE, UNLIKE_TEXTURED = 0.45, 0.1  # correlations
TEXTURE_LEAST = 0.02  # of the level; with less there is nothing to correlate
SMALLEST, SMALLEST_SHARE = (
    75,
    0.05,
)  # square half-size px, and share of what is looked at: smaller things are left to the hand
PRE_BLUR = 0.6  # half-size px
HIDDEN_SHARE = 0.5  # of a found place's area that the hold, too, must have seen covered
BAND = 40  # px round what is found in which its edge is unmixed
SURE_WITHIN, SURE_BEYOND = 10, 30  # px: surely in front, surely not
SURE_SHARE = 0.35  # of how deep a small thing is: its middle is surely in front
SOFT = 6  # px half across, of an edge that nothing tells of
SCALES = (12.0, 6.0, 3.0, 1.5)  # px over which an edge is read, wide ones first
PRIOR = 1000.0  # 1 / variance: how near what a place says is expected to what the wider scale did
LEAST_NOISE, MISPLACED = 0.01, 0.35  # of the light; px
FRONT_VARIES = 0.4  # of its light: what is in front has folds and shades of its own
COLOUR_SIGMA = 9.0  # px over which colours of both sides are carried into the band
SHRINK = 4  # times smaller: carried colours are smooth
NOTHING, EVERYTHING = 0.08, 0.95  # alphas that count as none and as all


@dataclass(frozen=True)
class Front:
    """``auto``: find it; ``shapes``: outlines in frame px that say what is in front (``takes``: what is not)."""

    auto: bool = True
    shapes: tuple[Outline, ...] = ()


@dataclass(frozen=True)
class Covering:
    """``alpha`` (h, w): how far a place is in front, 0..1; ``near`` (h, w): where its edge is unmixed, 0..1."""

    alpha: F32
    near: F32


def found(current: F32, lit: F32, readable: Mask, hidden: F32 | None, multiplies: float) -> Mask:
    """Places that something passes in front of; all pictures at half size.

    ``hidden`` (h, w): 0..1, how far the hold saw the ground covered there (None: it does not know): something found
    must lie partly there, so that a moving highlight is not taken for a thing. Where light adds (``multiplies`` under
    1) only a lost texture counts.
    """
    if hidden is None or (hidden > 0.5).mean() < HIDDEN_SHARE * SMALLEST_SHARE:
        return np.zeros(readable.shape, bool)
    now, then = (cv2.GaussianBlur(side, (0, 0), PRE_BLUR) for side in (current, lit))
    ratio = np.log((np.maximum(now, 0) + BLACK) / (np.maximum(then, 0) + BLACK))
    apart = most(np.abs(ratio))
    alike, contrast = _correlation(now, then)
    textured = contrast > TEXTURE_LEAST
    # what is only brighter, in all channels, may be a highlight: for that a lost texture alone counts
    glint = least(ratio) > APART_TEXTURED
    plain = (apart > APART) & ((alike < UNLIKE) | ~textured) & ~glint & (multiplies >= 0.5)
    strange = (plain | (textured & (alike < UNLIKE_TEXTURED) & (apart > APART_TEXTURED))) & readable
    closed = cv2.morphologyEx(strange.astype(np.uint8), cv2.MORPH_CLOSE, _disc(2))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(closed)
    out = np.zeros(apart.shape, np.uint8)
    for k in range(1, count):
        here = labels == k
        if (
            stats[k, cv2.CC_STAT_AREA] >= max(SMALLEST, SMALLEST_SHARE * out.size)
            and (hidden[here] > 0.5).mean() >= HIDDEN_SHARE
        ):
            out[here] = 1
    return np.asarray(cv2.dilate(out, _disc(2)) > 0)


def _correlation(now: F32, then: F32) -> tuple[F32, F32]:
    """Zero-normalised correlation of the two lumas at ``CORRELATION_SIGMA``, and the original's contrast there."""
    a, b = (np.sqrt(np.maximum(mean(side), 0)) for side in (now, then))

    def local(x: F32) -> F32:
        return np.asarray(cv2.GaussianBlur(x, (0, 0), CORRELATION_SIGMA))

    ma, mb = local(a), local(b)
    va, vb = np.maximum(local(a * a) - ma * ma, 1e-8), np.maximum(local(b * b) - mb * mb, 1e-8)
    return np.asarray((local(a * b) - ma * mb) / np.sqrt(va * vb)), np.asarray(np.sqrt(vb) / (mb + 0.02))


def _disc(radius: int) -> np.ndarray:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)))


def corrected(automatic: Mask, drawn: Sequence[tuple[F32, bool]]) -> Mask:
    """What is in front after corrections: (coverage on the still surface, whether it takes away) in order."""
    out = automatic.copy()
    for cover, takes in drawn:
        out[cover > 0.5] = not takes
    return out


def unmixed(front: Mask, current: F32, lit: F32) -> Covering | None:
    """From a mask to how far each place of its edge is in front.

    In the band J = a f + (1 - a) B, with B the surface behind, known, and f the colour of what is in front, carried in
    from where it is sure. A place tells a as well as f and B differ against the noise; what it does not tell comes from
    round about, wide scales first (the posterior mean with what the last scale said as the prior). None when nothing is
    in front.
    """
    if not front.any():
        return None
    mask = front.astype(np.uint8)
    within = cv2.distanceTransform(mask, cv2.DIST_L2, 5)
    beyond = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 5)
    surely = (beyond > SURE_BEYOND) & (beyond < SURE_BEYOND + 30)
    ahead = _carried(current, (within > SURE_WITHIN) | ((within > 0.6 * within.max()) & (within > 0)))
    behind = lit * _carried((current + BLACK) / (lit + BLACK), surely)
    to = ahead - behind
    noise = _noise(current, behind, surely) + mean((FRONT_VARIES * ahead) ** 2)
    at = np.clip(mean((current - behind) * to) / np.maximum(mean(to * to), 1e-9), -0.5, 1.5)
    told = mean(to * to) / noise
    alpha = np.clip((within - beyond) / (2 * SOFT) + 0.5, 0, 1)  # where colours do not tell: a soft line
    for scale in SCALES:
        share = told if scale == 0 else cv2.GaussianBlur(told, (0, 0), scale)
        seen = told * at if scale == 0 else cv2.GaussianBlur(told * at, (0, 0), scale)
        places = max(1.0, 4 * np.pi * scale**2)  # that a Gaussian averages
        alpha = (places * seen + PRIOR * alpha) / (places * share + PRIOR)
    alpha = np.clip((alpha - NOTHING) / (EVERYTHING - NOTHING), 0, 1)
    # deep inside it is all in front; far off nothing is
    sure = min(SURE_WITHIN, SURE_SHARE * float(within.max()))
    deep = np.clip((within - sure) / max(sure, 1.0), 0, 1)
    far = np.clip((beyond - BAND / 2) / (BAND / 2), 0, 1)
    alpha = np.maximum(alpha, deep) * (1 - far)
    near = np.clip((BAND - beyond) / (BAND / 2), 0, 1)
    return Covering(np.asarray(alpha, np.float32), np.asarray(near, np.float32))


def _noise(current: F32, behind: F32, surely: Mask) -> F32:
    """Variance (h, w), over channels, of a frame against what is behind it: what is seen where nothing is in front, in
    proportion to the light, and a share of the surface's own slope, for a hold that is a little off."""
    apart = np.abs((current - behind) / (behind + BLACK))[surely]
    spread = 1.4826 * float(np.median(apart)) if len(apart) else LEAST_NOISE
    slope = sum(cv2.Sobel(behind, -1, *way, ksize=1, scale=0.5) ** 2 for way in ((1, 0), (0, 1)))
    return np.asarray(mean((max(spread, LEAST_NOISE) * (behind + BLACK)) ** 2 + MISPLACED**2 * slope), np.float32)


def _carried(picture: F32, sure: Mask) -> F32:
    """A picture's colours where they are sure, carried beyond by a wide normalised blur, at a quarter of its size."""
    height, width = sure.shape
    size = (-(-width // SHRINK), -(-height // SHRINK))
    weight = sure.astype(np.float32)[..., None]
    weighted = cv2.resize(picture * weight, size, interpolation=cv2.INTER_AREA)
    weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    out = np.zeros_like(weighted)
    total = np.zeros(weighted.shape[:2], np.float32)
    for scale in (1.0, 3.0):  # near colours first, far ones where there are none
        sigma = COLOUR_SIGMA * scale / SHRINK
        part = cv2.GaussianBlur(weight, (0, 0), sigma)
        share = (1 - np.clip(total / 0.02, 0, 1))[..., None]
        out = out * (1 - share) + share * cv2.GaussianBlur(weighted, (0, 0), sigma) / (part[..., None] + 1e-6)
        total = part
    return np.asarray(cv2.resize(out, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
