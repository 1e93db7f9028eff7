"""Laying a fix into a frame: relight the plates on the still surface, carry them to the frame, mix them in by the matte.

Light is matched and mixed in scene-linear; grain is laid in tonal values; codes outside the matte are never touched.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from hushcore.arrays import F32, Codes, Rect, three
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.geometry import sampling
from hushcore.grain.steps import Steps, rounding
from hushcore.light.fields import Light
from hushcore.patch.between import carried
from hushcore.patch.candidate import Candidate, candidate
from hushcore.patch.finish import grained, with_grain
from hushcore.patch.fix import LEAST_COVER, Fix, on_frame
from hushcore.patch.look import Seen, look
from hushcore.patch.overlaid import taken_off
from hushcore.patch.own_grain import grain_seed, own_grain
from hushcore.patch.place import Place


@dataclass(frozen=True)
class Laid:
    """A patched frame: codes, the rectangle that was worked on, and the matte (h, w) within it; what was ``seen`` of
    the frame as it was, and the ``light`` of the first plate that was used (None where the fix does not show,
    or lights nothing), and the ``lights`` of all that were, by number."""

    codes: Codes
    rect: Rect
    matte: F32
    seen: Seen | None = None
    light: Light | None = None
    lights: dict[int, Light] = field(default_factory=dict)


def lay(codes: Codes, frame: int, fix: Fix) -> Laid:
    """One fix on one frame. ``codes`` (h, w, c) is not changed. Raises HushError when the frame is not held."""
    if fix.plan.unveils:
        return _unveiled(codes, frame, fix)
    fix = on_frame(fix, frame)
    seen = look(codes, frame, fix)
    if seen is None:
        return Laid(codes, Rect(0, 0, 0, 0), np.zeros((0, 0), np.float32))
    spot, made_of = seen.spot, candidate(seen, codes, frame, fix)
    light = next(iter(made_of.lights.values()), None)
    matte = spot.cover if made_of.cover is None else spot.cover * _plane(made_of.cover, spot)
    if not (matte > LEAST_COVER).any():
        return Laid(codes, spot.target, np.zeros_like(matte), seen, light)
    own = None if made_of.scale is None else sampling.sampled(made_of.scale, spot.map_x, spot.map_y)
    beneath = fix.encoding.decode(three(codes[spot.target.slices]))
    made, whole = _made(made_of, own, beneath, spot, fix)
    mixed = np.asarray(beneath + matte[..., None] * (made - beneath), np.float32)
    kept = None if own is None else np.clip(own, 0, 1)
    if made_of.least is not None and kept is not None:
        least = sampling.sampled(made_of.least, spot.map_x, spot.map_y)
        mixed = _left(mixed, beneath, least)
        kept = np.where(least > 0, np.sqrt(kept), kept)  # tonal values are about the root of light
    grain, smoothly = fix.evidence.grain, False
    if grain is not None and made_of.grain > 0 and not whole:
        noise = own_grain(codes, frame, seen, made_of, fix)
        if noise is not None:
            # it has been rounded once, and would be roughened
            mixed, smoothly = with_grain(mixed, matte, noise, fix.encoding), True
        else:
            less = grain.less(rounding(fix.evidence.steps, fix.encoding))
            mixed = grained(mixed, matte, less, made_of.grain, kept, grain_seed(fix, frame), fix.encoding)
    laid = _written(codes, spot.target, mixed, matte, fix.encoding, fix.evidence.steps, smoothly)
    return Laid(laid, spot.target, matte, seen, light, made_of.lights)


def _unveiled(codes: Codes, frame: int, fix: Fix) -> Laid:
    """A frame whose own picture is given back under a see-through mark; as it is where that has faded away."""
    veil = fix.evidence.veil
    assert veil is not None
    cover = np.asarray((veil.passes < 1) & (fix.plan.edge.matte(veil.rect, frame) > 0), np.float32)
    beneath = fix.encoding.decode(three(codes[veil.rect.slices]))
    bare = taken_off(beneath, cover, veil, fix.encoding)
    if bare is None:
        return Laid(codes, veil.rect, np.zeros_like(cover))
    laid = _written(codes, veil.rect, bare, cover, fix.encoding, fix.evidence.steps, smoothly=True)
    return Laid(laid, veil.rect, cover)


def _made(made_of: Candidate, own: F32 | None, beneath: F32, spot: Place, fix: Fix) -> tuple[F32, bool]:
    """The patch in the frame, linear, and whether it is the frame's own picture, with its grain; ``own``: of the frame's
    picture ``beneath``."""
    made = sampling.sampled(made_of.added, spot.map_x, spot.map_y)
    if own is not None:
        return np.asarray(made + own * beneath, np.float32), False
    if not fix.plan.stands:
        return made, False
    veil = fix.evidence.veil
    if veil is None or not fix.plan.shows_through or fix.plan.match.veil == "off" or veil.rect != spot.target:
        return carried(beneath, made, spot.cover, fix.encoding), False
    whole = veil.whole(beneath, spot.cover, fix.encoding)
    if whole is not None:
        return whole, True
    return veil.lifted(beneath, carried(beneath, made, spot.cover, fix.encoding), spot.cover, fix.encoding), False


def _left(mixed: F32, beneath: F32, least: F32) -> F32:
    """A patched picture that is nowhere darker than the share that is left at ``least`` of the frame's own ``beneath``."""
    bound = np.where(beneath > 0, np.clip(least, 0, 1) * beneath, beneath)
    return np.asarray(np.where(least > 0, np.maximum(mixed, bound), mixed), np.float32)


