"""The mark inside a loose loop: what differs from the surface round it."""

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask, Rect, padded_cut
from hushcore.bands.split import low_pass
from hushcore.geometry.membrane import membrane
from hushcore.geometry.paths import area, signed_distance
from hushcore.plates.plate import Plate

SPREAD = 1.4826  # of a median deviation to a standard deviation (normal distribution)
QUIETED = 1.2  # px: grain is blurred away before the mark is looked for
STANDS_OUT = 3.5  # spreads of the surface round it
RARE = 99.0  # percentile of the surface itself that is no mark
FEW_POINTS = 0.01  # of its size that an outline may be off for it
GROWN = 4.0  # px beyond what differs
LEAST_SHARE, MOST_SHARE = 0.01, 0.85  # of the loop; outside them the loop is the mark
MOST_PARTS = 4
SMALLEST = 20.0  # square px


def drawn_in(plate: Plate, loop: F64) -> list[F64]:
    """The outlines of what differs from the surface round it, inside a loop; the loop itself where nothing clearly does.

    What the surface would be is carried in from outside the loop (a membrane); its own spread there says what differs.
    """
    size = float(max(np.ptp(loop, axis=0)))
    margin = int(max(16, 0.5 * size))
    rect = Rect.around(loop).grown(margin).within(plate.rect)
    tonal = low_pass(tonal_of(plate.painted, plate, rect), QUIETED)
    distance = signed_distance(loop, rect)
    inside, around = distance > 0, (distance < -2) & (distance > -margin)
    if inside.sum() < 30 or around.sum() < 60:
        return [loop]
    score = stands_out(tonal, inside, around, size)
    limit = max(STANDS_OUT, float(np.percentile(score[around], RARE)))
    mark = ((score > limit) & inside).astype(np.uint8)
    near = int(max(2, 0.05 * size))
    mark = cv2.morphologyEx(mark, cv2.MORPH_CLOSE, _disc(near))
    mark = cv2.morphologyEx(mark, cv2.MORPH_OPEN, _disc(1))
    parts = _parts(mark, inside)
    share = sum(part.sum() for part in parts) / inside.sum()
    if not LEAST_SHARE < share < MOST_SHARE:
        return [loop]
    outlines = [_outline(part, distance, rect) for part in parts]
    return [one for one in outlines if len(one) > 3 and area(one) >= SMALLEST] or [loop]


def stands_out(tonal: F32, inside: Mask, around: Mask, size: float) -> F32:
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


def tonal_of(picture: F32, plate: Plate, rect: Rect) -> F32:
    """Tonal values (h, w, 3) of a linear picture over the plate, in a part of it; beyond it its border repeats."""
    part = padded_cut(picture, rect.moved(-plate.rect.left, -plate.rect.top))
    return np.asarray(plate.encoding.tonal_of(np.maximum(part, 0)), np.float32)


def _disc(radius: int) -> F32:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)))


def wider(outline: F64, by: float) -> F64:
    """An outline grown by some px."""
    rect = Rect.around(outline).grown(int(by) + 3)
    filled = (signed_distance(outline, rect) > -by).astype(np.uint8)
    lines, _ = cv2.findContours(filled, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = cv2.approxPolyDP(max(lines, key=cv2.contourArea), 0.7, True)[:, 0, :]
    return np.asarray(line + np.array([rect.left, rect.top]), float)
