import math

import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.retouch.strokes import Canvas, Donor, Stroke, coverage, paint

CIRCLE = np.array(
    [[50 + 20 * math.cos(a), 50 + 20 * math.sin(a)] for a in np.linspace(0, 2 * np.pi, 96, endpoint=False)]
)
RECT = Rect(0, 0, 100, 100)


def test_matte_is_whole_inside_and_falls_outside_the_grown_outline():
    matte = Edge.of(CIRCLE, growth=5, softness=10).matte(RECT)
    assert matte[50, 50] == 1
    assert matte[50, 74] == 1  # 24 px from the middle: inside 20 + 5
    assert matte[50, 80] == pytest.approx(0.5, abs=0.02)  # half way down the fall
    assert matte[50, 86] == 0
    assert (np.diff(matte[50, 50:]) <= 1e-6).all()


def test_hard_edge_covers_its_area():
    # a matte without softness must hold pi r^2 of coverage
    matte = Edge.of(CIRCLE, growth=0, softness=0).matte(RECT)
    assert matte.sum() == pytest.approx(math.pi * 400, rel=0.01)


@pytest.mark.parametrize(("polygon", "growth"), [([[1, 1], [5, 5]], 0), ([[1, 1], [5, 5], [9, 9]], 0), (CIRCLE, -30)])
def test_edge_without_area_is_refused(polygon, growth):
    with pytest.raises(HushError) as error:
        Edge.of(np.array(polygon, float), growth, 0).matte(RECT)
    assert error.value.kind == "no-area"


def stroke(points, **more):
    donor = Donor(more.pop("offset", (0, 30)))
    return Stroke("clone", np.array(points, float), **{"radius": 8, "hardness": 0.5, "donor": donor, **more})


def test_clone_lays_the_donor_s_pixels():
    picture = np.random.default_rng(0).random((100, 100, 3)).astype(np.float32)
    original = picture.copy()
    paint(Canvas(picture, original, RECT), [stroke([[40, 40, 1], [60, 40, 1]])])
    np.testing.assert_allclose(picture[40, 45], original[70, 45], atol=1e-6)
    np.testing.assert_array_equal(picture[70:], original[70:])
    changed = np.argwhere((picture != original).any(-1))
    assert changed.min(0).tolist() >= [32, 32]


def test_a_stroke_does_not_build_up_on_itself():
    once = coverage(stroke([[40, 40, 1], [60, 40, 1]], opacity=0.5), RECT)
    back_and_forth = coverage(stroke([[40, 40, 1], [60, 40, 1], [40, 40, 1], [60, 40, 1]], opacity=0.5), RECT)
    np.testing.assert_allclose(once, back_and_forth, atol=1e-6)
    assert once.max() == pytest.approx(0.5)


def test_coverage_does_not_depend_on_how_densely_the_pointer_was_sampled():
    few = coverage(stroke([[30, 50, 1], [70, 50, 1]]), RECT)
    many = coverage(stroke([[x, 50, 1] for x in np.linspace(30, 70, 200)]), RECT)
    np.testing.assert_allclose(few, many, atol=1e-5)


def test_restore_brings_the_original_back_and_clone_takes_what_is_painted():
    picture = np.random.default_rng(1).random((100, 100, 3)).astype(np.float32)
    original = picture.copy()
    paint(Canvas(picture, original, RECT), [stroke([[50, 40, 1]]), stroke([[50, 40, 1]], offset=(0, 1))])
    assert not np.array_equal(picture[40, 50], original[70, 50])  # laid from the painted row below
    restore = Stroke("restore", np.array([[50, 40, 1]], float), radius=30, hardness=1.0)
    paint(Canvas(picture, original, RECT), [restore])
    np.testing.assert_allclose(picture[35:45, 45:55], original[35:45, 45:55], atol=1e-6)


def test_a_clone_brush_without_donor_says_what_to_do():
    with pytest.raises(HushError, match="Alt-click"):
        stroke([[1, 1, 1]], offset=(0, 0)).check()


def test_pressure_makes_the_brush_smaller():
    soft = coverage(stroke([[50, 50, 0.2]]), RECT)
    hard = coverage(stroke([[50, 50, 1.0]]), RECT)
    assert soft.sum() < 0.4 * hard.sum()
