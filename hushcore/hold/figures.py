"""What a frame says of a map, in figures: how far each cell may be off, and how far it is used."""

import cv2
import numpy as np

from hushcore.arrays import F32
from hushcore.errors import HushError
from hushcore.hold import confidence, kernels
from hushcore.hold.maps import HoldMap
from hushcore.hold.mesh import MIX, residual_scale
from hushcore.hold.state import NOT_READ, OFF_FRAME
from hushcore.hold.still import Still

BLOCK = 8  # px at half size: a cell


class Drift:
    """How far a hold may be off, px a cell; see ``confidence``."""

    def __init__(self) -> None:
        self._flow = confidence.FlowCheck()

    def of(
        self, still: F32, warped: F32, weight: F32, now: confidence.Correlation, first_mean: F32, age: int, plane: bool
    ) -> F32:  # fmt: skip
        """Of a template and an unwarped frame at half size. ``first_mean``: correlation next to the anchor frame; ``age``:
        frames from there; ``plane``: of a map that is one. ``confidence.WORST`` where there is nothing to read."""
        try:
            scale = residual_scale(still, warped, weight)
        except HushError:  # nothing to read: the figure is its own ceiling
            return np.full(now.value.shape, confidence.WORST, np.float32)
        terms = np.zeros((*now.value.shape, kernels.BLOCK_TERMS), np.float32)
        kernels.block_sums(still, warped, np.ascontiguousarray(weight, np.float32), np.float32(scale), BLOCK, terms)
        posterior, leftover = confidence.block_signals(terms, scale, MIX)
        flow, back = self._flow.measure(still, warped, weight, now.value.shape)
        drop = np.where(now.known, np.maximum(first_mean - now.value, 0), 0.5)
        figure = confidence.drift_figure(confidence.Signals(posterior, leftover, flow, drop, back, age))
        return np.asarray(confidence.PLANE * figure, np.float32) if plane else figure


def over_ground(drift: F32, known: np.ndarray, seen: F32) -> float:
    """RMS of drift over what is seen of the ground: what is covered is told as covered, not as drift."""
    used = known & (seen > confidence.SEEN_LOW)
    if not used.any():
        return float(drift.mean())
    return float(np.sqrt((drift[used] ** 2).mean()))


def cells_of(held: HoldMap, still: Still, size: tuple[int, int], used: F32) -> np.ndarray:
    """Codes of the cells (see ``state.Measured``) on a frame of ``size``: how far they are ``used`` (0..1), or why not."""
    rows, cols = used.shape
    rect, cell = still.rect, confidence.CELL
    xs = rect.left + (np.arange(cols) + 0.5) * cell - 0.5
    ys = rect.top + (np.arange(rows) + 0.5) * cell - 0.5
    at = held.forward(np.stack(np.meshgrid(xs, ys), -1))
    width, height = size
    off = (at[..., 0] < 0) | (at[..., 1] < 0) | (at[..., 0] > width - 1) | (at[..., 1] > height - 1)
    codes = np.round(9 * np.clip(used, 0, 1)).astype(np.uint8)
    codes[off] = OFF_FRAME
    ground = cv2.resize(still.weights[confidence.HALF_SIZE], (cols, rows), interpolation=cv2.INTER_AREA)
    codes[ground < 0.1] = NOT_READ
    return codes
