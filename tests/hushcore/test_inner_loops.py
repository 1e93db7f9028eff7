"""The engine's quick inner loops against plain formulas and reference libraries."""

import warnings
from itertools import pairwise

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi
from hypothesis import given, settings
from hypothesis import strategies as st

from hushcore import threads
from hushcore.arrays import Rect, known_percentile
from hushcore.geometry import sampling, spline
from hushcore.grain.lay import FIELD_LEAST, fresh
from hushcore.grain.model import Grain, white
from hushcore.hold.maps import MeshMap, PlanarMap, forward_grid, jacobian_grid
from hushcore.light import kernels
from hushcore.light.region import BLACK, Pair, Region, affine, wide
from hushcore.recipe.models import OutlineData

XS, YS = np.array([40.0, 95.5, 161.25]), np.array([33.0, 120.75])


@pytest.fixture(scope="module")
def mesh() -> MeshMap:
    """A cloth-like map: some turn and scale, and folds."""
    grid = spline.Grid.over(Rect(20, 10, 220, 180), 28)
    turned = spline.control_points(grid) @ np.array([[0.04, -0.06], [0.05, 0.02]])
    folds = np.random.default_rng(2).normal(0, 3, (*grid.shape, 2))
    return MeshMap(grid, turned + folds + [7, -4])


# -- rows by two threads


@pytest.fixture
def with_threads():
    """Sets how many threads may be used; as before afterwards."""
    before = cv2.getNumThreads()
    yield cv2.setNumThreads
    cv2.setNumThreads(before)


@pytest.mark.parametrize("count", [1, 2])
@pytest.mark.parametrize("rows", [0, 1, 63, 64, 65, 300])
def test_every_row_is_worked_on_once(with_threads, rows, count):
    with_threads(count)
    seen = np.zeros(rows, int)

    def work(first: int, last: int) -> None:
        seen[first:last] += 1

    threads.by_rows(work, rows)
    np.testing.assert_array_equal(seen, 1)


def test_an_error_in_the_second_half_is_raised(with_threads):
    with_threads(2)

    def work(first: int, last: int) -> None:
        if first > 0:
            raise ValueError("lower half")

    with pytest.raises(ValueError, match="lower half"):
        threads.by_rows(work, 400)


def test_pictures_do_not_depend_on_the_number_of_threads(with_threads):
    rng = np.random.default_rng(5)
    picture = rng.random((200, 150, 3)).astype(np.float32)
    x, y = (rng.uniform(-5, 205, (180, 90)).astype(np.float32) for _ in range(2))
    across, down = (rng.uniform(-9, 9, (200, 150)).astype(np.float32) for _ in range(2))
    made = []
    for count in (1, 2):
        with_threads(count)
        made.append((sampling.sampled(picture, x, y), sampling.motion_blur_colour(picture, across, down)))
    for one, two in zip(*made, strict=True):
        np.testing.assert_array_equal(one, two)


@given(height=st.integers(2, 40), width=st.integers(2, 40), seed=st.integers(0, 99))
@settings(max_examples=40, deadline=None)
def test_spline_coefficients_are_scipy_s(height, width, seed):
    """scipy.ndimage.spline_filter, mirrored borders (Unser, Aldroubi & Eden 1993)."""
    picture = np.random.default_rng(seed).random((height, width, 3)).astype(np.float32)
    peer = np.stack([ndi.spline_filter(picture[..., k].astype(float), 3, mode="mirror") for k in range(3)], -1)
    np.testing.assert_allclose(sampling.spline_coefficients(picture), peer, atol=2e-5)


# -- maps over a grid of places


def test_a_grid_of_places_goes_where_each_place_goes(mesh):
    points = np.stack(np.meshgrid(XS, YS), -1)
    plane = PlanarMap(np.array([[1.02, 0.03, 4], [-0.02, 0.98, 7], [1e-4, -2e-4, 1]]))
    for held in (mesh, plane):
        np.testing.assert_allclose(forward_grid(held, XS, YS), held.forward(points), atol=1e-9)
        np.testing.assert_allclose(jacobian_grid(held, XS, YS), held.jacobian(points), atol=1e-9)


def test_the_derivative_over_a_grid_is_the_difference_quotient(mesh):
    h = 1e-4
    along_x = (forward_grid(mesh, XS + h, YS) - forward_grid(mesh, XS - h, YS)) / (2 * h)
    along_y = (forward_grid(mesh, XS, YS + h) - forward_grid(mesh, XS, YS - h)) / (2 * h)
    np.testing.assert_allclose(jacobian_grid(mesh, XS, YS), np.stack([along_x, along_y], -1), atol=1e-6)


def test_the_affine_part_of_an_affine_map_is_all_of_it(mesh):
    grid, matrix, shift = mesh.grid, np.array([[0.03, -0.07], [0.06, 0.01]]), np.array([5.0, -2.0])
    coefficients = shift + spline.control_points(grid) @ matrix  # splines reproduce what is affine
    found_shift, found = spline.affine_map(grid, coefficients)
    np.testing.assert_allclose(found, matrix, atol=1e-10)
    np.testing.assert_allclose(found_shift, shift, atol=1e-8)
    np.testing.assert_allclose(spline.affine_part(grid, coefficients), coefficients, atol=1e-8)
    np.testing.assert_allclose(spline.evaluate_grid(grid, coefficients, XS, YS)[1, 2], shift + [XS[2], YS[1]] @ matrix)


