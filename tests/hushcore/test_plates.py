"""Plates: how they share a shot, which frame is next, averages, artwork; lift; several outlines; what is in front."""

import cv2
import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge import front
from hushcore.edge.matte import Edge, lines
from hushcore.edge.outline import Nodes, Outline
from hushcore.edge.signs import Signs, Usual
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
    bare = make_fix(shot[2], Plan(Edge.of(BOX, 0, 6), Match("even", grain="off")), [(0, plate_of(shot))])
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


# -- what passes in front


@pytest.fixture(scope="module")
def passing():
    """Brick with a mark, lit, and something dark and soft-edged before it: the frame, the surface, the true alpha."""
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:240, 0:240].astype(np.float32)
    surface = (0.3 + 0.25 * cv2.GaussianBlur(rng.random((240, 240, 3)).astype(np.float32), (0, 0), 1.5)).astype(
        np.float32
    )
    surface *= np.where(np.hypot(x - 120, y - 120) < 40, 0.4, 1.0)[..., None]
    alpha = np.clip((150 - x) / 12 + 0.5, 0, 1)[..., None]
    thing = np.float32([0.05, 0.07, 0.15])
    return (alpha * thing + (1 - alpha) * surface).astype(np.float32), surface, alpha[..., 0]


def signs(now, then):
    """As a frame of little grain shows them, in even light."""
    whole = np.ones(now.shape[:2], np.float32)
    return front.signs(now, then, then, np.zeros_like(now), np.full(3, 1e-5), whole > 0, whole)


def test_what_passes_in_front_is_found_and_its_edge_unmixed(passing):
    frame, surface, alpha = passing
    hidden = cv2.resize((alpha > 0.5).astype(np.float32), (120, 120))
    half = [cv2.resize(side, (120, 120), interpolation=cv2.INTER_AREA) for side in (frame, surface)]
    found = front.found(signs(*half), None, hidden, 1.0)
    assert found[60, 20]
    assert not found[60, 110]
    mask = cv2.resize(found.astype(np.uint8), (240, 240), interpolation=cv2.INTER_NEAREST) > 0
    covering = front.unmixed(mask, frame, surface)
    assert np.abs(covering.alpha - alpha)[60:180].mean() < 0.03
    # the mark taken off what is not covered leaves no sliver of it
    clean = surface / np.where(np.hypot(*(np.mgrid[0:240, 0:240] - 120)) < 40, 0.4, 1.0)[..., None]
    made = frame + (1 - covering.alpha[..., None]) * (clean - surface)
    wanted = alpha[..., None] * np.float32([0.05, 0.07, 0.15]) + (1 - alpha[..., None]) * clean
    assert np.abs(made - wanted)[80:160].mean() < 0.01


def test_a_highlight_is_not_taken_for_something_in_front_nor_an_unseen_thing(passing):
    frame, surface, _ = passing
    y, x = np.mgrid[0:120, 0:120]
    half = cv2.resize(surface, (120, 120), interpolation=cv2.INTER_AREA)
    bright = half + 0.6 * np.exp(-(((x - 60) ** 2 + (y - 60) ** 2) / 300.0))[..., None].astype(np.float32)
    everywhere = np.ones((120, 120), np.float32)
    assert not front.found(signs(bright, half), None, everywhere, 1.0).any()
    dark = cv2.resize(frame, (120, 120), interpolation=cv2.INTER_AREA)
    assert not front.found(signs(dark, half), None, 0 * everywhere, 1.0).any()  # the hold saw all of its ground


def test_drawn_shapes_add_to_what_is_found_and_take_away():
    found = np.zeros((20, 20), bool)
    found[:, :10] = True
    added, taken = np.zeros((20, 20), np.float32), np.zeros((20, 20), np.float32)
    added[:, 8:14], taken[:5] = 1, 1
    made = front.corrected(found, [(added, False), (taken, True)])
    assert made[10, 12]
    assert not made[2, 2]
    assert front.unmixed(np.zeros((20, 20), bool), np.zeros((20, 20, 3)), np.zeros((20, 20, 3))) is None


@pytest.mark.parametrize("width", [3, 12, 26])
def test_no_sliver_is_left_of_a_speckled_mark_behind_a_shaded_thing(width):
    """The mark is about as dark as what passes, grain is on all, and the thing is lighter on one side: where its colour
    does not tell, how far it is in front comes from round about."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:240, 0:240].astype(np.float32)
    wall = 0.3 + 0.05 * cv2.GaussianBlur(rng.standard_normal((240, 240, 1)).astype(np.float32), (0, 0), 4)[..., None]
    clean = (wall * np.float32([1, 1, 0.95])).astype(np.float32)
    speckle = cv2.GaussianBlur(rng.standard_normal((240, 240)).astype(np.float32), (0, 0), 1.5) > 0.1
    ink = ((np.hypot(x - 120, y - 120) < 60) & speckle)[..., None]
    surface = np.where(ink, clean * np.float32([0.25, 0.3, 0.5]), clean).astype(np.float32)
    alpha = np.clip((130 - x) / width + 0.5, 0, 1)[..., None].astype(np.float32)
    thing = np.float32([0.05, 0.06, 0.12]) * (1 + 0.5 * x / 130)[..., None]
    grain = 0.004 * rng.standard_normal((240, 240, 3)).astype(np.float32)
    frame = alpha * thing + (1 - alpha) * surface + grain
    mask = cv2.dilate((alpha[..., 0] > 0.4).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    covering = front.unmixed(mask, frame, surface)
    inner = np.abs(covering.alpha - alpha[..., 0])[30:210]
    assert inner.mean() < 0.02
    made = frame + (1 - covering.alpha[..., None]) * (clean - surface)
    wanted = alpha * thing + (1 - alpha) * clean
    off = np.abs(cv2.GaussianBlur(made - wanted, (0, 0), 1))[60:180].max(-1)
    assert np.percentile(off, 99) < 0.025
    assert off.max() < 0.09


def test_the_middle_of_a_small_drawn_shape_is_in_front_whatever_is_seen():
    """Drawn over what looks like the surface itself: nothing tells, and the artist's word counts."""
    surface = (0.2 + 0.1 * np.random.default_rng(5).random((120, 120, 3))).astype(np.float32)
    mask = np.zeros((120, 120), bool)
    mask[42:78, 42:78] = True
    covering = front.unmixed(mask, surface, surface)
    assert covering.alpha[56:64, 56:64].min() > 0.97
    assert covering.alpha[:12].max() < 0.01


