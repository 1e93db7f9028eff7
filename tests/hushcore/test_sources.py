"""Sources that need no plate, over a shot whose truth is known: a brick wall that moves under a light that goes up and
down, with a red scratch on it, or somebody who walks past."""

import json
import subprocess
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge.front import Front
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.errors import HushError
from hushcore.fill.plan import BorrowKey, Fill
from hushcore.geometry.spline import Grid
from hushcore.hold.record import Hold, HoldFrame
from hushcore.media.pictures import read_codes, write_codes
from hushcore.patch.carried import carried
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate
from hushcore.recipe.build import build_fix, with_base
from hushcore.recipe.models import FillData, FixData, Recipe, StrokeData, check
from hushcore.retouch.soften import Soften, creases_of, softened
from hushcore.retouch.strokes import Donor, Stroke
from hushcore.tells.behind import from_behind, good_enough
from hushcore.tells.measure import judge

WIDTH, HEIGHT, COUNT, ANCHOR = 360, 240, 15, 7
STEP = np.array([3.0, -1.0])  # px a frame
Y, X = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
SCRATCH = np.array([[150, 150], [210, 96]], float)


def shift(frame: int) -> np.ndarray:
    return (frame - ANCHOR) * STEP


def level(frame: int) -> float:
    return float(1 + 0.15 * np.sin(frame / 2.5))


def walker(frame: int) -> tuple[float, float]:
    """The middle of somebody who passes from right to left."""
    return 300 - 16 * frame, 130.0


class Wall:
    """The shot; ``scratched`` or with ``somebody``; ``truth`` without either and without grain."""

    def __init__(self, texture: np.ndarray, scratched: bool = False, somebody: bool = False) -> None:
        self.texture, self.scratched, self.somebody = texture, scratched, somebody

    def surface(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        grey = ndi.map_coordinates(self.texture[40:460, 40:500], [y + 60, x + 60], order=1, mode="reflect")
        return (0.1 + 0.35 * grey[..., None] * np.float32([1.0, 0.9, 0.8])).astype(np.float32)

    def truth(self, frame: int) -> np.ndarray:
        dx, dy = shift(frame)
        return self.surface(X - dx, Y - dy) * np.float32(level(frame))

    def linear(self, frame: int) -> np.ndarray:
        made = self.truth(frame)
        dx, dy = shift(frame)
        if self.scratched:
            line = np.zeros((HEIGHT, WIDTH), np.uint8)
            ends = np.rint((SCRATCH + np.array([dx, dy])) * 16).astype(np.int32)
            cv2.line(line, tuple(map(int, ends[0])), tuple(map(int, ends[1])), 255, 5, cv2.LINE_AA, 4)
            made = made * (1 - line[..., None] / 255.0 * np.float32([0.1, 0.7, 0.7]))
        if self.somebody:
            x, y = walker(frame)
            inside = ((np.abs(X - x) < 16) & (np.abs(Y - y) < 46))[..., None]
            made = np.where(inside, np.float32([0.05, 0.06, 0.1]), made)
        return made

    def read(self, frame: int) -> np.ndarray:
        noise = np.random.default_rng(frame).normal(0, 0.004, (HEIGHT, WIDTH, 3))
        return SRGB.encode(SRGB.from_tonal((SRGB.tonal_of(self.linear(frame)) + noise).astype(np.float32)), np.uint16)


@pytest.fixture(scope="module")
def held() -> Hold:
    def at(frame: int) -> HoldFrame:
        dx, dy = shift(frame)
        matrix = np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]])
        return HoldFrame(matrix, np.full((16, 23), 0.1, np.float32), 0.1, 1.0, False)

    frames = {n: at(n) for n in range(COUNT) if n != ANCHOR}
    return Hold("planar", ANCHOR, (WIDTH, HEIGHT), None, (0, 0), frames)


def fix_of(wall: Wall, hold: Hold, plan: Plan, donor: Hold | None = None, plates=()):
    based = with_base(plan, hold, list(plates), wall.read, SRGB, donor)
    evidence = gather(wall.read, hold, plan.edge, SRGB, plan, based)
    return make_fix(hold, plan, based, evidence, None, wall.read, 0, donor)


