"""Strands that pass in front of a mark: hair, threads, wires, thinner than what ``front`` can find.

Found at half size as lines that the light does not explain: matched filters in twelve directions (after Chaudhuri et al.
1989, who find blood vessels so; from memory), thinned across the line, and kept only where they are long. A weave that the
hold misses by a fraction of a pixel makes lines as well, on every frame: what a place usually shows is held against it.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import fft

from hushcore.arrays import F32, F64, Mask, known_percentile, mean

BLACK = 0.003  # linear
DIRECTIONS, WIDTHS = 12, (0.9, 2.0)  # over half a turn; half-size px (sigma) across
LONG, REACH = 6.0, 12  # half-size px along (sigma), and a filter's reach
WIDE = 5.0  # half-size px: wider differences are light
STRANGE, ROUNDS = 2.5, 2  # robust deviations beyond which a place says nothing of the light; times
MOST = 1.5  # log units
LEAST_NOISE = 0.006  # log units, of a filter's answer
TOLD = 9  # every which place tells the noise
QUIETER = 0.4  # quantile over directions of a frame's noise: strands make their own directions loud
MISPLACED = 0.1  # half-size px by which the surface's own slopes may miss at least, and for each px of drift
BORDER = 6  # half-size px from what cannot be read: what tells lies further in
USUAL, USUAL_MOST = 3.0, 2.5  # times the noise that is usual anywhere; log of the most that is told
SURE, PLAIN, FAINT = 7.5, 5.0, 3.0  # times the noise: middle of a strand that tells, of any other, and of their places
BESIDE, RULES = 3, 0.8  # half-size px: a line's own echo of the other sign beside it, and how much of that it must be
LONGEST, BEYOND = 36, 16  # half-size px that one must reach, and of it beside the edge: a mark has lines of its own
CONTRAST = 0.08  # log units: fainter ones alone are not believed
LEADS, TIMES = 10, 2  # half-size px that a line leads on, and how often
TURNS, WEAK = 2, 2.0  # directions that it may turn there, and times the noise
GAP, FACING, LEAST_END = 20.0, 0.87, 5  # half-size px; cosine; px of a piece that has ends
PIECE, SHARE = 14, 0.6  # half-size px of every piece, and of its length that must be seen
ACROSS = 1.2  # half-size px: a line is stronger than what lies this far beside it
CORE, FEATHER = 3, 2.0  # px either side of a line, and px over which that ends
BRIGHTER, BRIGHTEST = 1.5, 0.98  # times what this quantile of a bright strand's places shows: its colour
SMOOTHED, CARRIED = 0.6, (11.0, 4.0)  # px: a place's own cover; how far it is carried along, the widest first
LEAST_TOLD = 0.4  # of what strands change as a rule: where they change less, as on dark ink, nothing is read
ENOUGH = 0.25  # of what is told beside a place as a rule: with less it is carried from further away


@dataclass(frozen=True)
class Lines:
    """What a frame shows of lines, half size: ``rest`` (h, w): log units that neither light nor texture explain;
    ``answers`` (n, h, w): of every filter, over the noise, under 0 where darker; ``readable`` (h, w)."""

    rest: F32
    answers: F32
    readable: Mask

    @property
    def strength(self) -> F32:
        """The strongest answer of either sign (h, w)."""
        return np.asarray(np.maximum(self.answers.max(0), -self.answers.min(0)))


def lines(apart: F32, then: F32, readable: Mask, drift: float = 0.0, always: bool = True) -> Lines | None:
    """``apart`` (h, w, 3): log of the frame over the original anchor frame ``then`` (linear) in the light of the ring;
    ``drift``: px by which the hold may be off. Unless ``always``, None where so little is unexplained that there can be none."""
    rest = _rest(mean(apart), readable)
    if not always and (np.abs(cv2.GaussianBlur(rest, (0, 0), WIDTHS[0])) > CONTRAST / 2).sum() < LONGEST:
        return None
    answers = _answers(rest)
    at = np.flatnonzero(readable)[::TOLD]
    if not at.size:
        return Lines(rest, answers * 0, readable)
    spread = np.median(np.abs(answers.reshape(len(answers), -1)[:, at]), axis=1).reshape(len(WIDTHS), -1)
    noise = np.maximum(1.4826 * np.quantile(spread, QUIETER, axis=1), LEAST_NOISE).astype(np.float32)
    size = np.hypot(noise[:, None, None], np.float32(MISPLACED * max(1.0, drift)) * _slopes(then)[None])
    for k, one in enumerate(size):
        answers[k * DIRECTIONS : (k + 1) * DIRECTIONS] /= one
    return Lines(rest, answers, readable)


def _rest(q: F32, readable: Mask) -> F32:
    """``q`` without what is wide; what is strange does not count for that."""
    weight = readable.astype(np.float32)
    rest = np.zeros_like(q)
    for _ in range(ROUNDS):
        if not readable.any():
            break
        rest = q - _around(q, weight, WIDE)
        usual = STRANGE * 1.4826 * np.median(np.abs(rest[readable])) + 1e-4
        square = np.square(rest / np.float32(usual))
        weight = np.asarray(readable / (1 + square * square), np.float32)
    return np.asarray(np.clip(rest, -MOST, MOST) * readable, np.float32)


def _slopes(then: F32) -> F32:
    """Log units a half-size px by which the surface itself changes, about each place."""
    level = mean(np.log(then + BLACK))
    across, down = (cv2.Sobel(level, cv2.CV_32F, *way, ksize=1, scale=0.5) for way in ((1, 0), (0, 1)))
    return np.asarray(np.sqrt(cv2.GaussianBlur(across**2 + down**2, (0, 0), 1.5)))


def _answers(rest: F32) -> F32:
    """Log units (n, h, w) by which each place is a line of each width and direction."""
    height, width = rest.shape
    size = tuple(fft.next_fast_len(side + 2 * REACH, real=True) for side in rest.shape)
    padded = cv2.copyMakeBorder(rest, REACH, REACH, REACH, REACH, cv2.BORDER_REFLECT_101)
    bins = fft.rfft2(padded, size)
    made = fft.irfft2(bins[None] * _filters(size), size)
    return np.asarray(made[:, 2 * REACH : 2 * REACH + height, 2 * REACH : 2 * REACH + width], np.float32)


@lru_cache(maxsize=16)
def _filters(size: tuple[int, int]) -> F32:
    """Spectra of the filters, a width after the other."""
    y, x = np.mgrid[-REACH : REACH + 1, -REACH : REACH + 1].astype(np.float32)
    made = []
    for sigma in WIDTHS:
        for k in range(DIRECTIONS):
            turn = np.pi * k / DIRECTIONS
            along, across = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
            line = np.exp(-(across**2) / (2 * sigma**2))
            kernel = (1 - (across / sigma) ** 2) * line * np.exp(-(along**2) / (2 * LONG**2))
            kernel -= kernel.mean()
            made.append(fft.rfft2(kernel / (kernel * line).sum(), size))
    return np.asarray(np.stack(made), np.complex64)


def usual(frames: list[F32]) -> F32:
    """From the strengths (h, w; nan where nothing is readable) of some frames: log of how much more than anywhere each place
    usually shows."""
    middle = np.nan_to_num(known_percentile(np.stack(frames), 50), nan=np.exp(USUAL_MOST) * USUAL)
    return np.asarray(np.clip(np.log(np.maximum(middle, 1e-3) / USUAL), 0, USUAL_MOST), np.float32)


def found(seen: Lines, usually: F32, outside: F32) -> tuple[Mask, int] | None:
    """The middles of strands, half size, and their sign (-1: darker than the surface); None where there are none. ``usually``:
    of ``usual``, over the same places; ``outside`` (h, w): px outside the fix's edge."""
    readable = np.asarray(seen.readable & (usually >= 0))
    times = np.exp(np.maximum(usually, 0))
    if (seen.strength[readable] > SURE * times[readable]).sum() < LONGEST / 2:
        return None
    answers = seen.answers / times
    made = {sign: _long(answers, seen.rest, sign, readable, outside) for sign in (-1, 1)}
    sign = max(made, key=lambda one: made[one][1])
    return (made[sign][0], sign) if made[sign][1] else None


