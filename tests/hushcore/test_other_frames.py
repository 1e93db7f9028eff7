"""What lies behind a mark that stands in the frame, taken from frames on which it is bare."""

from dataclasses import replace

import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.errors import HushError
from hushcore.fill.plan import Fill
from hushcore.geometry.spline import Grid
from hushcore.hold.record import Hold, HoldFrame
from hushcore.patch.carried import carried
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.tells.behind import from_behind, good_enough
from hushcore.tells.measure import judge
from tests.hushcore.walls import (
    COUNT,
    HEIGHT,
    LINE,
    ROUGH,
    WIDTH,
    Wall,
    X,
    Y,
    apart,
    fix_of,
    shift,
    walker,
    walker_box,
)


@pytest.fixture(scope="module")
def bared(passed, held):
    return fix_of(passed, held, Plan(ROUGH, Match(), "fill", stands=True, fill=Fill("other frames")))


def test_what_lay_behind_comes_from_the_frames_on_which_it_was_bare(passed, bared):
    for frame in (2, 7, 11):
        after, before = apart(passed, bared, frame)
        assert after < 0.02 < 0.1 < before


def test_somebody_else_who_passes_is_not_taken_for_what_lies_behind(texture, held):
    class Two(Wall):
        def linear(self, frame: int) -> np.ndarray:
            made = super().linear(frame)
            inside = ((np.abs(X - (20 + 22 * frame)) < 14) & (np.abs(Y - 130) < 40))[..., None]
            return np.where(inside, np.float32([0.5, 0.1, 0.08]), made)

    wall = Two(texture, somebody=True)
    fix = fix_of(wall, held, Plan(ROUGH, Match(), "fill", stands=True, fill=Fill("other frames")))
    after, _ = apart(wall, fix, 3)  # on 3 the two are apart
    assert after < 0.03


def test_an_edge_rides_another_hold(passed, held):
    """The box is drawn once and carried by a hold that follows the walker."""

    def at(frame: int) -> HoldFrame:
        dx, dy = np.array(walker(frame)) - walker(5)
        return replace(held.frames[0], params=np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]]), lost=frame == 9)

    walks = Hold("planar", 5, (WIDTH, HEIGHT), None, (0, 0), {n: at(n) for n in range(COUNT) if n != 5})
    edge = carried(Edge.of(walker_box(5), 0, 6), walks)
    for frame in (0, 5, 13):
        box = edge.outlines[0].at(frame).points
        np.testing.assert_allclose(box, walker_box(frame), atol=1e-6)
    assert edge.unmasked(range(COUNT)) == [(9, 9)]  # where its hold is lost nothing is masked, and it is said
    fix = fix_of(passed, held, Plan(edge, Match(), "fill", stands=True, fill=Fill("other frames")))
    after, before = apart(passed, fix, 4)
    assert after < 0.02 < 0.1 < before
    codes = passed.read(9)
    assert np.array_equal(lay(codes, 9, fix).codes, codes)


def test_what_is_never_uncovered_is_said(texture, held):
    """A box that stays where the wall is never leaves its place."""
    stays = Edge((Outline(tuple((n, Nodes.of(walker_box(5) + shift(n))) for n in range(COUNT))),), 0, 6)
    wall = Wall(texture)
    with pytest.raises(HushError, match="lies on this place on nearly all frames") as problem:
        fix_of(wall, held, Plan(stays, Match(), "fill", stands=True, fill=Fill("other frames")))
    assert problem.value.kind == "never-uncovered"


def test_a_mesh_that_does_not_reach_where_the_mark_lies_is_said(passed, held):
    """A mesh knows its own ground alone: the walker is far beyond it on most frames, and nothing may be made up there."""
    grid = Grid.over(Rect(150, 90, 230, 170), 28.0)
    frames = {n: replace(f, params=np.zeros((*grid.shape, 2)) + shift(n)) for n, f in held.frames.items()}
    bent = replace(held, kind="mesh", grid=grid, frames=frames)
    with pytest.raises(HushError, match="does not reach where the mark lies on") as problem:
        fix_of(passed, bent, Plan(ROUGH, Match(), "fill", stands=True, fill=Fill("other frames")))
    assert problem.value.kind == "beyond-hold"
    with pytest.raises(HushError, match="does not reach"):
        from_behind(bent, passed.read, ROUGH, SRGB)  # nor is it proposed


def test_what_lies_behind_is_proposed_where_it_is_quiet(passed, held):
    assert from_behind(held, passed.read, ROUGH, SRGB)
    assert not good_enough([0.5, 0.6, 3.2])
    assert not good_enough([1.5, 0.6, 1.2])
    assert not good_enough([])


def test_a_mark_on_the_surface_is_not_filled_from_other_frames(held):
    with pytest.raises(HushError, match="rides the surface"):
        Plan(LINE, Match(), "fill", fill=Fill("other frames")).check()
    with pytest.raises(HushError, match="stands in the frame"):
        Plan(LINE, Match(), "fill", stands=True, fill=Fill("soak")).check()


def test_a_standing_mark_s_patch_is_judged_beside_its_edge(passed, bared):
    quiet, _ = judge(lay(passed.read(7), 7, bared), 7, bared, None)
    off = replace(bared, plan=replace(bared.plan, match=replace(bared.plan.match, light="off")))
    # the light of frame 11 is a tenth away from what the picture was put together in
    loud, _ = judge(lay(passed.read(11), 11, off), 11, off, None)
    assert quiet.seam < 1 < loud.seam
    assert quiet.light < 1 < loud.light


def test_a_plate_that_is_wanted_for_the_rest_must_be_there(passed, held):
    """A box that hardly moves leaves a place that is never bare; without a plate that cannot be filled by one."""
    slow = Edge(
        (Outline(tuple((n, Nodes.of(walker_box(5) + shift(n) + np.array([3.0 * (n - 7), 0]))) for n in range(COUNT))),),
        0,
        6,
    )
    fill = Fill("other frames", rest="plate")
    with pytest.raises(HushError) as problem:
        fix_of(passed, held, Plan(slow, Match(), "fill", stands=True, fill=fill))
    assert problem.value.kind in ("no-plate", "never-uncovered")
