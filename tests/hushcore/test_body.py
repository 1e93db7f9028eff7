"""A stiff body and how it stands: against OpenCV's camera model, and a drum whose shape is known."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from hushcore.geometry import spline
from hushcore.hold.body import AHEAD, STILL, Body, Pose, Sightings, guessed, posed
from tests.hushcore import drums

STILL_AT = np.stack(np.meshgrid(np.linspace(110, 210, 9), np.linspace(70, 170, 9)), -1).reshape(-1, 2)


def bowl() -> Body:
    grid = spline.Grid(100.0, 60.0, 40.0, 3, 3)
    return Body(400.0, drums.CENTRE, grid, np.random.default_rng(3).normal(0, 0.05, grid.shape))


def pose() -> Pose:
    return Pose(Rotation.from_rotvec([0.2, -0.5, 0.1]).as_matrix(), np.array([0.05, -0.02, 0.1]))


def sightings(frames: range | tuple[int, ...] = range(16)) -> Sightings:
    at = np.stack([drums.truly(STILL_AT, n) for n in frames])
    return Sightings(drums.SIZE, STILL_AT, tuple(frames), at, np.ones(at.shape[:2]), drums.ANCHOR)


def test_a_body_is_seen_as_opencv_projects_it():
    """Reference: cv2.projectPoints (Rodrigues' rotation vector, pinhole camera)."""
    body, stands = bowl(), pose()
    points = body.points(STILL_AT)
    turn, _ = cv2.Rodrigues(stands.turn)
    camera = np.array([[body.focal, 0, body.centre[0]], [0, body.focal, body.centre[1]], [0, 0, 1]])
    shift = AHEAD + stands.shift - stands.turn @ AHEAD
    expected, _ = cv2.projectPoints(points, turn, shift, camera, None)
    np.testing.assert_allclose(body.seen(stands, points), expected[:, 0], atol=1e-6)
    np.testing.assert_allclose(body.seen(STILL, points), STILL_AT, atol=1e-9)


def test_slopes_say_what_a_small_change_does():
    body, stands = bowl(), pose()
    points = body.points(STILL_AT)
    slopes = body.slopes(stands.moved(points)) @ stands.slopes(points)
    for k in range(6):
        by = np.zeros(6)
        by[k] = 1e-6
        change = (body.seen(stands.changed(by), points) - body.seen(stands.changed(-by), points)) / 2e-6
        np.testing.assert_allclose(slopes[..., k], change, rtol=1e-4, atol=1e-4)


def test_how_a_body_stands_is_found_as_opencv_finds_it():
    """Reference: cv2.solvePnP on the same places, with the same noise."""
    body, stands = bowl(), pose()
    points = body.points(STILL_AT)
    at = body.seen(stands, points) + np.random.default_rng(1).normal(0, 0.1, (len(points), 2))
    found = posed(body, points, at, np.ones(len(points)), STILL)
    camera = np.array([[body.focal, 0, body.centre[0]], [0, body.focal, body.centre[1]], [0, 0, 1]])
    _, turn, _ = cv2.solvePnP(points, at, camera, None)
    assert np.linalg.norm(Rotation.from_matrix(found.turn @ cv2.Rodrigues(turn)[0].T).as_rotvec()) < 2e-3
    assert np.linalg.norm(found.since(stands)) < 5e-3


def test_a_drum_is_found_as_round_as_it_is():
    best, *_ = guessed(sightings())
    for frame, stands in enumerate(best.poses):
        assert stands.since(STILL)[1] == pytest.approx(-drums.angle(frame), abs=0.02)
    true = drums.points(STILL_AT) + np.array([0, 0, drums.FOCAL + drums.RADIUS])
    depth = best.body.points(STILL_AT)[:, 2]
    np.testing.assert_allclose(depth / depth.mean(), true[:, 2] / true[:, 2].mean(), atol=0.004)


def test_what_was_not_seen_lies_where_the_body_would_be():
    """Two places are hidden on every other frame, and one follows something else: they are found all the same."""
    seen = sightings()
    at, weight = seen.at.copy(), seen.weight.copy()
    at[1::2, :2], weight[1::2, :2] = 0, 0
    at[:, 40] += np.random.default_rng(2).normal(0, 20, (len(at), 2))
    at += np.random.default_rng(4).normal(0, 0.1, at.shape)
    best, *_ = guessed(replace(seen, at=at, weight=weight))
    points = best.body.points(STILL_AT)
    off = [
        np.hypot(*(best.body.seen(stands, points) - true).T) for stands, true in zip(best.poses, seen.at, strict=True)
    ]
    assert np.max(np.array(off)[:, :2]) < 0.6
    assert np.sqrt(np.mean(np.square(off))) < 0.2


def test_the_mirror_image_that_turns_the_other_way_explains_it_worse():
    best, *others = guessed(sightings())
    way = best.poses[-1].since(STILL)[1]
    mirrored = [guess.cost for guess in others if guess.poses[-1].since(STILL)[1] * way < -0.05]
    assert min(mirrored) > 2 * best.cost


def test_all_that_is_found_of_a_drum_that_turns_as_it_does_is_the_same_body():
    best, *others = guessed(sightings())
    way = best.poses[-1].since(STILL)[1]
    alike = [guess for guess in others if guess.poses[-1].since(STILL)[1] * way > 0.05]
    assert alike
    assert all(
        np.abs(guess.poses[-1].since(best.poses[-1])).max() < 0.05 for guess in alike if guess.cost < 2 * best.cost
    )


def test_frames_that_are_far_apart_say_the_same():
    every, some = guessed(sightings())[0], guessed(sightings((0, 1, 3, 6, 8, 9, 13, 15)))[0]
    np.testing.assert_allclose(some.poses[-1].since(every.poses[-1]), 0, atol=0.01)
