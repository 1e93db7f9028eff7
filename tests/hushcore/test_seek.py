"""A mark looked for where its hold has lost it; truth by construction, texture from scikit-image (``gravel``, CC0)."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage import data

from hushcore.arrays import Rect
from hushcore.geometry.spline import Grid
from hushcore.hold.maps import MeshMap, PlanarMap
from hushcore.hold.mark import picture_of, place_of
from hushcore.hold.method import Method, channel_of
from hushcore.hold.record import Hold, HoldFrame
from hushcore.hold.search import grown
from hushcore.hold.seek import sought
from hushcore.hold.still import Ground
from hushcore.hold.through import mended

WIDE, TALL, COUNT = 560, 360, 16
MIDDLE = np.array([220.0, 180.0])
TURNS = np.linspace(0, 2 * np.pi, 24, endpoint=False)
LOOP = MIDDLE + 18 * np.stack([np.cos(TURNS), np.sin(TURNS)], -1)
GROUND = Ground.of([(MIDDLE + 44 * np.stack([np.cos(TURNS), np.sin(TURNS)], -1)).tolist()])
PLANE = Method("planar")
GONE = range(7, 12)
PRINT = ([(-10, 12), (-10, -12), (8, -10), (-8, 1), (10, 11)], [(2, -3), (11, 4)])  # strokes, px about its middle


def moved(frame: int) -> np.ndarray:
    return np.array([6.0 * frame, 4 * np.sin(frame)])


def shot(frame: int, marks: tuple[float, ...] = (0.0,), covered: bool = False, contrast: float = 0.03) -> np.ndarray:
    """A faint texture with a print on it (one for each of ``marks``, px to the right) that moves; or a board."""
    texture = np.asarray(data.gravel(), np.float32)[:TALL, :TALL] / 255
    still = 0.5 + contrast * (np.tile(texture, 2)[:, :WIDE] - 0.5)
    for right in marks:
        for stroke in PRINT:
            cv2.polylines(
                still, [np.round(MIDDLE + np.array(stroke) + np.array([right, 0])).astype(np.int32)], False, 0.25, 3
            )
    dx, dy = moved(frame)
    grey = cv2.warpAffine(
        still, np.array([[1, 0, dx], [0, 1, dy]]), (WIDE, TALL), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
    )
    if covered:
        grey[:] = 0.4
    grey = grey + np.random.default_rng(frame).normal(0, 0.008, grey.shape)
    return np.round(np.clip(np.repeat(grey[..., None], 3, 2), 0, 1) * 65535).astype(np.uint16)


def slipped(by: float = 40.0, drift: float = 30.0) -> Hold:
    """The true hold, but ``by`` px beside on the frames that are ``GONE``."""
    hold = Hold("planar", 0, (WIDE, TALL), None, (170, 130), {})
    for n in range(1, COUNT):
        beside = by if n in GONE else 0.0
        params = np.eye(3)
        params[:2, 2] = moved(n) - moved(0) - [beside, 0]
        one = drift if n in GONE else 0.3
        hold.frames[n] = HoldFrame(params, np.full((7, 7), one, np.float32), one, 1.0, False)
    return hold


def off(hold: Hold, frame: int) -> float:
    return float(np.hypot(*(hold.at(frame).forward(LOOP) - LOOP - moved(frame) + moved(0)).T).mean())


def test_a_mark_is_found_again_where_the_hold_slipped():
    hold = slipped()
    assert off(hold, 9) > 39
    found = dict(sought(hold, GROUND, PLANE, shot, LOOP))
    assert sorted(found) == list(GONE)
    assert max(off(hold, n) for n in range(1, COUNT)) < 0.5
    assert not any(frame.lost for frame in found.values())
    assert {frame.how for frame in found.values()} == {"mark"}
    assert max(frame.drift_rms for frame in found.values()) < 5


def test_the_mark_is_not_looked_for_where_the_method_says_so():
    hold = slipped()
    list(mended(hold, GROUND, replace(PLANE, seeks=False), shot, LOOP))
    assert off(hold, 9) > 39
    list(mended(hold, GROUND, PLANE, shot, LOOP))
    assert off(hold, 9) < 0.5


def test_a_frame_that_slipped_for_a_moment_is_told_by_its_neighbours():
    """Six px beside: the figure of the frame itself is not red, another frame's is."""
    hold = slipped(by=0.0, drift=0.3)
    right = slipped()
    beside = np.array(hold.frames[5].params)
    beside[0, 2] += 6
    hold.frames[5] = replace(hold.frames[5], params=beside, drift_rms=2.0)
    hold.frames[9] = right.frames[9]
    assert sorted(dict(sought(hold, GROUND, PLANE, shot, LOOP))) == [5, 9]
    assert off(hold, 5) < 0.5


def test_a_hold_that_is_sure_is_not_looked_at():
    def read(frame: int) -> np.ndarray:
        raise AssertionError("a frame was read")

    assert list(sought(slipped(drift=2.0), GROUND, PLANE, read, LOOP)) == []


def test_a_place_set_by_hand_stays():
    hold = slipped()
    hold.keys[9] = hold.frames[9].params
    assert 9 not in dict(sought(hold, GROUND, PLANE, shot, LOOP))
    assert off(hold, 9) > 39


