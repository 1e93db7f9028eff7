"""What is wrong with a frame itself: a cut, a black or repeated frame, interlaced lines. Looked at before measuring."""

import cv2
import numpy as np

from hushcore.arrays import F32

SIZE = (64, 36)  # of the small picture that is kept from frame to frame
BLACK_SPREAD, BLACK_LEVEL = 0.004, 0.08  # encoded: a flat, dark frame
SAME = 1e-6  # encoded: fresh grain alone moves the small picture by 1e-4 and more
CUT_LIKENESS, CUT_CHANGE = 0.35, 0.05
COMB_STEP = 0.02  # encoded: smallest step between lines that counts
COMB_SHARE, COMB_TIMES = (
    0.02,
    1.2,
)  # of plain pictures and of grain the ratio is 1 at most, of woven fields 1.3 and more

WORDS = {
    "black": "the frame is black or blank",
    "repeat": "the frame repeats the one before it",
    "cut": "the picture cuts to another one",
    "comb": "the frame is interlaced; deinterlace the clip first, or the hold is off by half a line and more",
}


def small(luma: F32) -> F32:
    """The frame's small picture (36, 64) of encoded luma."""
    return np.asarray(cv2.resize(luma, SIZE, interpolation=cv2.INTER_AREA), np.float32)


def trouble(luma: F32, now: F32, before: F32 | None) -> str:
    """A key of ``WORDS``, or nothing. ``now``, ``before``: small pictures of this frame and the one before it.

    A cut is only a suspicion: a whip pan looks like it, and the tracker has the last word.
    """
    if float(now.std()) < BLACK_SPREAD and float(now.mean()) < BLACK_LEVEL:
        return "black"
    if before is not None:
        change = np.abs(now - before)
        if float(change.max()) < SAME:
            return "repeat"
        if float(change.mean()) > CUT_CHANGE and likeness(now, before) < CUT_LIKENESS:
            return "cut"
    return "comb" if combed(luma) else ""


def likeness(one: F32, other: F32) -> float:
    """Correlation of two small pictures."""
    a, b = one - one.mean(), other - other.mean()
    return float((a * b).sum() / max(1e-9, float(np.sqrt((a * a).sum() * (b * b).sum()))))


def combed(luma: F32) -> bool:
    """Whether neighbouring lines belong to two instants.

    Common practice: a line that differs from both its neighbours the same way, often, while lines of the same parity
    agree among themselves.
    """
    columns = np.ascontiguousarray(luma[:, ::4])
    near = _zigzag(columns[:-2], columns[1:-1], columns[2:])
    if near < COMB_SHARE:
        return False
    far = _zigzag(columns[:-4], columns[2:-2], columns[4:])
    return near > COMB_TIMES * far and near - far > COMB_SHARE


def _zigzag(above: F32, here: F32, below: F32) -> float:
    """Share of the places that stand out from above and below by ``COMB_STEP`` the same way."""
    up, down = here - above, here - below
    return float(((up * down > 0) & (np.minimum(np.abs(up), np.abs(down)) > COMB_STEP)).mean())
