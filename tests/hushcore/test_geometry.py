import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BSpline
from skimage.transform import ProjectiveTransform

from hushcore.arrays import Rect, padded_cut
from hushcore.errors import HushError
from hushcore.geometry import homography, paths, sampling, spline

CORNERS = np.array([[0, 0], [100, 0], [100, 80], [0, 80]], float)
MOVED = np.array([[5, 3], [110, -4], [96, 90], [-3, 77]], float)


def test_homography_agrees_with_opencv_and_skimage():
    # Hartley & Zisserman's normalised DLT; peers: cv2.findHomography and skimage's ProjectiveTransform
    ours = homography.fit(CORNERS, MOVED)
    theirs, _ = cv2.findHomography(CORNERS, MOVED, 0)
    np.testing.assert_allclose(ours, theirs, atol=1e-9)
    peer = ProjectiveTransform.from_estimate(CORNERS, MOVED)
    probe = np.array([[20.0, 30.0], [77.5, 12.25]])
    np.testing.assert_allclose(homography.apply(ours, probe), peer(probe), atol=1e-8)


def test_homography_derivative_is_the_difference_quotient():
    matrix, at, h = homography.fit(CORNERS, MOVED), np.array([40.0, 20.0]), 1e-5
    numeric = np.stack(
        [
            (homography.apply(matrix, at + step) - homography.apply(matrix, at - step)) / (2 * h)
            for step in np.eye(2) * h
        ],
        -1,
    )
    np.testing.assert_allclose(homography.jacobian(matrix, at), numeric, atol=1e-7)


def test_points_on_a_line_do_not_fix_a_plane():
    line = np.array([[0, 0], [1, 1], [2, 2], [3, 3]], float)
    with pytest.raises(HushError, match="line"):
        homography.fit(line, line)


def test_flattened_bezier_has_the_length_that_integration_gives():
    # arc length of one cubic by scipy quadrature
    from scipy.integrate import quad

    points, out, into = np.array([[0.0, 0], [100, 0]]), np.array([[30.0, 60], [0, 0]]), np.array([[0.0, 0], [-20, 50]])
    a, b, c, d = points[0], points[0] + out[0], points[1] + into[1], points[1]
    exact, _ = quad(
        lambda t: np.hypot(*(3 * (1 - t) ** 2 * (b - a) + 6 * (1 - t) * t * (c - b) + 3 * t * t * (d - c))), 0, 1
    )
    polygon = paths.flatten(points, into, out, 0.001)
    upto = np.argmax(np.all(np.isclose(polygon, points[1]), 1))
    length = np.hypot(*np.diff(polygon[: upto + 1], axis=0).T).sum()
    assert length == pytest.approx(exact, rel=1e-4)


def test_area_is_the_shoelace_value_of_a_known_shape():
    assert paths.area(np.array([[0, 0], [4, 0], [4, 3]], float)) == pytest.approx(6.0)


def test_signed_distance_of_a_square_is_exact():
    square = np.array([[10, 10], [30, 10], [30, 30], [10, 30]], float)
    distance = paths.signed_distance(square, Rect(0, 0, 40, 40))
    assert distance[20, 20] == pytest.approx(10)
    assert distance[20, 12] == pytest.approx(2)
    assert distance[5, 5] == pytest.approx(-np.hypot(5, 5))
    assert distance[20, 35] == pytest.approx(-5)


def test_spline_sampling_is_scipy_s_cubic_interpolation():
    rng = np.random.default_rng(3)
    picture = rng.random((40, 50, 3)).astype(np.float32)
    y, x = (rng.uniform(8, top, (6, 7)).astype(np.float32) for top in (30, 40))
    out = sampling.sampled(picture, x, y)
    peer = np.stack(
        [ndi.map_coordinates(picture[..., k].astype(float), [y, x], order=3, mode="mirror") for k in range(3)], -1
    )
    np.testing.assert_allclose(out, peer, atol=2e-5)


def test_samplers_reproduce_a_ramp_without_quantising_coordinates():
    # OpenCV's remap quantises to 1/32 px; ours must not
    ramp = np.tile(np.arange(64, dtype=np.float32), (64, 1))
    x = np.linspace(10.01, 40.37, 33, dtype=np.float32)[None, :]
    y = np.full_like(x, 20.5)
    for sample in (sampling.bilinear, sampling.catmull_rom):
        out = np.empty_like(x)
        sample(ramp, x, y, out)
        np.testing.assert_allclose(out, x, atol=1e-4)


def test_motion_blur_is_a_box_along_the_vector():
    picture = np.zeros((21, 61), np.float32)
    picture[:, 30] = 1
    out = np.empty_like(picture)
    sampling.motion_blur(picture, np.full_like(picture, 10), np.zeros_like(picture), out)
    assert out[10].sum() == pytest.approx(1, rel=1e-4)
    assert out[10, 27:34].min() > 0.08
    assert out[10, :24].max() < 1e-6


def test_basis_rows_are_scipy_s_b_splines():
    at = np.linspace(3, 90, 41)
    ours = spline.basis_rows(at, 0.0, 10.0, 10)
    knots = np.arange(-3, 14) * 10.0
    peer = np.stack([BSpline.basis_element(knots[k : k + 5], extrapolate=False)(at) for k in range(13)], -1)
    np.testing.assert_allclose(ours, np.nan_to_num(peer), atol=1e-12)


def test_bending_gram_is_free_of_charge_for_affine_fields_and_right_for_a_parabola():
    grid = spline.Grid(0.0, 0.0, 10.0, 6, 5)
    gram = spline.bending_gram(grid)
    rows, cols = np.mgrid[0 : grid.shape[0], 0 : grid.shape[1]]
    affine = (2 + 3 * cols - 1.5 * rows).ravel().astype(float)
    assert abs(affine @ gram @ affine) < 1e-9
    # f = x^2 has spline coefficients c_k = (x_k^2 - h^2/3); f_xx = 2, so the energy is 4 x area
    x = (cols - 1) * 10.0
    parabola = (x**2 - 100 / 3).ravel()
    assert parabola @ gram @ parabola == pytest.approx(4 * 60 * 50, rel=1e-9)


@settings(max_examples=40, deadline=None)
@given(st.integers(-30, 30), st.integers(-30, 30), st.integers(1, 40), st.integers(1, 40))
def test_padded_cut_has_the_asked_size_and_repeats_the_border(left, top, width, height):
    picture = np.arange(20 * 24).reshape(20, 24)
    rect = Rect(left, top, left + width, top + height)
    cut = padded_cut(picture, rect)
    assert cut.shape == (height, width)
    assert cut[0, 0] == picture[np.clip(top, 0, 19), np.clip(left, 0, 23)]


def test_colour_motion_blur_is_the_plain_one_on_every_channel():
    rng = np.random.default_rng(4)
    picture = rng.random((30, 40, 3)).astype(np.float32)
    across, down = (rng.uniform(-6, 6, (30, 40)).astype(np.float32) for _ in range(2))
    together = sampling.motion_blur_colour(picture, across, down)
    for k in range(3):
        alone = np.empty((30, 40), np.float32)
        sampling.motion_blur(np.ascontiguousarray(picture[..., k]), across, down, alone)
        np.testing.assert_allclose(together[..., k], alone, atol=2e-4)
