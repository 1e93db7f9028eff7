"""A surface whose look has changed so much that it was lost, followed on from the frame beside; truth by construction,
textures from scikit-image (``gravel``, ``brick``: CC0)."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage import data

from hushcore.hold.confidence import WORST
from hushcore.hold.method import channel_of
from hushcore.hold.onward import onward
from hushcore.hold.record import Hold
from hushcore.hold.tracker import make_tracker
from tests.hushcore.test_seek import COUNT, GROUND, LOOP, PLANE, TALL, WIDE, moved, off, shot, slipped

LOST = range(9, COUNT)


def lost_from(first: int = LOST[0]) -> Hold:
    """The true hold, but lost from a frame on: gone on ever further beside."""
    hold = slipped(by=0.0, drift=0.3)
    for n in range(first, COUNT):
        params = np.array(hold.frames[n].params)
        params[0, 2] += 12 * (n - first + 1)
        hold.frames[n] = replace(hold.frames[n], params=params, lost=True, seen=0.0, drift_rms=WORST)
    return hold


def fading(frame: int) -> np.ndarray:
    """The print stays; what lies under it turns from gravel to brick, as under a reflection that passes on."""
    share = frame / (COUNT - 1)
    still = np.asarray(data.brick(), np.float32)[:TALL, :TALL] / 255
    dx, dy = moved(frame)
    other = cv2.warpAffine(
        np.tile(still, 2)[:, :WIDE], np.array([[1, 0, dx], [0, 1, dy]]), (WIDE, TALL),
        flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT,
    )  # fmt: skip
    faint = shot(frame, contrast=0.5 * (1 - share)).astype(np.float32) + 65535 * 0.5 * share * (other[..., None] - 0.5)
    return np.round(np.clip(faint, 0, 65535)).astype(np.uint16)


def test_a_ground_that_looks_otherwise_is_followed_from_frame_to_frame():
    hold = lost_from()
    assert max(off(hold, n) for n in LOST) > 80
    found = dict(onward(hold, GROUND, PLANE, fading, LOOP))
    assert sorted(found) == list(LOST)
    assert max(off(hold, n) for n in LOST) < 0.6
    assert not any(hold.frames[n].lost for n in LOST)


def test_against_the_anchor_s_picture_alone_the_last_frame_says_nothing():
    """What the walk from frame to frame is for."""
    right = slipped(by=0.0)
    tracker = make_tracker(fading(0), GROUND, PLANE, 0)
    view = tracker.look(channel_of(fading(LOST[-1])), LOST[-1], right.params_at(LOST[-1]))
    assert tracker.agreement(view, right.params_at(LOST[-1])) < 0.3


def test_errors_of_steps_add_up():
    hold = lost_from()
    list(onward(hold, GROUND, PLANE, fading, LOOP))
    figures = [hold.frames[n].drift_rms for n in LOST]
    assert figures == sorted(figures)
    assert figures[0] > hold.frames[LOST[0] - 1].drift_rms
    assert all(figure > off(hold, n) for figure, n in zip(figures, LOST, strict=True))


def test_behind_a_board_nothing_is_followed_and_what_had_jumped_is_thought_to_be_where_it_was():
    """A hold that is lost says so, and does not fly about: 90 px beside and more were said."""
    hold = lost_from()
    for n in LOST:
        hold.frames[n] = replace(hold.frames[n], drift_rms=7.0)
    list(onward(hold, GROUND, PLANE, lambda n: shot(n, covered=n in LOST), LOOP))
    assert all(hold.frames[n].lost for n in LOST)
    assert hold.frames[LOST[-1]].drift_rms == WORST
    there = hold.at(LOST[0] - 1).forward(LOOP)
    assert np.abs(hold.at(LOST[-1]).forward(LOOP) - there).max() < 25


@pytest.mark.parametrize("known", [{"drift_rms": 4.0}, {"lost": False}], ids=["bridged", "held"])
def test_a_frame_that_something_says_where_it_is_stays(known: dict[str, float]):
    hold = lost_from()
    for n in LOST[:-1]:
        hold.frames[n] = replace(hold.frames[n], **known)
    hold.frames[LOST[-1]] = replace(hold.frames[LOST[-1]], lost=False, drift_rms=8.0)
    assert list(onward(hold, GROUND, PLANE, fading, LOOP)) == []


def test_what_was_lost_to_the_end_of_the_shot_is_followed_whatever_its_figure_says():
    hold = lost_from()
    for n in LOST:
        hold.frames[n] = replace(hold.frames[n], drift_rms=7.0)
    assert sorted(dict(onward(hold, GROUND, PLANE, fading, LOOP))) == list(LOST)


def test_from_a_frame_that_is_in_doubt_and_past_a_place_set_by_hand_nothing_goes_on():
    doubtful = lost_from()
    doubtful.frames[LOST[0] - 1] = replace(doubtful.frames[LOST[0] - 1], drift_rms=8.0)
    assert list(onward(doubtful, GROUND, PLANE, fading, LOOP)) == []
    by_hand = lost_from()
    by_hand.keys[LOST[2]] = by_hand.frames[LOST[2]].params
    followed = dict(onward(by_hand, GROUND, PLANE, fading, LOOP))
    assert LOST[2] not in followed
    assert list(followed)[:2] == list(LOST[:2])
