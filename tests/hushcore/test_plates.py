"""Plates: how they share a shot, which frame is next, averages, artwork; lift; several outlines."""

import cv2
import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge, lines
from hushcore.edge.outline import Nodes, Outline
from hushcore.errors import HushError
from hushcore.hold.record import Hold, HoldFrame
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay, lay_all
from hushcore.patch.lift import ratio_of, trust_of
from hushcore.patch.plan import Evidence, Match, Plan
from hushcore.plates.art import MODES, Art, blended
from hushcore.plates.blend import by_light, by_time
from hushcore.plates.choose import Standing, ranked
from hushcore.plates.plate import averaged, make_plate
from hushcore.retouch.strokes import Stroke

BOX = np.array([[60, 60], [100, 60], [100, 100], [60, 100]], float)
RECT = Rect(0, 0, 160, 160)


# -- sharing the shot


def test_plates_share_the_shot_by_time_without_a_jump():
    frames = [1012, 1071, 1040]
    weights = np.array([by_time(frames, frame) for frame in range(1000, 1096)])
    np.testing.assert_allclose(weights.sum(1), 1)
    np.testing.assert_array_equal(weights[1012 - 1000], [1, 0, 0])
    np.testing.assert_array_equal(weights[0], [1, 0, 0])
    np.testing.assert_array_equal(weights[-1], [0, 1, 0])
    assert np.abs(np.diff(weights, axis=0)).max() < 0.06


def test_plates_share_by_light_place_by_place():
    """Left the first plate's light is nearer, right the second's; a plate that is darker all over is no worse."""
    slope = np.linspace(-0.3, 0.3, 120, dtype=np.float32)[None, :, None] * np.ones((80, 1, 3), np.float32)
    left, right = np.minimum(slope, 0) - 0.7, np.maximum(slope, 0)
    one, two = by_light([right, left], [None, None])
    assert one[40, 20, 0] > 0.9 > 0.1 > one[40, 100, 0]
    np.testing.assert_allclose(one + two, 1, atol=1e-6)
    assert np.abs(np.diff(one, axis=1)).max() < 0.1
    hidden = np.ones((80, 120), np.float32)
    hidden[:, :60] = 0
    assert by_light([right, left], [hidden, None])[1][40, 20, 0] > 0.99  # a plate is not used where it is covered


def standing(frame, worth=1.0, uneven=0.1, facing=1.0, hidden=0.0, light=0.0, slope=0.0) -> Standing:
    return Standing(frame, worth, worth, uneven, facing, hidden, light + slope * np.linspace(-1, 1, 9))


def test_the_next_plate_shows_what_the_first_does_not():
    frames = [standing(k, worth=1 - k / 400) for k in range(40)]
    frames += [standing(k, worth=0.8, slope=0.4) for k in range(40, 80)]
    assert ranked(frames, [])[0].frame == 0  # alone the sharpest
    second = ranked(frames, [0])[0]
    assert second.frame >= 40  # then the one in another light
    assert "light that no plate has" in second.words
    covered = [standing(k, hidden=0.9 if k < 5 else 0.0) for k in range(20)]
    assert ranked(covered, [])[0].frame >= 5
    assert ranked([], []) == []


# -- a small shot with exact truth


