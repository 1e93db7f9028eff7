"""Measuring grain: a frame against the mean of its neighbours, carried to it and brought into its light.

A high-pass of the frame alone would take texture for grain.
"""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Mask, Rect, three
from hushcore.colour.encoding import Encoding
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.grain.lay import fresh
from hushcore.grain.model import BLOCK, Grain, hann, luma_of
from hushcore.hold.maps import HoldMap, dense_inverse
from hushcore.hold.record import Hold

Reader = Callable[[int], Codes]
NEIGHBOURS = 4  # either side
LEFT_BY_NEIGHBOURS = 0.62  # of each neighbour's variance that resampling leaves
RELIGHT = 6.0  # px: wider differences are light
STEP = 8  # px between places where the neighbours' maps are worked out
BINS = 8
SMOOTH_SHARE = 0.6  # of the places, the smoothest: edges that miss by a fraction of a pixel are not grain
FEWEST = 1500  # px a brightness
LAGS, WINDOW_LEAST, POWER_LEAST = 3, 0.25, 0.003  # px that are kept whole; of the window's; of the mean power
FEWEST_BLOCKS = 12
MAD = 1.4826
ROUNDS, TRIED, CORRECTED_MOST = 3, 384, 3.0  # times; px of grain that is laid to try; of power, a round


def residual(read: Reader, hold: Hold, frame: int, rect: Rect, encoding: Encoding) -> tuple[F32, F32]:
    """Grain of ``frame`` over the frame's ``rect`` (tonal units, as of the full variance) and the mean picture.

    Raises HushError when no neighbour is held.
    """
    own = encoding.tonal(three(read(frame))[rect.slices])
    still_x, still_y = dense_inverse(hold.at(frame), rect)
    total, count = np.zeros_like(own), 0
    for number in _neighbours(hold, frame):
        codes = three(read(number))
        x, y = _carried(hold.at(number), still_x, still_y)
        if min(x.min(), y.min()) < 0 or x.max() > codes.shape[1] - 1 or y.max() > codes.shape[0] - 1:
            continue
        total += _sampled(codes, x, y, encoding, own)
        count += 1
    if not count:
        raise HushError("No neighbouring frame is held, so the grain cannot be told from the texture.", "no-grain")
    mean = total / count
    rest = own - mean  # wider differences have been taken out with the light
    return np.asarray(rest / np.sqrt(1 + LEFT_BY_NEIGHBOURS / count), np.float32), mean


def _neighbours(hold: Hold, frame: int) -> list[int]:
    reach = [d for k in range(1, NEIGHBOURS + 1) for d in (-k, k)]
    return [
        frame + d
        for d in reach
        if hold.has(frame + d) and (frame + d == hold.anchor or not hold.frames[frame + d].lost)
    ]


def _carried(held: HoldMap, still_x: F32, still_y: F32) -> tuple[F32, F32]:
    """Positions on another frame of dense still positions; worked out every few pixels and interpolated."""
    height, width = still_x.shape
    ys, xs = np.arange(0, height + STEP, STEP), np.arange(0, width + STEP, STEP)
    rows, cols = np.clip(ys, 0, height - 1), np.clip(xs, 0, width - 1)
    still = np.stack([still_x[np.ix_(rows, cols)], still_y[np.ix_(rows, cols)]], -1).astype(float)
    shift = (held.forward(still) - still).astype(np.float32)
    u, v = np.meshgrid(np.arange(width, dtype=np.float32) / STEP, np.arange(height, dtype=np.float32) / STEP)
    moved = cv2.remap(shift, u, v, cv2.INTER_LINEAR)
    return still_x + moved[..., 0], still_y + moved[..., 1]


def _sampled(codes: Codes, x: F32, y: F32, encoding: Encoding, own: F32) -> F32:
    """A neighbour's tonal picture at positions, in the light of ``own``."""
    need = Rect(int(x.min()) - 8, int(y.min()) - 8, int(x.max()) + 9, int(y.max()) + 9).clipped(
        codes.shape[1], codes.shape[0]
    )
    tonal = np.ascontiguousarray(encoding.tonal(codes[need.slices]), np.float32)
    out = sampling.sampled(tonal, x - np.float32(need.left), y - np.float32(need.top))
    return np.asarray(out + cv2.GaussianBlur(own - out, (0, 0), RELIGHT))


def measure(parts: Sequence[tuple[F32, F32]], masks: Sequence[Mask]) -> Grain | None:
    """The grain of residuals with their mean pictures, where ``masks`` allow; None when there is too little to read."""
    rest, luma, rough = [], [], []
    for (noise, mean), mask in zip(parts, masks, strict=True):
        level = luma_of(mean)
        gy, gx = np.gradient(cv2.GaussianBlur(level, (0, 0), 1.2))
        rest.append(noise[mask])
        luma.append(level[mask])
        rough.append(np.hypot(gx, gy)[mask])
    values, levels, edges = np.concatenate(rest), np.concatenate(luma), np.concatenate(rough)
    if len(levels) < 2 * FEWEST:
        return None
    smooth = edges <= np.quantile(edges, SMOOTH_SHARE)
    at, sigma = _curve(values[smooth], levels[smooth])
    spectrum = _spectrum(parts, masks, at, sigma)
    return None if spectrum is None else Grain(at, sigma, spectrum)


