"""What passes in front of a mark: found on the still surface, and corrected by hand.

All pictures are scene-linear (h, w, 3) on the still surface: ``current`` the frame, ``lit`` the original anchor frame
in the frame's light. Where something passes in front, the one does not look like the other.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask, least, mean, most
from hushcore.edge.outline import Outline
from hushcore.edge.signs import Signs, Usual
from hushcore.edge.unmix import BLACK, FEWEST, carried, disc

PRE_BLUR, PRE_BLUR_LEAVES = 0.6, 0.22  # half-size px, and the share of white noise's variance that it leaves
CORRELATION_SIGMA = 2.5  # half-size px
LIGHT_SIGMA = 3.5  # half-size px
CONTRAST_COUNTS = 1.6  # times the share of the texture's contrast that is seen
TELLS = 0.45  # expected correlation: with less, texture says nothing
LOOKS_RIGHT = 0.75  # quantile of the likeness over a region that says how right it looks at best
LEAST_USUAL, MOST_USUAL = 0.45, 2.0  # times what is expected, by how right it looks
SPREAD = 0.16  # of a correlation of so few places
SPREAD_TIMES = 1.5  # of how differently a place looks over the shot
FACES, TURNED_AWAY = 0.7, 0.2  # px of the frame a px of the still surface
MARK_HIGH, MARK_NEAR = 6.0, 3.0  # half-size px
MARK_REACH = 5  # half-size px from what is of another light or colour, at which a mark tells nothing
MARK_HALF, MARK_WHOLE = 0.5, 0.8  # shares of its contrast, from which less, and nothing, can be in front of it
MARK_CONTRAST, MARK_SEEN = 0.04, 0.4  # log units; share of the mark that must be there
LOST, SURELY_LOST, GONE = 2.2, 3.2, 5.4  # spreads under what is expected
APART, OVER_USUAL = 0.45, 1.6  # log units from what the light explains, and times what is usual there
APART_LEAST, APART_TEXTURED = 0.06, 0.25
MOVES = 0.2  # log units: where light usually leaves as much unexplained, it moves
TINT = 0.25  # log units of colour
TAKEN = 0.15  # log units by which no channel may be darker for what is brighter to be a highlight
HIDDEN = 0.5  # of a cell, seen as covered by the hold
ROUND_IT, ENCLOSED = 3, 0.9  # half-size px round what was found; share of that which shows the mark
BRIGHTER = 0.5  # of a shape, for it to be called that
SMALLEST, LARGE = 24, 250  # square half-size px: less is chance; as much needs no other sign
SAME_LEVEL, SAME_TINT = 0.4, 0.15  # log units in which what is in front may vary where it is spread
SPREAD_REST, SPREAD_TINT = 0.25, 0.15  # log units that the light does not explain
SPREADS_OVER = 27.0  # half-size px over which its colours are carried
LEFT = 0.3  # of its contrast: with less, a surface is not seen under a highlight
OFF = 2  # half-size px that a hold may be off
PLAINLY = 1.0  # spreads under what is expected
OWN_DETAIL = 5  # half-size px round a mark's detail, which looks like the mark


@dataclass(frozen=True)
class Front:
    """``auto``: find it; ``shapes``: outlines in frame px that say what is in front (``takes``: what is not)."""

    auto: bool = True
    shapes: tuple[Outline, ...] = ()


def signs(now: F32, then: F32, painted: F32, slope: F32, gain: F64, readable: Mask, area: F32) -> Signs:
    """``now``, ``then``, ``painted``: the frame, the original anchor frame and its retouch, linear, half size; ``slope``:
    log light of the ring; ``gain`` (3,): grain variance per unit of light; ``area`` (h, w): px of the frame that a px of
    the still surface takes: a surface that has turned away shows less and less of its texture."""
    a, b = (np.log(mean(cv2.GaussianBlur(np.maximum(side, 0), (0, 0), PRE_BLUR)) + BLACK) for side in (now, then))
    lit = mean(then * np.exp(slope))
    noise = _noise(gain)
    alike, expected = _alike(a, b, noise / (lit + BLACK), noise / (mean(then) + BLACK))
    expected = expected * np.clip(area / FACES, 0, 1)
    sure = _surely_shown(alike, expected, readable)
    rest = _unexplained(now, then, slope, sure)
    level = mean(rest)
    tint = most(np.abs(rest - level[..., None]))
    mark = _shown(now, then, painted, slope, noise) > MARK_SEEN
    # a highlight takes nothing from any channel
    brighter = (level > APART_TEXTURED) & (least(rest) > -TAKEN)
    return Signs(alike, expected, np.abs(level), tint, readable & (area > TURNED_AWAY), mark, brighter, level)


def surely(seen: Signs) -> Mask:
    """Places (h, w) that are sure to show the surface, however it is lit."""
    return _surely_shown(seen.alike, seen.expected, seen.readable)


def _surely_shown(alike: F32, expected: F32, readable: Mask) -> Mask:
    return np.asarray(readable & (expected > TELLS) & (alike > 0.6 * expected))


def at_most(now: F32, then: F32, painted: F32, slope: F32, gain: F64) -> F32:
    """How far (h, w) a place can be in front at most, 0..1: not at all where the mark is seen as it is lit, here or a little
    beside; pictures as for ``signs``."""
    shown = _shown(now, then, painted, slope, _noise(gain), OFF)
    rest = cv2.GaussianBlur(np.log(np.maximum(now, 0) + BLACK) - np.log(then + BLACK) - slope, (0, 0), MARK_NEAR)
    level = mean(rest)
    # a mark tells of what lies beside it, too, and that may be of another light or colour, and has an edge
    other = (np.abs(level) > APART) | (most(np.abs(rest - level[..., None])) > TINT)
    known = cv2.dilate(other.astype(np.uint8), disc(MARK_REACH)) == 0
    return np.asarray(1 - known * np.clip((shown - MARK_HALF) / (MARK_WHOLE - MARK_HALF), 0, 1), np.float32)


def _noise(gain: F64) -> float:
    """The grain's variance per unit of light in the luma that is looked at."""
    return PRE_BLUR_LEAVES * float(np.mean(gain)) / 3


