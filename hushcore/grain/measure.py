"""Measuring grain: a frame against the mean of its neighbours, carried to it and brought into its light.

A high-pass of the frame alone would take texture for grain.
"""

from collections.abc import Callable, Sequence

import cv2
import numpy as np
from scipy import fft

from hushcore.arrays import F32, F64, Codes, Mask, Rect, three
from hushcore.colour.encoding import Encoding
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.grain.lay import OPPONENT, fresh
from hushcore.grain.model import BLOCK, Grain, luma_of, white
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
LAGS, POWER_LEAST = 3, 0.0001  # px that are kept whole; of the mean power
FEWEST_READ = 1200  # px, weighed
NEAR = 6.0  # px round a place over which it is judged
PLAIN_SHARE, QUIET_SHARE = 0.8, 0.95  # of the places: by the picture's edges, by the residual's energy
TAPER, TAPER_PAD = 3.0, 12  # px
MAD = 1.4826
# a Laplacian, much the same all round
DIFFERENCE = np.array([[-1, -2, -1], [-2, 12, -2], [-1, -2, -1]], np.float32) / 16
FINE_FROM, FINE_ALL = 0.02, 0.15  # of the Laplacian's greatest response: from where, and from where alone, it tells
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
    fields, shares = _evened(parts, masks, Grain(at, sigma, white()))
    if sum(float(share.sum()) for share in shares) < FEWEST_READ:
        return None
    return Grain(at, sigma, _as_laid(_even(_estimated(fields, shares))))


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


def _evened(parts: Sequence[tuple[F32, F32]], masks: Sequence[Mask], flat: Grain) -> tuple[list[F32], list[F32]]:
    """Grain made equally strong everywhere, and how much each place counts; the busiest and the loudest do not."""
    fields, shares = [], []
    for (noise, mean), mask in zip(parts, masks, strict=True):
        even = np.asarray(np.clip(noise / flat.sigma_at(luma_of(mean)), -4, 4), np.float32)
        fields.append(even)
        shares.append(_tapered(_plain_places(even, mean, mask)))
    return fields, shares


def _estimated(fields: Sequence[F32], shares: Sequence[F32]) -> F64:
    """The cross-spectrum of fields (h, w, 3), over places of any form weighed by ``shares``: from the autocorrelation
    (Bartlett 1950; of a record with gaps: Parzen 1963), and at the fine end from that of the fields' Laplacian, whose
    spectrum is flat where theirs falls steeply (prewhitening, Blackman and Tukey 1958)."""
    plain = _bounded(_autocorrelation(fields, shares))
    fine = _bounded(_autocorrelation([cv2.filter2D(field, -1, DIFFERENCE) for field in fields], shares))
    response = np.abs(np.fft.fft2(DIFFERENCE, (BLOCK, BLOCK))) ** 2
    high = np.clip((response / response.max() - FINE_FROM) / (FINE_ALL - FINE_FROM), 0, 1)[..., None, None]
    return np.asarray((1 - high) * plain + high * fine / np.maximum(response, 1e-9)[..., None, None])


def _autocorrelation(fields: Sequence[F32], shares: Sequence[F32]) -> F64:
    """Covariance of channels at every lag of a block (zero first)."""
    lags, pairs = np.zeros((BLOCK, BLOCK, 3, 3)), np.zeros((BLOCK, BLOCK))
    for field, share in zip(fields, shares, strict=True):
        products, count = _lagged(field, share)
        lags, pairs = lags + products, pairs + count
    lags /= np.maximum(pairs, 1)[..., None, None]
    # the same from both sides, as grain has no direction of reading
    return np.asarray((lags + np.roll(lags[::-1, ::-1], 1, (0, 1))) / 2)


def _plain_places(even: F32, mean: F32, mask: Mask) -> Mask:
    """Where of a mask neither the picture has its strongest edges nor the residual its greatest energy."""
    gy, gx = np.gradient(cv2.GaussianBlur(luma_of(mean), (0, 0), 1.2))
    here = mask.astype(np.float32)
    near = np.maximum(cv2.GaussianBlur(here, (0, 0), NEAR), 1e-3)
    chosen = mask.copy()
    for energy, share in ((gx**2 + gy**2, PLAIN_SHARE), ((even**2).mean(-1), QUIET_SHARE)):
        level = cv2.GaussianBlur(np.asarray(energy * here, np.float32), (0, 0), NEAR) / near
        if mask.any():
            chosen &= level <= np.quantile(level[mask], share)
    return chosen


