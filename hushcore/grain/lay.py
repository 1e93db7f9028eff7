"""Taking grain off a picture and laying fresh grain; both in tonal values."""

from collections.abc import Iterator, Sequence
from functools import lru_cache

import cv2
import numpy as np
from scipy import fft, ndimage

from hushcore.arrays import F32, F64
from hushcore.grain.model import BLOCK, Grain, hann, luma_of

STEP = 8  # px between blocks
BETA = 1.0  # times the measured power that is taken off
AROUND = 2  # blocks each way whose power tells texture from grain
EULER = 0.5772  # by which the mean log power of a random frequency lies under the log of its mean (Exp(1))
SURE = 4.0  # times the grain's power: a frequency above it is an edge's, whatever its neighbours say
KEEPS = 0.7  # under 1 more of the texture is kept, and more of the grain with it
LOG_LEAST = 1e-14
FIELD_LEAST, FIELDS = 512, 2  # px, and how many fields a window is added up from
FIELDS_KEPT, SMALL_FIELDS_KEPT = 8, 32  # of 12 MB and more; of 3 MB
# luma, red-blue and green-magenta differences: grain of one colour stays in one row
OPPONENT = np.array([[0.3333, 0.3333, 0.3333], [0.5, 0.0, -0.5], [0.25, -0.5, 0.25]], np.float32)


def degrained(tonal: F32, grain: Grain, amount: float = 1.0) -> F32:
    """``degrained_and_left`` without what is left."""
    return degrained_and_left(tonal, grain, amount)[0]