def _shown(now: F32, then: F32, painted: F32, slope: F32, noise: float, off: int = 0) -> F32:
    """The share (h, w) of what the retouch took away that the frame shows: the log of frame over lit retouch, regressed place by
    place on that of original over retouch, as it is or as it best fits ``off`` px away; 0 where that is too little to tell."""
    clean = np.log(np.maximum(painted, 0) + BLACK)
    there, seen = np.log(then + BLACK) - clean, np.log(now + BLACK) - clean - slope
    there, seen = (side - cv2.GaussianBlur(side, (0, 0), MARK_HIGH) for side in (there, seen))
    power = cv2.GaussianBlur(mean(there * there), (0, 0), MARK_NEAR)
    both = [cv2.GaussianBlur(mean(side * seen), (0, 0), MARK_NEAR) for side in _nearby(there, off)]
    share = np.maximum.reduce(both) / np.maximum(power, 1e-9)
    floor = MARK_CONTRAST**2 + 4 * noise / (mean(then * np.exp(slope)) + BLACK)
    return np.asarray(np.where(power > floor, share, 0), np.float32)


def gone(now: F32, then: F32, slope: F32) -> Mask:
    """Where nothing of the surface's own picture is in the frame; half size, as for ``signs``. A highlight adds light, and leaves
    the differences of linear light that the surface has; what is in front does not. A hold may be a little off."""
    frame, lit = (mean(cv2.GaussianBlur(np.maximum(side, 0), (0, 0), PRE_BLUR)) for side in (now, then * np.exp(slope)))
    frame, lit = (side - cv2.GaussianBlur(side, (0, 0), 2 * CORRELATION_SIGMA) for side in (frame, lit))
    power = cv2.GaussianBlur(lit * lit, (0, 0), CORRELATION_SIGMA) + 1e-12
    both = [cv2.GaussianBlur(frame * side, (0, 0), CORRELATION_SIGMA) for side in _nearby(lit, OFF)]
    return np.asarray(np.maximum.reduce(both) < LEFT * power)