def test_a_folded_map_comes_back(mesh):
    points = np.stack(np.meshgrid(np.linspace(50, 190, 15), np.linspace(40, 150, 12)), -1)
    np.testing.assert_allclose(mesh.inverse(mesh.forward(points)), points, atol=1e-3)


# -- light


@pytest.fixture(scope="module")
def pair() -> Pair:
    rng = np.random.default_rng(1)
    then = rng.uniform(0.05, 0.7, (120, 140, 3)).astype(np.float32)
    now = (then * np.float32(1.3) + rng.normal(0, 0.01, then.shape)).astype(np.float32)
    y, x = np.mgrid[0:240, 0:280].astype(np.float32)
    outside = np.maximum(np.hypot(x - 140, y - 120) - 60, 0)
    usable = np.ones_like(outside)
    usable[:40, :40] = 0
    then[60:64, 70:74] = 0.99  # clipped
    return Pair.of(now, then, Region.around(outside, usable))


def test_weights_are_the_plain_formula(pair):
    """Grain and misplacement in a log ratio: var(log J/O) = s^2 (1/J + 1/O) + (d grad log O)^2 + floor, by error
    propagation."""
    from hushcore.light.region import LEAST_SNR, LEAST_VARIANCE, MISPLACED, grain_gain

    gain = grain_gain(pair.q, pair.now, pair.then, pair.region)
    log = np.log(pair.then + BLACK)
    dy, dx = (np.gradient(log, axis=k) for k in (0, 1))
    grain = gain * (1 / (pair.now + BLACK) + 1 / (pair.then + BLACK))
    variance = grain + MISPLACED**2 * (dx**2 + dy**2) / 4 + LEAST_VARIANCE
    sure = np.clip(np.sqrt((np.minimum(pair.now, pair.then) + BLACK) / gain) - LEAST_SNR, 0, 1)
    inner = slice(25, 55)
    np.testing.assert_allclose(pair.weight[inner, inner], (sure / variance)[inner, inner], rtol=2e-3)


def test_nothing_is_read_where_nothing_can_be(pair):
    assert pair.weight[:19, :19].max() == 0  # not usable
    assert pair.weight[59:65, 69:75].max() == 0  # clipped, and a guard of a pixel round it
    assert pair.weight[70, 80].min() > 0


def test_a_gated_step_is_the_plain_formula():
    rng = np.random.default_rng(3)
    weighted, total = (rng.uniform(0.1, 2, (30, 40, 3)).astype(np.float32) for _ in range(2))
    step, chi = np.empty_like(total), np.empty((30, 40), np.float32)
    kernels.divided(weighted, total, 8.0, step, chi)
    np.testing.assert_allclose(step, weighted / total, rtol=1e-5)
    variance = 8 / (4 * np.pi * 8.0**2 * total)
    np.testing.assert_allclose(chi, (step**2 / variance).mean(-1), rtol=1e-4)
    chi /= chi.mean() / 4
    before = step.copy()
    kernels.gated(step, chi, 4.0)
    np.testing.assert_allclose(step, before * np.maximum(0, 1 - 4 / chi)[..., None], rtol=1e-4, atol=1e-6)
    assert (step == 0).any()
    assert (step > 0).any()


def test_a_cap_bounds_level_and_chroma_apart():
    step = np.random.default_rng(4).normal(0, 0.2, (30, 40, 3)).astype(np.float32)
    level = step.mean(-1, keepdims=True)
    wanted = np.clip(level, -0.1, 0.1) + np.clip(step - level, -0.05, 0.05)
    kernels.capped(step, 0.1, 0.05)
    np.testing.assert_allclose(step, wanted, atol=1e-6)


def test_an_affine_fit_is_least_squares_and_does_not_follow_outliers():
    """numpy.linalg.lstsq on the same places; a fifth of them spoilt."""
    rng = np.random.default_rng(6)
    y, x = np.mgrid[0:80, 0:100] / [[[80.0]], [[100.0]]]
    plane = np.stack([0.3 + 0.2 * x - 0.1 * y, -0.1 * x, 0.4 * y], -1)
    q = (plane + rng.normal(0, 0.02, plane.shape)).astype(np.float32)
    inside = np.hypot(x - 0.5, y - 0.5) > 0.3
    a = np.stack([np.ones(inside.sum()), x[inside], y[inside]], -1)
    solved, *_ = np.linalg.lstsq(a, q[inside], rcond=None)
    peer = solved[0] + x[..., None] * solved[1] + y[..., None] * solved[2]
    ones = np.ones_like(q)
    assert np.abs(affine(q, ones, inside) - peer).max() < 0.006
    spoilt = q.copy()
    spoilt[(rng.random(inside.shape) < 0.2) & inside] += 0.9
    solved, *_ = np.linalg.lstsq(a, spoilt[inside], rcond=None)
    plain = solved[0] + x[..., None] * solved[1] + y[..., None] * solved[2]
    assert np.abs(affine(spoilt, ones, inside) - plane).max() < 0.4 * np.abs(plain - plane).max()


