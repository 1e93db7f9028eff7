"""What passes in front is told from what a surface usually looks like; light is not taken for a thing, nor the mark."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from hushcore.edge import front, unmix
from hushcore.edge.signs import Usual

SIDE = 96
GAIN = np.full(3, 2e-5)
FLAT = np.zeros((SIDE, SIDE, 3), np.float32)
ALL = np.ones((SIDE, SIDE), bool)
AREA = np.ones((SIDE, SIDE), np.float32)


@pytest.fixture(scope="module")
def surface(texture) -> np.ndarray:
    small = cv2.resize(texture[:192, :192], (SIDE, SIDE), interpolation=cv2.INTER_AREA)
    return np.repeat((0.2 + 0.4 * small)[..., None], 3, 2).astype(np.float32)


def noisy(picture, seed=0):
    grain = np.random.default_rng(seed).normal(0, 1, picture.shape) * np.sqrt(2e-5 * picture)
    return np.clip(picture + grain, 1e-4, None).astype(np.float32)


def signs(now, then, painted=None):
    return front.signs(now, then, then if painted is None else painted, FLAT, GAIN, ALL, AREA)


@pytest.fixture(scope="module")
def usual(surface):
    """As nine frames show it with nothing in front."""
    found = Usual.of_frames(0, 0, [signs(noisy(surface, 20 + k), noisy(surface)) for k in range(9)])
    assert found is not None
    return found


def test_a_dark_thing_without_texture_is_found_and_nothing_else(surface, usual):
    now = noisy(surface, 1)
    now[:, 40:60] = 0.02
    found = front.found(signs(now, noisy(surface)), usual, None, 1.0)
    assert found[:, 42:58].mean() > 0.9
    assert found[:, :32].mean() + found[:, 68:].mean() < 0.02


def test_a_thing_of_the_surface_s_own_brightness_is_found_by_its_texture(surface, usual):
    other = np.rot90(surface).copy()
    now = np.where((np.abs(np.arange(SIDE) - 50) < 14)[None, :, None], other, surface)
    found = front.found(signs(noisy(now, 1), noisy(surface)), usual, None, 1.0)
    assert found[8:-8, 42:58].mean() > 0.8
    assert found[:, :28].mean() < 0.05


def test_a_shadow_s_edge_and_a_flicker_are_light(surface, usual):
    shade = 0.45 + 0.55 / (1 + np.exp(-(np.arange(SIDE) - 48) / 5.0))[None, :, None]
    for light in (shade, 0.6, 1.7):
        found = front.found(signs(noisy(surface * np.float32(light), 1), noisy(surface)), usual, None, 1.0)
        assert found.mean() < 0.03


def test_where_the_mark_is_seen_nothing_is_in_front(surface, usual):
    then, clean = surface.copy(), surface
    mark = np.zeros((SIDE, SIDE), bool)
    mark[30:66:6] = mark[31:66:6] = True
    mark &= (np.abs(np.arange(SIDE) - 48) < 20)[None, :]
    then[mark] *= 0.3
    seen = signs(noisy(then, 1), noisy(then), clean)
    assert seen.mark[34:62, 34:62].mean() > 0.9
    gone = then.copy()
    gone[20:76, 20:76] = 0.03
    covered = signs(noisy(gone, 1), noisy(then), clean)
    assert covered.mark[34:62, 34:62].mean() < 0.1
    assert front.found(covered, usual, None, 1.0)[34:62, 34:62].mean() > 0.9


def test_what_is_usual_at_a_place_is_not_in_front(surface):
    """A shadow that hides part of the surface on half of the frames is part of what it looks like."""
    shown = [noisy(surface, k) for k in range(9)]
    for k in range(0, 9, 2):
        shown[k][:, 40:60] = 0.02 + 0.001 * k
    usual = Usual.of_frames(0, 0, [signs(one, noisy(surface, 50)) for one in shown])
    assert usual is not None
    again = Usual.of(usual.plain())
    seen = signs(shown[4], noisy(surface, 50))
    assert front.found(seen, again.over(0, 0, (SIDE, SIDE)), None, 1.0)[:, 42:58].mean() < 0.1
    # before that is known, only what the hold saw covered counts
    assert not front.found(seen, None, None, 1.0).any()
    assert front.found(seen, None, np.ones((SIDE, SIDE), np.float32), 1.0)[:, 42:58].mean() > 0.8
    moved = again.over(20, 0, (SIDE, SIDE))
    np.testing.assert_allclose(moved.alike[:, :80], again.alike[:, 10:90])
    assert (moved.alike[:, -8:] == -1).all()


def test_too_few_frames_tell_nothing_of_what_is_usual(surface):
    assert Usual.of_frames(0, 0, [signs(surface, surface)] * 3) is None


def test_a_surface_that_has_turned_away_is_left_alone(surface, usual):
    now = noisy(surface, 1)
    now[:, 40:60] = 0.02
    turned = front.signs(now, noisy(surface), surface, FLAT, GAIN, ALL, 0.15 * AREA)
    assert not front.found(turned, usual, None, 1.0).any()


def streaks(seed: int) -> np.ndarray:
    """Light that moves over a surface on its own, as on leather that mirrors a window: a factor (h, w, 1)."""
    field = np.random.default_rng(seed).standard_normal((SIDE, SIDE)).astype(np.float32)
    long = cv2.GaussianBlur(field, (0, 0), 9, sigmaY=2.5)
    return np.exp(0.5 * long / long.std())[..., None]


def test_where_light_moves_on_its_own_brightness_tells_little(surface, monkeypatch):
    """Bits of a mark were left standing for things in front; a dark thing is found all the same."""
    usual = Usual.of_frames(0, 0, [signs(noisy(surface * streaks(k), k), noisy(surface, 50)) for k in range(9)])
    assert usual is not None
    assert usual.unexplained > front.MOVES
    frames = [noisy(surface * streaks(k), k) for k in range(20, 26)]

    def spreads() -> float:
        """How much of a frame is taken for what is found at the darkest streak, beside that."""
        shares = []
        for now in frames:
            seen, begun = signs(now, noisy(surface, 50)), np.zeros((SIDE, SIDE), np.uint8)
            y, x = np.unravel_index(cv2.GaussianBlur(seen.level, (0, 0), 3).argmin(), begun.shape)
            cv2.circle(begun, (int(x), int(y)), 4, 1, -1)
            shares.append(front.spread(begun > 0, now, seen, usual).mean() - begun.mean())
        return float(np.mean(shares))

    # that it is plainly the surface leaves little of it by itself
    monkeypatch.setattr(front, "_plain", lambda seen, *_: np.zeros_like(seen.mark))
    now = spreads()
    dark = frames[0].copy()
    dark[:, 40:60] = 0.005
    assert front.found(signs(dark, noisy(surface, 50)), usual, None, 1.0)[:, 44:56].mean() > 0.8
    monkeypatch.setattr(front, "MOVES", 9.0)
    assert now < 0.65 * spreads()


def test_something_bright_in_front_is_no_highlight_though_it_takes_nothing_from_any_channel(surface, usual):
    """Under a highlight the surface's own differences of light are still there. A pale hand over a dark mark was patched."""
    spot, middle, then = np.s_[26:70, 26:70], np.s_[40:56, 40:56], noisy(surface)
    restless = replace(usual, spread=np.maximum(usual.spread, 0.12))  # texture alone does not tell so surely
    hand, glint = noisy(surface, 1), noisy(surface, 1)
    hand[spot] = noisy(np.full((44, 44, 3), 0.8, np.float32), 2)
    glint[spot] += 0.4
    for now, at_least, at_most in ((hand, 0.8, 1.0), (glint, 0.0, 0.05)):
        seen, gone = signs(now, then), lambda now=now: front.gone(now, then, FLAT)
        assert seen.brighter[middle].mean() > 0.95
        found = front.found(seen, restless, None, 1.0, gone)[middle].mean()
        assert at_least <= found <= at_most
    assert front.found(signs(hand, then), restless, None, 1.0)[middle].mean() < 0.2  # as it was