def _nearby(picture: F32, off: int) -> Iterator[F32]:
    """A picture as it is, and moved by ``off`` px eight ways, its border repeated."""
    if off == 0:
        yield picture
        return
    height, width = picture.shape[:2]
    wider = cv2.copyMakeBorder(picture, off, off, off, off, cv2.BORDER_REPLICATE)
    for top in (0, off, 2 * off):
        for left in (0, off, 2 * off):
            yield wider[top : top + height, left : left + width]


def found(
    seen: Signs, usual: Usual | None, hidden: F32 | None, multiplies: float, missing: Callable[[], Mask] | None = None
) -> Mask:  # fmt: skip
    """Places (h, w) that something passes in front of, half size.

    Such a place has lost its texture, as far as it has any that stands above the grain and is usually seen, or is of a
    light or colour that neither the light round about nor the rest of the shot explains. ``usual``: over the same places
    (None: not known); ``hidden`` (h, w): 0..1, how far the hold saw the ground covered
    there (None: it does not know): before it is known what is usual, only
    what the hold saw covered counts. Where light adds (``multiplies`` under .5) only a lost texture counts. ``missing``:
    where a highlight does not explain what is brighter (``gone``), asked for where something is (None: not known).
    """
    readable = seen.readable
    covered = np.zeros(readable.shape, bool) if hidden is None else hidden > HIDDEN
    rest_most, tint_most, moving = APART, TINT, _moving(usual)
    textured, least = np.maximum(APART_TEXTURED, moving), np.maximum(APART_LEAST, moving)
    if usual is not None:
        rest_most = np.maximum(APART, OVER_USUAL * usual.rest)
        tint_most = np.maximum(TINT, OVER_USUAL * usual.tint)
    known, lost = _lost(seen, usual)
    lost = np.where(covered, _lost(seen, usual, MOST_USUAL)[1], lost)
    strange = known & (lost > SURELY_LOST) & (seen.rest > least)
    strange |= known & (lost > LOST) & (seen.rest > textured)
    strange |= known & (lost > LOST) & covered
    if multiplies >= 0.5:
        strange |= ~known & ((seen.rest > rest_most) | (seen.tint > tint_most))
        strange |= covered & (seen.rest > textured) & (lost > LOST / 2)
    # what is only brighter may be a highlight: all of its texture must be gone
    doubtful = strange & seen.brighter & (lost <= GONE)
    if doubtful.any():
        strange &= ~doubtful | (False if missing is None else known & missing())
    if usual is None:
        strange &= covered
    return _from_outside(
        _shapes(strange & readable & ~seen.mark, covered, lost, known, seen.brighter) & ~seen.mark, seen
    )


def _lost(seen: Signs, usual: Usual | None, most_usual: float = 1.0) -> tuple[Mask, F32]:
    """Where a place's texture tells (h, w), and by how many spreads it is less like itself than is expected: at most
    ``most_usual`` times what grain and turning away let expect, where the rest of the frame looks so much like itself."""
    expected = seen.expected
    if usual is not None:
        expected = np.where(usual.alike > -1, np.minimum(expected, usual.alike), expected)
    known = seen.readable & (expected > TELLS)
    if known.sum() > FEWEST:  # a hold that is a little off, or a blur, lowers the likeness everywhere
        scale = float(np.quantile((seen.alike[known] / expected[known]), LOOKS_RIGHT))
        expected = np.minimum(expected * np.clip(scale, LEAST_USUAL, most_usual), 1)
    spread = SPREAD if usual is None else np.hypot(SPREAD, SPREAD_TIMES * np.maximum(usual.spread, 0))
    return known, np.clip((expected - seen.alike) / spread, -9, 9).astype(np.float32)


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
    off = soft - carried(soft, found * np.minimum(seen.rest + seen.tint, 2) ** 4, SPREADS_OVER)
    level = mean(off)
    same = (np.abs(level) < SAME_LEVEL) & (most(np.abs(off - level[..., None])) < SAME_TINT)
    rest, tint = (0.0, 0.0) if usual is None else (usual.rest, usual.tint)
    least = np.maximum(np.maximum(rest, SPREAD_REST), _moving(usual))
    off_rest, off_tint = seen.rest > least, seen.tint > np.maximum(tint, SPREAD_TINT)
    strange = seen.readable & same & (off_rest | off_tint) & ~_plain(seen, usual, off_tint)
    both = (found | (cv2.morphologyEx(strange.astype(np.uint8), cv2.MORPH_OPEN, disc(1)) > 0)).astype(np.uint8)
    count, labels = cv2.connectedComponents(both)
    kept = np.zeros(count, bool)
    kept[np.unique(labels[found])] = True
    return np.asarray(kept[labels])


