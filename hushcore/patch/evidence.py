"""What a shot says about itself: its light, its grain, its shutter; looked at once, on a few frames over its length."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Mask, Rect
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.grain.measure import measure, residual
from hushcore.grain.model import Grain, luma_of
from hushcore.grain.steps import steps_of
from hushcore.hold.confidence import CELL
from hushcore.hold.maps import dense_forward, dense_inverse
from hushcore.hold.record import Hold
from hushcore.light import evidence as lights
from hushcore.light.region import CLIP_AT, Pair, Region, full, halved
from hushcore.light.standing import found
from hushcore.patch.choose import settled
from hushcore.patch.motion import apart, blur_between, blurred
from hushcore.patch.place import outside_of
from hushcore.patch.plan import SHUTTER, Choice, Evidence, Plan
from hushcore.plates.plate import Plate, make_plate, sample_linear, still_picture

Reader = Callable[[int], Codes]
MARGIN = 28  # px round the matte
ALIKE, ALIKE_LIT = 1.15, 2.0  # times the least miss, in the same light and in another
OTHER_LIGHT = 0.03  # tonal luma that makes one
GRAIN_LOOKS = 6  # frames that are looked at for grain
GROUND_LEAST, USED = 6000, 5  # px of a frame; of nine: cells of the ground that the hold has used
BESIDE_LEAST = 1500  # px of that beside the mark
MARK_GROWTH, MARK_FALL = 3.0, 4.0  # px round its loop that may still be the mark
MOTION_SHARE = 0.25  # px of possible miss for each px of motion: it is blurred, and blur changes
GRAIN_MARGIN, GRAIN_SIDE = 40, 180  # px round the mark, and the least that is looked at
DRIFT_MOST = 1.5  # times the least drift: grain is measured where the hold is good
FAST = 4.0  # px a frame, of motion that the anchor frame does not have: less says nothing of the shutter
SHUTTERS = np.arange(0.1, 1.4, 0.2)  # shares of a frame that are tried: more than one is no shutter but softness
SURE_SHARE = 0.015  # of the motion, by which a frame may be off that asks for more than half a frame
FASTEST, TELL, AGREE = 3, 2, 0.25  # frames that are asked, that must tell, and by how much what they say may differ
STANDING_MARGIN = 60  # px round the mark, of the surface that shows what highlights stand in the frame
BAND = 1.2, 4.0  # px: detail that a shutter smears


def gather(
    read: Reader, hold: Hold, edge: Edge, encoding: Encoding, plan: Plan | None = None,
    plates: Sequence[tuple[int, Plate]] = (), kept: Choice | None = None,
) -> Evidence:  # fmt: skip
    """Look at a held shot, its anchor frame against others over its length, and choose by what is seen (``choose``).

    ``plan``, ``plates`` (frame and plate each): of the fix that it is for; without them the anchor frame itself tells;
    ``kept``: a choice that was made before.
    A shot that does not tell gives the plain evidence for that part; raises nothing but what reading frames does.
    """
    made = plan or Plan(edge)
    if made.unveils:
        return settled_by(of_steps(read, hold), read, hold, made, plates, encoding, kept)
    return settled_by(observed(read, hold, edge, encoding, made.stands), read, hold, made, plates, encoding, kept)


def settled_by(
    said: Evidence,
    read: Reader,
    hold: Hold,
    plan: Plan,
    plates: Sequence[tuple[int, Plate]],
    encoding: Encoding,
    kept: Choice | None = None,
) -> Evidence:
    """What was ``observed``, with what is chosen from it for a fix."""
    if not plates and not plan.unveils:
        plates = [(hold.anchor, make_plate(read(hold.anchor), hold, hold.anchor, [], None, encoding))]
    return settled(said, hold, plan, plates, read, encoding, kept)


def of_steps(read: Reader, hold: Hold) -> Evidence:
    """All that must be known of a shot of which nothing is laid but its own pictures."""
    return Evidence(steps=steps_of(read(hold.anchor)))


def observed(read: Reader, hold: Hold, edge: Edge, encoding: Encoding, stands: bool = False) -> Evidence:
    """What a held shot says, before anything is chosen from it: a standing highlight is only a candidate. ``stands``: the mark
    does so in the frame."""
    held = [n for n in sorted(hold.frames) if not hold.frames[n].lost]
    if not held:
        return Evidence()
    mark = edge.rect_at(hold.anchor)
    mark = edge.rect() if mark.empty else mark
    rect = mark.grown(MARGIN)
    original = still_picture(read(hold.anchor), hold, hold.anchor, rect, encoding)
    outside = outside_of(edge.matte(rect, hold.anchor))
    looks = [
        _sample(read, hold, n, rect, original, outside, encoding)
        for n in lights.spread(held) if abs(n - hold.anchor) > 1
    ]  # fmt: skip
    grain = _grain(read, hold, held, edge, stands, rect, encoding)
    shutter = _shutter(read, hold, held, rect, original, outside, grain, encoding)
    wide = hold.grid.rect.within(mark.grown(STANDING_MARGIN)) if hold.grid else mark.grown(STANDING_MARGIN)
    wide = wide.clipped(*hold.size)
    standing = None
    if not wide.empty:  # the hold may know nothing of where the edge is
        standing = found(read, hold, edge.matte(wide, hold.anchor), wide, held, encoding)
    return Evidence(lights.multiplies(looks), grain, shutter, standing, steps=steps_of(read(hold.anchor)))


def _seen(
    read: Reader, hold: Hold, frame: int, rect: Rect, outside: F32, encoding: Encoding
) -> tuple[F32, Region] | None:
    codes = read(frame)
    map_x, map_y = dense_forward(hold.at(frame), rect)
    height, width = codes.shape[:2]
    usable = (map_x >= 0) & (map_y >= 0) & (map_x <= width - 1) & (map_y <= height - 1)
    if usable.mean() < 0.5:
        return None
    region = Region.around(outside, usable.astype(np.float32), CLIP_AT * encoding.white(codes.dtype))
    return sample_linear(codes, map_x, map_y, encoding), region


def _sample(
    read: Reader, hold: Hold, frame: int, rect: Rect, original: F32, outside: F32, encoding: Encoding
) -> lights.Sample | None:
    seen = _seen(read, hold, frame, rect, outside, encoding)
    return None if seen is None else lights.sample(Pair.of(halved(seen[0]), halved(original), seen[1]))


def _grain(
    read: Reader, hold: Hold, held: Sequence[int], edge: Edge, stands: bool, rect: Rect, encoding: Encoding
) -> Grain | None:
    """From frames where the hold is best and the surface slowest, over the shot: those of them on which the neighbours miss
    by least, for what they miss beside grain is texture that was blurred or bent otherwise."""
    share = max(1, len(held) // GRAIN_LOOKS)
    chosen = [min(held[k : k + share], key=lambda n: _unsteady(hold, n, rect)) for k in range(0, len(held), share)]
    mark = replace(edge, growth=MARK_GROWTH, softness=MARK_FALL)
    parts: list[tuple[tuple[F32, F32], Mask]] = []
    for frame in chosen[:GRAIN_LOOKS]:
        at = hold.at(frame).forward(rect.corners)
        grow = max(0, int(GRAIN_SIDE - np.ptp(at, axis=0).min()) // 2)
        place = Rect.around(at).grown(grow).clipped(*hold.size)
        if min(place.width, place.height) < 48:
            continue
        try:
            part = residual(read, hold, frame, place, encoding)
        except HushError:
            continue  # no neighbour of this frame is held: the others tell
        parts.append((part, _read_on(hold, mark, stands, frame, place)))
    least = _least(parts)
    return measure([part for part, _ in least], [on for _, on in least]) if least else None


def _least(parts: Sequence[tuple[tuple[F32, F32], Mask]]) -> list[tuple[tuple[F32, F32], Mask]]:
    """Of looks, those that are missed by little; in another light, where grain may be stronger, by more."""
    found: list[tuple[tuple[F32, F32], Mask]] = []
    levels: list[float] = []
    for part in sorted(parts, key=_miss):
        (_, mean), on = part
        level = float(np.median(luma_of(mean)[on]))
        known = any(abs(level - other) < OTHER_LIGHT for other in levels)
        if not found or _miss(part) <= (ALIKE if known else ALIKE_LIT) * _miss(found[0]):
            found.append(part)
            levels.append(level)
    return found


def _miss(part: tuple[tuple[F32, F32], Mask]) -> float:
    """By how much the neighbours miss a frame where it is read: green's median."""
    return float(np.median(np.abs(part[0][0][part[1]][:, 1])))


