"""Highlights that stand in the frame while the surface moves under them: found, left alone where there are none, laid."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi

from hushcore.arrays import Rect
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold, HoldFrame
from hushcore.light.standing import Standing, found, shown_in, without
from hushcore.patch.evidence import observed
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate

LINEAR = Encoding("linear")
SIZE, COUNT, STEP = (360, 200), 25, 6.0  # px, frames, px a frame
LAMP = (180, 96)
Y, X = np.mgrid[0 : SIZE[1], 0 : SIZE[0]].astype(np.float32)
HIGHLIGHT = (0.8 * np.exp(-(((X - LAMP[0]) / 16) ** 2 + ((Y - LAMP[1]) / 9) ** 2)))[..., None] * np.float32(
    [1, 1, 0.95]
)
MARK = np.array([[158, 78], [202, 78], [202, 114], [158, 114]], float)


def shift(frame: int) -> float:
    return (frame - COUNT // 2) * STEP


def glaze(texture) -> np.ndarray:
    wide = cv2.resize(texture[:200, :400].astype(np.float32), (800, 400))[100:300]
    return (0.12 + 0.25 * wide[..., None] * np.float32([0.6, 0.9, 1.0])).astype(np.float32)


def frame_of(texture, frame: int, marked: bool = True, lamp: float = 1.0) -> np.ndarray:
    """A glaze that moves to the right under a lamp, a dull paper mark on it that hides what the lamp does."""
    across = X + 220 - shift(frame)
    surface = np.stack(
        [ndi.map_coordinates(glaze(texture)[..., k], [Y, across], order=1, mode="nearest") for k in range(3)], -1
    )
    made = surface * np.float32(1 + 0.1 * np.sin(frame / 4)) + lamp * HIGHLIGHT
    x, y = X - shift(frame), Y
    paper = (x >= 160) & (x < 200) & (y >= 80) & (y < 112)
    if marked:
        made = np.where(paper[..., None], np.float32(0.55) + 0.02 * surface, made)
    grain = np.random.default_rng(frame).normal(0, 0.003, made.shape)
    return np.clip(made + grain, 0, 1).astype(np.float32)


@pytest.fixture(scope="module")
def held() -> Hold:
    frames = {
        n: HoldFrame(
            np.array([[1, 0, shift(n)], [0, 1, 0], [0, 0, 1.0]]), np.full((12, 20), 0.1, np.float32), 0.1, 1.0, False
        )
        for n in range(COUNT)
    }
    return Hold("planar", COUNT // 2, SIZE, None, (120, 40), frames)


@pytest.fixture(scope="module")
def edge() -> Edge:
    return Edge.of(MARK, 0, 4)


def looked(texture, held, edge, lamp=1.0, still=False) -> Standing | None:
    rect = edge.rect().grown(60).clipped(*SIZE)
    if still:
        frames = {n: replace(one, params=np.eye(3)) for n, one in held.frames.items()}
        held = Hold("planar", held.anchor, SIZE, None, held.corner, frames)
    return found(lambda n: frame_of(texture, n, lamp=lamp), held, edge.matte(rect), rect, list(range(COUNT)), LINEAR)


@pytest.fixture(scope="module")
def light(texture, held, edge) -> Standing:
    standing = looked(texture, held, edge)
    assert standing is not None
    return standing


def test_a_lamp_in_a_glaze_is_found_where_it_stands_also_behind_the_mark(light):
    seen = light.at(X, Y)[60:132, 130:230]
    wanted = HIGHLIGHT[60:132, 130:230]
    assert np.abs(seen - wanted).mean() < 0.02
    assert seen.max() == pytest.approx(wanted.max(), abs=0.06)


def test_no_lamp_is_no_highlight(texture, held, edge):
    assert looked(texture, held, edge, lamp=0.0) is None


def test_a_faint_sheen_is_left_to_the_light_under_the_mark(texture, held, edge):
    assert looked(texture, held, edge, lamp=0.15) is None


def test_what_does_not_move_cannot_be_told_from_its_highlight(texture, held, edge):
    assert looked(texture, held, edge, still=True) is None


def test_it_survives_its_plain_form(light):
    again = Standing.of(light.plain())
    np.testing.assert_allclose(again.at(X, Y), light.at(X, Y), atol=1e-3)  # half floats


def test_taking_it_off_never_leaves_a_hole():
    picture = np.full((4, 4, 3), 0.5, np.float32)
    left = without(picture, np.full_like(picture, 0.9))
    assert left.min() > 0.05
    np.testing.assert_allclose(without(picture, np.full_like(picture, 0.2)), 0.3, atol=1e-6)


@pytest.mark.parametrize("share", [0.0, 1.0])
def test_whether_the_artist_painted_the_highlight_is_read_from_the_plate(share):
    rng = np.random.default_rng(1)
    gleam = HIGHLIGHT[70:130, 150:215]
    inside = np.ones(gleam.shape[:2], bool)
    slope = 0.2 + 0.002 * np.arange(gleam.shape[1], dtype=np.float32)[None, :, None]
    painted = slope + share * gleam + rng.normal(0, 0.02, gleam.shape)
    assert shown_in(painted.astype(np.float32), gleam, inside) == share


@pytest.mark.parametrize("painted_in", [True, False])
def test_the_highlight_stays_where_it_stands_when_the_mark_goes(texture, held, edge, painted_in):
    """Against the frame without the mark; the plate with the lamp on it as it was, or painted dull.

    What the shot shows is laid here: a dull mark right under the lamp is a case that the choice by default leaves alone.
    """
    read = lambda n: frame_of(texture, n)  # noqa: E731
    said = observed(read, held, edge, LINEAR)
    assert said.standing is not None
    anchor = held.anchor
    clean = frame_of(texture, anchor, marked=False, lamp=1.0 if painted_in else 0.0)
    codes = read(anchor)
    paper = edge.matte(Rect(0, 0, *SIZE)) > 0
    plate = make_plate(codes, held, anchor, [], np.where(paper[..., None], clean, codes), LINEAR)
    errors = {}
    for standing in ("auto", "off"):
        fix = make_fix(held, Plan(edge, Match(standing=standing)), [(anchor, plate)], said)
        apart = []
        for n in (2, 8, 10, 15, 22):
            laid = lay(read(n), n, fix)
            truth = frame_of(texture, n, marked=False)
            inside = laid.matte > 0.99
            apart.append(np.abs(laid.codes - truth)[laid.rect.slices][inside].mean())
        errors[standing] = np.mean(apart)
    assert errors["auto"] < 0.02
    assert errors["auto"] < errors["off"] / 2


def test_a_mark_that_lies_beyond_the_frame_has_none(texture, held, edge):
    right = np.array([[0, 0, 2000], [0, 0, 0], [0, 0, 0]])
    away = {n: replace(one, params=one.params + right) for n, one in held.frames.items()}
    hold = Hold("planar", held.anchor, SIZE, None, held.corner, away)
    rect = edge.rect().grown(60).clipped(*SIZE)
    frames = [n for n in range(COUNT) if n != held.anchor]
    assert found(lambda n: frame_of(texture, n), hold, edge.matte(rect), rect, frames, LINEAR) is None
