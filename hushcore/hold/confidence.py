"""How far a hold may be off: visibility per block, and the drift figure in px.

Everything lives on the block grid of the still surface: cells of ``CELL`` px.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from hushcore.arrays import F32, F64
from hushcore.hold import kernels

CELL = 16  # full-resolution px: 8 px blocks at half size
SEEN_LOW, SEEN_HIGH = 0.35, 0.75
SURE = 0.55  # of the baseline: chance gives a cell of some 500 samples .1 to .2
WEAK_BASELINE = 0.30
BASELINE_RATE = 0.06
BASELINE_LEAST = 0.3  # of the correlation next to the anchor frame
FEWEST_CELLS = 4
HALF_SIZE = 1  # pyramid level
SMOOTH = 1.5  # blocks: about 48 px across
LEAST_TRACE = 0.02
# Drift: log-linear in five signals (see docs/measuring.md for the calibration)
GAIN, OFFSET = 1.7, 1.183  # on the proving ground 90 % of errors over .5 px lie under twice the figure
PLANE = 0.5  # of it, for a plane: all of the ground says where each of its places is
TERMS = {"S": (0.310, 0.03), "K": (0.244, 0.03), "M": (0.260, 0.03), "B": (0.251, 0.03), "Z": (0.186, 0.02)}
AGE = 0.050
LOG_CAP = 4.0
WORST = float(GAIN * np.exp(LOG_CAP))  # px: said where nothing is known


@dataclass(frozen=True)
class Correlation:
    """3x3-block zero-normalised correlation on the cell grid, and which cells could be read."""

    value: F32
    known: np.ndarray


def correlate(still: F32, warped: F32, weight: F32, block: int) -> Correlation:
    """Correlation of the template with the unwarped frame in windows of 3x3 blocks of ``block`` px."""
    shape = (-(-still.shape[0] // block), -(-still.shape[1] // block), 6)
    sums = np.zeros(shape, np.float32)
    kernels.correlation_sums(still, warped, np.ascontiguousarray(weight, np.float32), block, sums)
    wide = cv2.boxFilter(sums, -1, (3, 3), normalize=False, borderType=cv2.BORDER_CONSTANT)
    n = np.maximum(wide[..., 0], 1)
    cov = wide[..., 5] - wide[..., 1] * wide[..., 2] / n
    var_t = np.maximum(wide[..., 3] - wide[..., 1] ** 2 / n, 1e-6)
    var_n = np.maximum(wide[..., 4] - wide[..., 2] ** 2 / n, 1e-6)
    known = (wide[..., 0] > 2 * block * block) & (sums[..., 0] > 0)
    return Correlation(np.where(known, cov / np.sqrt(var_t * var_n), 0).astype(np.float32), known)


@dataclass(frozen=True)
class Visible:
    """How much of the ground a frame shows.

    ``weight``: 0..1 a cell; ``share``: of the ground that is seen; ``sure``, ``sure_share``: cells, and their share, that
    are the anchor's beyond doubt.
    """

    weight: F32
    share: float
    sure: int
    sure_share: float


def visibility(now: Correlation, baseline: F32) -> Visible:
    """What is seen, from the correlation relative to what it usually is and to the frame's median."""
    steady = now.known & (baseline >= WEAK_BASELINE)
    if steady.sum() < FEWEST_CELLS:  # a small window, or little contrast: every cell that can be read has a say
        steady = now.known
    if not steady.any():
        return Visible(np.ones_like(baseline), 0.0, 0, 0.0)
    ratio = now.value / np.maximum(baseline, WEAK_BASELINE / 2)
    median = float(np.median(ratio[steady]))
    relative = ratio / max(median, 0.2)
    ramp = np.clip((relative - SEEN_LOW) / (SEEN_HIGH - SEEN_LOW), 0, 1)
    seen = ramp * ramp * (3 - 2 * ramp)
    share = float((ratio[steady] > SEEN_LOW).mean())
    sure = ratio[steady] > SURE
    weight = np.where(steady, seen, np.where(now.known, 0.5, 1.0))
    return Visible(weight.astype(np.float32), share, int(sure.sum()), float(sure.mean()))


@dataclass(frozen=True)
class Signals:
    """What the drift figure is made of, on the cell grid (``back`` and ``age`` for the frame)."""

    posterior: F64
    leftover: F64
    flow: F64
    drop: F64
    back: float
    age: int


def drift_figure(signals: Signals) -> F32:
    """Careful upper bound of the error in px per cell."""
    parts: dict[str, Any] = {
        "S": signals.posterior, "K": signals.leftover, "M": signals.flow, "Z": signals.drop, "B": signals.back,
    }  # fmt: skip
    total = OFFSET + AGE * np.log(1 + signals.age)
    for name, value in parts.items():
        slope, floor = TERMS[name]
        total = total + slope * np.log(np.maximum(value, 0) + floor)
    return np.asarray(GAIN * np.exp(np.minimum(total, LOG_CAP)), np.float32)


def block_signals(terms: F32, scale: float, mix: float) -> tuple[F64, F64]:
    """Local posterior and leftover step (px) from half-size block terms."""
    sums = cv2.GaussianBlur(terms.astype(np.float64), (0, 0), SMOOTH, borderType=cv2.BORDER_REPLICATE)
    a, b, d = ((1 - mix) * sums[..., k] + mix * sums[..., k + 3] for k in range(3))
    a, b, d = a / scale**2, b / scale**2, d / scale**2
    lift = LEAST_TRACE * float(np.median((a + d)[a + d > 0])) if (a + d > 0).any() else 1.0
    a, d = np.maximum(a, 0) + lift, np.maximum(d, 0) + lift
    det = np.maximum(a * d - b * b, 1e-3 * a * d)
    posterior = 2 * np.sqrt((a + d) / (4 * np.pi * SMOOTH**2 * det))
    gx, gy = sums[..., 6] / scale**2, sums[..., 7] / scale**2
    leftover = 2 * np.hypot((d * gx - b * gy) / det, (a * gy - b * gx) / det)
    return posterior, leftover


class FlowCheck:
    """Dense flow between the template and the unwarped frame at half size, both ways."""

    def __init__(self) -> None:
        self._flow = cv2.DISOpticalFlow_create(  # type: ignore[attr-defined]
            cv2.DISOPTICAL_FLOW_PRESET_FAST
        )

    def measure(self, still: F32, warped: F32, weight: F32, shape: tuple[int, int]) -> tuple[F64, float]:
        """Smoothed flow length per cell and the median forward-backward error, full-resolution px."""
        a, b = _as_bytes(still), _as_bytes(warped)
        there, back = self._flow.calc(a, b, None), self._flow.calc(b, a, None)
        height, width = a.shape
        y, x = np.mgrid[0:height:4, 0:width:4].astype(np.float32)
        at = there[::4, ::4]
        returned = cv2.remap(back, x + at[..., 0], y + at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        miss = np.hypot(*np.moveaxis(at + returned, -1, 0))
        inside = weight[::4, ::4] > 0
        error = 2 * float(np.median(miss[inside])) if inside.any() else 4.0
        length = 2 * np.hypot(there[..., 0], there[..., 1]) * (weight > 0)
        size = (shape[1], shape[0])
        cells = cv2.resize(length, size, interpolation=cv2.INTER_AREA)
        return cv2.GaussianBlur(cells, (0, 0), 0.75).astype(np.float64), error


def _as_bytes(picture: F32) -> np.ndarray:
    return np.clip(picture * 48 + 128, 0, 255).astype(np.uint8)
