"""How far what comes back from under an overlay can be trusted, where footage was coded after it was laid on.

Coding is coarser than what shows through, and the division makes its errors stronger. What is carried on from beside the lines
has none of them, but no detail: the two are weighed, band by band, lightness and colour apart, by how strong detail is beside the
lines and under them (Wiener's filter).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from hushcore.arrays import F32, Mask, mean
from hushcore.geometry.membrane import membrane

ASIDE = ((0, 13), (0, -13), (13, 0), (-13, 0))  # px, where detail is measured as if the mark lay there
DEPTHS = ((0.0, 2.0), (2.0, 5.0), (5.0, 10.0))  # px from a mark's border; deeper, what is carried on says nothing
FINE, SMOOTH, CLEAR = 2.0, 1.5, 3  # px: between the bands; of the shares; from the mark
DOUBTED, CODED = 0.35, 0.5  # shares: from the second on all counts, and if of fine colour, nothing is coded
FEWEST = 40  # places
Stack = NDArray[np.float32]


@dataclass(frozen=True)
class Trust:
    """``usual`` (h, w, 3): what comes back less what is carried on, on most frames, broadly; ``shares`` (4, h, w) of the rest
    that are kept: of fine and broad lightness, and of fine and broad colour; ``noise`` (4, h, w; RMS): what is taken for
    coding's in them. On a frame with far more than that, stripes that pass under the mark, all but the noise is kept."""

    usual: F32
    shares: F32
    noise: F32

    @property
    def maps(self) -> F32:
        """All of it in one (h, w, 11)."""
        return np.dstack([self.usual, *self.shares, *self.noise])

    @staticmethod
    def of(maps: F32) -> "Trust":
        """From ``maps``."""
        rest = np.moveaxis(maps[..., 3:], -1, 0)
        return Trust(maps[..., :3], rest[:4], rest[4:])

    def kept(self, bare: F32, cover: Mask) -> F32:
        """A frame's picture (h, w, 3) as it came back, where ``cover`` says so only as far as it can be trusted."""
        carried = membrane(bare, ~cover)
        rest = np.where(cover[..., None], bare - carried - self.usual, 0).astype(np.float32)
        weighed = sum(
            np.maximum(share, _beyond(part, noise))[..., None] * part
            for share, noise, part in zip(self.shares, self.noise, _parts(rest), strict=True)
        )
        return np.asarray(np.where(cover[..., None], carried + self.usual + weighed, bare), np.float32)


def trust_in(bare: Stack, cover: Mask) -> Trust | None:
    """The trust in pictures (n, h, w, 3) that came back from under an overlay that lay on ``cover``; None where all of them
    can be trusted."""
    apart = np.stack([_apart(one, cover) for one in bare])
    usual = cv2.GaussianBlur(np.median(apart, 0).astype(np.float32), (0, 0), FINE)
    under = _energies([one - usual for one in apart])
    depth = cv2.distanceTransform(cover.astype(np.uint8), cv2.DIST_L2, 5)
    sides = [_beside(bare, cover, by) for by in ASIDE]
    shares = np.ones(under.shape, np.float32)
    weight = cv2.GaussianBlur(cover.astype(np.float32), (0, 0), SMOOTH)
    for share, energy, there in zip(shares, under, zip(*sides, strict=True), strict=True):
        local = cv2.GaussianBlur(energy * cover, (0, 0), SMOOTH) / np.maximum(weight, 1e-6)
        for low, high in DEPTHS:
            places = cover & (depth > low) & (depth <= high)
            known = np.concatenate([side[(at > low) & (at <= high)] for side, at in there])
            if len(known) >= FEWEST:
                share[places] = np.clip(np.median(known) / np.maximum(local[places], 1e-12), 0, 1)
    inner = cover & (depth > DEPTHS[0][1])
    if not cover.any() or np.median(shares[2][inner if inner.any() else cover]) > CODED:
        return None
    shares += (1 - shares) * np.clip((shares - DOUBTED) / (CODED - DOUBTED), 0, 1)  # what is mostly right is left alone
    noise = np.sqrt((1 - shares) * under)
    shares[0] = np.sqrt(shares[0])  # as strong as beside: softness is seen sooner than grain
    return Trust(usual, *(np.stack([cv2.GaussianBlur(one, (0, 0), 1.0) for one in side]) for side in (shares, noise)))


def _beyond(part: F32, noise: F32) -> F32:
    """The share (h, w) of a frame's own energy that is not noise (RMS), three times as much of that allowed for."""
    energy = cv2.GaussianBlur((part**2).mean(-1), (0, 0), SMOOTH)
    return np.asarray(np.clip(1 - 9 * noise**2 / np.maximum(energy, 1e-12), 0, 1), np.float32)


def _apart(picture: F32, cover: Mask) -> F32:
    return np.asarray(np.where(cover[..., None], picture - membrane(picture, ~cover), 0), np.float32)


def _beside(bare: Stack, cover: Mask, by: tuple[int, int]) -> list[tuple[F32, F32]]:
    """The energies of the four parts where the mark would lie if it were moved, and how deep in it."""
    moved = np.roll(cover, by, (0, 1))
    near = cv2.dilate(cover.astype(np.uint8), np.ones((2 * CLEAR + 1,) * 2, np.uint8)) > 0
    clean = moved & ~near
    depth = cv2.distanceTransform(moved.astype(np.uint8), cv2.DIST_L2, 5)[clean]
    return [(energy[clean], depth) for energy in _energies([_apart(one, moved) for one in bare[::2]])]


def _energies(pictures: Sequence[F32]) -> F32:
    """The usual energy (4, h, w) of the four parts of some pictures."""
    return np.asarray(np.median([[(part**2).mean(-1) for part in _parts(one)] for one in pictures], 0), np.float32)


def _parts(picture: F32) -> tuple[F32, F32, F32, F32]:
    """Fine and broad lightness (h, w, 1), fine and broad colour (h, w, 3)."""
    light = mean(picture)[..., None]
    both = [(side, cv2.GaussianBlur(side, (0, 0), FINE).reshape(side.shape)) for side in (light, picture - light)]
    return both[0][0] - both[0][1], both[0][1], both[1][0] - both[1][1], both[1][1]
