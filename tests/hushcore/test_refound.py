"""A hold found again far off after a loss, and a mesh's answer that strays: believed only where the picture says so."""

from dataclasses import replace

import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.geometry import spline
from hushcore.hold.confidence import WORST
from hushcore.hold.maps import MeshMap
from hushcore.hold.mesh import AGREES, Fit, MeshSolver, agreement
from hushcore.hold.method import Stiffness, channel_of
from hushcore.hold.nearer import nearer, squeezed
from hushcore.hold.picture import PLAIN, look_at
from hushcore.hold.record import Hold
from hushcore.hold.refound import Pace, unbelieved
from hushcore.hold.report import Note, held_otherwise, weak_stretches
from hushcore.hold.seek import sought
from hushcore.hold.still import Ground, make_still
from tests.hushcore.test_hold import codes_of, warped
from tests.hushcore.test_seek import COUNT, GROUND, LOOP, PLANE, moved, off, shot, slipped

HIDDEN, AFTER = range(5, 10), range(10, COUNT)
FAR = 90.0  # px; the mark goes some 7 px a frame


def found_beside(by: float = FAR) -> Hold:
    """Lost for five frames, and found ``by`` px beside afterwards, where the figure says nothing is wrong."""
    hold = slipped(by=0.0, drift=0.3)
    for n in (*HIDDEN, *AFTER):
        params = np.array(hold.frames[n].params)
        params[0, 2] += by
        hold.frames[n] = replace(hold.frames[n], params=params, lost=n in HIDDEN, drift_rms=2.0)
    return hold


def alike(hold: Hold, after: float) -> dict[int, float]:
    return {n: 0.9 if n < HIDDEN[0] else 0.0 if n in HIDDEN else after for n in hold.frames}


def pace(hold: Hold) -> Pace:
    return Pace.of(hold, LOOP, alike(hold, 0.6), 0.9)


def test_a_pace_is_the_fastest_that_was_clearly_seen():
    hold = found_beside()
    went = [float(np.hypot(*(moved(n + 1) - moved(n)))) for n in range(HIDDEN[0] - 1)]
    assert pace(hold).fastest == pytest.approx(max(went), abs=1e-6)
    assert not pace(hold).too_far(hold.params_at(3), 2, 1)
    assert pace(hold).too_far(hold.params_at(AFTER[0]), HIDDEN[0] - 1, 6)


def test_a_surface_that_was_seen_to_have_become_faster_may_go_as_far_again():
    hold = found_beside()
    slow, four_on = pace(hold), HIDDEN[0] - 1
    there = np.array(hold.params_at(four_on))
    there[0, 2] += 4 * 15.0
    further = np.array(there)
    further[0, 2] += 20.0
    assert slow.too_far(further, four_on, 2)
    fast = slow.having_gone(there, four_on, 4)
    assert fast.fastest == pytest.approx(15, abs=0.5)
    assert not fast.too_far(np.array(there), four_on, 4)
    assert slow.having_gone(hold.params_at(four_on), four_on, 4).fastest == slow.fastest


@pytest.mark.parametrize(("by", "after", "wrong"), [(FAR, 0.6, AFTER), (FAR, 0.85, []), (10.0, 0.6, [])])
def test_what_is_found_far_off_and_unlike_itself_is_not_believed(by: float, after: float, wrong: list[int]):
    hold = found_beside(by)
    assert unbelieved(hold, pace(hold), alike(hold, after), 0.9) == set(wrong)


def test_what_is_set_by_hand_is_believed_and_all_that_goes_on_from_it():
    hold = found_beside()
    hold.keys[AFTER[1]] = hold.frames[AFTER[1]].params
    assert unbelieved(hold, pace(hold), alike(hold, 0.6), 0.9) == {AFTER[0]}


def test_a_find_far_off_where_the_mark_is_not_seen_is_lost_and_says_so():
    hold = found_beside()
    list(sought(hold, GROUND, PLANE, lambda n: shot(n, covered=n >= HIDDEN[0]), LOOP))
    assert all(hold.frames[n].lost and hold.frames[n].drift_rms == WORST for n in AFTER)
    assert not any(hold.frames[n].lost for n in range(1, HIDDEN[0]))


def test_a_mark_that_is_seen_is_found_where_it_is_and_not_where_the_hold_was_found():
    """As fast as it went it is within reach of where it was last held."""
    hold = found_beside()
    list(sought(hold, GROUND, PLANE, lambda n: shot(n, covered=n in HIDDEN), LOOP))
    assert max(off(hold, n) for n in AFTER) < 0.5
    assert not any(hold.frames[n].lost for n in AFTER)


def test_drift_is_told_where_it_is_largest_and_not_where_most_is_covered():
    notes = {
        n: Note(drift, False, "", hidden, 0.0, None) for n, (drift, hidden) in enumerate([(3.0, 0.3), (8.8, 0.1)], 1)
    }
    (weak,) = weak_stretches(notes, anchor=0)
    assert (weak.kind, weak.worst) == ("drift", 2)
    assert "8.8 px from 1 to 2, most at 2" in weak.words


