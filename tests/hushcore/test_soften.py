"""Softening: tone is evened, pores stay."""

import cv2
import numpy as np
import pytest

from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.retouch.soften import Soften, creases_of, softened
from tests.hushcore.walls import HEIGHT, WIDTH, X, Y, fix_of


def skin(rng) -> tuple[np.ndarray, np.ndarray]:
    """Blotchy tone with pores, and a dark crease across it; tonal values."""
    pores = 0.02 * cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 0.9)
    blotch = 0.25 * cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 5)
    crease = -0.08 * np.exp(-(((Y - 120 - 6 * np.sin(X / 40)) / 3.0) ** 2))
    plain = 0.5 + 0.1 * X / WIDTH + pores
    return np.repeat((plain + blotch)[..., None], 3, 2).astype(np.float32), np.asarray(crease, np.float32)


def bands(tonal: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    fine, low = (cv2.GaussianBlur(tonal.mean(-1), (0, 0), sigma) for sigma in (1.0, 2.0))
    return tonal.mean(-1) - fine, low - cv2.GaussianBlur(tonal.mean(-1), (0, 0), 24)


def test_tone_is_smoothed_and_pores_stay():
    tonal, _ = skin(np.random.default_rng(0))
    tone, texture = softened(tonal, Soften(scale=10, amount=1.0), None)
    before, after = bands(tonal), bands(tonal + tone + texture)
    middle = (slice(40, -40), slice(40, -40))
    assert after[1][middle].std() < 0.6 * before[1][middle].std()
    assert after[0][middle].std() == pytest.approx(before[0][middle].std(), rel=0.05)  # skin is not plastic
    wide = cv2.GaussianBlur(tone.mean(-1), (0, 0), 40)
    assert np.abs(wide).max() < 0.004  # light at over four times the scale is untouched


def test_real_edges_are_not_smoothed_away():
    step = np.repeat(np.where(X > 180, 0.75, 0.35)[..., None], 3, 2).astype(np.float32)
    tone, _ = softened(step, Soften(scale=10, amount=1.0), None)
    assert np.abs(tone).max() < 0.04  # of a step of .4


def test_creases_are_evened_and_what_lies_beside_them_is_not():
    tonal, crease = skin(np.random.default_rng(1))
    creased = tonal + crease[..., None]
    found = creases_of(creased, np.ones((HEIGHT, WIDTH), bool))
    tone, _ = softened(creased, Soften(amount=0.0, lines=1.0), found)
    on = crease < -0.06
    left = float((crease * (crease + tone.mean(-1)))[on].sum() / (crease**2)[on].sum())
    assert left < 0.3  # of the crease's own profile
    far = np.abs(Y - 120) > 40
    assert np.abs(tone[far]).max() < 0.01


def test_the_frame_keeps_its_own_pixels_detail(scratched, held):
    """Softening is laid as a gain: the finest detail in the patch is the frame's own, not resampled."""
    spot = Edge.of(np.array([[120, 90], [240, 90], [240, 170], [120, 170]], float), 0, 8)
    fix = fix_of(scratched, held, Plan(spot, Match(), "soften", soften=Soften(scale=8, amount=1.0)))
    for frame in (1, 12):
        codes = scratched.read(frame)
        laid = lay(codes, frame, fix)
        fine = [
            SRGB.tonal(s).mean(-1) - cv2.GaussianBlur(SRGB.tonal(s).mean(-1), (0, 0), 0.8) for s in (codes, laid.codes)
        ]
        inside = np.zeros((HEIGHT, WIDTH), bool)
        inside[laid.rect.slices] = laid.matte > 0.99
        assert np.corrcoef(fine[0][inside], fine[1][inside])[0, 1] > 0.99
        assert fine[1][inside].std() == pytest.approx(fine[0][inside].std(), rel=0.05)


def test_texture_of_another_place_is_laid_instead():
    rng = np.random.default_rng(2)
    rough = 0.03 * cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 0.9)
    tonal = np.repeat((0.5 + np.where(X > 180, rough, 0.1 * rough))[..., None], 3, 2).astype(np.float32)
    tone, texture = softened(tonal, Soften(amount=0.0, take=(140.0, 0.0)), None)
    made = bands(tonal + tone + texture)[0][40:-40, 60:140]
    there = bands(tonal)[0][40:-40, 200:280]
    assert np.corrcoef(made.ravel(), there.ravel())[0, 1] > 0.95
