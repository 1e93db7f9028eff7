"""Whether a mark that stands in the frame lets the picture through, read over a shot."""

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from hushcore.arrays import F32, Rect, mean
from hushcore.colour.encoding import Encoding
from hushcore.geometry.membrane import membrane
from hushcore.patch.explain import spread
from hushcore.patch.fix import Fix, Reader
from hushcore.patch.lay import under_mark
from hushcore.patch.veil import AS_BESIDE, Veil, fitted

LOOKS, FEWEST = 24, 8  # frames over the shot
GAP = 12  # px of a mark that may not have shown on its own frame
STANDS = 0.5  # of the full lines' share: the mark is there


def veil_of(fix: Fix, frames: Sequence[int], read: Reader) -> Veil | None:
    """The veil of a standing fix, from frames over the shot; None where there are too few, where the edge moves, or where a
    see-through mark does not explain them."""
    if len(frames) < FEWEST:
        return None
    plain = replace(
        fix,
        evidence=replace(fix.evidence, veil=None),
        plan=replace(fix.plan, match=replace(fix.plan.match, grain="off")),
    )
    where: Rect | None = None
    cover: F32 | None = None
    seen: list[F32] = []  # linear
    under: list[F32] = []
    for frame in spread(frames, LOOKS):
        found = under_mark(read(frame), frame, plain)
        if found is None:
            continue
        rect, beneath, made, matte = found
        if where is None or cover is None:
            where, cover = rect, matte
        if rect != where or not np.array_equal(matte, cover):
            return None  # it is not where it was
        seen.append(np.maximum(beneath, 0))
        under.append(np.maximum(made, 0))
    if where is None or cover is None or len(seen) < FEWEST:
        return None
    veil = _fitted(where, cover, seen, under, fix.encoding)
    return None if veil is None else _completed(veil, cover, seen, fix.encoding)


def _completed(veil: Veil, cover: F32, seen: list[F32], encoding: Encoding) -> Veil:
    """With the gaps of the mark, up to twice ``GAP`` px wide, that its own frame did not show, for the surface was as bright
    there: on other frames, in other light, it stands there like the rest."""
    on = (cover > 0).astype(np.uint8)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * GAP + 1,) * 2)
    padded = cv2.copyMakeBorder(on, *(GAP,) * 4, cv2.BORDER_CONSTANT)
    gap = (cv2.morphologyEx(padded, cv2.MORPH_CLOSE, disc)[GAP:-GAP, GAP:-GAP] > 0) & (on == 0)
    if not gap.any():
        return veil
    clear, tone = (on == 0) & ~gap, veil.full_tone
    above, below = np.zeros(cover.shape, np.float32), np.full(cover.shape, 1e-6, np.float32)
    for linear in seen:
        frame = linear if veil.linear else encoding.tonal_of(linear)
        picture = membrane(cv2.GaussianBlur(frame, (0, 0), 1.0), clear)
        above += mean((frame - picture) * (tone - picture))
        below += mean((tone - picture) ** 2)
    share = cv2.GaussianBlur(above / below, (0, 0), 1.0)
    there = gap & (share > STANDS * (1 - veil.share))
    there = cv2.morphologyEx(there.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    return replace(veil, passes=np.where(there, 1 - share, veil.passes).astype(np.float32))


def _fitted(where: Rect, cover: F32, seen: list[F32], under: list[F32], encoding: Encoding) -> Veil | None:
    """A veil from linear frames and pictures: laid over them in tonal values, or in the linear light that a file holds where
    that brings the picture back as it was."""
    if encoding.floats_linear:
        straight = fitted(where, cover, seen, under, linear=True)
        if straight is not None and straight.rough <= AS_BESIDE:
            return straight
    return fitted(where, cover, [encoding.tonal_of(one) for one in seen], [encoding.tonal_of(one) for one in under])