def apart(wall: Wall, fix, frame: int, low: float = 2.0) -> tuple[float, float]:
    """Mean tonal error where the patch is full, low-passed: with the patch, and of the frame as shot. Outside the matte
    nothing has changed."""
    codes = wall.read(frame)
    laid = lay(codes, frame, fix)
    outside = np.ones((HEIGHT, WIDTH), bool)
    outside[laid.rect.slices] = laid.matte <= 1 / 4096
    assert np.array_equal(laid.codes[outside], codes[outside])
    clean = SRGB.tonal_of(wall.truth(frame))
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[laid.rect.slices] = laid.matte > 0.99
    return tuple(
        float(cv2.GaussianBlur(np.abs(SRGB.tonal(side) - clean).astype(np.float32), (0, 0), low)[inside].mean())
        for side in (laid.codes, codes)
    )


# -- retrace


def strokes(span=None, source="painted") -> tuple[Stroke, ...]:
    """The scratch healed from the course of bricks below it (52 px is the courses' step in this texture, by eye)."""
    points = np.column_stack([np.linspace(SCRATCH[0], SCRATCH[1], 24), np.ones(24)])
    return (Stroke("heal", points, 9.0, 0.7, pressure="none", donor=Donor((34.0, 30.0), source=source), span=span),)


@pytest.fixture(scope="module")
def scratched(texture) -> Wall:
    return Wall(texture, scratched=True)


LINE = Edge((Outline(((0, Nodes.of(SCRATCH)),), width=12.0),), 0, 4)


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


# -- other frames


@pytest.fixture(scope="module")
def passed(texture) -> Wall:
    return Wall(texture, somebody=True)


def walker_box(frame: int) -> np.ndarray:
    x, y = walker(frame)
    return np.array([[x - 24, y - 54], [x + 24, y - 54], [x + 24, y + 54], [x - 24, y + 54]])


ROUGH = Edge((Outline(tuple((frame, Nodes.of(walker_box(frame))) for frame in range(0, COUNT, 2))),), 0, 6)


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


# -- soften


def skin(rng) -> tuple[np.ndarray, np.ndarray]:
    """Blotchy tone with pores, and a dark crease across it; tonal values."""
    pores = 0.02 * cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 0.9)
    blotch = 0.25 * cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 5)
    crease = -0.08 * np.exp(-(((Y - 120 - 6 * np.sin(X / 40)) / 3.0) ** 2))
    plain = 0.5 + 0.1 * X / WIDTH + pores
    return np.repeat((plain + blotch)[..., None], 3, 2).astype(np.float32), np.asarray(crease, np.float32)


def bands(tonal: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    fine, low = (cv2.GaussianBlur(tonal.mean(-1), (0, 0), sigma) for sigma in (1.0, 2.0))
    return tonal.mean(-1) - fine, low - cv2.GaussianBlur(tonal.mean(-1), (0, 0), 24)


def test_tone_is_smoothed_and_pores_stay():
    tonal, _ = skin(np.random.default_rng(0))
    tone, texture = softened(tonal, Soften(scale=10, amount=1.0), None)
    before, after = bands(tonal), bands(tonal + tone + texture)
    middle = (slice(40, -40), slice(40, -40))
    assert after[1][middle].std() < 0.6 * before[1][middle].std()
    assert after[0][middle].std() == pytest.approx(before[0][middle].std(), rel=0.05)  # skin is not plastic
    wide = cv2.GaussianBlur(tone.mean(-1), (0, 0), 40)
    assert np.abs(wide).max() < 0.004  # light at over four times the scale is untouched


def test_real_edges_are_not_smoothed_away():
    step = np.repeat(np.where(X > 180, 0.75, 0.35)[..., None], 3, 2).astype(np.float32)
    tone, _ = softened(step, Soften(scale=10, amount=1.0), None)
    assert np.abs(tone).max() < 0.04  # of a step of .4


def test_creases_are_evened_and_what_lies_beside_them_is_not():
    tonal, crease = skin(np.random.default_rng(1))
    creased = tonal + crease[..., None]
    found = creases_of(creased, np.ones((HEIGHT, WIDTH), bool))
    tone, _ = softened(creased, Soften(amount=0.0, lines=1.0), found)
    on = crease < -0.06
    left = float((crease * (crease + tone.mean(-1)))[on].sum() / (crease**2)[on].sum())
    assert left < 0.3  # of the crease's own profile
    far = np.abs(Y - 120) > 40
    assert np.abs(tone[far]).max() < 0.01


def test_the_frame_keeps_its_own_pixels_detail(scratched, held):
    """Softening is laid as a gain: the finest detail in the patch is the frame's own, not resampled."""
    spot = Edge.of(np.array([[120, 90], [240, 90], [240, 170], [120, 170]], float), 0, 8)
    fix = fix_of(scratched, held, Plan(spot, Match(), "soften", soften=Soften(scale=8, amount=1.0)))
    for frame in (1, 12):
        codes = scratched.read(frame)
        laid = lay(codes, frame, fix)
        fine = [
            SRGB.tonal(s).mean(-1) - cv2.GaussianBlur(SRGB.tonal(s).mean(-1), (0, 0), 0.8) for s in (codes, laid.codes)
        ]
        inside = np.zeros((HEIGHT, WIDTH), bool)
        inside[laid.rect.slices] = laid.matte > 0.99
        assert np.corrcoef(fine[0][inside], fine[1][inside])[0, 1] > 0.99
        assert fine[1][inside].std() == pytest.approx(fine[0][inside].std(), rel=0.05)


def test_texture_of_another_place_is_laid_instead():
    rng = np.random.default_rng(2)
    rough = 0.03 * cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 0.9)
    tonal = np.repeat((0.5 + np.where(X > 180, rough, 0.1 * rough))[..., None], 3, 2).astype(np.float32)
    tone, texture = softened(tonal, Soften(amount=0.0, take=(140.0, 0.0)), None)
    made = bands(tonal + tone + texture)[0][40:-40, 60:140]
    there = bands(tonal)[0][40:-40, 200:280]
    assert np.corrcoef(made.ravel(), there.ravel())[0, 1] > 0.95