def _read_on(hold: Hold, mark: Edge, stands: bool, frame: int, place: Rect) -> Mask:
    """Where of a place grain is read: the ground beside the mark, whose own colours and edges are no grain of the surface;
    with the mark where that is little, or anywhere."""
    ground, beside = _on_ground(hold, frame, place), ~_on_mark(hold, mark, stands, frame, place)
    for choice, least in ((ground & beside, BESIDE_LEAST), (ground, GROUND_LEAST), (beside, GROUND_LEAST)):
        if choice.sum() >= least:
            return np.asarray(choice)
    return np.ones_like(ground)


def _on_mark(hold: Hold, mark: Edge, stands: bool, frame: int, place: Rect) -> Mask:
    """Where the frame's ``place`` shows the mark."""
    rect = mark.rect()
    if stands:
        x, y = np.meshgrid(
            *(np.arange(a, b, dtype=np.float32) for a, b in ((place.left, place.right), (place.top, place.bottom)))
        )
    else:
        x, y = dense_inverse(hold.at(frame), place)
    shown = cv2.remap(
        mark.matte(rect, frame), x - np.float32(rect.left), y - np.float32(rect.top), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT, borderValue=0,
    )  # fmt: skip
    return np.asarray(shown > 0)


def _on_ground(hold: Hold, frame: int, place: Rect) -> Mask:
    """Where the frame's ``place`` shows ground that the hold has used: beyond it the neighbours lie anyhow."""
    row = hold.frames.get(frame)
    if row is None or row.cells is None:
        return np.ones((place.height, place.width), bool)
    used = ((row.cells <= 9) & (row.cells >= USED)).astype(np.uint8)
    x, y = dense_inverse(hold.at(frame), place)
    x, y = (np.floor((side - np.float32(low)) / CELL) for side, low in zip((x, y), hold.corner, strict=True))
    found = cv2.remap(
        used, np.float32(x), np.float32(y), cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT, borderValue=0
    )
    return np.asarray(found > 0)