def _curve(values: F64, levels: F64) -> tuple[F64, F64]:
    """Standard deviation by brightness: MAD in bins of equal counts."""
    count = int(np.clip(len(levels) // FEWEST, 1, BINS))
    ends = np.quantile(levels, np.linspace(0, 1, count + 1))
    at, sigma = [], []
    for k in range(count):
        inside = (levels >= ends[k]) & (levels <= ends[k + 1])
        at.append(float(np.median(levels[inside])))
        sigma.append(MAD * np.median(np.abs(values[inside] - np.median(values[inside], axis=0)), axis=0) + 1e-6)
    order = np.argsort(at)
    return np.asarray(at)[order], np.asarray(sigma)[order]


AT_ONCE = 128  # blocks transformed together


def _spectrum(parts: Sequence[tuple[F32, F32]], masks: Sequence[Mask], at: F64, sigma: F64) -> F64 | None:
    """Mean cross-spectrum of blocks of grain that is made equally strong everywhere; the busiest blocks left out."""
    flat = Grain(at, sigma, np.zeros((BLOCK, BLOCK, 3, 3)))
    window = hann()
    blocks, energy = [], []
    for (noise, mean), mask in zip(parts, masks, strict=True):
        even = noise / flat.sigma_at(luma_of(mean))
        for top in range(0, noise.shape[0] - BLOCK + 1, BLOCK // 2):
            for left in range(0, noise.shape[1] - BLOCK + 1, BLOCK // 2):
                here = slice(top, top + BLOCK), slice(left, left + BLOCK)
                if mask[here].all():
                    block = np.clip(even[here], -4, 4) * window[..., None]
                    blocks.append(block)
                    energy.append(float((block**2).mean()))
    if len(blocks) < FEWEST_BLOCKS:
        return None
    quiet = np.flatnonzero(np.asarray(energy) <= np.quantile(energy, SMOOTH_SHARE))
    cross = np.zeros((BLOCK, BLOCK, 3, 3))
    for some in np.array_split(quiet, 1 + len(quiet) // AT_ONCE):
        chosen = np.fft.fft2(np.stack([blocks[k] for k in some]), axes=(1, 2)) / BLOCK
        cross += np.einsum("nijk,nijl->ijkl", chosen, chosen.conj()).real
    cross /= len(quiet)
    # the same from both sides, as grain has no direction of reading
    cross = (cross + np.roll(cross[::-1, ::-1], 1, (0, 1))) / 2
    return _as_laid(_even(_sharpened(cross)), _even(cross))


def _even(cross: F64) -> F64:
    """A cross-spectrum whose mean over frequencies has 1 on the diagonal."""
    scale = np.sqrt(np.einsum("ijkk->k", cross) / BLOCK**2)
    return np.asarray(cross / np.outer(scale, scale))


def _as_laid(spectrum: F64, wanted: F64) -> F64:
    """A spectrum of which laid grain, measured in the same windowed blocks, has the power ``wanted``: between the block's
    frequencies it is interpolated, which fills the steep corners of soft and of coded footage."""
    level = np.zeros(1)
    for turn in range(ROUNDS):
        laid = fresh(Grain(level, np.ones((1, 3)), spectrum), (TRIED, TRIED), turn)
        views = np.lib.stride_tricks.sliding_window_view(laid, (BLOCK, BLOCK), axis=(0, 1))[
            :: BLOCK // 2, :: BLOCK // 2
        ]
        bins = np.fft.fft2(views * hann(), axes=(-2, -1)) / BLOCK
        power = np.moveaxis((np.abs(bins) ** 2).mean((0, 1)), 0, -1)
        power /= power.mean((0, 1))
        ratio = np.einsum("ijkk->ijk", wanted) / np.maximum(power, 1e-9)
        part = np.sqrt(np.clip(ratio, 1 / CORRECTED_MOST, CORRECTED_MOST))
        spectrum = _even(spectrum * part[..., :, None] * part[..., None, :])
    return spectrum


def _sharpened(cross: F64) -> F64:
    """A mean spectrum of windowed blocks without what the window has smeared: its autocorrelation divided by the
    window's own (Bartlett 1950), far lags faded out; soft grain would come out too white otherwise."""
    lags = np.fft.ifft2(cross, axes=(0, 1)).real
    own = np.fft.ifft2(np.abs(np.fft.fft2(hann())) ** 2).real
    line = np.minimum(np.arange(BLOCK), BLOCK - np.arange(BLOCK))
    far = np.hypot(line[:, None], line[None, :])
    fade = 0.5 + 0.5 * np.cos(np.pi * np.clip((far - LAGS) / (BLOCK / 2 - LAGS), 0, 1))
    lags = lags * (fade / np.maximum(own / own[0, 0], WINDOW_LEAST))[..., None, None]
    values, vectors = np.linalg.eigh(np.fft.fft2(lags, axes=(0, 1)).real)
    values = np.maximum(values, POWER_LEAST * values.mean())
    return np.asarray(np.einsum("ijab,ijb,ijcb->ijac", vectors, values, vectors))
