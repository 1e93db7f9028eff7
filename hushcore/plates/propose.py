"""The first retouch, which nobody painted: the edge drawn in from the loop to the mark, and the mark healed from the
best place beside it, woven or soaked. What it made is judged without truth, and what is not good enough is not proposed."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from hushcore.arrays import F32, F64, Codes, Mask, Rect
from hushcore.bands.split import low_pass
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.fill.make import filled
from hushcore.fill.plan import Fill
from hushcore.geometry.paths import signed_distance
from hushcore.hold.record import Hold
from hushcore.plates.beside import BEYOND, FINE, donors
from hushcore.plates.mark import QUIETED, drawn_in, stands_out, tonal_of, wider
from hushcore.plates.plate import Plate, make_plate
from hushcore.plates.shade import in_its_light, shading
from hushcore.retouch.strokes import Canvas, Donor, Stroke, paint

TRIED = 4  # donors that are laid and judged
FILLS = {"weave": "woven from round it", "soak": "soaked from its rim"}  # what is tried beside them, and its words
FILLED_BY = 0.15  # by which a fill must be judged better than a heal
LARGEST_FILL = 260.0  # px: larger marks are not woven by themselves
LOST_MOST = 0.15  # of the frames
LIT_AROUND = 60  # px round the loop where the light is read
SLIPS = "The surface is lost on too many frames to carry a retouch that nobody has looked at; mend the hold first."
WAYS = (
    "to the right", "below to the right", "below", "below to the left",
    "to the left", "above to the left", "above", "above to the right",
)  # fmt: skip


@dataclass(frozen=True)
class Worth:
    """How much a retouch gives itself away: ``contrast`` of what is left in spreads of the surface, ``seam`` and
    ``texture`` against the surface's own (1 is alike)."""

    contrast: float
    seam: float
    texture: float

    @property
    def cost(self) -> float:
        """Less is better; 0 cannot be told."""
        return self.contrast / 2 + max(0.0, self.seam - 1) + 1.5 * abs(float(np.log(max(self.texture, 1e-3))))

    @property
    def good(self) -> bool:
        """Whether it is worth proposing."""
        return self.contrast < 1.6 and self.seam < 1.6 and 0.6 < self.texture < 1.6


@dataclass(frozen=True)
class Proposal:
    """``outlines``: the mark's own, polygons (n, 2) in still px; ``strokes``: what heals it (none for parts that were
    filled); ``words``: how; ``picture``: the plate with it, linear over the plate's rectangle; ``fills``: the kinds used."""

    outlines: list[F64]
    strokes: list[Stroke]
    worth: Worth
    words: str
    picture: F32
    fills: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Part:
    """One part of the mark retouched: its worth, the picture with it, the stroke that healed it or the fill's kind."""

    worth: Worth
    picture: F32
    stroke: Stroke | None = None
    fill: str = ""


def first_retouch(
    hold: Hold, read: Callable[[int], Codes], loop: F64, encoding: Encoding, skip: Sequence[tuple[int, int]] = (),
    without: Sequence[str] = (),
) -> tuple[Proposal, Plate] | None:  # fmt: skip
    """A proposal for a loop (n, 2) on a hold's anchor frame, and the plate that it is made on; see ``propose``.

    Raises HushError when the hold is lost on too many frames.
    """
    if sum(frame.lost for frame in hold.frames.values()) > LOST_MOST * max(1, len(hold.frames)):
        raise HushError(SLIPS, "not-held")
    plate = make_plate(read(hold.anchor), hold, hold.anchor, [], encoding=encoding)
    shades = shading(plate, hold, read, Rect.around(loop).grown(LIT_AROUND))
    found = propose(plate, loop, skip, shades, without)
    return None if found is None else (found, plate)


def propose(
    plate: Plate,
    loop: F64,
    skip: Sequence[tuple[int, int]] = (),
    shades: F32 | None = None,
    without: Sequence[str] = (),
) -> Proposal | None:
    """A retouch of the mark in a loop (n, 2), still px; donors in ``skip`` and fills in ``without`` are not taken again;
    ``shades``: what ``shading`` says of the light on the plate.

    None when nothing beside it is clean enough, or what was made would give itself away.
    """
    outlines = drawn_in(plate, loop)
    picture, parts = plate.painted.copy(), []
    taboo = _filled(outlines, plate.rect)
    for outline in outlines:
        found = _retouched(replace(plate, painted=picture), outline, outlines, taboo, skip, without)
        if found is None:
            return None
        picture = found.picture
        parts.append(found)
    worst = max((part.worth for part in parts), key=lambda worth: worth.cost)
    if not worst.good:
        return None
    if shades is not None:
        picture = in_its_light(plate, picture, outlines, shades)
    strokes = [part.stroke for part in parts if part.stroke is not None]
    return Proposal(outlines, strokes, worst, _words(parts), picture, tuple(part.fill for part in parts if part.fill))