def _tapered(mask: Mask) -> F32:
    """A mask that fades out inwards: a hard edge would smear a steep spectrum."""
    wide = cv2.copyMakeBorder(
        mask.astype(np.float32), TAPER_PAD, TAPER_PAD, TAPER_PAD, TAPER_PAD, cv2.BORDER_CONSTANT, value=0
    )
    soft = np.clip(2 * cv2.GaussianBlur(wide, (0, 0), TAPER) - 1, 0, 1)
    return np.ascontiguousarray(soft[TAPER_PAD:-TAPER_PAD, TAPER_PAD:-TAPER_PAD])


def _lagged(even: F32, share: F32) -> tuple[F64, F64]:
    """Sums of products of channels at every lag of a block (zero first), weighed by ``share``; and of the weights alone."""
    total = max(float(share.sum()), 1e-6)
    centred = (even - (even * share[..., None]).sum((0, 1)) / total) * share[..., None]
    size = [fft.next_fast_len(side + BLOCK, real=True) for side in share.shape]
    bins, weight = fft.rfft2(centred, size, axes=(0, 1)), fft.rfft2(share, size)
    reach = np.roll(np.arange(-BLOCK // 2, BLOCK // 2), BLOCK // 2)
    at = np.ix_(reach, reach)
    products = np.empty((BLOCK, BLOCK, 3, 3))
    for k in range(3):
        for j in range(3):
            products[..., k, j] = fft.irfft2(bins[..., k] * bins[..., j].conj(), size)[at]
    return products, np.asarray(fft.irfft2(np.abs(weight) ** 2, size)[at], float)


def _even(cross: F64) -> F64:
    """A cross-spectrum whose mean over frequencies has 1 on the diagonal."""
    scale = np.sqrt(np.einsum("ijkk->k", cross) / BLOCK**2)
    return np.asarray(cross / np.outer(scale, scale))


def _as_laid(wanted: F64) -> F64:
    """A spectrum of which laid grain, measured in the same way, has the power ``wanted``: between the block's frequencies it is
    interpolated, which fills the steep corners of soft and of coded footage."""
    level, spectrum = np.zeros(1), wanted
    whole = [np.ones((TRIED, TRIED), np.float32)]
    for turn in range(ROUNDS):
        laid = fresh(Grain(level, np.ones((1, 3)), spectrum), (TRIED, TRIED), turn)
        ratio = _opponent_power(wanted) / np.maximum(_opponent_power(_even(_estimated([laid], whole))), 1e-9)
        part = np.sqrt(np.clip(ratio, 1 / CORRECTED_MOST, CORRECTED_MOST))
        scaled = np.einsum("ka,ija,al->ijkl", np.linalg.inv(OPPONENT), part, OPPONENT)
        spectrum = _even(np.einsum("ijak,ijkl,ijbl->ijab", scaled, spectrum, scaled))
    return spectrum


def _opponent_power(spectrum: F64) -> F64:
    """Power (16, 16, 3) in luma and two colour differences: footage is coded in such, each as soft as it likes."""
    return np.asarray(np.einsum("ak,ijkl,al->ija", OPPONENT, spectrum, OPPONENT))


def _bounded(lags: F64) -> F64:
    """The spectrum of an autocorrelation (zero lag first), far lags faded out and no power below a floor."""
    line = np.minimum(np.arange(BLOCK), BLOCK - np.arange(BLOCK))
    far = np.hypot(line[:, None], line[None, :])
    fade = 0.5 + 0.5 * np.cos(np.pi * np.clip((far - LAGS) / (BLOCK / 2 - LAGS), 0, 1))
    values, vectors = np.linalg.eigh(np.fft.fft2(lags * fade[..., None, None], axes=(0, 1)).real)
    values = np.maximum(values, POWER_LEAST * values.mean())
    return np.asarray(np.einsum("ijab,ijb,ijcb->ijac", vectors, values, vectors))
