"""The first retouch, which nobody painted: the edge drawn in from the loop to the mark, and the mark healed from the
best place beside it. What it made is judged without truth, and what is not good enough is not proposed."""

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Mask, Rect, padded_cut
from hushcore.bands.split import low_pass
from hushcore.errors import HushError
from hushcore.geometry.membrane import membrane
from hushcore.geometry.paths import signed_distance
from hushcore.hold.record import Hold
from hushcore.plates.plate import Plate, still_picture
from hushcore.retouch.strokes import Canvas, Donor, Stroke, paint

SPREAD = 1.4826  # of a median deviation to a standard deviation (normal distribution)
QUIETED = 1.2  # px: grain is blurred away before the mark is looked for
STANDS_OUT = 3.5  # spreads of the surface round it
RARE = 99.0  # percentile of the surface itself that is no mark
FEW_POINTS = 0.01  # of its size that an outline may be off for it
GROWN = 4.0  # px beyond what differs
BEYOND = 6.0  # px more that are healed, so that the rim is the surface's own
LEAST_SHARE, MOST_SHARE = 0.01, 0.85  # of the loop; outside them the loop is the mark
MOST_PARTS = 4
ANGLES = 24
FARTHER = (1.0, 1.2, 1.5, 2.0, 2.7)  # of the way at which a donor is free of the mark
FARTHEST = 420.0  # px
COLOUR_COSTS = 30.0  # of a chromaticity that is 1 away in all
FAR_COSTS = 0.12  # of a donor one size of the mark away
TRIED = 4  # donors that are laid and judged
FINE = 2.0  # px: texture is finer
SHADE_SCALE = 5.0  # px (sigma): light is wider than that
SHADE_MOST = 0.9  # natural log
SHADED_BY, SHADED_LEAST = 13, 4  # frames that say what light is usual
DARK = 0.003  # linear
LOST_MOST = 0.15  # of the frames
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
    """``outlines``: the mark's own, polygons (n, 2) in still px; ``strokes``: what heals it; ``words``: how; ``picture``:
    the plate with it, linear over the plate's rectangle."""

    outlines: list[F64]
    strokes: list[Stroke]
    worth: Worth
    words: str
    picture: F32


def propose(
    plate: Plate, loop: F64, skip: Sequence[tuple[int, int]] = (), shades: F32 | None = None
) -> Proposal | None:
    """A retouch of the mark in a loop (n, 2), still px; donors in ``skip`` are not taken again; ``shades``: what ``shading``
    says of the light on the plate.

    None when nothing beside it is clean enough, or what was made would give itself away.
    """
    outlines = drawn_in(plate, loop)
    picture, strokes, worths = plate.painted.copy(), [], []
    taboo = _filled(outlines, plate.rect)
    for outline in outlines:
        found = _healed(replace(plate, painted=picture), outline, taboo, skip)
        if found is None:
            return None
        stroke, worth, picture = found
        strokes.append(stroke)
        worths.append(worth)
    worst = max(worths, key=lambda worth: worth.cost)
    if not worst.good:
        return None
    if shades is not None:
        picture = in_its_light(plate, picture, outlines, shades)
    return Proposal(outlines, strokes, worst, _words(strokes), picture)


def _words(strokes: list[Stroke]) -> str:
    dx, dy = strokes[0].donor.offset
    way = WAYS[int(np.round(np.arctan2(dy, dx) / (np.pi / 4))) % 8]
    more = f", {len(strokes)} places" if len(strokes) > 1 else ""
    return f"healed from {round(float(np.hypot(dx, dy)))} px {way}{more}"


def drawn_in(plate: Plate, loop: F64) -> list[F64]:
    """The outlines of what differs from the surface round it, inside a loop; the loop itself where nothing clearly does.

    What the surface would be is carried in from outside the loop (a membrane); its own spread there says what differs.
    """
    size = float(max(np.ptp(loop, axis=0)))
    margin = int(max(16, 0.5 * size))
    rect = Rect.around(loop).grown(margin).within(plate.rect)
    tonal = low_pass(_tonal(plate.painted, plate, rect), QUIETED)
    distance = signed_distance(loop, rect)
    inside, around = distance > 0, (distance < -2) & (distance > -margin)
    if inside.sum() < 30 or around.sum() < 60:
        return [loop]
    score = _stands_out(tonal, inside, around, size)
    limit = max(STANDS_OUT, float(np.percentile(score[around], RARE)))
    mark = ((score > limit) & inside).astype(np.uint8)
    near = int(max(2, 0.05 * size))
    mark = cv2.morphologyEx(mark, cv2.MORPH_CLOSE, _disc(near))
    mark = cv2.morphologyEx(mark, cv2.MORPH_OPEN, _disc(1))
    parts = _parts(mark, inside)
    share = sum(part.sum() for part in parts) / inside.sum()
    if not LEAST_SHARE < share < MOST_SHARE:
        return [loop]
    return [_outline(part, distance, rect) for part in parts]