def test_frames_that_were_not_simply_followed_are_told_a_line_for_each_way():
    hows = dict(enumerate(["", "mark", "", "body", "body", "body", "", "body"], 11))
    assert [(one.first, one.words) for one in held_otherwise(hows)] == [
        (14, "4 frames as a stiff body, 14 to 16, 18"),
        (12, "1 frame found by the mark itself, 12"),
    ]
    (all_of_them,) = held_otherwise({11: "second", 12: "second"})
    assert all_of_them.words == "all frames by a second pass, 11 to 12"
    (spread,) = held_otherwise(dict(enumerate(["hidden", "", "hidden", "", "hidden", "", "hidden"], 11)))
    assert spread.words == "4 frames carried over what hid it, between 11 and 17"
    assert held_otherwise({11: "", 12: ""}) == []


BOX = Rect(120, 120, 392, 392)
WEAVE = 16.0  # px from thread to thread


def weave(faint: float) -> np.ndarray:
    """Threads that are all alike, but for a little of their own."""
    y, x = np.mgrid[0:512, 0:512].astype(float)
    own = np.random.default_rng(3).normal(0, 1, (64, 64)).repeat(8, 0).repeat(8, 1)
    return 0.5 + 0.2 * np.cos(2 * np.pi * x / WEAVE) * (1 + 0.3 * np.cos(2 * np.pi * y / 40)) + faint * own


def at_right(solver: MeshSolver, by: float) -> np.ndarray:
    return np.concatenate([np.full((*solver.grid.shape, 1), by), np.zeros((*solver.grid.shape, 1))], 2)


def solved(right: float, faint: float = 0.004, grain: float = 0.02):
    """A solver on a weave, and its view of a frame on which that has moved ``right`` px."""
    stiffness = Stiffness.of(72, 3)
    grid = spline.Grid.over(BOX, stiffness.spacing)
    ground = Ground.of([BOX.corners.tolist()])
    picture = weave(faint)
    luma = channel_of(codes_of(picture, 0, grain))
    still = make_still(luma, ground, grid.rect, PLAIN, ())
    solver = MeshSolver(still, grid, stiffness)
    frame = channel_of(codes_of(warped(picture, lambda p: p - [right, 0]), 1, grain))
    return solver, look_at(frame, grid.rect.grown(60), PLAIN)


def fitted(solver: MeshSolver, view, by: float) -> Fit:
    start = at_right(solver, by)
    return solver.polish(view, start, start, np.ones_like(solver.still.ground, np.float32))


def nearest(solver: MeshSolver, view, fit: Fit, predicted: np.ndarray, strays: bool = True) -> float:
    """Px to the right of what ``nearer`` takes, in the middle."""
    seen = np.ones_like(solver.still.ground, np.float32)
    taken = nearer(solver, view, fit, predicted, predicted, seen, strays)
    middle = np.array([[256.0, 256.0]])
    return float((MeshMap(solver.grid, taken.coefficients).forward(middle) - middle)[0, 0])


def test_a_mesh_one_thread_further_gives_way_to_the_one_where_the_motion_went():
    solver, view = solved(right=5.0, faint=0.15)
    aside = fitted(solver, view, 5.0 + WEAVE)
    assert nearest(solver, view, aside, at_right(solver, 4.0), strays=False) == pytest.approx(5 + WEAVE, abs=1)
    assert nearest(solver, view, aside, at_right(solver, 4.0)) == pytest.approx(5, abs=0.2)


def test_a_prediction_that_is_wrong_does_not_pull_a_good_mesh_away():
    solver, view = solved(right=5.0, faint=0.15, grain=0.35)
    right = fitted(solver, view, 5.0)
    assert agreement(solver, view, right.coefficients) < AGREES  # else nothing else is asked
    assert nearest(solver, view, right, at_right(solver, 4.0 + WEAVE)) == pytest.approx(5, abs=0.2)


def squeezed_by(solver: MeshSolver, size: float) -> np.ndarray:
    return spline.fitted(solver.grid, lambda p: 256 + (p - 256) * [size, 1])


@pytest.mark.parametrize(("size", "is_squeezed"), [(1.0, False), (0.85, False), (0.5, True), (1.3, False), (1.8, True)])
def test_a_mesh_is_squeezed_against_what_was_predicted_of_it(size: float, is_squeezed: bool):
    solver, _ = solved(right=0.0)
    turned = squeezed_by(solver, 0.4)  # it has turned away already, and that is no squeeze
    assert not squeezed(solver, turned, turned)
    assert squeezed(solver, squeezed_by(solver, size), at_right(solver, 7.0)) is is_squeezed
    assert squeezed(solver, squeezed_by(solver, 0.4 * size), turned) is is_squeezed


def test_a_squeezed_mesh_must_be_clearly_better():
    """Half as wide on threads twice as far apart: every other thread fits."""
    solver, view = solved(right=5.0, faint=0.004)
    pressed = fitted(solver, view, 0.0)
    pressed = replace(pressed, coefficients=squeezed_by(solver, 0.5))
    assert nearest(solver, view, pressed, at_right(solver, 4.0), strays=False) == pytest.approx(5, abs=0.3)
