"""What a shot's grain is like: its strength by brightness and channel, and its look (a cross-spectrum of blocks).

Grain is described in the clip's tonal values (``Encoding.tonal``). Form of the model after the film grain of the AV1
specification, 7.18.3: a random field of fixed character, scaled by a function of brightness; here the character is the
measured spectrum itself.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from hushcore.arrays import F32, F64

BLOCK = 16  # px, of the spectrum
NO_ROUNDING = 1e-4  # of the variance: footage of 16 bits
LEAST_POWER = 0.02  # of what was measured
LUMA = np.array([0.2126, 0.7152, 0.0722])  # BT.709


@dataclass(frozen=True)
class Grain:
    """``levels`` (n,): tonal luma, rising; ``sigma`` (n, 3): standard deviation there, tonal units; ``spectrum``
    (16, 16, 3, 3): cross-spectrum of grain of sigma 1, its mean over frequencies having 1 on the diagonal."""

    levels: F64
    sigma: F64
    spectrum: F64

    def sigma_at(self, luma: F32) -> F32:
        """Standard deviation per channel (..., 3) at tonal lumas of any shape."""
        flat = [np.interp(luma, self.levels, self.sigma[:, k]) for k in range(3)]
        return np.stack(flat, -1).astype(np.float32)

    @property
    def mean_sigma(self) -> float:
        """One figure: green's, in the middle of what was measured."""
        return float(np.median(self.sigma[:, 1]))

    def less(self, rounding: F64) -> "Grain":
        """The grain without as much noise as rounding what is laid will add: a covariance (3, 3) in tonal units, or one a
        frequency (16, 16, 3, 3); no less than ``LEAST_POWER`` of the grain at any frequency."""
        middle = np.median(self.sigma, axis=0)
        if float((rounding / np.outer(middle, middle)).max()) < NO_ROUNDING:
            return self
        power = self.spectrum - rounding / np.outer(middle, middle)
        values, vectors = np.linalg.eigh(power)
        least = LEAST_POWER * np.linalg.eigvalsh(self.spectrum)
        left = np.einsum("ijab,ijb,ijcb->ijac", vectors, np.maximum(values, least), vectors)
        share = np.sqrt(np.einsum("ijkk->k", left) / BLOCK**2)
        return Grain(self.levels, self.sigma * np.minimum(share, 1), left / np.outer(share, share))

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        return {
            "levels": np.round(self.levels, 5).tolist(), "sigma": np.round(self.sigma, 6).tolist(),
            "spectrum": np.round(self.spectrum, 6).tolist(),
        }  # fmt: skip

    @staticmethod
    def of(data: dict[str, Any]) -> "Grain":
        """From ``plain`` data."""
        return Grain(*(np.asarray(data[name], float) for name in ("levels", "sigma", "spectrum")))


def luma_of(tonal: F32) -> F32:
    """Tonal luma (h, w) of a tonal picture (h, w, 3)."""
    return np.asarray(tonal @ LUMA.astype(np.float32))


def hann() -> F64:
    """A 2-D periodic Hann window of a block, of mean square 1."""
    line = 0.5 - 0.5 * np.cos(2 * np.pi * (np.arange(BLOCK) + 0.5) / BLOCK)
    window = np.outer(line, line)
    return np.asarray(window / np.sqrt((window**2).mean()))


def white() -> F64:
    """The spectrum of grain without any character: every pixel and channel on its own."""
    return np.broadcast_to(np.eye(3), (BLOCK, BLOCK, 3, 3)).copy()