def post(light: np.ndarray, middle: float = 96.0) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """A grey post before a yellow sticker on a blue-green wall that lies in some ``light`` (240, 240): frame, wall and sticker
    in plain light, how far the post is in front, the wall without a sticker."""
    rng = np.random.default_rng(9)
    y, x = np.mgrid[0:240, 0:240].astype(np.float32)
    wall = 1 + 0.06 * cv2.GaussianBlur(rng.standard_normal((240, 240)).astype(np.float32), (0, 0), 2.0)[..., None] * 4
    clean = (wall * np.float32([0.13, 0.27, 0.3])).astype(np.float32)
    bars = np.where((x // 5) % 2 == 0, 1.0, 0.7)[..., None]
    on = ((np.abs(x - 120) < 50) & (np.abs(y - 120) < 34))[..., None]
    then = np.where(on, bars * np.float32([0.5, 0.53, 0.26]), clean).astype(np.float32)
    alpha = np.clip((9 - np.abs(x - middle)) / 4 + 0.5, 0, 1)[..., None].astype(np.float32)
    grain = 0.002 * rng.standard_normal((240, 240, 3)).astype(np.float32)
    frame = alpha * np.float32([0.07, 0.075, 0.068]) + (1 - alpha) * then * light[..., None] + grain
    return frame.astype(np.float32), then, alpha[..., 0], clean


def test_shade_beside_what_passes_is_not_taken_for_more_of_it():
    """A fold's shade lies next to a post: with the light read up to it nothing of the shade is post, without it hardly any."""
    x = np.arange(240, dtype=np.float32)
    shade = np.tile(1 - 0.4 * np.exp(-(((x - 130) / 22) ** 2)), (240, 1)).astype(np.float32)
    frame, then, alpha, _ = post(shade)
    beside = (np.abs(x - 130) < 16)[None] & (np.abs(np.arange(240) - 120) < 90)[:, None]
    unread = front.unmixed(alpha > 0.5, frame, then)
    assert unread.alpha[beside].mean() < 0.15
    read = front.unmixed(alpha > 0.5, frame, then * shade[..., None], front.LIGHT_READ)
    assert read.alpha[beside].mean() < 0.005
    assert read.alpha[alpha == 1].mean() > 0.95


def test_the_difference_of_patch_and_mark_is_laid_only_where_something_is_in_front():
    frame, then, alpha, _ = post(np.ones((240, 240), np.float32))
    covering = front.unmixed(alpha > 0.5, frame, then)
    away = cv2.distanceTransform((alpha <= 0).astype(np.uint8), cv2.DIST_L2, 5)
    assert covering.near[(alpha > 0.05) & (alpha < 0.95)].min() > 0.9
    assert covering.near[away > 16].max() < 0.05


def test_a_post_found_above_and_below_a_mark_is_one_before_it_too():
    """The mark's own detail beside it makes places look like the surface."""
    frame, then, alpha, _ = post(np.ones((240, 240), np.float32))
    half = [cv2.resize(side, (120, 120), interpolation=cv2.INTER_AREA) for side in (frame, then)]
    shown = signs(*half)
    whole = cv2.resize(alpha, (120, 120)) > 0.5
    some = whole.copy()
    some[34:86] = False
    spread = front.spread(some, half[0], shown, None)
    middle = cv2.erode(whole.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    assert spread[middle].mean() > 0.95
    assert (spread & ~(cv2.dilate(whole.astype(np.uint8), np.ones((5, 5))) > 0)).sum() == 0
    assert not front.spread(np.zeros_like(some), half[0], shown, None).any()


def test_a_mark_held_a_little_off_in_its_middle_is_not_something_in_front_and_a_thing_there_is():
    """Bars that lie half a step beside themselves look unlike; they are as bright as they should be on the whole."""
    _, then, _, clean = post(np.ones((240, 240), np.float32))
    middle = ((np.abs(np.arange(240) - 120) < 20)[None] & (np.abs(np.arange(240) - 120) < 18)[:, None])[..., None]
    off = np.where(middle, np.roll(then, 5, axis=1), then)
    thing = np.where(middle, np.float32([0.07, 0.075, 0.068]), then)
    whole = np.ones((120, 120), np.float32)

    def shown(frame: np.ndarray, seed: int) -> Signs:
        grain = 0.002 * np.random.default_rng(seed).standard_normal(frame.shape)
        now, was, bare = (
            cv2.resize(side.astype(np.float32), (120, 120), interpolation=cv2.INTER_AREA)
            for side in (frame + grain, then, clean)
        )
        return front.signs(now, was, bare, np.zeros_like(now), np.full(3, 1e-5), whole > 0, whole)

    usual = Usual.of_frames(0, 0, [shown(then, seed) for seed in range(6)])
    assert not front.found(shown(off, 7), usual, None, 1.0).any()
    assert front.found(shown(thing, 8), usual, None, 1.0)[60, 60]