def test_a_mark_that_is_hidden_is_said_to_be_lost():
    """Held elsewhere behind a board: nobody sees it, so it is lost there, and bridged from both sides after."""
    hold = slipped()
    found = dict(sought(hold, GROUND, PLANE, lambda n: shot(n, covered=n in GONE), LOOP))
    assert sorted(found) == list(GONE)
    assert all(frame.lost for frame in found.values())


def test_a_mark_without_detail_of_its_own_is_not_looked_for():
    hold = slipped()
    assert list(sought(hold, GROUND, PLANE, lambda n: shot(n, marks=(), contrast=0), LOOP)) == []


@pytest.mark.parametrize(("marks", "clear"), [((0.0,), True), ((0.0, 90.0), False)])
def test_a_mark_is_found_only_where_it_is_alone(marks: tuple[float, ...], clear: bool):
    read = lambda n: shot(n, marks)  # noqa: E731
    hold = slipped()
    picture = picture_of(hold, read, LOOP, [0, 1, 2], 4)
    at = PlanarMap(np.eye(3))
    found = place_of(channel_of(read(9)), at, np.zeros(2), 200.0, picture, 0.5)
    assert (found is not None) is clear
    if found is not None:
        assert found.move == pytest.approx(moved(9), abs=1)


def test_what_is_found_bears_the_bridge_over_what_is_hidden():
    """Slipped on five frames, and in the middle of them a board passes: found on four, and bridged between those."""
    hold = slipped()
    made = dict(mended(hold, GROUND, PLANE, lambda n: shot(n, covered=n == 9), LOOP))
    assert sorted(made) == list(GONE)
    assert [n for n in GONE if hold.frames[n].lost] == [9]
    assert max(off(hold, n) for n in GONE if n != 9) < 0.5
    assert off(hold, 9) < 2


def test_a_place_that_the_surface_cannot_have_got_to_is_not_taken():
    """The very mark, but 60 px aside for two frames, while the frames on both sides are where they were: something else."""

    def read(n: int) -> np.ndarray:
        return np.roll(shot(n), 60 if n in (8, 9) else 0, axis=1)

    hold = slipped(by=0.0, drift=30.0)
    list(sought(hold, GROUND, PLANE, read, LOOP))
    assert max(off(hold, n) for n in range(1, COUNT)) < 0.5


HIDDEN, GROWS = range(4, 12), 1.04


def nearer(frame: int) -> np.ndarray:
    """A shot whose surface comes nearer, also while a board hides it."""
    if frame in HIDDEN:
        return shot(frame, covered=True)
    size, (dx, dy) = GROWS**frame, moved(frame)
    middle = MIDDLE + moved(0)
    way = np.array([[size, 0, middle[0] * (1 - size) + dx], [0, size, middle[1] * (1 - size) + dy]])
    grey = cv2.warpAffine(shot(0), way, (WIDE, TALL), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return np.asarray(grey, np.uint16)


def test_a_mark_that_came_nearer_while_it_was_hidden_is_found_again():
    """It is two fifths larger than when it was last seen, and its lines are thin: looked for at its old size it was nowhere."""
    middle = MIDDLE + moved(0)
    true = {}
    for n in range(1, COUNT):
        true[n] = np.diag([GROWS**n, GROWS**n, 1.0])
        true[n][:2, 2] = middle * (1 - GROWS**n) + moved(n)
    hold = Hold("planar", 0, (WIDE, TALL), None, (170, 130), {})
    for n in range(1, COUNT):
        lost, drift = n >= HIDDEN[0], 30.0 if n >= HIDDEN[0] else 0.3
        params = true[min(n, HIDDEN[0] - 1)]
        hold.frames[n] = HoldFrame(params, np.full((7, 7), drift, np.float32), drift, 0.0 if lost else 1.0, lost)
    seen = range(HIDDEN[-1] + 1, COUNT)

    def miss(n: int) -> float:
        return float(np.hypot(*(hold.at(n).forward(LOOP) - PlanarMap(true[n]).forward(LOOP)).T).mean())

    assert miss(seen[-1]) > 40
    list(sought(hold, GROUND, PLANE, nearer, LOOP))
    assert max(miss(n) for n in seen) < 0.5
    assert [n for n in hold.frames if hold.frames[n].lost] == list(HIDDEN)


def test_a_map_grows_about_a_place_of_the_frame_plane_and_mesh_alike():
    grid = Grid.over(Rect(160, 120, 280, 240), 24.0)
    rng = np.random.default_rng(3)
    bent = rng.normal(0, 3, (*grid.shape, 2))
    plane = np.array([[1.1, 0.1, 4.0], [-0.05, 0.9, 7.0], [1e-4, 0, 1.0]])
    about = np.array([240.0, 170.0])
    for params, over, held in ((plane, None, PlanarMap), (bent, grid, lambda made: MeshMap(grid, made))):
        one, other = (held(made).forward(LOOP) for made in (params, grown(params, over, about, 1.2)))
        assert other == pytest.approx(about + 1.2 * (one - about), abs=1e-6)