def under_mark(codes: Codes, frame: int, fix: Fix) -> tuple[Rect, F32, F32, F32] | None:
    """A frame where a mark lies, what is laid there, both linear (h, w, 3), and the matte (h, w), over a rectangle of the
    frame; None where the fix does not show."""
    fix = on_frame(fix, frame)
    seen = look(codes, frame, fix)
    if seen is None:
        return None
    beneath = fix.encoding.decode(three(codes[seen.spot.target.slices]))
    made, _ = _made(candidate(seen, codes, frame, fix), None, beneath, seen.spot, fix)
    return seen.spot.target, beneath, made, seen.spot.cover


def _plane(values: F32, spot: Place) -> F32:
    out = np.empty(spot.map_x.shape, np.float32)
    sampling.bilinear(np.ascontiguousarray(values, np.float32), spot.map_x, spot.map_y, out)
    return out


def mix(codes: Codes, target: Rect, patch: F32, matte: F32, encoding: Encoding = SRGB) -> Codes:
    """A copy of ``codes`` with the linear ``patch`` mixed into ``target`` where the matte covers."""
    base = encoding.decode(three(codes[target.slices]))
    return _written(codes, target, base + matte[..., None] * (patch - base), matte, encoding)


def _written(
    codes: Codes,
    target: Rect,
    mixed: F32,
    matte: F32,
    encoding: Encoding,
    steps: Steps | None = None,
    smoothly: bool = False,
) -> Codes:
    """A copy of ``codes`` with the linear picture ``mixed`` in ``target`` where the matte covers, on the luma's own ``steps``
    (``smoothly``: see ``Steps.kept``)."""
    out = codes.copy()
    inside = matte > LEAST_COVER
    if not inside.any():
        return out
    colour = out[target.slices][..., :3]
    laid = encoding.encode(mixed, codes.dtype)
    if colour.shape[2] < 3:
        luma = np.asarray(laid, np.float64) @ np.array([0.2126, 0.7152, 0.0722])
        laid = np.asarray(luma if laid.dtype.kind == "f" else np.rint(luma), laid.dtype)[..., None]
    if steps is not None and laid.shape == colour.shape and laid.dtype.kind == "u":
        laid = steps.kept(colour, laid, smoothly)
    np.copyto(colour, laid, where=inside[..., None])
    return out


def lay_all(codes: Codes, frame: int, fixes: Sequence[Fix]) -> tuple[Codes, list[Laid]]:
    """A stack of fixes in order; each sees the result of those before it."""
    laid = []
    for fix in fixes:
        result = lay(codes, frame, fix)
        codes = result.codes
        laid.append(result)
    return codes, laid