def test_too_small_a_ring_says_nothing():
    q = np.ones((20, 20, 3), np.float32)
    inside = np.zeros((20, 20), bool)
    inside[:2, :20] = True
    np.testing.assert_array_equal(affine(q, q, inside), 0)


@pytest.mark.parametrize("sigma", [2.0, 7.0, 16.0])
def test_wide_blurs_at_reduced_size_are_gaussians(sigma):
    """scipy.ndimage.gaussian_filter with zeros outside; a few px of the border are only about right."""
    picture = np.random.default_rng(8).random((150, 170)).astype(np.float32)
    peer = ndi.gaussian_filter(picture.astype(float), sigma, mode="constant", truncate=5)
    assert np.abs(wide(picture, sigma) - peer)[4:-4, 4:-4].max() < 0.01


# -- grain


def striped() -> Grain:
    """Grain that is longer across than down."""
    from hushcore.grain.measure import measure

    field = cv2.GaussianBlur(np.random.default_rng(9).standard_normal((300, 300, 3)).astype(np.float32), (9, 1), 1.5)
    field /= field.std()
    found = measure([(0.02 * field, np.full_like(field, 0.5))], [np.ones((300, 300), bool)])
    assert found is not None
    return found


def test_grain_of_a_frame_does_not_depend_on_how_much_of_it_is_asked_for():
    """A patch that grows by a pixel must not swim."""
    grain = striped()
    np.testing.assert_array_equal(fresh(grain, (90, 110), 5), fresh(grain, (200, 260), 5)[:90, :110])


def test_grain_that_runs_across_stays_so_and_larger_fields_than_one_are_filled():
    made = fresh(striped(), (FIELD_LEAST + 40, 700), 3)
    assert made.std() == pytest.approx(1, abs=0.03)
    across, down = (made[:, :-2] * made[:, 2:]).mean(), (made[:-2] * made[2:]).mean()
    assert across > 0.3
    assert abs(down) < 0.06
    # nothing repeats within it
    far = made.shape[1] // 2
    assert abs((made[:, :far] * made[:, far : 2 * far]).mean()) < 0.02


def test_frames_have_grain_of_their_own():
    grain = Grain(np.array([0.0, 1.0]), np.full((2, 3), 0.02), white())
    many = np.stack([fresh(grain, (64, 64), seed).ravel() for seed in range(40)])
    apart = np.corrcoef(many) - np.eye(40)
    assert np.abs(apart).max() < 0.06
    assert abs(float((many**4).mean()) - 3) < 0.1  # normally distributed: kurtosis 3


def test_percentiles_of_what_is_known_are_numpy_s():
    """numpy.nanpercentile says what they are; a place that is never known stays unknown."""
    rng = np.random.default_rng(5)
    stack = rng.normal(0, 1, (11, 7, 9)).astype(np.float32)
    stack[rng.uniform(size=stack.shape) < 0.4] = np.nan
    stack[:, 3, 4] = np.nan
    for percent in (5.0, 50.0, 90.0):
        with np.errstate(all="ignore"), warnings.catch_warnings():
            warnings.simplefilter("ignore", RuntimeWarning)
            expected = np.nanpercentile(stack, percent, axis=0)
        np.testing.assert_allclose(known_percentile(stack, percent), expected, rtol=1e-6, atol=1e-6)


@pytest.mark.parametrize("width", [None, 9.0])
def test_distances_to_an_outline_are_opencv_s(width):
    """cv2.pointPolygonTest measures the same, one point at a time; an open line by the distance to its pieces."""
    rng = np.random.default_rng(2)
    turns = np.sort(rng.uniform(0, 2 * np.pi, 30))
    star = np.stack([90 + (30 + 40 * rng.uniform(size=30)) * np.cos(turns), 70 + 50 * np.sin(turns)], 1)
    nodes = [{"x": float(x), "y": float(y), "soft": float(k % 5)} for k, (x, y) in enumerate(star)]
    outline = OutlineData.model_validate({"nodes": nodes, "width": width}).outline()
    distance, soft = outline.distance(1, Rect(-15, -20, 190, 150))
    line = outline.at(1).line(width is None)[0].astype(np.float32)
    for y, x in rng.integers([0, 0], distance.shape, (300, 2)):
        at = (float(x - 15), float(y - 20))
        if width is None:
            expected = cv2.pointPolygonTest(line.reshape(-1, 1, 2), at, True)
        else:
            pieces = [_to_piece(np.array(at), a, b) for a, b in pairwise(line)]
            expected = width / 2 - min(pieces)
        assert abs(distance[y, x] - expected) < 1e-3
    assert 0 <= soft.min() <= soft.max() <= 4


def _to_piece(p, a, b):
    t = np.clip(np.dot(p - a, b - a) / np.dot(b - a, b - a), 0, 1)
    return np.linalg.norm(p - a - t * (b - a))