def _words(parts: Sequence[_Part]) -> str:
    first = parts[0]
    more = f", {len(parts)} places" if len(parts) > 1 else ""
    if first.stroke is None:
        return f"{FILLS[first.fill]}{more}"
    dx, dy = first.stroke.donor.offset
    way = WAYS[int(np.round(np.arctan2(dy, dx) / (np.pi / 4))) % 8]
    return f"healed from {round(float(np.hypot(dx, dy)))} px {way}{more}"


def _retouched(
    plate: Plate, outline: F64, outlines: Sequence[F64], taboo: Mask, skip: Sequence[tuple[int, int]],
    without: Sequence[str],
) -> _Part | None:  # fmt: skip
    """The best retouch of one part: a heal, unless a fill is judged clearly better."""
    best: _Part | None = None
    for offset in donors(plate, outline, taboo, skip)[:TRIED]:
        stroke = _stroke(outline, offset)
        picture = plate.painted.copy()
        paint(Canvas(picture, plate.original, plate.rect, plate.encoding), [stroke])
        worth = judged(plate, picture, outline)
        if best is None or worth.cost < best.worth.cost:
            best = _Part(worth, picture, stroke)
    for kind in FILLS:
        made = None if kind in without else _grown(plate, outline, outlines, kind)
        if made is not None and (best is None or made.worth.cost < best.worth.cost - FILLED_BY):
            best = made
    return best


def _grown(plate: Plate, outline: F64, outlines: Sequence[F64], kind: str) -> _Part | None:
    """One part filled from round about; the others are left out of what it is filled from."""
    if float(np.ptp(outline, axis=0).max()) > LARGEST_FILL:
        return None
    edge = Edge(tuple(Edge.of(wider(one, BEYOND), 0.0, 0.0).outlines[0] for one in outlines), 0.0, 0.0)
    try:
        made = filled(plate.painted, plate.rect, edge, Fill(kind), plate.encoding, 0)
    except HushError:
        return None
    near = Rect.around(wider(outline, BEYOND)).grown(2).within(plate.rect)
    inside = signed_distance(wider(outline, BEYOND), near) > -1
    picture = plate.painted.copy()
    local = near.moved(-plate.rect.left, -plate.rect.top).slices
    picture[local][inside] = made[local][inside]
    return _Part(judged(plate, picture, outline), picture, None, kind)


def _stroke(outline: F64, offset: tuple[int, int]) -> Stroke:
    middle = (outline.min(0) + outline.max(0)) / 2
    radius = float(np.hypot(*(outline - middle).T).max() + BEYOND + 2)
    points = np.array([[*middle, 1.0]])
    whole = Donor((float(offset[0]), float(offset[1])))
    return Stroke("heal", points, min(radius, 400.0), 1.0, pressure="none", donor=whole, within=wider(outline, BEYOND))


def judged(plate: Plate, picture: F32, outline: F64) -> Worth:
    """A retouched picture over the plate's rectangle, judged round one outline."""
    size = float(max(np.ptp(outline, axis=0)))
    rect = Rect.around(outline).grown(int(max(20, 0.4 * size))).within(plate.rect)
    tonal = tonal_of(picture, plate, rect)
    distance = signed_distance(outline, rect)
    inside, around = distance > -BEYOND, (distance < -BEYOND - 4)
    if around.sum() < 60:
        return Worth(9.0, 9.0, 9.0)
    left = stands_out(low_pass(tonal, QUIETED), inside, around, size)
    fine = tonal - low_pass(tonal, FINE)
    rim = np.abs(distance + BEYOND) < 2.5
    usual = float(fine[around].std()) + 1e-5
    steps = np.hypot(*np.gradient(low_pass(tonal, QUIETED).mean(-1)))
    return Worth(
        float(np.median(left[inside]) / max(float(np.median(left[around])), 0.3)) - 0.6,
        float(np.percentile(steps[rim], 80) / (np.percentile(steps[around], 80) + 1e-5)),
        float(fine[inside].std() / usual),
    )


def _filled(outlines: list[F64], rect: Rect) -> Mask:
    """Where the mark is, a little wider, over the plate."""
    out = np.zeros((rect.height, rect.width), bool)
    for outline in outlines:
        near = Rect.around(outline).grown(8).within(rect)
        local = near.moved(-rect.left, -rect.top).slices
        out[local] |= signed_distance(outline, near) > -2
    return out


def finished(codes: Codes, plate: Plate, picture: F32) -> Codes:
    """The plate's frame (its anchor, h, w, c) with a picture laid in where it differs from the plate; all else as it was."""
    out = np.array(codes)
    changed = (picture != plate.original).any(-1)
    part = out[plate.rect.slices]
    part[changed, :3] = plate.encoding.encode(picture, codes.dtype)[changed]
    return out