def _stands_out(tonal: F32, inside: Mask, around: Mask, size: float) -> F32:
    """How far each place is from what the surface would be there, in spreads of the surface."""
    outside = ~inside
    weight = outside.astype(np.float32)

    def mean_of_outside(sigma: float) -> F32:
        total = np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-4)[..., None]
        return np.asarray(cv2.GaussianBlur(tonal * weight[..., None], (0, 0), sigma) / total, np.float32)

    smooth = mean_of_outside(max(3.0, size / 16))
    expected = np.where(inside[..., None], membrane(smooth, outside), smooth)
    apart = tonal - expected
    spread = SPREAD * np.median(np.abs(apart[around]), axis=0) + 1e-4
    return np.asarray(np.abs(apart / spread).max(-1), np.float32)


def _parts(mark: Mask, inside: Mask) -> list[Mask]:
    """The largest connected parts, holes filled."""
    lines, _ = cv2.findContours(mark, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    parts = []
    for line in lines:
        part = np.zeros(mark.shape, np.uint8)
        cv2.drawContours(part, [line], -1, 1, cv2.FILLED)
        parts.append(part.astype(bool) & inside)
    parts = [part for part in parts if part.sum() >= 12]
    parts.sort(key=lambda part: -int(part.sum()))
    return [part for part in parts[:MOST_PARTS] if part.sum() > 0.03 * parts[0].sum()]


def _outline(part: Mask, distance: F32, rect: Rect) -> F64:
    """A part grown, kept in the loop, as a polygon."""
    grown = cv2.dilate(part.astype(np.uint8), _disc(int(GROWN))) * (distance > 0)
    lines, _ = cv2.findContours(grown.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = max(lines, key=cv2.contourArea)
    about = max(1.0, FEW_POINTS * float(np.ptp(line[:, 0], axis=0).max()))  # points that a hand can still move
    simple = cv2.approxPolyDP(line, about, True)[:, 0, :].astype(float)
    return np.asarray(simple + np.array([rect.left, rect.top]), float)


def _healed(
    plate: Plate, outline: F64, taboo: Mask, skip: Sequence[tuple[int, int]]
) -> tuple[Stroke, Worth, F32] | None:
    """The best heal of one part: its stroke, its worth, the picture with it."""
    best: tuple[Stroke, Worth, F32] | None = None
    for offset in _donors(plate, outline, taboo, skip)[:TRIED]:
        stroke = _stroke(outline, offset)
        picture = plate.painted.copy()
        paint(Canvas(picture, plate.original, plate.rect, plate.encoding), [stroke])
        worth = judged(plate, picture, outline)
        if best is None or worth.cost < best[1].cost:
            best = stroke, worth, picture
    return best


def _stroke(outline: F64, offset: tuple[int, int]) -> Stroke:
    middle = (outline.min(0) + outline.max(0)) / 2
    radius = float(np.hypot(*(outline - middle).T).max() + BEYOND + 2)
    points = np.array([[*middle, 1.0]])
    whole = Donor((float(offset[0]), float(offset[1])))
    return Stroke("heal", points, min(radius, 400.0), 1.0, pressure="none", donor=whole, within=_wider(outline, BEYOND))


def _wider(outline: F64, by: float) -> F64:
    """An outline grown by some px."""
    rect = Rect.around(outline).grown(int(by) + 3)
    filled = (signed_distance(outline, rect) > -by).astype(np.uint8)
    lines, _ = cv2.findContours(filled, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = cv2.approxPolyDP(max(lines, key=cv2.contourArea), 0.7, True)[:, 0, :]
    return np.asarray(line + np.array([rect.left, rect.top]), float)


def _donors(plate: Plate, outline: F64, taboo: Mask, skip: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Whole offsets at which the surface looks most like the surface round a part, the best first."""
    wide = _wider(outline, BEYOND)
    rect = Rect.around(wide).grown(10)
    distance = signed_distance(wide, rect)
    own = _tonal(plate.painted, plate, rect)
    body, rim = distance > -2, (distance <= -1) & (distance > -8)
    fine = own - low_pass(own, FINE)
    usual = float(fine[rim].std()) + 1e-5
    size = float(max(np.ptp(wide, axis=0)))
    found: list[tuple[float, tuple[int, int]]] = []
    for angle in np.arange(ANGLES) * 2 * np.pi / ANGLES:
        way = np.array([np.cos(angle), np.sin(angle)])
        free = _free(plate, rect, body, taboo, way, size)
        for times in FARTHER if free else ():
            dx, dy = (int(v) for v in np.round(way * free * times))
            if float(np.hypot(dx, dy)) > FARTHEST or any(np.hypot(dx - x, dy - y) < 0.3 * size for x, y in skip):
                continue
            moved = rect.moved(dx, dy)
            if not _holds(plate.rect, moved) or _covers(plate, taboo, body, moved):
                continue
            cost = _unlike(own, _tonal(plate.painted, plate, moved), body, rim, usual)
            found.append((cost + FAR_COSTS * float(np.hypot(dx, dy)) / size, (dx, dy)))
    return [offset for _, offset in sorted(found)]


def _unlike(own: F32, donor: F32, body: Mask, rim: Mask, usual: float) -> float:
    """How badly a donor suits: its rim against the rim here beyond an even slope of tone, what else is in it, its texture,
    its colour. Another colour is another material, however well its tone could be brought round."""
    rest = own[rim] - donor[rim]
    rows, cols = np.nonzero(rim)
    sloped = np.stack([np.ones(len(rows)), rows, cols], -1)
    rest = rest - sloped @ np.linalg.lstsq(sloped, rest, rcond=None)[0]
    fine = donor - low_pass(donor, FINE)
    middle = low_pass(donor, FINE) - low_pass(donor, 4 * FINE)
    round_it = low_pass(own, FINE) - low_pass(own, 4 * FINE)
    busy = float(middle[body].std()) / (float(round_it[rim].std()) + usual / 4 + 1e-5)
    alike = abs(float(np.log((fine[body].std() + 1e-5) / usual)))
    rough = float(np.sqrt((rest**2).mean())) / usual
    return rough + 1.5 * max(0.0, busy - 1) + 2 * alike + COLOUR_COSTS * _other_colour(own[rim], donor[body])


def _other_colour(own: F32, donor: F32) -> float:
    """Distance of two mean colours once both are as bright: of chromaticities, which light and shade leave alone."""
    a, b = (np.maximum(side.mean(0), 1e-3) for side in (own, donor))
    return float(np.abs(a / a.sum() - b / b.sum()).sum())


def _free(plate: Plate, rect: Rect, body: Mask, taboo: Mask, way: F64, size: float) -> float:
    """How far along a way the donor is clear of the mark; 0 when it never is."""
    for far in np.linspace(0.3 * size, 2.5 * size, 23):
        dx, dy = (int(v) for v in np.round(way * far))
        if not _covers(plate, taboo, body, rect.moved(dx, dy)):
            return float(far) + 1
    return 0.0


def _covers(plate: Plate, taboo: Mask, body: Mask, moved: Rect) -> bool:
    local = moved.moved(-plate.rect.left, -plate.rect.top)
    part = padded_cut(taboo[..., None].astype(np.uint8), local)[..., 0]
    return bool((part.astype(bool) & body).any())


def judged(plate: Plate, picture: F32, outline: F64) -> Worth:
    """A retouched picture over the plate's rectangle, judged round one outline."""
    size = float(max(np.ptp(outline, axis=0)))
    rect = Rect.around(outline).grown(int(max(20, 0.4 * size))).within(plate.rect)
    tonal = _tonal(picture, plate, rect)
    distance = signed_distance(outline, rect)
    inside, around = distance > -BEYOND, (distance < -BEYOND - 4)
    if around.sum() < 60:
        return Worth(9.0, 9.0, 9.0)
    left = _stands_out(low_pass(tonal, QUIETED), inside, around, size)
    fine = tonal - low_pass(tonal, FINE)
    rim = np.abs(distance + BEYOND) < 2.5
    usual = float(fine[around].std()) + 1e-5
    steps = np.hypot(*np.gradient(low_pass(tonal, QUIETED).mean(-1)))
    return Worth(
        float(np.median(left[inside]) / max(float(np.median(left[around])), 0.3)) - 0.6,
        float(np.percentile(steps[rim], 80) / (np.percentile(steps[around], 80) + 1e-5)),
        float(fine[inside].std() / usual),
    )


def _tonal(picture: F32, plate: Plate, rect: Rect) -> F32:
    part = padded_cut(picture, rect.moved(-plate.rect.left, -plate.rect.top))
    return np.asarray(plate.encoding.tonal_of(np.maximum(part, 0)), np.float32)


def _filled(outlines: list[F64], rect: Rect) -> Mask:
    """Where the mark is, a little wider, over the plate."""
    out = np.zeros((rect.height, rect.width), bool)
    for outline in outlines:
        near = Rect.around(outline).grown(8).within(rect)
        local = near.moved(-rect.left, -rect.top).slices
        out[local] |= signed_distance(outline, near) > -2
    return out


def _holds(whole: Rect, part: Rect) -> bool:
    inside = part.within(whole)
    return (inside.width, inside.height) == (part.width, part.height)


def _disc(radius: int) -> F32:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)))


def in_its_light(plate: Plate, picture: F32, outlines: Sequence[F64], shades: F32) -> F32:
    """A healed picture with the plate's own shading put back, which a heal smooths away; ``shades`` as ``shading`` gives
    them. Without it, folds that lie on the mark in the plate's frame would come out as glows in all others."""
    made = picture.copy()
    for outline in outlines:
        rect = Rect.around(outline).grown(int(BEYOND) + 24).within(plate.rect)
        local = rect.moved(-plate.rect.left, -plate.rect.top).slices
        distance = signed_distance(outline, rect)
        inside = distance > -BEYOND
        apart = shades[local][..., None]
        rest = np.clip(apart - membrane(np.ascontiguousarray(apart), ~inside), -SHADE_MOST, SHADE_MOST)
        made[local] *= np.where(inside[..., None], np.exp(-rest), 1).astype(np.float32)
    return made


def shading(plate: Plate, hold: Hold, read: Callable[[int], Codes], area: Rect) -> F32 | None:
    """How much more light most frames have than the plate's, natural log (h, w) over the plate, zero outside ``area``.

    The mark's colour is in both and cancels. None when too few frames are held.
    """
    held = sorted(n for n, frame in hold.frames.items() if not frame.lost)
    frames = [held[k] for k in np.unique(np.linspace(0, len(held) - 1, SHADED_BY).astype(int))] if held else []
    rect = area.within(plate.rect)

    def level(linear: F32) -> F32:
        return np.asarray(np.log(np.maximum(low_pass(linear, SHADE_SCALE), 0).mean(-1) + DARK), np.float32)

    own = level(padded_cut(plate.original, rect.moved(-plate.rect.left, -plate.rect.top)))
    found = []
    for number in frames:
        with suppress(HushError):  # a frame that does not show it says nothing
            found.append(level(still_picture(read(number), hold, number, rect, plate.encoding)) - own)
    if len(found) < SHADED_LEAST:
        return None
    out = np.zeros(plate.original.shape[:2], np.float32)
    out[rect.moved(-plate.rect.left, -plate.rect.top).slices] = np.median(found, axis=0)
    return out


def finished(codes: Codes, plate: Plate, picture: F32) -> Codes:
    """The plate's frame (its anchor, h, w, c) with a picture laid in where it differs from the plate; all else as it was."""
    out = np.array(codes)
    changed = (picture != plate.original).any(-1)
    part = out[plate.rect.slices]
    part[changed, :3] = plate.encoding.encode(picture, codes.dtype)[changed]
    return out


def trusted(hold: Hold) -> bool:
    """Whether a hold carries a patch that nobody has looked at: hardly any of its frames are lost."""
    frames = hold.frames.values()
    return sum(frame.lost for frame in frames) <= LOST_MOST * max(1, len(frames))
