"""What a frame shows between the lines of a mark that stands in it, carried under them.

The plate knows the surface, and nothing of a hand that passes over it, of a shadow's edge, or of what lies beside the surface;
the frame shows all of that right beside each line. What both differ by there is carried under the lines as a membrane
(Perez, Gangnet & Blake 2003); where the plate says less of the frame than the frame's own smooth neighbourhood does, only that
is.
"""

import cv2
import numpy as np

from hushcore.arrays import F32, Mask, mean
from hushcore.colour.encoding import Encoding
from hushcore.geometry.membrane import membrane

CARRIED, FILLED = 2.0, 1.5  # px over which the difference, and the frame itself, are smoothed before they are carried
NEAR, DETAIL = 4.0, 3.0  # px round a place that say which of both explains the frame; what is finer than this is detail
# times the frame's own detail that is left when the plate is taken off it: the plate is right; it is wrong
TRUSTED, DOUBTED = 0.9, 1.5
BLENDED = 2.0  # px
DEEP, DEEPEST = 8.0, 24.0  # px from what is seen: up to where all is carried, and from where nothing is
FEWEST = 200  # px that must be seen
LEAST = 1e-9


def carried(beneath: F32, made: F32, cover: F32, encoding: Encoding) -> F32:
    """The patch ``made`` (h, w, 3) as the frame ``beneath`` shows things round ``cover`` (h, w), all of it in the frame and
    linear; as it is where too little is seen, or far from it."""
    seen: Mask = np.asarray(cover <= 0)
    if seen.sum() < FEWEST or seen.all():
        return made
    frame, plate = (encoding.tonal_of(np.maximum(side, 0)) for side in (beneath, made))
    known = np.dstack([_smooth(frame - plate, seen, CARRIED), _smooth(frame, seen, FILLED)])
    apart, plain = np.split(membrane(known, seen), 2, axis=2)
    nearer = plate + apart
    there = nearer + _wrong(mean(frame), mean(plate), seen)[..., None] * (plain - nearer)
    away = cv2.distanceTransform((~seen).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    share = np.clip((DEEPEST - away) / (DEEPEST - DEEP), 0, 1)[..., None]
    mixed = encoding.from_tonal(np.asarray(plate + share * (there - plate), np.float32))
    return np.asarray(np.where(share > 0, mixed, made), np.float32)


def _wrong(frame: F32, plate: F32, seen: Mask) -> F32:
    """Where (0..1) the plate's detail is none of the frame's."""
    left = _detail(frame - plate, seen) / _detail(frame, seen)
    t = np.clip((left - TRUSTED) / (DOUBTED - TRUSTED), 0, 1).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(t * t * (3 - 2 * t), (0, 0), BLENDED))


def _detail(tonal: F32, seen: Mask) -> F32:
    """Energy of what is fine, about each place, of what is seen there."""
    fine = tonal - _smooth(tonal[..., None], seen, DETAIL)[..., 0]
    return np.maximum(_smooth((fine**2)[..., None], seen, NEAR)[..., 0], LEAST)


def _smooth(values: F32, seen: Mask, sigma: float) -> F32:
    """Values (h, w, c) smoothed over what is seen alone."""
    weight = seen.astype(np.float32)
    total = cv2.GaussianBlur(np.asarray(values * weight[..., None], np.float32), (0, 0), sigma).reshape(values.shape)
    return np.asarray(total / np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-3)[..., None], np.float32)
