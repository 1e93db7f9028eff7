"""Holds against exact warps of scikit-image's texture pictures, and against other people's estimators."""

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi
from skimage.registration import phase_cross_correlation

from hushcore.arrays import Rect
from hushcore.errors import HushError
from hushcore.geometry import homography, spline
from hushcore.hold.maps import MeshMap, PlanarMap, dense_forward, dense_inverse
from hushcore.hold.record import Hold
from hushcore.hold.state import State
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.hold.tracker import make_tracker

BOX = [[[130.0, 130], [380, 130], [380, 380], [130, 380]]]
INNER = np.stack(np.meshgrid(np.arange(150, 365, 10.0), np.arange(150, 365, 10.0)), -1).reshape(-1, 2)


def codes_of(picture: np.ndarray, seed: int, grain: float = 0.01) -> np.ndarray:
    noisy = picture + np.random.default_rng(seed).normal(0, grain, picture.shape)
    grey = np.clip(0.1 + 0.8 * noisy, 0, 1)
    return np.round(np.repeat(grey[..., None], 3, 2) * 65535).astype(np.uint16)


def warped(picture: np.ndarray, back) -> np.ndarray:
    """The picture seen through a map: ``back`` takes frame points to still points (exact, by spline)."""
    y, x = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]].astype(float)
    at = back(np.stack([x, y], -1))
    return ndi.map_coordinates(picture.astype(float), [at[..., 1], at[..., 0]], order=5, mode="reflect")


def measure(picture, maps, kind):
    """The hold's error (n frames, points) along a sequence of known maps; frame 0 is the anchor."""
    frames = [codes_of(picture, 0)] + [codes_of(warped(picture, m.inverse), k + 1) for k, m in enumerate(maps)]
    hold = None
    for _, hold in track(lambda n: frames[n], Ground.of(BOX), kind, 0, 0, len(maps)):
        pass
    errors = [np.hypot(*(hold.at(k + 1).forward(INNER) - m.forward(INNER)).T) for k, m in enumerate(maps)]
    return np.array(errors), hold


def test_shift_is_found_as_phase_correlation_finds_it(texture):
    shift = np.array([3.37, -2.21])
    errors, hold = measure(texture, [PlanarMap(np.array([[1, 0, shift[0]], [0, 1, shift[1]], [0, 0, 1]]))], "planar")
    moved = warped(texture, lambda p: p - shift)
    peer, *_ = phase_cross_correlation(moved[130:380, 130:380], texture[130:380, 130:380], upsample_factor=100)
    middle = hold.at(1).forward(np.array([[255.0, 255.0]]))[0] - 255
    np.testing.assert_allclose(middle, peer[::-1], atol=0.1)  # the peer's window is not periodic
    assert np.sqrt((errors**2).mean()) < 0.03


def test_planar_hold_follows_a_turning_plane(texture):
    maps = []
    for k in range(1, 7):
        to = np.array([[0, 0], [511, 0], [511, 511], [0, 511]], float)
        bent = to + k * np.array([[3, 1], [-2, 2], [-3, -1.5], [1.5, -2]]) + k * np.array([2.5, -1.0])
        maps.append(PlanarMap(homography.fit(to, bent)))
    errors, hold = measure(texture, maps, "planar")
    assert np.sqrt((errors**2).mean()) < 0.08  # the target for walls
    assert not any(frame.lost for frame in hold.frames.values())


def ripple(grid: spline.Grid, k: int) -> MeshMap:
    rows, cols = np.mgrid[0 : grid.shape[0], 0 : grid.shape[1]]
    x = 1.2 * k + 0.7 * k * np.sin(cols * 0.9 + 0.2 * k)
    y = -0.8 * k + 0.7 * k * np.cos(rows * 0.8 + cols * 0.3)
    return MeshMap(grid, np.stack([x, y], -1))


def test_mesh_hold_follows_a_bending_surface_where_a_plane_cannot(texture):
    grid = spline.Grid.over(Rect(60, 60, 450, 450), 64.0)
    maps = [ripple(grid, k) for k in range(1, 7)]
    bent, _ = measure(texture, maps, "mesh")
    flat, _ = measure(texture, maps, "planar")
    assert np.sqrt((bent**2).mean()) < 0.25
    assert np.sqrt((flat[-1] ** 2).mean()) > 5 * np.sqrt((bent[-1] ** 2).mean())


def test_inverse_undoes_forward():
    grid = spline.Grid.over(Rect(60, 60, 450, 450), 32.0)
    held = ripple(grid, 4)
    points = np.stack(np.meshgrid(np.arange(80, 430, 17.0), np.arange(80, 430, 17.0)), -1)
    np.testing.assert_allclose(held.inverse(held.forward(points)), points, atol=1e-3)
    rect = Rect(150, 150, 350, 330)
    back_x, back_y = dense_inverse(held, rect)
    y, x = np.mgrid[rect.top : rect.bottom, rect.left : rect.right]
    there = held.forward(np.stack([back_x, back_y], -1).astype(float))
    assert np.abs(there[..., 0] - x).max() < 0.02
    assert np.abs(there[..., 1] - y).max() < 0.02


