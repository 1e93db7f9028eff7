"""Whether a mark that stands in the frame lets the picture through, read over a shot."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from hushcore.arrays import F32, Rect
from hushcore.colour.encoding import Encoding
from hushcore.patch.explain import spread
from hushcore.patch.fix import Fix, Reader
from hushcore.patch.lay import under_mark
from hushcore.patch.veil import AS_BESIDE, Veil, fitted

LOOKS, FEWEST = 24, 8  # frames over the shot


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
    return _fitted(where, cover, seen, under, fix.encoding)


def _fitted(where: Rect, cover: F32, seen: list[F32], under: list[F32], encoding: Encoding) -> Veil | None:
    """A veil from linear frames and pictures: laid over them in tonal values, or in the linear light that a file holds where
    that brings the picture back as it was."""
    if encoding.floats_linear:
        straight = fitted(where, cover, seen, under, linear=True)
        if straight is not None and straight.rough <= AS_BESIDE:
            return straight
    return fitted(where, cover, [encoding.tonal_of(one) for one in seen], [encoding.tonal_of(one) for one in under])
