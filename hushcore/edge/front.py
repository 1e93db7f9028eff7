"""What passes in front of a mark: found on the still surface, corrected by hand, its edge unmixed.

All pictures are scene-linear (h, w, 3) on the still surface: ``current`` the frame, ``lit`` the original anchor frame
in the frame's light. Where something passes in front, the one does not look like the other.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask, mean, most
from hushcore.edge.outline import Outline
from hushcore.edge.signs import Signs, Usual

BLACK = 0.003
PRE_BLUR, PRE_BLUR_LEAVES = 0.6, 0.22  # half-size px, and the share of white noise's variance that it leaves
CORRELATION_SIGMA = 2.5  # half-size px
LIGHT_SIGMA = 3.5  # half-size px
CONTRAST_COUNTS = 1.6  # times the share of the texture's contrast that is seen
TELLS = 0.45  # expected correlation: with less, texture says nothing
FEWEST = 200  # places
LOOKS_RIGHT, LEAST_USUAL = (
    0.75,
    0.45,
)  # quantile of the likeness over a region that says how right it looks at best; its least
SPREAD = 0.16  # of a correlation of so few places
SPREAD_TIMES = 1.5  # of how differently a place looks over the shot
FACES, TURNED_AWAY = 0.7, 0.2  # px of the frame a px of the still surface
MARK_HIGH, MARK_NEAR = 6.0, 3.0  # half-size px
MARK_CONTRAST, MARK_SEEN = 0.04, 0.4  # log units; share of the mark that must be there
LOST, SURELY_LOST, GONE = 2.2, 3.2, 5.4  # spreads under what is expected
APART, OVER_USUAL = 0.45, 1.6  # log units from what the light explains, and times what is usual there
APART_LEAST, APART_TEXTURED = 0.06, 0.25
MOVES = 0.2  # log units: where light usually leaves as much unexplained, it moves
TINT = 0.25  # log units of colour
HIDDEN = 0.5  # of a cell, seen as covered by the hold
ROUND_IT, ENCLOSED = 3, 0.9  # half-size px round what was found; share of that which shows the mark
SMALLEST, LARGE = 24, 250  # square half-size px: less is chance; as much needs no other sign
SAME_LEVEL, SAME_TINT = 0.4, 0.15  # log units in which what is in front may vary where it is spread
SPREAD_REST, SPREAD_TINT = 0.25, 0.15  # log units that the light does not explain
SPREADS_OVER = 27.0  # half-size px over which its colours are carried
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
PRIOR = 1000.0  # 1 / variance: how near what a place says is expected to what the wider scale did
LEAST_NOISE, MISPLACED = 0.01, 0.35  # of the light; px
FRONT_VARIES, FRONT_VARIES_LEAST = 0.4, 0.1  # of its light: what is in front has folds and shades of its own
FRONT_SPREAD = 3.0  # times the median by which it differs from its own colours
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


def without(covering: Covering, drawn: Sequence[tuple[F32, bool]]) -> Covering:
    """A covering less what an artist has drawn as not in front. ``drawn``: as for ``corrected``."""
    left = np.ones_like(covering.alpha)
    for cover, takes in drawn:
        left = left * (1 - cover) if takes else left
    return Covering(np.asarray(covering.alpha * left), np.asarray(covering.near * left))


def both(one: Covering | None, other: Covering | None) -> Covering | None:
    """Two things in front at once."""
    if one is None or other is None:
        return one or other
    return Covering(np.maximum(one.alpha, other.alpha), np.maximum(one.near, other.near))


def signs(now: F32, then: F32, painted: F32, slope: F32, gain: F64, readable: Mask, area: F32) -> Signs:
    """``now``, ``then``, ``painted``: the frame, the original anchor frame and its retouch, linear, half size; ``slope``:
    log light of the ring; ``gain`` (3,): grain variance per unit of light; ``area`` (h, w): px of the frame that a px of
    the still surface takes: a surface that has turned away shows less and less of its texture."""
    a, b = (np.log(mean(cv2.GaussianBlur(np.maximum(side, 0), (0, 0), PRE_BLUR)) + BLACK) for side in (now, then))
    lit = mean(then * np.exp(slope))
    noise = PRE_BLUR_LEAVES * float(np.mean(gain)) / 3
    alike, expected = _alike(a, b, noise / (lit + BLACK), noise / (mean(then) + BLACK))
    expected = expected * np.clip(area / FACES, 0, 1)
    sure = readable & (expected > TELLS) & (alike > 0.6 * expected)
    level, tint = _unexplained(now, then, slope, sure)
    mark, brighter = _mark(now, then, painted, slope, noise), level > APART_TEXTURED
    return Signs(alike, expected, np.abs(level), tint, readable & (area > TURNED_AWAY), mark, brighter, level)


def _mark(now: F32, then: F32, painted: F32, slope: F32, noise: float) -> Mask:
    """Where the frame shows what the retouch took away: the log of frame over lit retouch, regressed place by place on
    that of original over retouch."""
    clean = np.log(np.maximum(painted, 0) + BLACK)
    there, seen = np.log(then + BLACK) - clean, np.log(now + BLACK) - clean - slope
    there, seen = (side - cv2.GaussianBlur(side, (0, 0), MARK_HIGH) for side in (there, seen))
    power = cv2.GaussianBlur(mean(there * there), (0, 0), MARK_NEAR)
    share = cv2.GaussianBlur(mean(there * seen), (0, 0), MARK_NEAR) / np.maximum(power, 1e-9)
    floor = MARK_CONTRAST**2 + 4 * noise / (mean(then * np.exp(slope)) + BLACK)
    return np.asarray((power > floor) & (share > MARK_SEEN))


def found(seen: Signs, usual: Usual | None, hidden: F32 | None, multiplies: float) -> Mask:
    """Places (h, w) that something passes in front of, half size.

    Such a place has lost its texture, as far as it has any that stands above the grain and is usually seen, or is of a
    light or colour that neither the light round about nor the rest of the shot explains. ``usual``: over the same places
    (None: not known); ``hidden`` (h, w): 0..1, how far the hold saw the ground covered
    there (None: it does not know): before it is known what is usual, only
    what the hold saw covered counts. Where light adds (``multiplies`` under .5) only a lost texture counts.
    """
    readable, expected = seen.readable, seen.expected
    covered = np.zeros(readable.shape, bool) if hidden is None else hidden > HIDDEN
    rest_most, tint_most, moving = APART, TINT, _moving(usual)
    textured, least = np.maximum(APART_TEXTURED, moving), np.maximum(APART_LEAST, moving)
    if usual is not None:
        expected = np.where(usual.alike > -1, np.minimum(expected, usual.alike), expected)
        rest_most = np.maximum(APART, OVER_USUAL * usual.rest)
        tint_most = np.maximum(TINT, OVER_USUAL * usual.tint)
    known = readable & (expected > TELLS)
    if known.sum() > FEWEST:  # a hold that is a little off, or a blur, lowers the likeness everywhere
        scale = float(np.quantile((seen.alike[known] / expected[known]), LOOKS_RIGHT))
        expected = expected * np.clip(scale, LEAST_USUAL, 1)
    spread = SPREAD if usual is None else np.hypot(SPREAD, SPREAD_TIMES * np.maximum(usual.spread, 0))
    lost = np.clip((expected - seen.alike) / spread, -9, 9).astype(np.float32)
    strange = known & (lost > SURELY_LOST) & (seen.rest > least)
    strange |= known & (lost > LOST) & (seen.rest > textured)
    strange |= known & (lost > LOST) & covered
    if multiplies >= 0.5:
        strange |= ~known & ((seen.rest > rest_most) | (seen.tint > tint_most))
        strange |= covered & (seen.rest > textured) & (lost > LOST / 2)
    # what is only brighter may be a highlight: all of its texture must be gone
    strange &= ~seen.brighter | (lost > GONE)
    if usual is None:
        strange &= covered
    return _from_outside(_shapes(strange & readable & ~seen.mark, covered, lost, known) & ~seen.mark, seen)


def _moving(usual: Usual | None) -> F32 | float:
    """Log units (h, w) of light that tell nothing where light moves on a surface that no ring explains; 0 elsewhere."""
    if usual is None or usual.unexplained <= MOVES:
        return 0.0
    return np.asarray(OVER_USUAL * usual.rest * (usual.rest > MOVES), np.float32)


def spread(found: Mask, now: F32, seen: Signs, usual: Usual | None) -> Mask:
    """What hangs together with what was found, looks as it does, and is not explained by the light; half size. ``now``: the
    frame (h, w, 3), linear. A mark's own detail makes the places next to it look like the surface: what passes there is
    found above and below it alone."""
    if not found.any():
        return found
    soft = np.log(cv2.GaussianBlur(np.maximum(now, 0), (0, 0), 1.0) + BLACK)
    off = soft - _carried(soft, found * np.minimum(seen.rest + seen.tint, 2) ** 4, SPREADS_OVER)
    level = mean(off)
    same = (np.abs(level) < SAME_LEVEL) & (most(np.abs(off - level[..., None])) < SAME_TINT)
    rest, tint = (0.0, 0.0) if usual is None else (usual.rest, usual.tint)
    least = np.maximum(np.maximum(rest, SPREAD_REST), _moving(usual))
    off_rest, off_tint = seen.rest > least, seen.tint > np.maximum(tint, SPREAD_TINT)
    strange = seen.readable & same & (off_rest | off_tint)
    both = (found | (cv2.morphologyEx(strange.astype(np.uint8), cv2.MORPH_OPEN, _disc(1)) > 0)).astype(np.uint8)
    count, labels = cv2.connectedComponents(both)
    kept = np.zeros(count, bool)
    kept[np.unique(labels[found])] = True
    return np.asarray(kept[labels])


def _alike(a: F32, b: F32, noise_a: F32, noise_b: F32) -> tuple[F32, F32]:
    """Correlation (h, w) of two log lumas at ``CORRELATION_SIGMA``, and what it would be if only grain (variances of
    the logs) parted them."""

    def local(x: F32) -> F32:
        return np.asarray(cv2.GaussianBlur(x, (0, 0), CORRELATION_SIGMA))

    # light that changes smoothly is not texture
    a = a - cv2.GaussianBlur(a - b, (0, 0), LIGHT_SIGMA)
    a, b = (side - cv2.GaussianBlur(side, (0, 0), 2 * CORRELATION_SIGMA) for side in (a, b))
    va, vb, cov = local(a * a), local(b * b), local(a * b)
    signal = np.maximum(vb - local(noise_b), 0)
    expected = signal / np.sqrt((signal + local(noise_a) + 1e-7) * (signal + local(noise_b) + 1e-7))
    alike = cov / np.sqrt(va * vb + 1e-12)
    # what is left of the surface's own light where nothing of its texture is seen is like it, but faint
    contrast = cov / np.maximum(signal, 1e-7)
    return np.asarray(np.minimum(alike, CONTRAST_COUNTS * contrast)), np.asarray(expected)


def _unexplained(now: F32, then: F32, slope: F32, sure: Mask) -> tuple[F32, F32]:
    """Log units (h, w) by which the frame is off in light, and in colour, after a second look at the light: of the places
    that are ``sure`` to show the surface, if there are enough."""
    sides = [np.log(cv2.GaussianBlur(np.maximum(side, 0), (0, 0), 1.0) + BLACK) for side in (now, then)]
    q = sides[0] - sides[1] - slope
    if sure.sum() > FEWEST:
        q = q - np.median(q[sure], axis=0).astype(np.float32)
    level = mean(q)
    return np.asarray(level, np.float32), np.asarray(most(np.abs(q - level[..., None])), np.float32)


def _shapes(strange: Mask, covered: Mask, lost: F32, known: Mask) -> Mask:
    """Places that hang together, and are large, sure or seen as covered by the hold."""
    closed = cv2.morphologyEx(strange.astype(np.uint8), cv2.MORPH_CLOSE, _disc(3))
    opened = cv2.morphologyEx(closed, cv2.MORPH_OPEN, _disc(1))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(opened)
    out = np.zeros(strange.shape, np.uint8)
    for k in range(1, count):
        here = labels == k
        area = int(stats[k, cv2.CC_STAT_AREA])
        if area < SMALLEST:
            continue
        told = here & known
        sure = told.sum() > 0.2 * area and float(lost[told].mean()) > LOST
        if sure or covered[here].mean() > 0.3 or area > LARGE:
            out[here] = 1
    return np.asarray(cv2.dilate(out, _disc(2)) > 0)


def _from_outside(found: Mask, seen: Signs) -> Mask:
    """What was found, without places that the mark is seen all round of and that are as bright and of the colour that it
    should be there on the whole: what passes comes in from beside it, a hold that is a little off does not."""
    count, labels = cv2.connectedComponents(found.astype(np.uint8))
    out = found.copy()
    for k in range(1, count):
        here = labels == k
        round_it = (cv2.dilate(here.astype(np.uint8), _disc(ROUND_IT)) > 0) & ~here
        if seen.mark[round_it].mean() < ENCLOSED:
            continue
        if abs(float(seen.level[here].mean())) < APART_TEXTURED and float(seen.tint[here].mean()) < TINT / 2:
            out[here] = False
    return out


def _disc(radius: int) -> np.ndarray:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)))


def corrected(automatic: Mask, drawn: Sequence[tuple[F32, bool]]) -> Mask:
    """What is in front after corrections: (coverage on the still surface, whether it takes away) in order."""
    out = automatic.copy()
    for cover, takes in drawn:
        out[cover > 0.5] = not takes
    return out


def unmixed(
    front: Mask, current: F32, behind: F32, light_off: float = LIGHT_OFF, drawn: Mask | None = None
) -> Covering | None:
    """From a mask to how far each place of its edge is in front. ``behind``: the surface in the frame's light,
    which may be off by a share of ``light_off``.

    In the band J = a f + (1 - a) B, with B what is behind and f the colour of what is in front, carried in from where it
    is sure. A place tells a as well as f and B differ against the noise; a light that is read a little wrong makes B brighter
    or darker, so that only its colour tells then. What a place does not tell comes from round about, wide scales first (the
    posterior mean with what the last scale said as the prior). ``drawn``: what an artist said is in front, whatever is seen.
    None when nothing is in front.
    """
    if not front.any():
        return None
    mask = front.astype(np.uint8)
    within = cv2.distanceTransform(mask, cv2.DIST_L2, 5)
    beyond = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 5)
    surest = _surest(within, current, behind)
    ahead = _carried(current, surest)
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
    rest = current - (1 - alpha[..., None]) * behind - alpha[..., None] * ahead
    return Covering(alpha, _near(alpha) * _known(alpha, rest, noise))


def lit_round_about(front: Mask, current: F32, lit: F32) -> F32:
    """``lit`` in the light that the frame shows of it at some distance from what is in front."""
    beyond = cv2.distanceTransform(1 - front.astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(lit * _carried((current + BLACK) / (lit + BLACK), _surely(beyond)), np.float32)


def clear_of(front: Mask) -> Mask:
    """Where light can be read beside it."""
    return np.asarray(cv2.distanceTransform(1 - front.astype(np.uint8), cv2.DIST_L2, 5) > CLEAR)


def _surest(within: F32, current: F32, behind: F32) -> F32:
    """How surely (0..1) a frame's places show what is in front alone: the middle of it, and where it looks least like what is
    behind, for what was found may hold bare places."""
    middle = within > np.minimum(SURE_WITHIN, MIDDLE * cv2.dilate(within, _disc(SURE_WITHIN)))
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
    some = cv2.GaussianBlur(cv2.dilate(alpha, _disc(NEAR)), (0, 0), NEAR / 2)
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


def _carried(picture: F32, sure: Mask | F32, reach: float = COLOUR_SIGMA) -> F32:
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
