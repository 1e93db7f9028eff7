"""Between a movie's own planes and RGB codes, without a shift.

Sources: ITU-R BT.601, BT.709 and BT.2020 for the weights; H.273 for ranges and for where chroma samples lie.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import ndimage

from hushcore.arrays import F64, Codes
from hushcore.luma import WEIGHTS
from hushcore.media.yuv_kernel import to_rgb
from hushcore.rounding import add_whole

LEAN = 0.5  # of the neighbours' miss: codecs round a few frequencies, not each sample, so their chroma is smooth
READ_AGAIN, REGAINED = (0.125, 0.75, 0.125), 2  # samples; times


@dataclass(frozen=True)
class Layout:
    """How planes become a picture. ``sub_x``/``sub_y``: 1 where chroma is halved; ``left``/``top``: whether chroma
    lies on the first of the two luma samples that it belongs to (else between them)."""

    bits: int
    full: bool
    matrix: str
    sub_x: int = 0
    sub_y: int = 0
    left: bool = True
    top: bool = False

    @property
    def luma(self) -> tuple[float, float]:
        """Offset and span of luma codes."""
        top = 2**self.bits - 1
        scale = 2 ** (self.bits - 8)
        return (0.0, float(top)) if self.full else (16.0 * scale, 219.0 * scale)

    @property
    def chroma(self) -> tuple[float, float]:
        """Middle and span of chroma codes."""
        scale = 2 ** (self.bits - 8)
        return 128.0 * scale, float(2**self.bits - 1) if self.full else 224.0 * scale

    def to_rgb(self) -> F64:
        """3x3 from luma (0..1) and chroma (-.5...5) to R'G'B'."""
        kr, kb = WEIGHTS[self.matrix]
        kg = 1 - kr - kb
        return np.array([
            [1, 0, 2 * (1 - kr)],
            [1, -2 * kb * (1 - kb) / kg, -2 * kr * (1 - kr) / kg],
            [1, 2 * (1 - kb), 0],
        ])  # fmt: skip


def rgb16(planes: tuple[Codes, Codes, Codes], layout: Layout, out: Codes | None = None) -> Codes:
    """R'G'B' over 16 bits (h, w, 3) of luma and chroma planes; values outside 0..1 are clipped."""
    y, u, v = planes
    made = np.empty((*y.shape, 3), np.uint16) if out is None else out
    (y0, ys), (c0, cs) = layout.luma, layout.chroma
    f = np.float32
    to_rgb(
        y, u, v, layout.sub_x, layout.sub_y, layout.left, layout.top, layout.to_rgb().astype(f),
        f(y0), f(1 / ys), f(c0), f(1 / cs), made,
    )  # fmt: skip
    return made


def planes16(codes: Codes, layout: Layout) -> tuple[Codes, Codes, Codes]:
    """Luma and chroma planes of R'G'B' over 16 bits (h, w, 3); chroma is brought to where the layout has it."""
    colour = codes.astype(np.float32) / np.float32(65535)
    values = colour @ np.linalg.inv(layout.to_rgb()).T.astype(np.float32)
    kind = np.uint8 if layout.bits <= 8 else np.uint16
    peak = 2**layout.bits - 1
    made: list[Codes] = []
    for k, (offset, span) in enumerate((layout.luma, layout.chroma, layout.chroma)):
        plane = values[..., k] if k == 0 else _down(values[..., k], layout)
        made.append(np.asarray(np.clip(np.rint(plane * span + offset), 0, peak), kind))
    return made[0], made[1], made[2]


def patched(
    planes: tuple[Codes, Codes, Codes], layout: Layout, before: Codes, after: Codes
) -> tuple[Codes, Codes, Codes]:
    """Planes with the change from ``before`` to ``after`` (both as ``rgb16`` gives them) added.

    Samples under which nothing changed stay exactly as they are.
    """
    touched = (before != after).any(-1)
    out = tuple(np.array(plane) for plane in planes)
    if not touched.any():
        return out[0], out[1], out[2]
    rows, cols = np.flatnonzero(touched.any(1)), np.flatnonzero(touched.any(0))
    top, left = max(0, rows[0] - 4) & ~1, max(0, cols[0] - 4) & ~1
    area = (slice(top, rows[-1] + 5), slice(left, cols[-1] + 5))
    to_yuv = np.linalg.inv(layout.to_rgb())
    change = (after[area].astype(float) - before[area].astype(float)) / 65535 @ to_yuv.T
    mask = touched[area]
    peak = 2**layout.bits - 1
    _add(out[0][area], change[..., 0] * layout.luma[1], mask, peak)
    small = (
        slice(top >> layout.sub_y, ((rows[-1] + 5) + layout.sub_y) >> layout.sub_y),
        slice(left >> layout.sub_x, ((cols[-1] + 5) + layout.sub_x) >> layout.sub_x),
    )
    for k in (1, 2):
        part = out[k][small]
        down = _regained(_down(change[..., k], layout), layout)[: part.shape[0], : part.shape[1]]
        cover = _down(mask.astype(float), layout)[: part.shape[0], : part.shape[1]] > 0
        add_whole(part, np.ascontiguousarray(down * layout.chroma[1]), cover, peak, LEAN)
    return out[0], out[1], out[2]


def _add(part: Codes, change: F64, mask: np.ndarray, peak: int) -> None:
    part[mask] = np.clip(np.rint(part[mask] + change[mask]), 0, peak).astype(part.dtype)


def footprint(mask: np.ndarray, layout: Layout) -> np.ndarray:
    """Chroma samples (bool) that a change within ``mask`` (h, w) may touch."""
    return np.asarray(_down(mask.astype(float), layout) > 0)


def _down(full: Any, layout: Layout) -> Any:
    """To the chroma grid: (1 2 1)/4 about a sample that lies on luma, the mean of two about one that lies between."""
    out = full
    if layout.sub_y:
        out = _halved(out, layout.top)
    if layout.sub_x:
        out = _halved(out.T, layout.left).T
    return out


def _regained(down: Any, layout: Layout) -> Any:
    """Chroma that gives ``down`` when it is read at luma's size and brought down again, which softens it by 1/8, 3/4, 1/8 each
    way (van Cittert 1931, so that what was once read goes back as it was)."""
    out = down
    for _ in range(REGAINED):
        out = out + (down - _read_again(out, layout))
    return out


def _read_again(chroma: Any, layout: Layout) -> Any:
    out = chroma
    for axis, halved in ((0, layout.sub_y), (1, layout.sub_x)):
        if halved:
            out = ndimage.correlate1d(out, READ_AGAIN, axis, mode="nearest")
    return out


def _halved(rows: Any, on_first: bool) -> Any:
    if len(rows) % 2:
        rows = np.vstack([rows, rows[-1:]])
    even, odd = rows[0::2], rows[1::2]
    if not on_first:
        return np.asarray((even + odd) / 2)
    before = np.vstack([odd[:1], odd[:-1]])
    return np.asarray((before + 2 * even + odd) / 4)
