"""A surface that turns away: followed as a stiff body where its mesh is in doubt. A drum whose truth is known."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from hushcore.geometry import spline
from hushcore.hold.aligned import Template
from hushcore.hold.body import AHEAD, STILL, Body, Pose, guessed
from hushcore.hold.method import Method, channel_of
from hushcore.hold.record import Hold
from hushcore.hold.solid import turned
from hushcore.hold.tracker import make_tracker
from tests.hushcore import drums
from tests.hushcore.drums import ANCHOR, COUNT, GRID, GROUND
from tests.hushcore.test_body import STILL_AT, sightings

MARK = np.array([[135, 95], [185, 95], [185, 145], [135, 145]], float)
LAST = 16  # the mark begins to turn away


def off(hold: Hold, frame: int) -> float:
    """Px RMS by which the part of the mark that still faces the camera is held off."""
    y, x = np.mgrid[95:146:5, 135:186:5]
    still = np.stack([x, y], -1).reshape(-1, 2).astype(float)
    ahead = drums.truly(still + np.array([1, 0]), frame)[:, 0] - drums.truly(still, frame)[:, 0]
    still = still[ahead > 0.1]
    return float(np.sqrt(((hold.at(frame).forward(still) - drums.truly(still, frame)) ** 2).sum(-1).mean()))


def found(hold: Hold, read=drums.read) -> dict[int, float]:
    """The frames that are taken, and how far off they are."""
    out = {}
    for frame, row in turned(hold, GROUND, Method("mesh"), read):
        hold.frames[frame] = row
        assert (row.lost, row.how) == (False, "body")
        out[frame] = off(hold, frame)
    return out


@pytest.fixture(scope="module")
def taken() -> dict[int, float]:
    return found(drums.held(range(LAST)))


def test_a_drum_that_turns_away_is_held_until_little_of_it_is_seen(taken):
    before = drums.held(range(LAST))
    assert min(taken) <= LAST + 1
    assert list(taken) == list(range(min(taken), max(taken) + 1))
    assert max(taken) >= COUNT - 3
    assert off(before, max(taken)) > 15
    assert max(taken.values()) < 1.5


def test_what_is_told_of_its_drift_is_true_and_not_a_multiple_of_it():
    hold = drums.held(range(LAST))
    errors = found(hold)
    told = np.array([hold.frames[frame].drift_rms for frame in errors])
    off_by = np.array(list(errors.values()))
    assert (off_by < np.maximum(0.5, 2 * told)).mean() >= 0.9
    assert np.abs(told - off_by).max() < 1.5
    cells = [hold.frames[frame].drift for frame in errors]
    assert all(np.sqrt(np.mean(one**2)) < 3 * rms for one, rms in zip(cells, told, strict=True))


def test_it_can_be_switched_off():
    assert list(turned(drums.held(range(LAST)), GROUND, Method("mesh", body=False), drums.read)) == []


def test_frames_that_are_held_stay(taken):
    assert min(taken) >= LAST


def test_a_mesh_that_is_right_stays_however_much_it_doubts_itself():
    hold = drums.held(range(COUNT))
    for frame in range(LAST, COUNT - 3):
        hold.frames[frame] = replace(hold.frames[frame], drift_rms=4.0)
    assert found(hold) == {}


def test_what_a_bridge_and_keys_say_stays():
    hold = drums.held(range(LAST))
    hold.frames[LAST + 1] = replace(hold.frames[LAST + 1], lost=True, drift_rms=0.5)
    hold.keys[LAST + 3] = hold.frames[LAST + 3].params
    assert not {LAST + 1, LAST + 3} & set(found(hold))


def test_behind_a_board_nothing_is_found_and_beyond_it_the_drum_is():
    def read(frame: int) -> np.ndarray:
        codes = drums.read(frame).copy()
        if frame in (LAST, LAST + 1):
            codes[:, 90:250] = 20000
        return codes

    taken = found(drums.held(range(LAST)), read)
    assert not {LAST, LAST + 1} & set(taken)
    assert taken[LAST + 3] < 1.5


def test_where_nothing_is_seen_the_frame_stays_as_it_was():
    def read(frame: int) -> np.ndarray:
        codes = drums.read(frame).copy()
        if frame > LAST + 2:
            codes[:] = 30000
        return codes

    assert max(found(drums.held(range(LAST)), read)) == LAST + 2


def drum() -> Body:
    """The drum's own body."""
    return guessed(sightings())[0].body


def test_a_body_is_laid_where_the_drum_stands_from_two_frames_before():
    tracker = make_tracker(drums.read(ANCHOR), GROUND, Method("mesh"), ANCHOR)
    template = Template(tracker.still, drum())
    stands = Pose(Rotation.from_rotvec([0, -drums.angle(LAST), 0]).as_matrix(), about_the_axis(LAST))
    before = Pose(Rotation.from_rotvec([0, -drums.angle(LAST - 2), 0]).as_matrix(), about_the_axis(LAST - 2))
    view = tracker.look(channel_of(drums.read(LAST)), LAST, spline.fitted(GRID, lambda at: drums.truly(at, LAST)))
    laid = template.laid(view, before, np.full(6, 0.2))
    assert laid is not None
    assert np.abs(laid.pose.since(stands)).max() < 0.01
    assert laid.alike > 0.8 > template.likeness(view, template.seen(before)) + 0.3
    assert template.likeness(view, template.seen(STILL) + 500.0) == -1


def about_the_axis(frame: int) -> np.ndarray:
    """The shift (3,) of a pose that turns the drum about its axis: poses turn about the middle of its front."""
    deep = (drums.FOCAL + drums.RADIUS) / np.mean(drums.points(STILL_AT)[:, 2] + drums.FOCAL + drums.RADIUS)
    axis, turn = np.array([0, 0, deep]) - AHEAD, drums.angle(frame)
    return axis - Rotation.from_rotvec([0, -turn, 0]).apply(axis)


def bent(frame: int, still: np.ndarray) -> np.ndarray:
    """What waves as it turns."""
    return drums.truly(still, frame) + np.stack(
        [2.5 * np.sin(still[..., 1] / 14 + 0.9 * frame), 2.5 * np.sin(still[..., 0] / 14 + 0.7 * frame)], -1
    )


def test_what_bends_as_it_turns_is_no_stiff_body():
    hold = drums.held(range(LAST))
    for frame in range(LAST):
        if frame != ANCHOR:
            params = spline.fitted(GRID, lambda still, n=frame: bent(n, still))
            hold.frames[frame] = replace(hold.frames[frame], params=params)
    assert found(hold) == {}


def test_what_has_hardly_turned_does_not_show_its_shape():
    assert found(drums.held(range(ANCHOR - 3, ANCHOR + 5))) == {}


def test_few_frames_and_a_hold_without_doubt_say_nothing():
    assert found(drums.held(range(ANCHOR - 2, ANCHOR + 3))) == {}
    assert found(drums.held(range(COUNT))) == {}
    standing = replace(GROUND, stands=(MARK,))
    assert list(turned(drums.held(range(LAST)), standing, Method("mesh"), drums.read)) == []