def test_dense_forward_is_forward():
    grid = spline.Grid.over(Rect(60, 60, 450, 450), 32.0)
    held, rect = ripple(grid, 3), Rect(100, 90, 140, 130)
    x, y = dense_forward(held, rect)
    at = held.forward(np.array([[rect.left + 7.0, rect.top + 11.0]]))[0]
    assert (x[11, 7], y[11, 7]) == (pytest.approx(at[0], abs=1e-3), pytest.approx(at[1], abs=1e-3))


def test_a_covered_ground_is_flagged_lost_and_picked_up_again(texture):
    shift = lambda k: PlanarMap(np.array([[1, 0, 1.5 * k], [0, 1, 0.5 * k], [0, 0, 1.0]]))  # noqa: E731
    frames = [codes_of(texture, 0)] + [codes_of(warped(texture, shift(k).inverse), k) for k in range(1, 8)]
    for k in (3, 4):
        frames[k] = codes_of(cv2.GaussianBlur(np.random.default_rng(k).random(texture.shape), (0, 0), 3), k)
    hold = None
    for _, hold in track(lambda n: frames[n], Ground.of(BOX), "planar", 0, 0, 7):
        pass
    assert [k for k, frame in hold.frames.items() if frame.lost] == [3, 4]
    assert np.hypot(*(hold.at(7).forward(INNER) - shift(7).forward(INNER)).T).max() < 0.2


def test_tracking_can_be_taken_up_from_its_state(texture):
    shift = lambda k: PlanarMap(np.array([[1, 0, 1.5 * k], [0, 1, -k], [0, 0, 1.0]]))  # noqa: E731
    frames = [codes_of(texture, 0)] + [codes_of(warped(texture, shift(k).inverse), k) for k in range(1, 5)]
    whole = make_tracker(frames[0], Ground.of(BOX), "mesh")
    straight = [whole.step(frame).params for frame in frames[1:]]
    first = make_tracker(frames[0], Ground.of(BOX), "mesh")
    for frame in frames[1:3]:
        first.step(frame)
    second = make_tracker(frames[0], Ground.of(BOX), "mesh")
    second.state = State.from_arrays(first.state.arrays())
    np.testing.assert_array_equal([second.step(frame).params for frame in frames[3:]], straight[2:])


def test_hold_comes_back_from_its_plain_data(texture):
    _, hold = measure(texture, [PlanarMap(np.array([[1, 0, 2.0], [0, 1, 1], [0, 0, 1]]))], "mesh")
    again = Hold.of(hold.plain())
    np.testing.assert_array_equal(again.at(1).forward(INNER), hold.at(1).forward(INNER))
    assert again.drift_at(1, INNER).shape == (len(INNER),)


@pytest.mark.parametrize(
    ("shape", "kind"),
    [
        ([[600, 600], [900, 600], [900, 900]], "bad-ground"),
        ([[400, 100], [700, 100], [700, 300]], "bad-ground"),
        ([[100, 100], [104, 100], [104, 104], [100, 104]], "bad-ground"),
        ([[100, 100], [200, 200]], "bad-path"),
    ],
)
def test_a_ground_that_cannot_be_read_is_refused(texture, shape, kind):
    with pytest.raises(HushError) as error:
        make_tracker(codes_of(texture, 0), Ground.of([shape]), "mesh")
    assert error.value.kind == kind


def test_a_ground_without_texture_is_refused():
    flat = np.full((512, 512), 0.4)
    with pytest.raises(HushError, match="no texture"):
        make_tracker(codes_of(flat, 0, 0.003), Ground.of(BOX), "mesh")


def test_shift_error_is_near_the_cramer_rao_bound(texture):
    # Robinson & Milanfar 2004: var >= 2 sigma^2 / sum(gx^2) for a shift between two noisy pictures
    sigma = 0.02
    part = 0.8 * texture[130:380, 130:380]
    bound = np.sqrt(2 * (0.8 * sigma) ** 2 / (np.gradient(part, axis=1) ** 2).sum())
    found = []
    for seed in range(6):
        tracker = make_tracker(codes_of(texture, 100 + seed, sigma), Ground.of(BOX), "planar")
        moved = codes_of(warped(texture, lambda p: p - [0.4, 0.3]), 200 + seed, sigma)
        held = tracker.map_of(tracker.step(moved).params)
        found.append((held.forward(np.array([[255.0, 255.0]]))[0] - 255.4)[0])
    assert np.std(found) < 4 * bound + 0.01