def _unsteady(hold: Hold, frame: int, rect: Rect) -> float:
    """Px by which a frame's neighbours may miss it: the hold's drift, and a share of the motion."""
    near = [n for n in (frame - 1, frame + 1) if hold.has(n)]
    ends = [hold.at(n).forward(rect.corners.mean(0, keepdims=True)) for n in (frame, *near)]
    went = max((float(np.hypot(*(end - ends[0])[0])) for end in ends[1:]), default=0.0)
    return float(hold.frames[frame].drift_rms + MOTION_SHARE * went)


def _shutter(
    read: Reader, hold: Hold, held: Sequence[int], rect: Rect, original: F32, outside: F32, grain: Grain | None,
    encoding: Encoding,
) -> float:  # fmt: skip
    """The share of a frame that the shutter is open: which smear of the anchor frame, beyond its own, leaves least of the
    ring of the frames that move most unlike it unexplained, with the smeared grain taken off."""
    if grain is None:
        return SHUTTER
    speeds = {n: apart(hold, n, hold.anchor, rect) for n in held}
    fast = [n for n in sorted(speeds, key=speeds.__getitem__, reverse=True)[:FASTEST] if speeds[n] >= FAST]
    found = [
        (n, _best_shutter(*seen, hold, n, rect, original, grain, encoding))
        for n in fast if (seen := _seen(read, hold, n, rect, outside, encoding)) is not None
    ]  # fmt: skip
    known = [value for n, value in found if value is not None and (value <= SHUTTER or _surely(hold, n, speeds[n]))]
    # one frame alone, or frames that say otherwise each, tell of their hold and not of a shutter
    if len(known) < TELL or max(known) - min(known) > AGREE:
        return SHUTTER
    return float(np.median(known))


def _surely(hold: Hold, frame: int, speed: float) -> bool:
    """Whether a frame is held so well that a wide smear is none of the hold's: all that is a little off asks for more of it."""
    return hold.frames[frame].drift_rms < SURE_SHARE * speed


def _best_shutter(
    current: F32, region: Region, hold: Hold, frame: int, rect: Rect, original: F32, grain: Grain, encoding: Encoding
) -> float | None:
    """None where a frame does not tell: a hold that is a little off, or a codec, asks for any blur, the more the better."""
    inside = cv2.resize(region.ring, region.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0.5
    if inside.sum() < 400:
        return None
    light = np.exp(full(Pair.of(halved(current), halved(original), region).slope, region))
    noise = np.random.default_rng(7).standard_normal(current.shape, np.float32)
    costs = []
    for shutter in SHUTTERS:
        blur = blur_between(hold, frame, hold.at(frame), hold.anchor, rect, float(shutter))
        now, then = (
            encoding.tonal_of(np.maximum(side, 0))
            for side in (blurred(current, blur.frame), blurred(original, blur.plate) * light)
        )
        left = sum(float((_band(blurred(noise, side))[inside] ** 2).mean()) for side in (blur.frame, blur.plate))
        sigma = float((grain.sigma_at(luma_of(then)[inside])[:, 1] ** 2).mean())
        costs.append(float(((_band(now) - _band(then))[inside] ** 2).mean()) - sigma * left)
    k = int(np.argmin(costs))
    if k == 0:
        return float(SHUTTERS[k])
    if k == len(costs) - 1:
        return None
    a, b, c = costs[k - 1], costs[k], costs[k + 1]
    value = float(SHUTTERS[k] + 0.1 * (a - c) / max(a - 2 * b + c, 1e-12))
    return value if value <= 1 else None


def _band(tonal: F32) -> F32:
    luma = luma_of(tonal)
    return np.asarray(cv2.GaussianBlur(luma, (0, 0), BAND[0]) - cv2.GaussianBlur(luma, (0, 0), BAND[1]))
