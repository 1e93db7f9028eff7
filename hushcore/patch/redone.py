"""Sources that work on each frame's own pixels: strokes redone on it (retrace), and tone smoothed (soften).

Nothing is lit: what is laid has the frame's own light, grain and blur already.
"""

import cv2
import numpy as np

from hushcore.arrays import F32, Mask, Rect
from hushcore.colour.encoding import Encoding
from hushcore.retouch.soften import PORES, Soften, creases_of, softened
from hushcore.retouch.strokes import Canvas, Donors, Stroke, coverage, paint

FEATHER = 1.0  # px over which what is painted goes over into the frame's own pixels
LEAST_TONAL = 1e-3
DONOR_PAD = 16  # px round a donor, for the split of its bands


def reach_of(strokes: list[Stroke]) -> Rect:
    """The part of the still surface that strokes touch and take from."""
    rects = []
    for stroke in strokes:
        rect = stroke.rect().grown(int(3 * stroke.scale) + 4)
        rects.append(rect)
        if stroke.donor.elsewhere:
            grown = rect.grown(int(max(rect.width, rect.height) * max(0.0, 1 / stroke.donor.zoom - 1) / 2))
            dx, dy = (round(v) for v in stroke.donor.offset)
            rects.append(grown.moved(dx, dy).grown(DONOR_PAD))
    return Rect.around(np.concatenate([rect.corners for rect in rects]))


def painted_on(
    current: F32, rect: Rect, strokes: list[Stroke], frame: int, encoding: Encoding, donors: Donors | None
) -> tuple[F32, F32]:
    """``current`` (linear, held still over ``rect``) with the strokes that are on at ``frame``, and how far (h, w) they
    cover it."""
    on = [stroke for stroke in strokes if stroke.on(frame)]
    made = np.array(current, np.float32)
    paint(Canvas(made, current, rect, encoding, donors), on)
    return made, feathered((made != current).any(-1))


def covered_by(strokes: list[Stroke], rect: Rect) -> F32:
    """How far (h, w) strokes cover the still ``rect`` on any frame."""
    out = np.zeros((rect.height, rect.width), bool)
    for stroke in strokes:
        area = stroke.rect().within(rect)
        if not area.empty:
            out[area.moved(-rect.left, -rect.top).slices] |= coverage(stroke, area) > 0
    return feathered(out)


def feathered(changed: Mask) -> F32:
    """Full where something is changed, none a little beyond it."""
    wide = cv2.dilate(changed.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(wide, (0, 0), FEATHER), np.float32)


def softened_on(current: F32, how: Soften, creases: F32 | None, encoding: Encoding) -> tuple[F32, F32]:
    """What softening makes of ``current`` (linear, h, w, 3): ``scale`` of its own picture, and what is added to it."""
    tonal = encoding.tonal_of(np.maximum(current, 0))
    tone, texture = softened(tonal, how, creases)
    # the change of tone is smooth: as a gain it can be carried without touching the frame's own detail
    below = cv2.GaussianBlur(tonal, (0, 0), PORES)
    before, after = (np.maximum(encoding.from_tonal(side), LEAST_TONAL) for side in (below, below + tone))
    scale = np.asarray(after / before, np.float32)
    if how.texture == 1 and how.take is None:
        return scale, np.zeros_like(scale)
    fuller = encoding.from_tonal(np.asarray(tonal + tone + texture, np.float32))
    return scale, np.asarray(fuller - encoding.from_tonal(np.asarray(tonal + tone, np.float32)), np.float32)


def creases_in(original: F32, matte: F32, encoding: Encoding) -> F32:
    """Where the creases are, from the anchor's picture."""
    return creases_of(encoding.tonal_of(np.maximum(original, 0)), matte > 0.05)