def _long(answers: F32, rest: F32, sign: int, readable: Mask, outside: F32) -> tuple[Mask, float]:
    """Middles of all lines of a sign, and how much of those that can only be strands is unexplained."""
    ridge, best, which = _ridges(answers, sign)
    thin = ridge & (best > FAINT) & readable
    count, labels, stats, _ = cv2.connectedComponentsWithStats(cv2.dilate(thin.astype(np.uint8), np.ones((3, 3))))
    known = cv2.erode(readable.astype(np.uint8), np.ones((2 * BORDER + 1,) * 2), borderValue=1) > 0
    kept, told = np.zeros(count, bool), 0.0
    for k in range(1, count):
        length = float(np.hypot(stats[k, cv2.CC_STAT_WIDTH], stats[k, cv2.CC_STAT_HEIGHT]))
        if length < PIECE:
            continue
        here = thin & (labels == k)
        middle = float(np.median(best[here])) if here.sum() >= SHARE * length else 0.0
        kept[k], within = middle > PLAIN, here & known
        long = length >= LONGEST and within.sum() >= LONGEST / 2 and (outside[within] > 0).sum() >= BEYOND
        if long and middle > SURE and float(np.median(np.abs(rest[here]))) > CONTRAST:
            told += float(np.abs(rest[within]).sum())
    middles = kept[labels] & thin
    if told:
        middles = _joined(_led_on(middles, ridge & (best > WEAK) & readable, which), which)
    return middles, told


