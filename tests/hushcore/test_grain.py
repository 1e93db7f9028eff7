"""Grain: measured against known fields, taken off, laid back with the same character."""

import cv2
import numpy as np
import pytest
from skimage.restoration import estimate_sigma

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.grain.lay import degrained, degrained_and_left, fresh
from hushcore.grain.measure import measure
from hushcore.grain.model import Grain, white
from hushcore.hold.record import Hold, HoldFrame
from hushcore.patch.evidence import _on_ground
from hushcore.patch.finish import brought, grained

SIDE = 320


@pytest.fixture(scope="module")
def known() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A field of unit grain, its mean picture (a ramp), and its strength: variance = read noise + gain x signal."""
    rng = np.random.default_rng(0)
    field = cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE, 3)).astype(np.float32), (0, 0), 0.7)
    field /= field.std((0, 1))
    field[..., 0] = 0.5 * field[..., 1] + 0.866 * field[..., 0]  # red and green half correlated
    mean = np.tile(np.linspace(0.2, 0.7, SIDE, dtype=np.float32)[None, :, None], (SIDE, 1, 3))
    return field, mean, np.sqrt(1e-5 + 4e-4 * mean)


@pytest.fixture(scope="module")
def grain(known) -> Grain:
    field, mean, sigma = known
    found = measure([(field * sigma, mean)], [np.ones((SIDE, SIDE), bool)])
    assert found is not None
    return found


def test_strength_is_found_at_each_brightness(grain):
    np.testing.assert_allclose(grain.sigma[:, 1], np.sqrt(1e-5 + 4e-4 * grain.levels), rtol=0.05)


def test_white_noise_agrees_with_a_reference_estimator():
    """skimage.restoration.estimate_sigma (Donoho & Johnstone 1994) on a flat picture with white noise."""
    rng = np.random.default_rng(1)
    flat, noise = np.full((SIDE, SIDE, 3), 0.4, np.float32), rng.normal(0, 0.02, (SIDE, SIDE, 3)).astype(np.float32)
    found = measure([(noise, flat)], [np.ones((SIDE, SIDE), bool)])
    assert found.mean_sigma == pytest.approx(estimate_sigma((flat + noise)[..., 1]), rel=0.03)


def test_fresh_grain_has_the_measured_character(known, grain):
    field, made = known[0], fresh(grain, (SIDE, SIDE), 7)
    np.testing.assert_allclose(made.std((0, 1)), 1, atol=0.03)
    for step in (1, 2):  # autocorrelation of the known filter
        wanted, got = (float((side[:-step, :, 1] * side[step:, :, 1]).mean()) for side in (field, made))
        assert got == pytest.approx(wanted, abs=0.08)
    assert np.corrcoef(made[..., 0].ravel(), made[..., 1].ravel())[0, 1] == pytest.approx(0.5, abs=0.06)


def test_fresh_grain_is_the_same_for_a_seed_and_another_for_the_next(grain):
    one, again, other = (fresh(grain, (80, 90), seed) for seed in (1, 1, 2))
    np.testing.assert_array_equal(one, again)
    assert abs(np.corrcoef(one.ravel(), other.ravel())[0, 1]) < 0.05


def test_degraining_takes_the_grain_and_leaves_the_weave(known, grain):
    field, mean, sigma = known
    weave = 0.06 * np.sin(np.arange(SIDE) * 2 * np.pi / 9)[:, None, None].astype(np.float32)
    made = degrained(mean + weave + field * sigma, grain)
    inner = slice(20, -20)
    left = (made - mean - weave)[inner, inner].std()
    assert left < 0.6 * (field * sigma).std()
    profile = made[inner, inner, 1].mean(1)
    assert profile.std() > 0.93 * (mean + weave)[inner, inner, 1].mean(1).std()


def test_too_little_surface_tells_nothing():
    tiny = np.zeros((30, 30, 3), np.float32)
    assert measure([(tiny, tiny + 0.4)], [np.ones((30, 30), bool)]) is None


@pytest.mark.parametrize("encoding", [SRGB, Encoding("linear", 16), Encoding("acescct", 10)], ids=lambda one: one.space)
def test_grain_stays_as_strong_through_the_fall_of_a_soft_edge(encoding):
    """Mixed by c, the frame's own grain leaves (1 - c)^2 of its variance: what is laid makes up for it, in each encoding, and
    no pixel stands out however thin the matte is (in logarithmic ones the largest of it once did)."""
    flat = Grain(np.array([0.0, 1.0]), np.full((2, 3), 0.02), white())
    rng = np.random.default_rng(2)
    matte = np.tile(np.geomspace(0.0005, 1, 400, dtype=np.float32), (300, 1))
    level = encoding.from_tonal(np.full((300, 400, 3), 0.5, np.float32))
    frame = encoding.from_tonal((0.5 + rng.normal(0, 0.02, (300, 400, 3))).astype(np.float32))
    mixed = grained(frame + matte[..., None] * (level - frame), matte, flat, 1.0, None, 3, encoding)
    shown = encoding.tonal_of(mixed)
    strength = shown[..., 1].std(0)
    assert np.abs(cv2.GaussianBlur(strength[None], (0, 0), 12)[0] / 0.02 - 1).max() < 0.1
    assert np.abs(shown - 0.5).max() < 6 * 0.02


def test_a_model_survives_its_plain_form(grain):
    again = Grain.of(grain.plain())
    np.testing.assert_allclose(again.sigma, grain.sigma, atol=1e-6)
    np.testing.assert_allclose(again.spectrum, grain.spectrum, atol=1e-4)


def test_soft_grain_does_not_come_out_whiter_than_it_is():
    """The autocorrelation of a Gaussian of sigma s at a lag of one is exp(-1 / (4 s^2)): what is laid has the field's own."""
    rng = np.random.default_rng(3)
    field = cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE, 3)).astype(np.float32), (0, 0), 0.9)
    field *= 0.02 / field.std()
    flat = np.full((SIDE, SIDE, 3), 0.4, np.float32)
    found = measure([(field, flat)], [np.ones((SIDE, SIDE), bool)])
    assert found is not None
    made = fresh(found, (SIDE, SIDE), 5)[..., 1]
    beside = float((made[:, 1:] * made[:, :-1]).mean() / (made**2).mean())
    assert beside == pytest.approx(np.exp(-1 / (4 * 0.9**2)), abs=0.03)