def test_nothing_is_in_front_where_a_mark_is_seen_as_it_is_lit(surface):
    """A shade at a silhouette was unmixed as the soft edge of something, and half of the mark in it stayed."""
    painted = surface
    rings = (np.arange(SIDE) // 8 % 2 == 0)[:, None, None] & (np.abs(np.arange(SIDE) - 48) < 30)[None, :, None]
    then = np.where(rings, 0.6 * surface, surface).astype(np.float32)
    now = noisy(0.75 * np.roll(then, 1, 0), 1)  # in shade, and a little off
    now[:, 60:] = noisy(np.full((SIDE, SIDE - 60, 3), 0.05, np.float32), 2)
    most = front.at_most(now, noisy(then), painted, FLAT, GAIN)
    assert most[10:-10, 25:46].mean() < 0.2
    assert most[10:-10, 66:].mean() > 0.95
    mask = np.zeros((SIDE, SIDE), bool)
    mask[:, 40:] = True
    without, bounded = unmix.unmixed(mask, now, then), unmix.unmixed(mask, now, then, most=most)
    assert without is not None
    assert bounded is not None
    assert bounded.alpha[10:-10, 40:46].mean() < 0.25 < without.alpha[10:-10, 40:46].mean()
    assert bounded.alpha[10:-10, 70:].min() > 0.9