def _plain(seen: Signs, usual: Usual | None, off_tint: Mask) -> Mask:
    """Where the surface is plainly seen, however it is lit: its texture is there as it is expected, or its mark in no other
    colour. Next to a mark's detail a place looks like the mark, whatever else is seen there. It must look as its grain lets
    expect and as it usually does: where something passes on many frames a place usually looks like little."""
    known, lost = _lost(seen, None, MOST_USUAL)
    lost = np.maximum(lost, _lost(seen, usual)[1])
    texture = known & (lost < PLAINLY) & ~(cv2.dilate(seen.mark.astype(np.uint8), disc(OWN_DETAIL)) > 0)
    plain = (texture | (seen.mark & ~off_tint)).astype(np.uint8)
    return np.asarray(cv2.morphologyEx(plain, cv2.MORPH_OPEN, disc(1)) > 0)


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


def _unexplained(now: F32, then: F32, slope: F32, sure: Mask) -> F32:
    """Log units (h, w, 3) by which the frame is off in light after a second look at it: of the places that are ``sure`` to
    show the surface, if there are enough."""
    sides = [np.log(cv2.GaussianBlur(np.maximum(side, 0), (0, 0), 1.0) + BLACK) for side in (now, then)]
    q = sides[0] - sides[1] - slope
    if sure.sum() > FEWEST:
        q = q - np.median(q[sure], axis=0).astype(np.float32)
    return np.asarray(q, np.float32)


def _shapes(strange: Mask, covered: Mask, lost: F32, known: Mask, brighter: Mask) -> Mask:
    """Places that hang together, and are large, sure or seen as covered by the hold; what is brighter is sure when all of its
    texture is gone."""
    closed = cv2.morphologyEx(strange.astype(np.uint8), cv2.MORPH_CLOSE, disc(3))
    opened = cv2.morphologyEx(closed, cv2.MORPH_OPEN, disc(1))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(opened)
    out = np.zeros(strange.shape, np.uint8)
    for k in range(1, count):
        here = labels == k
        area = int(stats[k, cv2.CC_STAT_AREA])
        if area < SMALLEST:
            continue
        told = here & known
        enough = GONE if brighter[here].mean() > BRIGHTER else LOST
        sure = told.sum() > 0.2 * area and float(lost[told].mean()) > enough
        if sure or covered[here].mean() > 0.3 or area > LARGE:
            out[here] = 1
    return np.asarray(cv2.dilate(out, disc(2)) > 0)


def _from_outside(found: Mask, seen: Signs) -> Mask:
    """What was found, without places that the mark is seen all round of and that are as bright and of the colour that it
    should be there on the whole: what passes comes in from beside it, a hold that is a little off does not."""
    count, labels = cv2.connectedComponents(found.astype(np.uint8))
    out = found.copy()
    for k in range(1, count):
        here = labels == k
        round_it = (cv2.dilate(here.astype(np.uint8), disc(ROUND_IT)) > 0) & ~here
        if seen.mark[round_it].mean() < ENCLOSED:
            continue
        if abs(float(seen.level[here].mean())) < APART_TEXTURED and float(seen.tint[here].mean()) < TINT / 2:
            out[here] = False
    return out


def corrected(automatic: Mask, drawn: Sequence[tuple[F32, bool]]) -> Mask:
    """What is in front after corrections: (coverage on the still surface, whether it takes away) in order."""
    out = automatic.copy()
    for cover, takes in drawn:
        out[cover > 0.5] = not takes
    return out
