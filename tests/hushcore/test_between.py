"""A mark that stands in the frame: what is seen between its lines goes on under them."""

import cv2
import numpy as np
import pytest

from hushcore.colour.encoding import SRGB
from hushcore.patch.between import carried

SIDE = 160


def weave(seed: int = 0, strength: float = 0.12) -> np.ndarray:
    """A textured surface, tonal (h, w, 3)."""
    field = cv2.GaussianBlur(np.random.default_rng(seed).standard_normal((SIDE, SIDE)).astype(np.float32), (0, 0), 1.2)
    return np.repeat((0.5 + strength * field / field.std() / 3)[..., None], 3, 2)


def lines() -> np.ndarray:
    """The cover (h, w) of an overlay: a ring and two bars, six px wide."""
    cover = np.zeros((SIDE, SIDE), np.float32)
    cv2.circle(cover, (80, 80), 50, 1.0, 6)
    cover[60:66, 50:110] = cover[95:101, 50:110] = 1
    return cover


def linear(tonal: np.ndarray) -> np.ndarray:
    return SRGB.from_tonal(tonal.astype(np.float32))


def miss(made: np.ndarray, truth: np.ndarray, where: np.ndarray) -> float:
    """Mean tonal difference after a 2 px low-pass, as it is looked at."""
    low = cv2.GaussianBlur(SRGB.tonal_of(np.maximum(made, 0)) - truth, (0, 0), 2.0)
    return float(np.abs(low)[where].mean())


def laid(
    truth: np.ndarray, plate: np.ndarray, cover: np.ndarray, grain: float = 0.006
) -> tuple[np.ndarray, np.ndarray]:
    """The patch before and after, of a frame (tonal ``truth`` under a white overlay) with grain."""
    rng = np.random.default_rng(5)
    shown = truth + rng.normal(0, grain, truth.shape)
    beneath, made = linear(shown * (1 - cover[..., None]) + 0.95 * cover[..., None]), linear(plate)
    return made, carried(beneath, made, cover, SRGB)


def test_a_hand_that_passes_between_surface_and_overlay_goes_on_under_its_lines():
    cover, surface = lines(), weave()
    hand = surface.copy()
    hand[:, :85] = 0.3 + 0.02 * weave(1)[:, :85]
    before, after = laid(hand, surface, cover)
    inside = cover > 0
    inside[:, 75:] = False
    assert miss(after, hand, inside) < 0.15 * miss(before, hand, inside)
    assert miss(after, hand, inside) < 0.015


def test_a_shadows_edge_goes_on_under_the_lines_with_the_surfaces_own_weave():
    cover, surface = lines(), weave()
    shade = np.clip((np.arange(SIDE) - 70) / 20, 0, 1)[None, :, None] * 0.15
    before, after = laid(surface - shade, surface, cover)
    inside = cover > 0
    assert miss(after, surface - shade, inside) < 0.2 * miss(before, surface - shade, inside)
    fine = [cv2.Laplacian(SRGB.tonal_of(side)[..., 1], -1)[inside].std() for side in (after, linear(surface))]
    assert fine[0] == pytest.approx(fine[1], rel=0.15)


@pytest.mark.parametrize("grain", [0.003, 0.02])
def test_a_plate_that_is_right_stays(grain):
    """Next to nothing of the grain round about is carried in."""
    cover, surface = lines(), weave()
    before, after = laid(surface, surface, cover, grain)
    assert miss(before, surface, cover > 0) < 1e-3
    assert miss(after, surface, cover > 0) < 0.5 * grain


def test_nothing_is_carried_deep_into_a_mark_that_is_solid():
    cover, surface = np.zeros((SIDE, SIDE), np.float32), weave()
    cover[30:130, 30:130] = 1
    before, after = laid(surface - 0.2, surface, cover)
    np.testing.assert_array_equal(after[56:104, 56:104], before[56:104, 56:104])
    assert np.abs(SRGB.tonal_of(after) - surface + 0.2)[32:36, 60:100].mean() < 0.04


def test_with_too_little_to_see_the_plate_stays():
    surface = weave()
    before, after = laid(surface - 0.2, surface, np.ones((SIDE, SIDE), np.float32))
    np.testing.assert_array_equal(after, before)
