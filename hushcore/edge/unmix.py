"""The edge of what passes in front, unmixed: how far each place of it is in front, and what of a mark is seen beside it.

All pictures are scene-linear (h, w, 3) on the still surface: ``current`` the frame, ``behind`` the original anchor frame in the
frame's light.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Mask, least, mean, most

BLACK = 0.003
FEWEST = 200  # places
BAND = 40  # px round what is found beyond which nothing is in front
SURE_WITHIN, SURE_BEYOND = 10, 30  # px: surely in front, surely not
SURE_SHARE = 0.35  # of how deep a small thing is: its middle is surely in front
SOFT = 6  # px half across, of an edge that nothing tells of
SCALES = (12.0, 6.0, 3.0, 1.5)  # px over which an edge is read, wide ones first
MIDDLE, STRANGEST = 0.6, 80  # of how deep it is round about; percentile that counts in full
WIDE, BARE = 6.0, 0.25  # px; alpha over which, read so widely, a place is not bare
LIGHT_OFF, LIGHT_READ = 0.3, 0.05  # share by which the light on what is behind may be off: round about, and read
CLEAR = 10  # px from what is in front, at which light is read
NEAR, NEAR_FULL = 4, 0.08  # px round an edge; alpha of it from which it counts in full
LINES_OVER, LINES = 4.0, 3.0  # px; times the variance that is usual, of lines that are not explained
HARDLY = 0.3  # alpha of what is hardly in front
OFF, OFF_FULL = 0.8, 2.0  # px of drift from which a hold may be off, and from which it surely may
HELD_OVER, HELD = 1.5, 1.1  # px; times the light of a frame that a mark may have there, for its noise
PRIOR = 1000.0  # 1 / variance: how near what a place says is expected to what the wider scale did
LEAST_NOISE, MISPLACED = 0.01, 0.35  # of the light; px
FRONT_VARIES, FRONT_VARIES_LEAST = 0.4, 0.1  # of its light: what is in front has folds and shades of its own
FRONT_SPREAD = 3.0  # times the median by which it differs from its own colours
COLOUR_SIGMA = 9.0  # px over which colours of both sides are carried into the band
SHRINK = 4  # times smaller: carried colours are smooth
NOTHING, EVERYTHING = 0.08, 0.95  # alphas that count as none and as all


@dataclass(frozen=True)
class Covering:
    """``alpha`` (h, w): how far a place is in front, 0..1; ``near`` (h, w): where its edge is unmixed, 0..1."""

    alpha: F32
    near: F32


def without(covering: Covering, drawn: Sequence[tuple[F32, bool]]) -> Covering:
    """A covering less what an artist has drawn as not in front. ``drawn``: as for ``corrected``."""
    left = np.ones_like(covering.alpha)
    for cover, takes in drawn:
        left = left * (1 - cover) if takes else left
    return Covering(np.asarray(covering.alpha * left), np.asarray(covering.near * left))


def within_edge(covering: Covering, drift: float) -> Covering:
    """A covering that ends where something is plainly in front, as far as the hold may be off by ``drift`` (px): beyond, the
    difference of a patch and a mark that lies otherwise than thought would show that mark."""
    off = float(np.clip((drift - OFF) / (OFF_FULL - OFF), 0, 1))
    hardly = 1 - np.clip(covering.alpha / HARDLY, 0, 1)
    return Covering(covering.alpha, np.asarray(covering.near * (1 - off * hardly), np.float32))


def both(one: Covering | None, other: Covering | None) -> Covering | None:
    """Two things in front at once."""
    if one is None or other is None:
        return one or other
    return Covering(np.maximum(one.alpha, other.alpha), np.maximum(one.near, other.near))


def unmixed(
    front: Mask,
    current: F32,
    behind: F32,
    light_off: float = LIGHT_OFF,
    drawn: Mask | None = None,
    most: F32 | None = None,
) -> Covering | None:
    """From a mask to how far each place of its edge is in front. ``behind``: the surface in the frame's light,
    which may be off by a share of ``light_off``.

    In the band J = a f + (1 - a) B, with B what is behind and f the colour of what is in front, carried in from where it
    is sure. A place tells a as well as f and B differ against the noise; a light that is read a little wrong makes B brighter
    or darker, so that only its colour tells then. What a place does not tell comes from round about, wide scales first (the
    posterior mean with what the last scale said as the prior). ``drawn``: what an artist said is in front, whatever is seen;
    ``most``: how far each place can be in front at most (None: all of it). None when nothing is in front.
    """
    if not front.any():
        return None
    mask = front.astype(np.uint8)
    within = cv2.distanceTransform(mask, cv2.DIST_L2, 5)
    beyond = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 5)
    surest = _surest(within, current, behind)
    ahead = carried(current, surest)
    to = ahead - behind
    noise = _noise(current, behind, _surely(beyond)) + mean((_varies(current, ahead, surest) * ahead) ** 2)
    told, seen = _told(current - behind, to, light_off * behind, noise)
    alpha = np.clip((within - beyond) / (2 * SOFT) + 0.5, 0, 1)  # where colours do not tell: a soft line
    wide = alpha
    for scale in SCALES:
        places = max(1.0, 4 * np.pi * scale**2)  # that a Gaussian averages
        share, at = (cv2.GaussianBlur(side, (0, 0), scale) for side in (told, seen))
        alpha = (places * at + PRIOR * alpha) / (places * share + PRIOR)
        if scale == WIDE:
            wide = alpha
    alpha = np.clip((alpha - NOTHING) / (EVERYTHING - NOTHING), 0, 1)
    # deep inside it is all in front, unless the surface is plainly seen there; far off nothing is
    sure = min(SURE_WITHIN, SURE_SHARE * float(within.max()))
    bare = 1 - np.clip((wide - BARE) / BARE, 0, 1)
    if drawn is not None:
        bare = bare * ~drawn
    deep = np.clip((within - sure) / max(sure, 1.0), 0, 1) * (1 - bare)
    far = np.clip((beyond - BAND / 2) / (BAND / 2), 0, 1)
    alpha = np.asarray(np.maximum(alpha, deep) * (1 - far), np.float32)
    if most is not None:
        alpha = np.minimum(alpha, most if drawn is None else np.maximum(most, drawn))
    rest = current - (1 - alpha[..., None]) * behind - alpha[..., None] * ahead
    return Covering(alpha, _near(alpha) * _known(alpha, rest, noise))


def lit_round_about(front: Mask, current: F32, lit: F32) -> F32:
    """``lit`` in the light that the frame shows of it at some distance from what is in front."""
    beyond = cv2.distanceTransform(1 - front.astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(lit * carried((current + BLACK) / (lit + BLACK), _surely(beyond)), np.float32)


def at_most(current: F32, mark: F32) -> F32:
    """The share (h, w) of a ``mark`` (h, w, 3), as much as is thought to be seen of it, that the frame can hold: what is in front
    of it gives light too, and never takes any. It is less than one where a mark is thought to be lit more than it is."""
    held, thought = (cv2.GaussianBlur(np.maximum(side, 0), (0, 0), HELD_OVER) + BLACK for side in (current, mark))
    return np.asarray(np.clip(HELD * least(held / thought), 0, 1), np.float32)


def clear_of(front: Mask) -> Mask:
    """Where light can be read beside it."""
    return np.asarray(cv2.distanceTransform(1 - front.astype(np.uint8), cv2.DIST_L2, 5) > CLEAR)


def _surest(within: F32, current: F32, behind: F32) -> F32:
    """How surely (0..1) a frame's places show what is in front alone: the middle of it, and where it looks least like what is
    behind, for what was found may hold bare places."""
    middle = within > np.minimum(SURE_WITHIN, MIDDLE * cv2.dilate(within, disc(SURE_WITHIN)))
    q = np.log(np.maximum(current, 0) + BLACK) - np.log(np.maximum(behind, 0) + BLACK)
    apart = cv2.GaussianBlur(most(np.abs(q)), (0, 0), 1.0)
    strong = max(float(np.percentile(apart[within > 0], STRANGEST)), BLACK)
    return np.asarray(middle * np.clip(apart / strong, 0.1, 1) ** 4, np.float32)


def _varies(current: F32, ahead: F32, surest: F32) -> float:
    """Share by which what is in front differs from its own colours, as far as they are carried."""
    apart = np.abs((current - ahead) / (ahead + BLACK))[surest > 0.5]
    spread = FRONT_SPREAD * float(np.median(apart)) if len(apart) >= FEWEST else FRONT_VARIES
    return float(np.clip(spread, FRONT_VARIES_LEAST, FRONT_VARIES))


def _surely(beyond: F32) -> Mask:
    return np.asarray((beyond > SURE_BEYOND) & (beyond < SURE_BEYOND + 30))


def _told(rest: F32, to: F32, way: F32, noise: F32) -> tuple[F32, F32]:
    """How well each place tells (1 / variance) how far it is in front, and that times what it says: least squares along
    ``to``, with a variance ``noise`` in all channels and a light that may be off along ``way``."""
    size = noise + (way * way).sum(-1)
    along_to, along_rest = (way * to).sum(-1), (way * rest).sum(-1)
    told = ((to * to).sum(-1) - along_to**2 / size) / noise
    said = ((to * rest).sum(-1) - along_to * along_rest / size) / noise
    told = np.maximum(told, 1e-9) / 3
    return np.asarray(told, np.float32), np.asarray(np.clip(said / 3, -0.5 * told, 1.5 * told), np.float32)


def _near(alpha: F32) -> F32:
    """Where an edge is: some px round all that is in front at all."""
    some = cv2.GaussianBlur(cv2.dilate(alpha, disc(NEAR)), (0, 0), NEAR / 2)
    return np.asarray(np.clip(some / NEAR_FULL, 0, 1), np.float32)


def _known(alpha: F32, rest: F32, noise: F32) -> F32:
    """How surely (0..1) what is behind is known where hardly anything is in front: a mark that lies otherwise than thought, or is
    smeared otherwise, leaves its lines in what ``rest`` is not explained. What is in front leaves none so fine."""
    lines = cv2.GaussianBlur(mean(rest**2), (0, 0), LINES_OVER) - mean(cv2.GaussianBlur(rest, (0, 0), LINES_OVER) ** 2)
    usual = cv2.GaussianBlur(noise, (0, 0), LINES_OVER)
    unknown = np.clip(lines / (LINES * usual) - 1, 0, 1)
    return np.asarray(1 - unknown * np.clip(1 - alpha / HARDLY, 0, 1), np.float32)


def _noise(current: F32, behind: F32, surely: Mask) -> F32:
    """Variance (h, w), over channels, of a frame against what is behind it: what is seen where nothing is in front, in
    proportion to the light, and a share of the surface's own slope, for a hold that is a little off."""
    apart = np.abs((current - behind) / (behind + BLACK))[surely]
    spread = 1.4826 * float(np.median(apart)) if len(apart) else LEAST_NOISE
    slope = sum(cv2.Sobel(behind, -1, *way, ksize=1, scale=0.5) ** 2 for way in ((1, 0), (0, 1)))
    return np.asarray(mean((max(spread, LEAST_NOISE) * (behind + BLACK)) ** 2 + MISPLACED**2 * slope), np.float32)


def carried(picture: F32, sure: Mask | F32, reach: float = COLOUR_SIGMA) -> F32:
    """A picture's colours where they are sure (0..1), carried beyond by a wide normalised blur, at a quarter of its size."""
    height, width = sure.shape
    size = (-(-width // SHRINK), -(-height // SHRINK))
    weight = sure.astype(np.float32)[..., None]
    weighted = cv2.resize(picture * weight, size, interpolation=cv2.INTER_AREA)
    weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    out = np.zeros_like(weighted)
    total = np.zeros(weighted.shape[:2], np.float32)
    for scale in (1.0, 3.0):  # near colours first, far ones where there are none
        sigma = reach * scale / SHRINK
        part = cv2.GaussianBlur(weight, (0, 0), sigma)
        share = (1 - np.clip(total / 0.02, 0, 1))[..., None]
        out = out * (1 - share) + share * cv2.GaussianBlur(weighted, (0, 0), sigma) / (part[..., None] + 1e-6)
        total = part
    return np.asarray(cv2.resize(out, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


def disc(radius: int) -> np.ndarray:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)))
