"""Fills against OpenCV's own inpainting, SciPy's and NumPy's answers, and pictures whose truth is known."""

import cv2
import numpy as np
import pytest
from scipy.sparse import lil_matrix
from scipy.sparse.linalg import spsolve

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.errors import HushError
from hushcore.fill.borrow import where
from hushcore.fill.contour import contour
from hushcore.fill.make import filled
from hushcore.fill.plan import BorrowKey, Fill
from hushcore.fill.pull import pull
from hushcore.fill.soak import soak
from hushcore.fill.texture import random_phase, ring_of, texture_of
from hushcore.fill.weave import weave

SIZE = 240
WHOLE = Rect(0, 0, SIZE, SIZE)
Y, X = np.mgrid[0:SIZE, 0:SIZE].astype(np.float32)


def box(half: int = 40) -> np.ndarray:
    hole = np.zeros((SIZE, SIZE), bool)
    hole[SIZE // 2 - half : SIZE // 2 + half, SIZE // 2 - half : SIZE // 2 + half] = True
    return hole


def thrice(grey: np.ndarray) -> np.ndarray:
    return np.repeat(grey[..., None], 3, 2).astype(np.float32)


def woven(seed: int = 3) -> np.ndarray:
    """Cloth of crossing threads with some noise, on a slope of tone."""
    rng = np.random.default_rng(seed)
    threads = 0.03 * np.sin(2 * np.pi * X / 7) * np.sin(2 * np.pi * Y / 9)
    noise = 0.02 * cv2.GaussianBlur(rng.standard_normal((SIZE, SIZE)).astype(np.float32), (0, 0), 1.2)
    return thrice(0.4 + 0.1 * X / SIZE + threads + noise)


def spoilt(picture: np.ndarray, hole: np.ndarray) -> np.ndarray:
    return np.where(hole[..., None], 0.95, picture).astype(np.float32)


def energy(tonal: np.ndarray, where_: np.ndarray, sigma: float = 4.0) -> float:
    luma = tonal.mean(-1)
    return float((luma - cv2.GaussianBlur(luma, (0, 0), sigma))[where_].std())


FILLS = {
    "soak": lambda t, h: soak(t, h, 6),
    "flow": lambda t, h: contour(t, h, 6, "flow", 0),
    "march": lambda t, h: contour(t, h, 6, "march", 0),
    "across": lambda t, h: pull(t, h, 0.0, 0.0, 6),
    "inwards": lambda t, h: pull(t, h, None, 0.0, 6),
    "weave": lambda t, h: weave(t, h, 6, 13, None, 0),
}


@pytest.mark.parametrize("name", FILLS)
def test_nothing_of_the_mark_is_left_and_nothing_else_is_touched(name):
    clean, hole = woven(), box()
    made = FILLS[name](spoilt(clean, hole), hole)
    assert np.array_equal(made[~hole], clean[~hole])
    low = [cv2.GaussianBlur(side, (0, 0), 4.0) for side in (made, clean)]
    assert np.abs(low[0] - low[1])[hole].max() < 0.05  # the mark was half of the range brighter
    again = FILLS[name](spoilt(clean, hole), hole)
    assert np.array_equal(made, again)  # the same recipe, the same bytes


def test_soak_is_the_harmonic_picture_of_its_rim():
    """Source: the discrete Laplace equation, solved directly by SciPy's sparse solver."""
    hole = box(20)
    tone = thrice(0.3 + 0.2 * np.sin(X / 40) * np.cos(Y / 55))
    made = soak(spoilt(tone, hole), hole, 0)
    rows, cols = np.nonzero(hole)
    number = {place: k for k, place in enumerate(zip(rows, cols, strict=True))}
    matrix, right = lil_matrix((len(rows), len(rows))), np.zeros(len(rows))
    for (row, col), k in number.items():
        matrix[k, k] = 4
        for place in ((row - 1, col), (row + 1, col), (row, col - 1), (row, col + 1)):
            if place in number:
                matrix[k, number[place]] = -1
            else:
                right[k] += tone[place][0]
    exact = spsolve(matrix.tocsr(), right)
    assert np.abs(made[rows, cols, 0] - exact).max() < 0.01 * np.ptp(tone)


def test_a_hair_on_the_rim_does_not_run_into_a_soak():
    hole = box(30)
    clean = thrice(np.full((SIZE, SIZE), 0.4, np.float32))
    hairy = clean.copy()
    hairy[:, 118:120] = 0.05
    made = soak(spoilt(hairy, hole), hole, 6)
    assert np.abs(made[hole] - 0.4).max() < 0.02  # a plain membrane is .06 off beside the hair


@pytest.mark.parametrize("name", ["contour", "weave", "pull"])
def test_texture_is_as_strong_as_round_about(name):
    clean, hole = woven(), box()
    made = {"contour": FILLS["flow"], "weave": FILLS["weave"], "pull": FILLS["inwards"]}[name](
        spoilt(clean, hole), hole
    )
    inner = cv2.erode(hole.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    assert 0.85 < energy(made, inner) / energy(clean, inner) < 1.15


def test_a_weave_goes_on_with_the_pattern():
    """Of threads alone the right answer is known: what continues them fits far better than what only looks alike."""
    clean, hole = thrice(0.4 + 0.05 * np.sign(np.sin(2 * np.pi * X / 12)).astype(np.float32)), box(30)
    made = weave(spoilt(clean, hole), hole, 6, 21, None, 0)
    texture = texture_of(spoilt(clean, hole), hole)
    alike = random_phase(texture, ring_of(hole), 0)
    apart = [float(np.abs(side - 0.4)[hole].mean()) for side in (clean, made)]
    assert abs(apart[0] - apart[1]) < 0.012
    follows = np.corrcoef(made[hole][:, 0], clean[hole][:, 0])[0, 1]
    assert follows > 0.8 > 0.3 > abs(np.corrcoef(alike[hole][:, 0], clean[hole][:, 0])[0, 1])


def test_texture_comes_from_the_chosen_place():
    rough, smooth = woven(), thrice(np.full((SIZE, SIZE), 0.45, np.float32))
    picture = np.where((X < 70)[..., None], rough, smooth).astype(np.float32)
    hole = box(25)
    beside = weave(spoilt(picture, hole), hole, 6, 9, (X > 160) & (X < 230), 0)
    chosen = weave(spoilt(picture, hole), hole, 6, 9, (X < 60), 0)
    assert energy(beside, hole) < 0.3 * energy(chosen, hole)
    assert energy(chosen, hole) > 0.7 * energy(rough, hole)


def test_another_seed_gives_another_answer():
    clean, hole = woven(), box(25)
    one, two = (weave(spoilt(clean, hole), hole, 6, 13, None, seed) for seed in (0, 1))
    assert np.abs(one - two)[hole].max() > 0.01


def test_pull_stretches_along_its_direction_and_from_the_side_that_is_asked():
    """Stripes across the pull keep their colour from the side they are pulled from: by hand."""
    left, right = 0.2, 0.7
    picture = thrice(np.where(X < SIZE / 2, left, right).astype(np.float32))
    hole = box(30)
    for side, wanted in ((-1, left), (1, right)):
        made = pull(spoilt(picture, hole), hole, 0.0, side, 0)
        assert np.allclose(made[hole], wanted, atol=0.01)
    both = pull(spoilt(picture, hole), hole, 0.0, 0.0, 0)[SIZE // 2, 91:149, 0]
    assert np.all(np.diff(both) > -1e-4)  # from one to the other evenly
    assert both[29] == pytest.approx((left + right) / 2, abs=0.02)
    down = pull(spoilt(picture, hole), hole, 90.0, 0.0, 0)
    assert np.allclose(down[hole], picture[hole], atol=0.02)  # along the stripes nothing is lost


def test_pull_says_when_there_is_nothing_on_the_side_that_is_asked():
    hole = np.zeros((SIZE, SIZE), bool)
    hole[:, :60] = True
    with pytest.raises(HushError, match="nothing behind the mark") as problem:
        pull(woven(), hole, 0.0, -1, 6)
    assert problem.value.kind == "nothing-to-pull"
    everything = np.ones((SIZE, SIZE), bool)
    with pytest.raises(HushError, match="turn the arrow"):
        pull(woven(), everything, 0.0, 0.0, 6)


def test_a_line_is_filled_across_its_width_wherever_it_runs():
    """A wire that bends over a picture of slow tones: the tones come from either side of it, not from along it."""
    clean = thrice(0.3 + 0.2 * np.sin(X / 30) * np.sin(Y / 25))
    way = np.linspace(0, np.pi, 40)
    line = np.stack([40 + 160 * way / np.pi, 120 + 60 * np.sin(way)], -1)
    drawn = np.zeros((SIZE, SIZE), np.uint8)
    cv2.polylines(drawn, [np.rint(line).astype(np.int32).reshape(-1, 1, 2)], False, 1, 7)
    edge = Edge((Outline(((0, Nodes.of(line)),), width=12.0),), 0, 2)
    spoiled = SRGB.from_tonal(np.where(drawn[..., None] > 0, 0.02, clean).astype(np.float32))
    made = SRGB.tonal_of(filled(spoiled, WHOLE, edge, Fill("pull", smooth=2), SRGB, 0))
    assert np.abs(made - clean)[drawn > 0].max() < 0.03


def test_borrow_moves_turns_and_scales_about_the_middle_of_the_mark():
    """Corners by hand: a quarter turn to the right carries what is right of the middle to below it."""
    rect, centre = Rect(90, 90, 111, 111), (100.0, 100.0)
    x, y = where(rect, centre, BorrowKey(0, (50.0, 10.0), turn=90.0, zoom=2.0), False)
    # the place 10 px right of the middle shows what lies 5 px away on the donor, turned back by the quarter
    assert (x[10, 20], y[10, 20]) == pytest.approx((150.0, 110.0 - 5.0))
    x, y = where(rect, centre, BorrowKey(0, (50.0, 10.0)), True)
    assert (x[10, 20], y[10, 20]) == pytest.approx((140.0, 110.0))


def test_borrow_takes_the_place_beside_in_the_rim_s_own_tone():
    clean = woven()
    edge = Edge.of(np.array([[100, 100], [140, 100], [140, 140], [100, 140]], float), 0, 4)
    spoiled = SRGB.from_tonal(clean)
    spoiled[102:138, 102:138] = 0.8
    made = SRGB.tonal_of(filled(spoiled, WHOLE, edge, Fill("borrow", offset=(-63.0, 0.0)), SRGB, 0))
    inner = np.zeros((SIZE, SIZE), bool)
    inner[106:134, 106:134] = True
    # nine threads of seven px away the pattern is the same, and the slope of the tone is not borrowed
    assert np.abs(cv2.GaussianBlur(made - clean, (0, 0), 4))[inner].max() < 0.01
    assert np.corrcoef(made[inner][:, 0], clean[inner][:, 0])[0, 1] > 0.8
    raw = SRGB.tonal_of(
        filled(spoiled, WHOLE, edge, Fill("borrow", offset=(-63.0, 0.0), fit=False, exposure=1.0), SRGB, 0)
    )
    assert raw[inner].mean() > made[inner].mean() + 0.05  # a stop brighter, as it was set


@pytest.mark.parametrize(
    ("offset", "kind"), [((-150.0, 0.0), "donor-outside"), ((6.0, 0.0), "donor-on-mark"), ((0.0, 0.0), "no-donor")]
)
def test_a_donor_that_cannot_be_is_said(offset, kind):
    edge = Edge.of(np.array([[100, 100], [140, 100], [140, 140], [100, 140]], float), 0, 4)
    with pytest.raises(HushError) as problem:
        filled(SRGB.from_tonal(woven()), WHOLE, edge, Fill("borrow", offset=offset), SRGB, 0)
    assert problem.value.kind == kind
    assert "drag" in problem.value.message.lower()


def test_a_place_smaller_than_a_patch_is_said():
    edge = Edge.of(np.array([[100, 100], [140, 100], [140, 140], [100, 140]], float), 0, 4)
    place = np.array([[20, 20], [30, 20], [30, 30], [20, 30]], float)
    with pytest.raises(HushError, match="smaller than a patch"):
        filled(SRGB.from_tonal(woven()), WHOLE, edge, Fill("weave", place=place, patch=21), SRGB, 0)


def test_a_donor_drifts_evenly_between_its_keys():
    fill = Fill("borrow", keys=(BorrowKey(10, (0.0, 40.0)), BorrowKey(20, (10.0, 40.0), turn=30.0, zoom=4.0)))
    assert fill.moves
    half = fill.at(15)
    assert (half.offset, half.turn, half.zoom) == ((5.0, 40.0), 15.0, pytest.approx(2.0))  # sizes by ratio
    assert fill.at(3).offset == (0.0, 40.0)
    assert fill.at(40).zoom == 4.0


def test_a_keyed_mark_is_filled_wherever_it_lies():
    """What a keyed edge covers on any frame is no ground for the fill."""
    square = np.array([[100, 100], [130, 100], [130, 130], [100, 130]], float)
    edge = Edge((Outline(((1, Nodes.of(square)), (9, Nodes.of(square + np.array([24, 0]))))),), 0, 2)
    spoiled = SRGB.from_tonal(woven())
    spoiled[100:131, 100:156] = 0.8
    made = SRGB.tonal_of(filled(spoiled, WHOLE, edge, Fill("soak"), SRGB, 1))
    assert made[104:127, 104:150].max() < 0.6
