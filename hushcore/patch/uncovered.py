"""Other frames: what lay behind a mark, from the frames on which it was uncovered, in the hold's still pose.

One picture is put together for a few frames over the shot, each from the nearest and sharpest frames first and in its
own frame's light; between them they are mixed, and lit anew on every frame like any plate. So it holds still over time.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, Codes, Mask, Rect
from hushcore.bands.split import low_pass
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.fill.plan import Fill
from hushcore.fill.soak import mean_outside, soak
from hushcore.fill.weave import weave
from hushcore.hold.maps import dense_forward
from hushcore.hold.record import Hold
from hushcore.light.region import halved
from hushcore.patch.place import standing
from hushcore.plates.plate import Plate, sample_linear

Reader = Callable[[int], Codes]
MOST_SHEETS = 5  # over a shot
MOST_FRAMES = 12  # that one picture is put together from
GUARD = 4  # px round the mark that are not taken either
COVERED = 0.004  # of the matte
BLUR_COSTS = 2.0  # frames away that a pixel of motion is worth
DRIFT_COSTS = 12.0  # and a pixel of drift
LIT_SIGMA = 12.0  # half-size px over which two frames' light is compared
LIT_MOST = 1.2  # natural log
BLACK = 0.003  # linear
REST_AROUND = 1.0  # times its size: what is looked at round a place that is filled
WOVEN_MOST = 90_000  # places; more is soaked
NEVER = (
    "The mark covers this place on all frames within reach, so nothing can be taken from other frames; give it a longer "
    "reach, or choose another fill."
)


@dataclass(frozen=True)
class Uncovered:
    """A picture (h, w, 3) without the mark for ``frame``, linear; ``source`` (h, w): the frame that each place was taken
    from, -1 where it was filled by the rest; ``bare``: that share of what the mark covers on the frame."""

    frame: int
    picture: F32
    source: np.ndarray
    bare: float


def sheets_at(hold: Hold, edge: Edge, reach: int) -> list[int]:
    """The frames that a picture is put together for: evenly over those on which something is masked."""
    held = [n for n in sorted({hold.anchor, *hold.frames}) if n == hold.anchor or not hold.frames[n].lost]
    on = [n for n in held if not edge.rect_at(n).empty]
    if not on:
        raise HushError("Nothing is masked on any held frame, so there is nothing to fill.", "nothing-masked")
    count = int(np.clip(round(len(on) / max(reach, 1)), 1, MOST_SHEETS))
    return sorted({on[int((k + 0.5) * len(on) / count)] for k in range(count)})


def uncovered(
    read: Reader, hold: Hold, edge: Edge, rect: Rect, frame: int, fill: Fill, encoding: Encoding,
    guides: Sequence[tuple[int, Plate]] = (),
) -> Uncovered:  # fmt: skip
    """The still picture of ``frame`` over ``rect`` without the mark. ``guides``: plates for what is never uncovered.

    Raises HushError when nothing of what the mark covers is ever uncovered.
    """
    picture, free, seen = _still(read, hold, edge, rect, frame, encoding)
    source = np.where(free, frame, -1).astype(np.int32)
    wanted = seen & ~free
    had = wanted.sum()
    for other in _order(hold, edge, frame, fill.reach)[:MOST_FRAMES]:
        missing = source < 0
        if not (missing & wanted).any():
            break
        there, open_, _ = _still(read, hold, edge, rect, other, encoding)
        take = missing & open_
        if not take.any():
            continue
        lit = _in_light(there, open_, picture, source >= 0)
        picture = np.where(take[..., None], lit, picture).astype(np.float32)
        source[take] = other
    left = (source < 0) & wanted
    if had and left.sum() >= had:
        raise HushError(NEVER, "never-uncovered")
    if left.any():
        picture = _rest(picture, source < 0, left, fill, encoding, guides, rect)
    return Uncovered(frame, picture, source, float(left.sum() / max(had, 1)))


def _still(read: Reader, hold: Hold, edge: Edge, rect: Rect, frame: int, encoding: Encoding) -> tuple[F32, Mask, Mask]:
    """A frame held still, where it shows the surface, and where it shows anything."""
    held = hold.at(frame)
    codes = read(frame)
    height, width = codes.shape[:2]
    x, y = dense_forward(held, rect)
    seen = (x >= 0) & (y >= 0) & (x <= width - 1) & (y <= height - 1)
    covered = standing(held, rect, edge, frame)[0] > COVERED
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * GUARD + 1,) * 2)
    covered = cv2.dilate(covered.astype(np.uint8), disc) > 0
    return sample_linear(codes, x, y, encoding), np.asarray(seen & ~covered), np.asarray(seen)


def _order(hold: Hold, edge: Edge, frame: int, reach: int) -> list[int]:
    """Held frames within reach, those first that are near, sharp, and held well, and that differ from those before."""

    def cost(number: int) -> float:
        row = hold.frames.get(number)
        drift = 0.0 if row is None else row.drift_rms
        return abs(number - frame) + BLUR_COSTS * _speed(hold, edge, number) + DRIFT_COSTS * drift

    near = [
        n for n in {hold.anchor, *hold.frames}
        if n != frame and abs(n - frame) <= reach and (n == hold.anchor or not hold.frames[n].lost)
    ]  # fmt: skip
    ranked = sorted(near, key=lambda n: (cost(n), n))
    taken: list[int] = []
    # neighbours uncover nearly the same: steps that grow reach farther with fewer frames
    for number in ranked:
        gap = max(2, abs(number - frame) // 4)
        if all(abs(number - other) >= gap for other in taken):
            taken.append(number)
    return taken


def _speed(hold: Hold, edge: Edge, number: int) -> float:
    """Px that the surface moves about the mark from a frame to the next."""
    if not hold.has(number) or not hold.has(number + 1):
        return 0.0
    rect = edge.rect_at(number)
    if rect.empty:
        rect = edge.rect()
    middle = hold.at(number).inverse(np.array([[(rect.left + rect.right) / 2, (rect.top + rect.bottom) / 2]]))
    a, b = hold.at(number).forward(middle), hold.at(number + 1).forward(middle)
    return float(np.hypot(*(a - b)[0]))


def _in_light(there: F32, open_: Mask, picture: F32, known: Mask) -> F32:
    """Another frame in the light of the picture, compared where both show the surface."""
    both = halved((open_ & known).astype(np.float32)) > 0.99
    if both.sum() < 64:
        return there
    q = np.log(np.maximum(low_pass(halved(picture), 1.5), 0) + BLACK) - np.log(
        np.maximum(low_pass(halved(there), 1.5), 0) + BLACK
    )
    inner = cv2.erode(both.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    field = mean_outside(np.asarray(q, np.float32), (inner if inner.sum() > 64 else both).astype(np.float32), LIT_SIGMA)
    light = cv2.resize(np.clip(field, -LIT_MOST, LIT_MOST), there.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(there * np.exp(light), np.float32)


def _rest(
    picture: F32, unknown: Mask, left: Mask, fill: Fill, encoding: Encoding, guides: Sequence[tuple[int, Plate]], rect: Rect
) -> F32:  # fmt: skip
    """What was never uncovered: from the nearest plate, or filled."""
    if fill.rest == "plate" and guides:
        shown = guides[0][1].cut(rect)[1]
        lit = _in_light(shown, ~unknown, picture, ~unknown)
        return np.where(unknown[..., None], lit, picture).astype(np.float32)
    rows, cols = np.flatnonzero(left.any(1)), np.flatnonzero(left.any(0))
    size = int(REST_AROUND * max(np.ptp(rows), np.ptp(cols))) + 48
    part = Rect(int(cols[0]) - size, int(rows[0]) - size, int(cols[-1]) + size, int(rows[-1]) + size).clipped(
        picture.shape[1], picture.shape[0]
    )
    hole = unknown[part.slices]
    tonal = encoding.tonal_of(np.maximum(picture[part.slices], 0))
    if hole.all():
        return picture
    if fill.rest == "weave" and left.sum() < WOVEN_MOST:
        made = weave(tonal, hole, fill.smooth, fill.patch, None, fill.seed)
    else:
        made = soak(tonal, hole, fill.smooth)
    out = picture.copy()
    out[part.slices] = np.where(hole[..., None], encoding.from_tonal(made), out[part.slices])
    return out