def test_what_the_plate_still_holds_is_told(known, grain):
    """On a plain ramp next to nothing is left; under strong texture the filter lets grain through, and says so."""
    field, mean, sigma = known
    plain = degrained_and_left(np.asarray(mean + field * sigma, np.float32), grain)[1]
    weave = 0.15 * np.sin(np.arange(SIDE, dtype=np.float32) * 1.9)[None, :, None]
    busy = degrained_and_left(np.asarray(mean + weave + field * sigma, np.float32), grain)[1]
    assert plain < 0.3
    assert busy > plain


def test_a_weave_no_stronger_than_the_grain_is_not_taken_for_it(known, grain):
    """The best linear estimate keeps S / (S + N) of a texture of power S in grain of power N (Wiener 1949), half of it here; more
    may be kept. Read from one block alone, power is as much chance as texture, and smooth places keep .45 of their grain."""
    field, mean, sigma = known
    rng = np.random.default_rng(8)
    weave = rng.standard_normal((SIDE, SIDE, 1)).astype(np.float32)
    weave = (cv2.GaussianBlur(weave, (0, 0), 0.7)[..., None] * float(sigma.mean())).astype(np.float32)
    weave *= float(sigma.mean() / weave.std())
    made = degrained(mean + weave + field * sigma, grain)
    smooth = degrained(mean + field * sigma, grain)
    inner = slice(20, -20)
    own = (made - mean)[inner, inner, 1]
    there = weave[inner, inner, 0]
    assert (own * there).mean() / (there**2).mean() > 0.6
    assert (smooth - mean)[inner, inner, 1].std() < 0.35 * (field * sigma)[inner, inner, 1].std()


@pytest.mark.parametrize(("soft", "low", "high"), [(0.0, 0.5, 0.9), (1.2, 0.95, 1.0)])
def test_what_resampling_leaves_of_grain_hangs_on_how_soft_it_is(soft, low, high):
    """Between pixels a cubic B-spline takes the frequencies next to Nyquist (at half a pixel all of that one); on pixels none
    (Unser 1999). Values measured on noise made here."""
    rng = np.random.default_rng(4)
    field = rng.standard_normal((SIDE, SIDE, 3)).astype(np.float32)
    field = cv2.GaussianBlur(field, (0, 0), soft) if soft else field
    found = measure(
        [(np.asarray(field * 0.02 / field.std(), np.float32), np.full_like(field, 0.4))], [np.ones((SIDE, SIDE), bool)]
    )
    assert found is not None
    x, y = np.meshgrid(np.arange(140, dtype=np.float32), np.arange(120, dtype=np.float32))
    assert brought(found, (x, y)) == pytest.approx(1, abs=0.02)
    shares = [
        brought(found, (x + np.float32(dx), y + np.float32(dy))) for dx, dy in ((0.5, 0.5), (0.3, 0.1), (0.25, 0.5))
    ]
    assert low < np.mean(shares) <= high


def test_grain_is_read_on_the_ground_that_the_hold_has_used():
    """Cells of 16 px: what was not used, or not read, says nothing of grain."""
    cells = np.full((4, 6), 9, np.uint8)
    cells[:, 3] = 2  # covered
    cells[:, 4:] = 11  # no ground
    frame = HoldFrame(
        np.array([[1, 0, 5.0], [0, 1, 0], [0, 0, 1.0]]), np.zeros((4, 6), np.float32), 0.1, 1.0, False, cells
    )
    hold = Hold("planar", 0, (400, 300), None, (10, 20), {1: frame})
    on = _on_ground(hold, 1, Rect(0, 0, 200, 120))
    assert on[20:84, 15:63].all()
    assert not on[:, 63:].any()
    assert not on[:20].any()
    assert not on[:, :15].any()