def shifted(picture: np.ndarray, dx: float, dy: float, light: float = 1.0) -> np.ndarray:
    matrix = np.float32([[1, 0, dx], [0, 1, dy]])
    moved = cv2.warpAffine(picture, matrix, (160, 160), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return SRGB.encode(np.clip(moved * light, 0, 1), np.uint16)


@pytest.fixture(scope="module")
def shot(texture):
    """Brick that moves by whole pixels and grows lighter, a dark mark on it: frames, clean frames, and the true hold."""
    clean = np.repeat(SRGB.linear(texture[60:220, 60:220] * 0.8)[..., None], 3, 2)
    mark = np.zeros((160, 160, 1), np.float32)
    cv2.circle(mark, (80, 80), 15, 1.0, -1, cv2.LINE_AA)
    marked = clean * (1 - 0.6 * mark)
    hold = Hold("planar", 0, (160, 160), None, (0, 0))
    frames, truth = [], []
    for k in range(6):
        frames.append(shifted(marked, 3 * k, -2 * k, 1 + 0.1 * k))
        truth.append(shifted(clean, 3 * k, -2 * k, 1 + 0.1 * k))
        if k:
            matrix = np.array([[1, 0, 3.0 * k], [0, 1, -2.0 * k], [0, 0, 1]])
            hold.frames[k] = HoldFrame(matrix, np.zeros((7, 7), np.float32), 0.1, 1.0, False)
    return frames, truth, hold


def plate_of(shot, frame=0, strokes=()):
    frames, truth, hold = shot
    return make_plate(frames[frame], hold, frame, strokes, truth[frame] if not strokes else None)


def error(shot, laid, frame: int) -> float:
    inside = laid.matte > 0.9
    made, wanted = (side[laid.rect.slices][inside] / 65535 for side in (laid.codes, shot[1][frame]))
    return float(np.abs(made - wanted).mean())


@pytest.mark.parametrize("source", ["replace", "lift"])
@pytest.mark.parametrize("light", ["auto", "under", "rim", "slope", "even"])
def test_a_patch_is_the_clean_frame_in_its_own_light(shot, source, light):
    plan = Plan(Edge.of(BOX, 0, 6), Match(light, grain="off"), source)
    fix = make_fix(shot[2], plan, [(0, plate_of(shot))])
    for frame in (2, 5):
        laid = lay(shot[0][frame], frame, fix)
        assert error(shot, laid, frame) < 0.012
        outside = np.ones((160, 160), bool)
        outside[laid.rect.slices] &= laid.matte <= 1 / 4096
        np.testing.assert_array_equal(laid.codes[outside], shot[0][frame][outside])


def test_the_same_recipe_gives_the_same_bytes_and_grain_is_new_on_every_frame(shot):
    from hushcore.grain.model import Grain, white

    grain = Grain(np.array([0.0, 1.0]), np.full((2, 3), 0.02), white())
    plan = Plan(Edge.of(BOX, 0, 6), Match("even"))
    made = [
        lay(shot[0][frame], frame, make_fix(shot[2], plan, [(0, plate_of(shot))], Evidence(1.0, grain)))
        for frame in (2, 2, 4)
    ]
    np.testing.assert_array_equal(made[0].codes, made[1].codes)
    plain_plan = Plan(Edge.of(BOX, 0, 6), Match("even", grain="off"))
    bare = make_fix(shot[2], plain_plan, [(0, plate_of(shot))], Evidence(1.0, grain))
    noise = []
    for laid, frame in ((made[0], 2), (made[2], 4)):
        plain = lay(shot[0][frame], frame, bare)
        noise.append((laid.codes.astype(float) - plain.codes)[laid.rect.slices][laid.matte > 0.9])
    count = min(len(side) for side in noise)
    assert abs(np.corrcoef(noise[0][:count].ravel(), noise[1][:count].ravel())[0, 1]) < 0.1


def test_several_plates_and_fixes_on_each_other_s_result(shot):
    frames, truth, hold = shot
    plan = Plan(Edge.of(BOX, 0, 6), Match("even", grain="off"), blend="light")
    two = make_fix(hold, plan, [(0, plate_of(shot)), (4, plate_of(shot, 4))])
    assert error(shot, lay(frames[2], 2, two), 2) < 0.012
    # a second fix that paints on what the first one made, over the same place
    first = make_fix(hold, Plan(Edge.of(BOX, 0, 6), Match("even", grain="off")), [(0, plate_of(shot))])
    below = lay_all(frames[0], 0, [first])[0]
    red = Stroke("paint", np.array([[80, 80, 1]], float), 8, hardness=1, colour=(0.5, 0, 0))
    second_plate = make_plate(below, hold, 0, [red])
    second = make_fix(hold, Plan(Edge.of(BOX, 0, 6), Match("even", grain="off")), [(0, second_plate)])
    both = lay_all(frames[3], 3, [first, second])[0]
    assert both[74, 89, 0] > 3 * both[74, 89, 1]  # the paint rides to its place
    np.testing.assert_allclose(both[62, 77] / 65535, truth[3][62, 77] / 65535, atol=0.05)  # and the mark stays gone


def test_an_average_of_frames_has_less_grain(shot):
    frames, _, hold = shot
    rng = np.random.default_rng(0)
    noisy = [np.clip(f + rng.normal(0, 1500, f.shape), 0, 65535).astype(np.uint16) for f in frames]
    made = averaged(noisy.__getitem__, hold, 2, 4, SRGB)
    inner = (slice(40, 120), slice(40, 120))
    own = SRGB.decode(noisy[2])
    plain = make_plate(noisy[2], hold, 2, []).original
    wanted = make_plate(frames[2], hold, 2, []).original
    assert np.abs(made - wanted)[inner].std() < 0.65 * np.abs(plain - wanted)[inner].std()
    assert made.shape == own.shape


def test_a_mark_that_stands_in_the_frame_is_taken_out_as_the_picture_moves_under_it(shot):
    """An overlay over moving brick: what lies under it on one frame is clear on another."""
    _, truth, hold = shot
    frames = [codes.copy() for codes in truth]
    for codes in frames:
        codes[70:86, 70:80] = 60000
    box = np.array([[69, 69], [81, 69], [81, 87], [69, 87]], float)
    plates = [(k, make_plate(frames[k], hold, k, [])) for k in (0, 5)]
    fix = make_fix(hold, Plan(Edge.of(box, 1, 1), Match("slope", grain="off"), blend="light", stands=True), plates)
    laid = lay(frames[0], 0, fix)
    inside = laid.matte > 0.9
    assert error((None, truth), laid, 0) < 0.03
    assert np.abs(frames[0][laid.rect.slices][inside].astype(float) - truth[0][laid.rect.slices][inside]).mean() > 15000


def test_a_shot_without_a_hold_says_nothing_and_the_plain_evidence_stands(shot):
    empty = Hold("planar", 0, (160, 160), None, (0, 0))
    assert gather(shot[0].__getitem__, empty, Edge.of(BOX), SRGB) == Evidence()
    said = gather(shot[0].__getitem__, shot[2], Edge.of(BOX), SRGB)
    assert Evidence.of(said.plain()).multiplies == pytest.approx(said.multiplies, abs=1e-3)


@pytest.mark.parametrize(
    "broken", [{"source": "weld"}, {"blend": "luck"}, {"match": Match("moon")}, {"match": Match(grain="sand")}]
)
def test_a_plan_that_cannot_be_laid_is_refused_in_words(shot, broken):
    with pytest.raises(HushError, match=r"choose|blend"):
        make_fix(shot[2], Plan(Edge.of(BOX), **broken), [(0, plate_of(shot))])


# -- lift


def test_lift_is_trusted_where_grain_is_not_made_louder():
    original = np.full((60, 60, 3), 0.2, np.float32)
    faint, dark = original.copy(), original.copy()
    faint[20:40, 20:40] *= 1.1
    dark[20:40, 20:40] *= 8
    kept = [float(trust_of(ratio_of(side, original), original, 0.95, None, SRGB)[30, 30, 0]) for side in (faint, dark)]
    assert kept[0] > 0.9
    assert kept[1] < 0.05
    np.testing.assert_array_equal(ratio_of(original, original), 1)


# -- artwork


@pytest.mark.parametrize(
    ("mode", "b", "s", "wanted"),
    [
        ("screen", 0.4, 0.5, 0.7), ("overlay", 0.25, 0.6, 0.3), ("overlay", 0.75, 0.6, 0.8),
        ("soft light", 0.36, 0.75, 0.48), ("soft light", 0.5, 0.25, 0.375),
    ],
)  # fmt: skip
def test_blend_modes_are_the_w3c_s(mode, b, s, wanted):
    """Worked from the formulas of Compositing and Blending Level 1: screen b + s - bs; overlay is hard light with the
    layers swapped; soft light b + (2s - 1)(sqrt b - b) above a half, b - (1 - 2s) b (1 - b) below."""
    assert float(MODES[mode](np.float32([b]), np.float32([s]))[0]) == pytest.approx(wanted, abs=1e-6)


def test_the_colour_mode_keeps_the_lightness_of_what_is_beneath():
    under, over = np.float32([[0.3, 0.5, 0.6]]), np.float32([[0.9, 0.2, 0.1]])
    made = MODES["colour"](under, over)
    weights = np.array([0.3, 0.59, 0.11])
    assert float((made @ weights)[0]) == pytest.approx(float((under @ weights)[0]), abs=1e-4)
    assert made[0, 0] > made[0, 2]


def test_artwork_lies_where_its_corners_are(shot):
    picture = np.zeros((20, 40, 4), np.float32)
    picture[..., 1], picture[..., 3] = 0.6, 1
    corners = np.array([[60, 70], [100, 70], [100, 90], [60, 90]], float)
    colour, alpha = Art(picture, corners, opacity=0.5).placed(RECT)
    assert alpha[80, 80] == pytest.approx(0.5, abs=1e-3)
    assert alpha[80, 55] == alpha[65, 80] == 0
    assert alpha.sum() == pytest.approx(0.5 * 40 * 20, rel=0.02)
    np.testing.assert_allclose(colour[80, 80], [0, 0.6, 0], atol=1e-3)
    with pytest.raises(HushError, match="corners"):
        Art(picture, np.zeros((4, 2))).placed(RECT)
    assert blended(np.float32([[[0.5, 0.5, 0.5]]]), np.float32([[[0.2, 1, 1]]]), "multiply", SRGB)[
        0, 0, 0
    ] == pytest.approx(0.1)


def test_an_insert_takes_the_frame_s_light(shot):
    frames, _, hold = shot
    picture = np.concatenate([np.full((10, 10, 3), 0.5), np.ones((10, 10, 1))], -1).astype(np.float32)
    corners = np.array([[70, 70], [90, 70], [90, 90], [70, 90]], float)
    plan = Plan(Edge.of(BOX, 0, 2), Match("slope", grain="off"), "insert")
    plate = make_plate(frames[0], hold, 0, [])
    fix = make_fix(hold, plan, [(0, plate)], art=Art(picture, corners))
    middle = [SRGB.decode(lay(frames[k], k, fix).codes[80 - 2 * k, 80 + 3 * k][None])[0, 0] for k in (0, 5)]
    assert middle[0] == pytest.approx(0.5, abs=0.02)
    assert middle[1] == pytest.approx(0.75, abs=0.03)  # the light has grown by half
    away = lay(frames[5], 5, fix).codes[80 - 10 - 16, 80 + 15]
    np.testing.assert_allclose(away / 65535, frames[5][80 - 10 - 16, 80 + 15] / 65535, atol=1e-3)


# -- edges


def test_outlines_are_added_and_taken_away():
    hole = Outline.of(np.array([[75, 75], [85, 75], [85, 85], [75, 85]], float), takes=True)
    more = Outline.of(np.array([[120, 60], [140, 60], [140, 80], [120, 80]], float))
    matte = Edge((Outline.of(BOX), hole, more), 0, 0).matte(RECT)
    assert matte.sum() == pytest.approx(1600 - 100 + 400, rel=0.01)  # shoelace areas
    assert (matte[80, 80], matte[65, 65], matte[70, 130]) == (0, 1, 1)


def test_an_open_line_has_a_width():
    line = Nodes.of(np.array([[20, 80], [140, 80]], float))
    matte = Edge((Outline(((0, line),), width=10),), 0, 0).matte(RECT)
    assert matte.sum() == pytest.approx(120 * 10 + np.pi * 25, rel=0.02)  # with round ends
    with pytest.raises(HushError, match="two points"):
        Edge((Outline(((0, Nodes.of(np.array([[1, 1]], float))),), width=10),)).check()


def test_softness_lies_inside_outside_and_at_each_point():
    both = Edge.of(BOX, 0, 8, 8).matte(RECT)
    assert both[80, 60] == pytest.approx(0.5, abs=0.02)  # the outline lies half way
    assert both[80, 69] == 1
    assert both[80, 51] == 0
    nodes = Nodes.of(BOX)
    own = Nodes(nodes.points, nodes.into, nodes.out, np.array([0, 20, 20, 0.0]))
    matte = Edge((Outline(((0, own),)),), 0, 2).matte(RECT)
    assert matte[80, 110] > 0.2  # soft on the right, where the points say so
    assert matte[80, 50] == 0  # hard on the left


def test_keys_move_an_outline_over_time_and_a_span_ends_it():
    there = Nodes.of(BOX)
    outline = Outline(((10, there), (20, Nodes.of(BOX + np.array([20, 0])))), span=(5, 30))
    edge = Edge((outline,), 0, 0)
    assert [edge.matte(RECT, frame)[80, 110] for frame in (10, 15, 20, 31)] == [0, pytest.approx(0.5, abs=0.02), 1, 0]
    assert edge.matte(RECT, 15)[80, 65] == 0  # evenly between the keys
    assert edge.matte(RECT, 15)[80, 72] == 1
    assert edge.rect().right >= 120  # the rectangle holds all of them
    with pytest.raises(HushError, match="own points"):
        Edge((Outline(((1, there), (2, Nodes.of(BOX[:3])))),)).check()


def test_the_line_where_the_patch_is_full_is_apart_from_the_line_where_it_ends():
    full, ends = lines(Edge.of(BOX, 0, 10, 5), RECT, 0)
    assert len(full) == len(ends) == 1
    assert np.ptp(full[0][:, 0]) == pytest.approx(30, abs=3)
    assert np.ptp(ends[0][:, 0]) == pytest.approx(60, abs=4)