def _ridges(answers: F32, sign: int) -> tuple[Mask, F32, NDArray[np.intp]]:
    """The middles of lines of a sign, one px across, how strong they are and in which direction they go."""
    own = sign * answers
    best, which = own.max(0), own.argmax(0)
    other = cv2.dilate((-own).max(0), np.ones((2 * BESIDE + 1,) * 2))
    across = _way(which)[::-1] * np.array([-1, 1], np.float32)[:, None, None]
    ridge = np.logical_and.reduce([best >= _beside(best, side * ACROSS * across) for side in (-1, 1)])
    return np.asarray(ridge & (best > RULES * other)), best, which


def _way(which: NDArray[np.intp]) -> F32:
    """Unit vectors (2, ...: x, y) along the lines that filters look for."""
    turn = np.pi * (which % DIRECTIONS) / DIRECTIONS
    return np.stack([np.cos(turn), np.sin(turn)]).astype(np.float32)


def _led_on(middles: Mask, faint: Mask, which: NDArray[np.intp]) -> Mask:
    """Lines with what goes on from their ends, where a mark's own edges hide them."""
    out = middles.copy()
    height, width = out.shape
    for _ in range(TIMES):
        rows, cols = np.nonzero(out)
        way, here = _way(which[rows, cols]), which[rows, cols] % DIRECTIONS
        led = np.full(out.shape, -1, int)
        for far in range(-LEADS, LEADS + 1):
            y, x = np.rint(rows + far * way[1]).astype(int), np.rint(cols + far * way[0]).astype(int)
            inside = (y >= 0) & (y < height) & (x >= 0) & (x < width)
            led[y[inside], x[inside]] = here[inside]
        led = cv2.dilate(led.astype(np.float32), np.ones((3, 3))).astype(int)
        turned = np.abs(which % DIRECTIONS - led)
        more = faint & (led >= 0) & (np.minimum(turned, DIRECTIONS - turned) <= TURNS) & ~out
        if not more.any():
            break
        out |= more
    return out