def degrained_and_left(tonal: F32, grain: Grain, amount: float = 1.0) -> tuple[F32, float]:
    """A tonal picture (h, w, 3) without its grain: Wiener filter on overlapping blocks, opponent colours.

    ``amount`` scales the grain that is thought to be in it. Texture above the grain's own power stays. Also returns the
    share of the grain's variance that is left at the finest scale, where texture hides it (median over blocks).
    """
    height, width = tonal.shape[:2]
    pad = BLOCK
    right, below = -(width + 2 * pad - BLOCK) % STEP, -(height + 2 * pad - BLOCK) % STEP
    padded = cv2.copyMakeBorder(tonal, pad, pad + below, pad, pad + right, cv2.BORDER_REFLECT_101)
    sigma = grain.sigma_at(cv2.GaussianBlur(luma_of(padded), (0, 0), 2.0))
    window = hann().astype(np.float32)
    filtered = _Filter(grain.spectrum, amount, window)
    views = np.lib.stride_tricks.sliding_window_view(padded, (BLOCK, BLOCK), axis=(0, 1))[::STEP, ::STEP]
    rows, cols = views.shape[:2]
    strength = sigma[BLOCK // 2 :: STEP, BLOCK // 2 :: STEP][:rows, :cols]
    out, weight = np.zeros(padded.shape, np.float32), np.zeros(padded.shape[:2], np.float32)
    for row, made in filtered.rows([np.moveaxis(view, 1, -1) for view in views], strength):
        top = row * STEP
        for first in range(BLOCK // STEP):  # blocks that do not overlap are added side by side
            some = made[first :: BLOCK // STEP]
            left = first * STEP
            wide = BLOCK * len(some)
            out[top : top + BLOCK, left : left + wide] += some.transpose(1, 0, 2, 3).reshape(BLOCK, wide, 3)
            weight[top : top + BLOCK, left : left + wide] += np.tile(window**2, len(some))
    out /= np.maximum(weight, 1e-6)[..., None]
    return np.ascontiguousarray(out[pad : pad + height, pad : pad + width]), filtered.left


class _Filter:
    """The Wiener filter of blocks, row by row. How strong the texture is at a frequency is read from the block and those
    around it: one block's own power is as much chance as texture, and would take most of a fine weave for grain."""

    def __init__(self, spectrum: F64, amount: float, window: F32) -> None:
        self.spectrum = (spectrum * (BETA * amount**2)).astype(np.float32)[:, : BLOCK // 2 + 1]
        self.window = window
        line = np.fft.fftfreq(BLOCK)
        # a Laplacian's response: what looks finest
        across, down = np.cos(2 * np.pi * line[: BLOCK // 2 + 1]), np.cos(2 * np.pi * line)
        self.finest = ((4 - 2 * across[None, :] - 2 * down[:, None]) ** 2).astype(np.float32)
        self.shares: list[F32] = []

    @property
    def left(self) -> float:
        """Share of the luma grain's finest variance that the filter lets through."""
        return float(np.median(np.concatenate(self.shares))) if self.shares else 0.0

    def rows(self, blocks: Sequence[F32], sigma: F32) -> Iterator[tuple[int, F32]]:
        """Filtered rows of windowed blocks (n, 16, 16, 3), each with its number. ``sigma`` (rows, n, 3)."""
        kept: dict[int, tuple[F32, F32, F32]] = {}
        for row in range(len(blocks)):
            for ahead in range(row, min(row + AROUND, len(blocks) - 1) + 1):
                if ahead not in kept:
                    kept[ahead] = self._bins(blocks[ahead])
            kept.pop(row - AROUND - 1, None)
            mean, bins, _ = kept[row]
            usual = np.mean([logs for _, _, logs in kept.values()], axis=0)
            yield row, self._filtered(mean, bins, usual, sigma[row])

    def _bins(self, blocks: F32) -> tuple[F32, F32, F32]:
        """Mean, frequencies in opponent colours, and their log power averaged along the row."""
        mean = blocks.mean((1, 2), keepdims=True)
        opponent = ((blocks - mean) @ OPPONENT.T.astype(np.float32)) * self.window[..., None]
        bins = fft.rfft2(opponent, axes=(1, 2)) / BLOCK
        logs = np.log(np.abs(bins) ** 2 + LOG_LEAST)
        return mean, bins, ndimage.uniform_filter1d(logs, 2 * AROUND + 1, axis=0, mode="nearest")

    def _filtered(self, mean: F32, bins: F32, usual: F32, sigma: F32) -> F32:
        half = self.spectrum
        # power of the grain of each block in each opponent channel: o (sigma S sigma') o'
        scaled = OPPONENT[None] * sigma[:, None, :]
        pairs = (scaled[..., :, None] * scaled[..., None, :]).reshape(-1, 9)
        noise = (pairs @ half.reshape(-1, 9).T).reshape(len(sigma), 3, *half.shape[:2]).transpose(0, 2, 3, 1)
        around, own = np.exp(usual + EULER), np.abs(bins) ** 2
        gain = np.maximum(around - noise, 0) / np.maximum(around, 1e-12)
        gain = np.maximum(gain**KEEPS, np.maximum(own - SURE * noise, 0) / np.maximum(own, 1e-12))
        fine = noise[..., 0] * self.finest
        self.shares.append((gain[..., 0] ** 2 * fine).sum((1, 2)) / np.maximum(fine.sum((1, 2)), 1e-12))
        back = fft.irfft2(bins * gain * BLOCK, s=(BLOCK, BLOCK), axes=(1, 2))
        back = back @ np.linalg.inv(OPPONENT).T + mean * self.window[..., None]
        return np.asarray(back * self.window[..., None], np.float32)


def fresh(grain: Grain, shape: tuple[int, int], seed: int) -> F32:
    """Grain of sigma 1 with the measured character over (h, w), per channel; the same for the same ``seed``.

    Two periodic fields are made once for a kind of grain; each seed adds other windows of them. (AV1's film grain,
    7.18.3, likewise takes its blocks from one template at random places.)
    """
    side = max(FIELD_LEAST, 1 << (max(shape) - 1).bit_length())
    places = np.random.default_rng(seed).integers(side, size=(FIELDS, 2))
    spectrum = np.ascontiguousarray(grain.spectrum, np.float64).tobytes()
    windows = [_window(_field(spectrum, side, k), top, left, shape) for k, (top, left) in enumerate(places.tolist())]
    return np.asarray(sum(windows) * np.float32(FIELDS**-0.5), np.float32)


def _window(field: F32, top: int, left: int, shape: tuple[int, int]) -> F32:
    """A part (h, w, 3) of a periodic field."""
    rows = field.take(np.arange(top, top + shape[0]), axis=0, mode="wrap")
    return rows.take(np.arange(left, left + shape[1]), axis=1, mode="wrap")


def _field(spectrum: bytes, side: int, number: int) -> F32:
    """A periodic field (side, side, 3) of grain of sigma 1; made once, for a stack of fixes has two kinds of grain each."""
    kept = _small_field if side <= FIELD_LEAST else _large_field
    return kept(spectrum, side, number)


def _field_made(spectrum: bytes, side: int, number: int) -> F32:
    white = np.random.default_rng(number).standard_normal((3, side, side), dtype=np.float32)
    bins = fft.rfft2(white, axes=(1, 2))
    factor = _factor(np.frombuffer(spectrum).reshape(BLOCK, BLOCK, 3, 3), side)
    coloured = np.stack([sum(factor[k][j] * bins[j] for j in range(k + 1)) for k in range(3)])
    made = fft.irfft2(coloured, s=(side, side), axes=(1, 2))
    return np.ascontiguousarray(np.moveaxis(made, 0, -1), np.float32)


_small_field = lru_cache(maxsize=SMALL_FIELDS_KEPT)(_field_made)
_large_field = lru_cache(maxsize=FIELDS_KEPT)(_field_made)


def _factor(spectrum: F64, side: int) -> F32:
    """Cholesky factor of the cross-spectrum at each frequency of a field, between those of the blocks."""
    safe = spectrum + 1e-6 * np.eye(3)
    lower = np.linalg.cholesky(safe).reshape(BLOCK, BLOCK, 9)
    around = np.pad(lower, ((0, 1), (0, 1), (0, 0)), mode="wrap").astype(np.float32)
    v = np.arange(side, dtype=np.float32) * BLOCK / side
    u = np.arange(side // 2 + 1, dtype=np.float32) * BLOCK / side
    planes = [cv2.remap(around[..., k], *np.meshgrid(u, v), cv2.INTER_LINEAR) for k in range(9)]
    return np.stack(planes).reshape(3, 3, side, side // 2 + 1)
