"""Plates cut and prepared for a fix: its grain taken off, its texture mended, its ratio for a lift."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from hushcore.arrays import F32, Mask, Rect, mean, most
from hushcore.bands.split import low_pass
from hushcore.colour.encoding import Encoding
from hushcore.geometry import sampling
from hushcore.grain.lay import degrained_and_left
from hushcore.grain.model import Grain
from hushcore.light.region import BLACK, halved, steepness
from hushcore.light.standing import evened, shown_in, without
from hushcore.patch.change import changed
from hushcore.patch.finish import grained
from hushcore.patch.lift import ratio_of, trust_of
from hushcore.patch.plan import Evidence, Match, Plan
from hushcore.plates.art import Art, blended
from hushcore.plates.plate import Plate

CLIP_AT = 0.95
ART_SEED = 1
STANDS_OUT = 0.25  # log units of change by the retouch
TINT_OVER, CHANGED = 1.0, 0.03  # half-size px; log units of a change that counts


@dataclass(frozen=True)
class Sheet:
    """A plate over the fix's rectangle, linear (h, w, 3).

    ``original``: with the mark, as shot, and at ``half`` size; ``painted``: what replaces it, without grain if that is taken off;
    ``ratio`` and ``trust``: of a lift; ``cover`` (h, w): an insert's alpha;
    ``asleft``: as the artist left it, where that differs from ``painted``; all of it without the ``gleam`` that stands on
    its frame; ``changes`` (h, w): where the retouch changes anything (None: everywhere);
    ``left``: share of the grain's finest variance that is still in ``painted``.
    """

    frame: int
    original: F32
    half: F32
    painted: F32
    ratio: F32 | None = None
    trust: F32 | None = None
    cover: F32 | None = None
    asleft: F32 | None = None
    gleam: F32 | None = None
    changes: Mask | None = None
    left: float = 0.0

    @cached_property
    def tint(self) -> float:
        """Log units by which what the retouch takes away is of another colour: the median over it."""
        apart = low_pass(self._change, TINT_OVER)
        changed = most(np.abs(apart)) > CHANGED
        return float(np.median(most(np.abs(apart - mean(apart)[..., None]))[changed])) if changed.any() else 0.0

    @cached_property
    def marked(self) -> Mask:
        """Where the mark itself is and not its edge, at half size."""
        return np.asarray(most(np.abs(self._change)) > STANDS_OUT)

    @cached_property
    def colour(self) -> float:
        """As ``tint``, of the mark itself."""
        apart = self._change[self.marked]
        return float(np.median(most(np.abs(apart - mean(apart)[..., None])))) if len(apart) else 0.0

    @cached_property
    def steep(self) -> F32:
        """How steep what the retouch takes away is, at half size."""
        return steepness(self._change)

    @cached_property
    def half_painted(self) -> F32:
        """``painted`` at half size."""
        return halved(self.painted)

    @property
    def _change(self) -> F32:
        """Log units (h, w, 3) by which the retouch changes the plate, at half size."""
        original, painted = (np.log(np.maximum(side, 0) + BLACK) for side in (self.half, self.half_painted))
        return np.asarray(painted - original, np.float32)

    def cut(self, local: Rect) -> "Sheet":
        """A part of it; ``local``: px of its own rectangle."""

        def part(side: F32 | None) -> F32 | None:
            return None if side is None else np.ascontiguousarray(side[local.slices])

        original = np.ascontiguousarray(self.original[local.slices])
        return Sheet(
            self.frame, original, halved(original), np.ascontiguousarray(self.painted[local.slices]), part(self.ratio),
            part(self.trust), part(self.cover), part(self.asleft), part(self.gleam),
            None if self.changes is None else self.changes[local.slices], self.left,
        )  # fmt: skip


def prepared(
    plate: Plate, frame: int, rect: Rect, plan: Plan, evidence: Evidence, art: Art | None, white: float,
    gleam: F32 | None = None,
) -> Sheet:  # fmt: skip
    """A plate's sheet over ``rect``. ``gleam``: the highlight (h, w, 3) that stands on the plate's frame there; the sheet
    is without it."""
    original, painted = plate.cut(rect)
    if gleam is not None:
        inside = plan.edge.matte(rect, frame) > 0
        shows = shown_in(painted, gleam, inside)
        original = without(original, gleam)
        held = gleam * np.where(inside, shows, 1)[..., None].astype(np.float32)
        painted = evened(without(painted, held), held)
    encoding, half = plate.encoding, halved(original)
    if plan.source == "insert" and art is not None:
        colour, alpha = art.placed(rect)
        if art.mode == "multiply":  # the frame itself is multiplied: nothing of the plate is needed
            shown = original + alpha[..., None] * (original * colour - original)
            everywhere = np.ones((*alpha.shape, 1), np.float32)
            return Sheet(frame, original, half, original, colour, everywhere, alpha, asleft=shown)
        made = blended(painted, colour, art.mode, encoding)
        return Sheet(
            frame, original, half, made, cover=alpha, asleft=_put_on(painted, made, alpha, plan, evidence, encoding)
        )
    changes = changed(painted, original, evidence.grain, encoding)
    ratio = trust = None
    if plan.source == "lift":
        ratio = ratio_of(painted, original)
        trust = trust_of(ratio, original, CLIP_AT * white, evidence.grain, encoding)
    mended, left = _mended(painted, rect, plate, plan.match, evidence.grain, encoding)
    asleft = painted if mended is not painted else None
    return Sheet(frame, original, half, mended, ratio, trust, None, asleft, gleam, changes, left)


def _put_on(under: F32, made: F32, alpha: F32, plan: Plan, evidence: Evidence, encoding: Encoding) -> F32:
    """What a frame should show of artwork: the artwork itself, with the grain that is laid on it."""
    mixed = np.asarray(under + alpha[..., None] * (made - under), np.float32)
    if evidence.grain is None or plan.match.grain == "off":
        return mixed
    return grained(mixed, alpha, evidence.grain, plan.match.grain_amount, None, ART_SEED, encoding)


def _mended(
    painted: F32, rect: Rect, plate: Plate, match: Match, grain: Grain | None, encoding: Encoding
) -> tuple[F32, float]:
    """The painted picture with its grain off and its texture as asked; and the share of the grain that is left."""
    grainless = match.grain != "keep" and grain is not None
    if not grainless and match.repair is None and match.texture == 1:
        return painted, 0.0
    tonal, left = encoding.tonal_of(painted), 0.0
    if grainless and grain is not None:
        tonal, left = degrained_and_left(tonal, grain)
    if match.texture != 1:
        tone = low_pass(tonal, match.texture_scale)
        tonal = tone + np.float32(match.texture) * (tonal - tone)
    if match.repair is not None:
        tonal = _repaired(tonal, rect, plate, match, encoding)
    return encoding.from_tonal(tonal), left


def _repaired(tonal: F32, rect: Rect, plate: Plate, match: Match, encoding: Encoding) -> F32:
    """Texture below the repair's scale from another place of the plate, in proportion to its amount."""
    repair = match.repair
    assert repair is not None
    dx, dy = repair.offset
    pad = int(3 * repair.scale)
    around = rect.grown(pad)
    whole = encoding.tonal_of(plate.painted)
    x = np.arange(around.left, around.right, dtype=np.float32) + np.float32(dx - plate.rect.left)
    y = np.arange(around.top, around.bottom, dtype=np.float32) + np.float32(dy - plate.rect.top)
    donor = sampling.sampled(whole, *np.meshgrid(x, y))
    texture = (donor - low_pass(donor, repair.scale))[pad:-pad, pad:-pad]
    tone = low_pass(tonal, repair.scale)
    return np.asarray(tone + (1 - repair.amount) * (tonal - tone) + repair.amount * texture, np.float32)