def _joined(middles: Mask, which: NDArray[np.intp]) -> Mask:
    """Lines whose ends face each other across a gap, as one."""
    count, labels = cv2.connectedComponents(middles.astype(np.uint8), connectivity=8)
    ends: list[tuple[int, F64, F64]] = []
    for k in range(1, count):
        at = np.argwhere(labels == k)[:, ::-1].astype(float)
        if len(at) < LEAST_END:
            continue
        away = at - at.mean(0)
        along = away @ np.linalg.svd(away, full_matrices=False)[2][0]
        for place in (at[along.argmin()], at[along.argmax()]):
            way = _way(which[int(place[1]), int(place[0])]).astype(float)
            ends.append((k, place, way * np.sign(way @ (place - at.mean(0)))))
    out = middles.astype(np.uint8)
    for k, (one, a, out_of_a) in enumerate(ends):
        for other, b, out_of_b in ends[k + 1 :]:
            gap = float(np.hypot(*(b - a)))
            if one != other and 0 < gap <= GAP and min(out_of_a @ (b - a), out_of_b @ (a - b)) > FACING * gap:
                cv2.line(out, a.astype(int).tolist(), b.astype(int).tolist(), 1)
    return np.asarray(out > 0)


def _beside(values: F32, by: F32) -> F32:
    height, width = values.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    return np.asarray(
        cv2.remap(values, x + by[0], y + by[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32
    )


def covering(middles: Mask, sign: int, current: F32, lit: F32, readable: Mask) -> tuple[F32, F32]:
    """How far (h, w, 0..1) each place of the frame lies under strands, and where their edges are. ``current``: the frame;
    ``lit``: the original anchor frame in its light, both linear (h, w, 3) on the still surface.

    Dark strands are taken for black, bright ones for brighter than any place of them: what is said is rather too little, for
    what covers too much leaves the mark on them. On a dark mark they hardly show: there it is carried along from beside it.
    """
    core = cv2.resize(middles.astype(np.uint8), readable.shape[::-1], interpolation=cv2.INTER_NEAREST)
    away, strand = cv2.distanceTransformWithLabels(1 - core, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_CCOMP)
    near = np.clip((CORE + FEATHER - away) / FEATHER, 0, 1) * readable
    now, then = (np.maximum(mean(side), 0) + BLACK for side in (current, lit))
    # wide differences are light that was not read yet
    clear = np.asarray(readable & (away > CORE + FEATHER), np.float32)
    then = then * np.exp(_around(np.log(now / then), clear, 2 * WIDE))
    colour = 0.0 if sign < 0 else BRIGHTER * float(np.quantile(now[core > 0], BRIGHTEST))
    to = np.maximum(sign * (colour - then), BLACK)
    told = cv2.GaussianBlur(sign * (now - then), (0, 0), SMOOTHED) / to
    # how much a place says: by how much it would change
    as_a_rule = to / np.quantile(to[core > 0], 0.5)
    says = np.clip((as_a_rule - LEAST_TOLD) / (1 - LEAST_TOLD), 0, 1) ** 2 * (away <= CORE)
    weight = says * np.maximum(told, 0)
    wide = max(float((weight * away**2).sum() / max(float(weight.sum()), 1e-6)), 0.25)
    profile = np.asarray(np.exp(-(away**2) / (2 * wide)), np.float32)
    alpha = np.clip(says * told + (1 - says) * profile * _carried(told, profile, says, core > 0, strand), 0, 1)
    return np.asarray(alpha * near, np.float32), np.asarray(near, np.float32)


def _carried(told: F32, profile: F32, says: F32, core: Mask, strand: NDArray[np.int32]) -> F32:
    """How far (h, w) strands cover at their middles, carried along from where they say it: from as near as enough is said, and
    where nothing near is, from all of the same ``strand`` (the number of the one that is nearest to a place)."""
    said, most = (np.bincount(strand.ravel(), (side * says).ravel()) for side in (told, profile))
    out = (said / np.maximum(most, 1e-6))[strand]
    for sigma in CARRIED:
        seen, might = (cv2.GaussianBlur(np.asarray(side * says, np.float32), (0, 0), sigma) for side in (told, profile))
        enough = ENOUGH * max(float(np.median(might[core])), 1e-6)
        trust = np.minimum(might / enough, 1)
        out = trust * seen / np.maximum(might, 1e-6) + (1 - trust) * out
    return np.asarray(out, np.float32)


def _around(q: F32, weight: F32, sigma: float) -> F32:
    """What is wide in ``q``, read where ``weight`` says."""
    total = cv2.GaussianBlur(np.asarray(q * weight, np.float32), (0, 0), sigma)
    return np.asarray(total / np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-3), np.float32)
