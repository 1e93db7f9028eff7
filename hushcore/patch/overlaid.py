"""An overlay of a finished film read from the frames alone, without a plate and without a hold.

Between its lines the frames show the picture that it stands on: by how much less that changes over the shot under the lines than
beside them is the share that passes, and what is left is the overlay's own.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Mask, Rect, three
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.geometry.membrane import membrane
from hushcore.grain.model import luma_of
from hushcore.patch.explain import spread
from hushcore.patch.stained import stain_of
from hushcore.patch.standing import LEAST_PLACES, Shape, Stack, cover_against, grown, shape_of, shown_on, standing_in
from hushcore.patch.trusted import trust_in
from hushcore.patch.veil import OUTLINE, PASSES_LEAST, Veil, of_places, share_of

Reader = Callable[[int], Codes]
LOOKS, FEWEST = 48, 8  # frames over the shot
BESIDE = 24  # px round the edge: the picture there says what passes
WIDER, WIDEST = 3, 9  # px by which a cover grows where something is left round it
NEAR, GLOWS = 3, 2.0  # px round the cover; times what is left farther off: it goes on there
GONE = 0.25  # of what stood there, the most that may be left anywhere
AS_BESIDE, MOST_LEFT = 1.2, 0.4  # times what stands beside it by chance, but at most of what stood there
TONAL = 0.2  # times what one over light leaves of its outline, at which a float file's is one over tonal values
SOME, IMPOSSIBLE = 95, 0.02  # percentile of places; by how much they may be darker than black or brighter than white
STRONG = 0.9  # passes at most where errors of coding become stronger
FINE, LINES_SHARE = 2.0, 99.7  # px; percentile of places: thin lines are few of them
STUCK, STUCK_BESIDE = 0.006, 1.4  # of detail that stays in the frame; times what stays by chance beside it
SMOOTH = 0.7  # px over which the picture beside the lines is carried on under them
FAR = 3  # px from the lines: the picture alone
SHARES_MOST = 0.85  # of the picture that passes: with more there is nothing to see
DARKER = 0.9  # times what a bright veil leaves unexplained, at which a place is rather a shadow of it
TOGETHER = 1.5  # px over which places decide that
SAME = 0.06  # of a veil's strength by which a frame's may differ: on others it fades
AGREE = 0.7  # share of the frames on which no outline of it may be left
CLEARLY = 0.5  # times what is left of an outline, at which another way is taken


def overlay_of(
    read: Reader, frames: Sequence[int], edge: Edge, size: tuple[int, int], encoding: Encoding
) -> Veil | None:
    """The veil that stands within ``edge`` (frame px) on ``frames`` of a shot of ``size`` (width, height); None where nothing
    stands there, where the picture behind does not move, where it lets too little through, or where something of it would be
    left. Reads up to ``LOOKS`` frames."""
    rect = edge.rect().grown(BESIDE).clipped(*size)
    chosen = spread(list(frames), LOOKS)
    if len(chosen) < FEWEST or edge.changes or rect.empty:
        return None
    inside: Mask = edge.matte(rect) > 0
    if not inside.any() or inside.all():
        return None
    seen = [np.maximum(encoding.decode(three(read(frame)[rect.slices])), 0) for frame in chosen]
    found = _read(rect, inside, np.stack([encoding.tonal_of(one) for one in seen]), False)
    if encoding.floats_linear:  # it was rather laid over the light that the files hold
        light = _read(rect, inside, np.stack(seen).astype(np.float32), True)
        if light is not None and (found is None or found[1] > TONAL * light[1]):
            found = light
    return None if found is None else found[0]


def _read(rect: Rect, inside: Mask, frames: Stack, linear: bool) -> tuple[Veil, float] | None:
    """A veil over values of ``frames`` (n, h, w, 3), and what it usually leaves of its outline."""
    shown = shown_on(frames, inside)
    veil = _laid_over(rect, inside, frames[shown], linear) if shown.sum() >= FEWEST else None
    if veil is None:
        return None
    there = shown & np.array([abs(veil.strength(one) - 1) <= SAME for one in frames])
    if not np.array_equal(there, shown) and there.sum() >= FEWEST:  # once more without the frames on which it fades
        shown = there
        veil = _laid_over(rect, inside, frames[shown], linear)
        if veil is None:
            return None
    left = np.array([abs(veil.outline(one)) for one in frames[shown]])
    return (veil, float(np.median(left))) if (left <= OUTLINE).mean() >= AGREE else None


def _laid_over(rect: Rect, inside: Mask, frames: Stack, linear: bool) -> Veil | None:
    """A veil as all of the frames show it, and how far it can be trusted; None where something of it would be left."""
    shape = shape_of(frames, inside)
    found = None if shape is None else _fitted(rect, shape, frames, linear)
    veil = None if shape is None or found is None else _as_wide_as_it_goes(found, shape, inside, frames)
    if veil is None or is_impossible(veil):
        return None
    bare = np.stack([veil.evened(veil.bare(one, 1 - veil.passes), one) for one in frames])
    strong = _strong(veil)
    trust = trust_in(bare, strong)
    if trust is not None:
        bare = np.stack([trust.kept(one, strong) for one in bare])
    if is_stuck(bare, veil.passes < 1):
        return None
    return replace(veil, trust=trust, stain=stain_of(bare, veil.passes < 1, linear))


def _as_wide_as_it_goes(found: Veil, shape: Shape, inside: Mask, frames: Stack) -> Veil | None:
    """A veil over all that has its tone, and round that as wide as it goes on; None where much of it would stay. ``found``: as it
    was fitted first, on a ``shape``."""
    cover = cover_against(frames, inside, shape, found.tone_of(shape.core))
    shape = replace(shape, cover=cover | grown(shape.core, 1))
    around = grown(shape.cover, WIDEST + NEAR)
    veil, least = None, max(GONE * shape.level, min(_usual_beside(frames, inside, around), MOST_LEFT * shape.level))
    for wider in range(0, WIDEST + 1, WIDER):
        cover = grown(shape.cover, wider) & (inside | shape.cover)
        made = _fitted(found.rect, replace(shape, cover=cover), frames, found.linear)
        if made is None:
            break
        left = standing_in(np.stack([made.bare(one, 1 - made.passes) for one in frames]), inside)
        most = float(np.percentile(left[around], 95))
        if most < least:
            veil, least = made, most
        if not _goes_on(left, cover, inside):
            break
    return veil


def _strong(veil: Veil) -> Mask:
    """Where so little passes that errors become stronger."""
    return grown(veil.passes < STRONG, 1) & (veil.passes < 1)


def is_impossible(veil: Veil) -> bool:
    """Whether a veil's own light is darker than black or brighter than white can be at some of its places: then it has learned a
    picture that hardly moves."""
    beyond = np.maximum(-veil.tone, 0)
    if not veil.linear:
        beyond += np.maximum(veil.tone - (1 - veil.passes)[..., None], 0)
    return float(np.percentile(beyond.mean(-1)[veil.passes < 1], SOME)) > IMPOSSIBLE


def is_stuck(bare: Stack, cover: Mask) -> bool:
    """Whether fine lines stay in the frame within a ``cover``, which no picture has that moves: what passes is not known well
    there, or coding is coarser than they are."""
    usual = np.median(bare, 0).mean(-1)
    fine = np.abs(usual - cv2.GaussianBlur(usual, (0, 0), FINE))
    beside = ~grown(cover, 2 * NEAR)
    if beside.sum() < LEAST_PLACES:
        return True
    stuck, chance = (float(np.percentile(fine[where], LINES_SHARE)) for where in (cover, beside))
    return stuck > max(STUCK, STUCK_BESIDE * chance)


def _usual_beside(frames: Stack, inside: Mask, around: Mask) -> float:
    """What is found to stand beside a mark, by chance: as much of it may be left."""
    beside = inside & ~around
    return (
        AS_BESIDE * float(np.percentile(standing_in(frames, inside)[beside], 95))
        if beside.sum() > LEAST_PLACES
        else 0.0
    )


def _goes_on(left: F32, cover: Mask, inside: Mask) -> bool:
    """Whether more is left right round a cover than farther off."""
    near, far = (inside & ~cover & side for side in (grown(cover, NEAR), ~grown(cover, 2 * NEAR)))
    if min(near.sum(), far.sum()) < LEAST_PLACES:
        return False
    return bool(np.median(left[near]) > GLOWS * np.median(left[far]))


def _fitted(rect: Rect, shape: Shape, frames: Stack, linear: bool) -> Veil | None:
    """The veil that lies on frames (n, h, w, 3) in a place that is known."""
    on = shape.cover
    under = np.stack([membrane(cv2.GaussianBlur(one, (0, 0), SMOOTH), ~on)[on] for one in frames])
    seen, core = frames[:, on], shape.core[on]
    share = _passes(frames, on, shape.core)
    if not PASSES_LEAST < share < SHARES_MOST:
        return None
    tone = np.median((seen[:, core] - share * under[:, core]) / (1 - share), axis=(0, 1)).astype(np.float32)
    veil, weight = share_of(seen, under, tone)
    passes = _or_shadow(on, 1 - veil, seen, under, weight, tone)
    noise = 1.4826 * float(np.median(np.abs(seen - under - (1 - passes)[None, :, None] * (tone - under))))
    made = [
        _veil_of(rect, on, of_places(seen, under, passes, by, noise, (core, share)), noise, linear)
        for by in (weight, np.ones_like(weight))
    ]  # what does not look like the rest may be wrongly carried on under the lines, or may be what tells best
    left = [float(np.sqrt(np.mean([one.outline(frame) ** 2 for frame in frames]))) for one in made]
    return made[1] if left[1] < CLEARLY * left[0] else made[0]


def _veil_of(rect: Rect, on: Mask, places: tuple[F32, F32], noise: float, linear: bool) -> Veil:
    passes, tone = np.ones(on.shape, np.float32), np.zeros((*on.shape, 3), np.float32)
    passes[on], tone[on] = places
    return Veil(rect, passes, tone, max(noise, 1e-4), linear=linear)


def _passes(frames: Stack, on: Mask, core: Mask) -> float:
    """The share that passes through the full lines: by how much less the picture changes over the shot there than it should, as
    its surroundings say."""
    luma = np.stack([luma_of(one) for one in frames])
    change = np.log(luma.var(0) + 1e-9).astype(np.float32)
    far = cv2.distanceTransform((~on).astype(np.uint8), cv2.DIST_L2, 5) > FAR
    expected = membrane(change[..., None], far)[..., 0]
    return float(np.exp(np.median(change[core] - expected[core]) / 2))


def _or_shadow(on: Mask, passes: F32, seen: Stack, under: Stack, weight: F32, tone: F32) -> F32:
    """What passes (places,) a veil of one tone, or black beside it, whichever explains a place and those round it better."""
    w = weight[..., None]
    dark = np.clip((w * seen * under).sum((0, 2)) / np.maximum((w * under * under).sum((0, 2)), 1e-9), 0, 1)
    left = []
    for share, light in ((passes, tone), (dark, np.zeros(3, np.float32))):
        rest = np.abs(seen - share[None, :, None] * under - (1 - share)[None, :, None] * light).mean((0, 2))
        plane = np.zeros(on.shape, np.float32)
        plane[on] = rest
        left.append(cv2.GaussianBlur(plane, (0, 0), TOGETHER)[on])
    return np.asarray(np.where(left[1] < DARKER * left[0], dark, passes), np.float32)


def taken_off(beneath: F32, cover: F32, veil: Veil, encoding: Encoding) -> F32 | None:
    """A frame's own picture under an overlay, linear (h, w, 3), where ``cover`` (h, w) says that it lies; None where it is not
    there. ``beneath``: the frame over the veil's rectangle, linear."""
    frame = np.maximum(beneath, 0)
    values = np.asarray(frame if veil.linear else encoding.tonal_of(frame), np.float32)
    strength = veil.strength(values)
    if strength <= SAME:
        return None
    there = veil if abs(strength - 1) <= SAME else veil.times(strength)
    bare = there.evened(there.bare(values, 1 - there.passes), values)
    if veil.trust is not None:
        bare += np.float32(min(strength, 1)) * (veil.trust.kept(bare, _strong(veil)) - bare)
    bare = np.where((cover > 0)[..., None], bare, values)
    return np.asarray(bare if veil.linear else encoding.from_tonal(bare), np.float32)