# -- recipes


def recipe(at: tuple[float, float] = (180.0, 123.0), half: float = 40.0, **source) -> dict:
    (x, y), h = at, half
    square = [[x - h, y - h], [x + h, y - h], [x + h, y + h], [x - h, y + h]]
    return {"hold": "hold.json", "edge": {"polygon": square, "growth": 0, "softness": 4}, **source}


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


def test_every_source_is_rendered_from_a_recipe_alone(tmp_path, scratched, passed, held):
    """The command line: clip, recipe, holds beside it; nothing else."""
    hush = Path(__file__).resolve().parents[2] / ".venv" / "bin" / "hush"
    clip = tmp_path / "wall"
    clip.mkdir()
    for frame in range(COUNT):
        write_codes(clip / f"wall.{frame:04d}.tif", scratched.read(frame))
    (tmp_path / "hold.json").write_text(json.dumps(held.plain()))
    stroke = StrokeData(kind="heal", points=[(180, 123, 1)], radius=9, donor={"offset": (34, 30)}).model_dump(
        mode="json"
    )
    box = [{"frame": n, "nodes": [{"x": x, "y": y} for x, y in walker_box(n)]} for n in range(0, COUNT, 2)]
    fixes = [
        recipe((100, 60), 14, name="soak", source="fill", fill={"kind": "soak"}),
        recipe((280, 60), 14, name="weave", source="fill", fill={"kind": "weave", "patch": 9}),
        recipe((180, 123), 14, name="retrace", source="retrace", strokes=[stroke]),
        recipe((110, 180), 20, name="soften", source="soften", soften={"amount": 1.0}),
        {**recipe(name="behind", source="fill", fill={"kind": "other frames"}, stands=True), "edge": {"keys": box}},
    ]
    made = check({"fixes": fixes}, Recipe, "The recipe")
    (tmp_path / "recipe.json").write_text(json.dumps(made.model_dump(mode="json")))
    done = subprocess.run(
        [hush, "render", clip, "--recipe", tmp_path / "recipe.json", "-o", tmp_path / "out", "--range", "4-5"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    proof = json.loads((tmp_path / "out" / "proof.json").read_text())
    assert (proof["frames"], proof["changed_outside"]) == (2, 0)
    changed = (read_codes(next((tmp_path / "out").glob("*0005.tif"))) != read_codes(clip / "wall.0005.tif")).any(-1)
    for x, y in ((100, 60), (280, 60), (180, 123), (110, 180), np.array(walker(5)) - shift(5)):
        col, row = np.rint(np.array([x, y]) + shift(5)).astype(int)
        assert changed[row - 5 : row + 6, col - 5 : col + 6].mean() > 0.5, (x, y)
