"""Strokes and fills that are redone on every frame."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from hushcore.colour.encoding import SRGB
from hushcore.edge.front import Front
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Outline
from hushcore.errors import HushError
from hushcore.fill.plan import BorrowKey, Fill
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate
from hushcore.recipe.build import build_fix
from hushcore.recipe.models import FillData, FixData, StrokeData, check
from hushcore.retouch.strokes import Donor, Stroke
from hushcore.tells.measure import judge
from tests.hushcore.walls import (
    ANCHOR,
    HEIGHT,
    LINE,
    SCRATCH,
    WIDTH,
    Wall,
    apart,
    fix_of,
    recipe,
    shift,
    walker,
)

# -- retrace


def strokes(span=None, source="painted") -> tuple[Stroke, ...]:
    """The scratch healed from the course of bricks below it (52 px is the courses' step in this texture, by eye)."""
    points = np.column_stack([np.linspace(SCRATCH[0], SCRATCH[1], 24), np.ones(24)])
    return (Stroke("heal", points, 9.0, 0.7, pressure="none", donor=Donor((34.0, 30.0), source=source), span=span),)


def test_strokes_are_redone_on_every_frame_in_its_own_light(scratched, held):
    fix = fix_of(scratched, held, Plan(LINE, Match(), "retrace", strokes=strokes()))
    for frame in (0, 4, 14):
        codes = scratched.read(frame)
        laid = lay(codes, frame, fix)
        dx, dy = shift(frame)
        ends = np.linspace(SCRATCH[0], SCRATCH[1], 9)[1:-1] + np.array([dx, dy])
        for x, y in np.rint(ends).astype(int):
            reds = [SRGB.tonal(side[y - 2 : y + 3, x - 2 : x + 3]).mean((0, 1)) for side in (codes, laid.codes)]
            assert reds[0][0] - reds[0][1] > 0.15 > 0.08 > reds[1][0] - reds[1][1]  # red before, wall after
        made, clean = (SRGB.tonal(laid.codes), SRGB.tonal_of(scratched.truth(frame)))
        inside = np.zeros((HEIGHT, WIDTH), bool)
        inside[laid.rect.slices] = laid.matte > 0.99
        # bricks differ, light does not: the mean over the stroke follows each frame's own
        assert made[inside].mean() == pytest.approx(clean[inside].mean(), abs=0.02)


def test_retrace_lights_nothing_and_its_light_is_no_tell(scratched, held):
    fix = fix_of(scratched, held, Plan(LINE, Match(), "retrace", strokes=strokes()))
    laid = lay(scratched.read(3), 3, fix)
    assert laid.light is None
    tells, _ = judge(laid, 3, fix, None)
    assert tells.light == 0


def test_a_stroke_with_a_range_is_on_there_alone(scratched, held):
    fix = fix_of(scratched, held, Plan(LINE, Match(), "retrace", strokes=strokes(span=(5, 8))))
    for frame, on in ((4, False), (5, True), (8, True), (9, False)):
        codes = scratched.read(frame)
        assert np.array_equal(lay(codes, frame, fix).codes, codes) is not on


def test_paint_reaches_beyond_the_edge_but_never_over_who_passes_in_front(texture, held):
    """On 9 somebody stands before the scratch's left end, drawn round by hand."""
    wall, plan = Wall(texture, scratched=True, somebody=True), Plan(LINE, Match(), "retrace", strokes=strokes())
    (x, y), codes = walker(9), wall.read(9)
    box = np.array([[x - 17, y - 47], [x + 17, y - 47], [x + 17, y + 47], [x - 17, y + 47]])
    over = lay(codes, 9, fix_of(wall, held, replace(plan, front=Front(auto=False))))
    assert (over.matte > 0.5).sum() > 1.2 * (LINE.matte(LINE.rect()) > 0.5).sum()
    behind = lay(codes, 9, fix_of(wall, held, replace(plan, front=Front(False, (Outline.of(box),)))))
    there = (slice(140, 150), slice(158, 168))  # of the walker, where strokes lie
    changed = [np.abs(SRGB.tonal(side.codes[there]) - SRGB.tonal(codes[there])).mean() for side in (over, behind)]
    assert changed[1] < 0.01 < 0.05 < changed[0]


def test_a_donor_on_a_lost_frame_is_said(scratched, held):
    lost = replace(held, frames={n: replace(f, lost=n == 3) for n, f in held.frames.items()})
    with pytest.raises(HushError, match="lost on frame 3"):
        make_fix(
            lost, Plan(LINE, Match(), "retrace", strokes=strokes(source=3)),
            [(ANCHOR, make_plate(scratched.read(ANCHOR), lost, ANCHOR, []))],
        )  # fmt: skip
    with pytest.raises(HushError, match="paint on the plate"):
        Plan(LINE, Match(), "retrace").check()


# -- fills over time


def test_a_fill_rides_the_surface_in_each_frame_s_light(scratched, held):
    for kind in ("soak", "pull", "weave"):
        fix = fix_of(scratched, held, Plan(LINE, Match(), "fill", fill=Fill(kind, smooth=3)))
        for frame in (0, 5, 13):
            after, before = apart(scratched, fix, frame)
            assert after < 0.4 * before, (kind, frame)


def test_at_a_plate_s_frame_the_plate_is_the_result(scratched, held):
    """A plate that guides a fill: a bright stroke on it shows fully on its frame, and no more far away."""
    bright = Stroke("paint", np.array([[180.0, 123.0, 1.0]]), 8.0, 1.0, colour=(0.9, 0.9, 0.9), pressure="none")
    near = make_plate(scratched.read(2), held, 2, [bright])
    plan = Plan(
        Edge.of(np.array([[140, 86], [220, 86], [220, 160], [140, 160]], float), 0, 4),
        Match(grain="off"),
        "fill",
        fill=Fill(),
    )
    fix = fix_of(scratched, held, plan, plates=[(2, near)])
    spots = {}
    for frame in (2, 3, 14):
        x, y = np.rint(np.array([180, 123]) + shift(frame)).astype(int)
        spots[frame] = SRGB.tonal(lay(scratched.read(frame), frame, fix).codes[y - 2 : y + 3, x - 2 : x + 3]).mean()
    assert spots[2] > 0.9
    assert spots[3] > 0.85
    assert spots[14] < spots[3] - 0.1


def test_a_borrowed_place_is_taken_from_every_frame_anew(scratched, held):
    """Its grain is the frame's own: on two frames it differs, while a plate's is laid anew from numbers."""
    spot = Edge.of(np.array([[168, 112], [192, 112], [192, 136], [168, 136]], float), 0, 4)
    plan = Plan(spot, Match(), "fill", fill=Fill("borrow", offset=(60.0, 20.0), live=True))
    fix = fix_of(scratched, held, plan)
    for frame in (0, 12):
        codes = scratched.read(frame)
        laid = lay(codes, frame, fix)
        dx, dy = np.rint(shift(frame)).astype(int)
        here, there = (
            (slice(116 + dy, 132 + dy), slice(172 + dx, 188 + dx)),
            (slice(136 + dy, 152 + dy), slice(232 + dx, 248 + dx)),
        )
        fine = [
            SRGB.tonal(side).mean(-1) - cv2.GaussianBlur(SRGB.tonal(side).mean(-1), (0, 0), 3)
            for side in (laid.codes, codes)
        ]
        assert np.corrcoef(fine[0][here].ravel(), fine[1][there].ravel())[0, 1] > 0.8


def test_a_donor_s_own_hold_carries_it(scratched, held):
    """A hold that follows another motion brings what lies there: here one that stands still while the wall moves."""
    still = replace(held, frames={n: replace(f, params=np.eye(3)) for n, f in held.frames.items()})
    spot = Edge.of(np.array([[168, 112], [192, 112], [192, 136], [168, 136]], float), 0, 4)
    fill = Fill("borrow", offset=(-100.0, 40.0))
    fix = fix_of(scratched, held, Plan(spot, Match(), "fill", fill=fill), donor=still)
    codes = scratched.read(12)
    laid = lay(codes, 12, fix)
    dx, dy = np.rint(shift(12)).astype(int)
    here, there = (slice(116 + dy, 132 + dy), slice(172 + dx, 188 + dx)), (slice(156, 172), slice(72, 88))
    fine = [
        SRGB.tonal(side).mean(-1) - cv2.GaussianBlur(SRGB.tonal(side).mean(-1), (0, 0), 3)
        for side in (laid.codes, codes)
    ]
    assert np.corrcoef(fine[0][here].ravel(), fine[1][there].ravel())[0, 1] > 0.8
    short = replace(still, anchor=3, frames={4: still.frames[4]})
    with pytest.raises(HushError, match="donor's hold does not reach"):
        fix_of(scratched, held, Plan(spot, Match(), "fill", fill=fill), donor=short)


def test_only_a_borrow_takes_from_a_donor(scratched, held):
    """A hold that once carried a donor does nothing to another kind of fill."""
    plan = Plan(LINE, Match(), "fill", fill=Fill("soak", smooth=3))
    codes = scratched.read(12)
    plain, with_it = (lay(codes, 12, fix_of(scratched, held, plan, donor=donor)) for donor in (None, held))
    assert np.array_equal(plain.codes, with_it.codes)


def test_a_plate_of_a_fill_begins_from_it_in_a_recipe_too(scratched, held):
    """Strokes lie on the fill: where there is none, the plate holds what is filled and not the mark."""
    dot = StrokeData(kind="paint", points=[(200, 140, 1)], radius=3, colour=(0.9, 0.9, 0.9)).model_dump(mode="json")
    data = check(
        recipe(half=40, source="fill", fill={"kind": "soak"}, plates=[{"frame": 4, "strokes": [dot]}]),
        FixData,
        "The fix",
    )
    fix = build_fix(data, held, scratched.read)
    guide = next(sheet for sheet in fix.sheets if sheet.frame == 4)
    x, y = np.rint(SCRATCH.mean(0)).astype(int) - [fix.rect.left, fix.rect.top]
    marked, begun = (
        SRGB.tonal_of(side[y - 1 : y + 2, x - 1 : x + 2]).mean((0, 1)) for side in (guide.original, guide.painted)
    )
    assert marked[0] - marked[1] > 0.15 > 0.08 > begun[0] - begun[1]


def test_keys_move_a_donor_over_time(scratched, held):
    spot = Edge.of(np.array([[168, 112], [192, 112], [192, 136], [168, 136]], float), 0, 4)
    keys = (BorrowKey(0, (60.0, 20.0)), BorrowKey(14, (60.0, -40.0)))
    fix = fix_of(scratched, held, Plan(spot, Match(), "fill", fill=Fill("borrow", keys=keys)))
    codes = scratched.read(14)
    dx, dy = np.rint(shift(14)).astype(int)
    laid, shot = (
        SRGB.tonal(side).mean(-1) - cv2.GaussianBlur(SRGB.tonal(side).mean(-1), (0, 0), 3)
        for side in (lay(codes, 14, fix).codes, codes)
    )
    here, there = laid[116 + dy : 132 + dy, 172 + dx : 188 + dx], shot[76 + dy : 92 + dy, 232 + dx : 248 + dx]
    assert np.corrcoef(here.ravel(), there.ravel())[0, 1] > 0.8


# -- recipes


def test_a_source_without_what_it_needs_is_said():
    for source, words in (
        ({"source": "replace"}, "pick a frame"), ({"source": "retrace"}, "paint on the plate"),
        ({"source": "fill"}, "kind of fill"), ({"source": "soften"}, "how it is softened"),
        ({"source": "fill", "fill": {"kind": "borrow"}}, "place to borrow from"),
    ):  # fmt: skip
        with pytest.raises(HushError, match=words):
            check(recipe(**source), FixData, "The fix").plan()


def test_the_side_of_a_pull_may_be_called_from():
    data = check({"kind": "pull", "direction": 90, "from": -1}, FillData, "The fill")
    assert data.fill().side == -1
