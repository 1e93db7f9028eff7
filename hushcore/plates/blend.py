"""How several plates share a shot: by time, or by whichever plate's light is nearest; always without a jump."""

from collections.abc import Sequence

import cv2
import numpy as np

from hushcore.arrays import F32

BLENDS = ("time", "light")
LIGHT_SIGMA = 12.0  # px over which plates share a place
LIGHT_NEAR = 0.06  # log units: a plate this much further off has about a third of the say


def by_time(frames: Sequence[int], frame: int) -> list[float]:
    """A weight for each plate: evenly from one plate's frame to the next, the first and last alone beyond them."""
    order = sorted(range(len(frames)), key=lambda k: frames[k])
    weights = [0.0] * len(frames)
    before = [k for k in order if frames[k] <= frame]
    after = [k for k in order if frames[k] > frame]
    if not before or not after:
        weights[(before or after)[-1 if before else 0]] = 1.0
        return weights
    a, b = before[-1], after[0]
    share = (frame - frames[a]) / (frames[b] - frames[a])
    share = share * share * (3 - 2 * share)
    weights[a], weights[b] = 1 - share, share
    return weights


GUIDES = 24  # frames over which a plate gives way to a fill


def by_guides(frames: Sequence[int], frame: int) -> list[float]:
    """A weight for each of ``frames``, the first of a fill and the others of plates that guide it: at a plate's frame the
    plate alone, away from it ever more of the fill, between two plates the nearer one."""
    weights = [0.0] * len(frames)
    nearest = min(range(1, len(frames)), key=lambda k: abs(frames[k] - frame), default=0)
    t = max(0.0, 1 - abs(frames[nearest] - frame) / GUIDES)
    weights[nearest] = t * t * (3 - 2 * t) if nearest else 0.0
    weights[0] += 1 - weights[nearest]
    return weights


def by_light(gains: Sequence[F32], usable: Sequence[F32 | None]) -> list[F32]:
    """A weight (h, w, 1) for each plate from its field of log gains: the plate that has to change least, locally.

    Each field's median is taken off first: a plate is not worse for being darker all over. ``usable``: where a plate
    can be used at all, None for everywhere.
    """
    scores = []
    for gain, allowed in zip(gains, usable, strict=True):
        shape = np.abs(gain - np.median(gain, axis=(0, 1))).mean(-1)
        far = cv2.GaussianBlur(shape, (0, 0), LIGHT_SIGMA)
        scores.append(far + (0 if allowed is None else 1e3 * (1 - allowed)))
    least = np.minimum.reduce(scores)
    weights = [np.exp(-((score - least) / LIGHT_NEAR)) for score in scores]
    total = np.add.reduce(weights)
    return [np.asarray(weight / total, np.float32)[..., None] for weight in weights]
