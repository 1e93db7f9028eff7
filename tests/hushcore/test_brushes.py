"""Brushes: what each does, on which band, from which donor."""

import cv2
import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.bands.split import split
from hushcore.colour.encoding import SRGB
from hushcore.errors import HushError
from hushcore.geometry.paths import check_polygon
from hushcore.retouch.donor import nearby, tone_apart
from hushcore.retouch.strokes import BANDS, KINDS, Canvas, Donor, Stroke, coverage, paint

SIDE = 200
RECT = Rect(0, 0, SIDE, SIDE)


@pytest.fixture
def picture(texture) -> np.ndarray:
    """Brick in a light that grows to the right, linear."""
    slope = np.linspace(0.4, 1.6, SIDE, dtype=np.float32)[None, :, None]
    return np.repeat(SRGB.linear(texture[:SIDE, :SIDE])[..., None], 3, 2) * slope


def stroke(kind="clone", at=(100, 100), **more) -> Stroke:
    given = {"radius": 18, "hardness": 0.5, "donor": Donor((50, 0)), **more}
    return Stroke(kind, np.array([[at[0] - 6, at[1], 1], [at[0] + 6, at[1], 1]], float), **given)


def painted(picture, *strokes, **more) -> np.ndarray:
    canvas = Canvas(picture.copy(), picture, RECT, SRGB, **more)
    paint(canvas, strokes)
    return canvas.picture


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("band", BANDS)
def test_every_brush_stays_under_its_coverage_to_the_last_bit(picture, kind, band):
    made = painted(picture, stroke(kind, band=band, colour=(0.4, 0.2, 0.1)))
    cover = coverage(stroke(kind), RECT)
    np.testing.assert_array_equal(made[cover == 0], picture[cover == 0])
    assert np.isfinite(made).all()
    if kind != "restore":
        assert np.abs(made - picture)[cover > 0.9].max() > 1e-4


def test_tone_and_texture_of_a_stroke_add_up_to_all_of_it(picture):
    """The two bands are exact: what a stroke does to tone plus what it does to texture is what it does to all."""
    tonal = {band: SRGB.encoded(painted(picture, stroke(band=band))) for band in BANDS}
    before = SRGB.encoded(picture)
    both = (tonal["tone"] - before) + (tonal["texture"] - before)
    whole = coverage(stroke(), RECT) == 1
    np.testing.assert_allclose(both[whole], (tonal["all"] - before)[whole], atol=2e-4)
    tone, rest = split(before, 6)
    np.testing.assert_allclose(tone + rest, before, rtol=0, atol=np.finfo(np.float32).eps)


def test_healing_keeps_the_light_that_is_here_and_brings_the_donor_s_texture(picture):
    rng = np.random.default_rng(3)  # a surface without large figures, in the same slope of light
    slope = np.linspace(0.4, 1.6, SIDE, dtype=np.float32)[None, :, None]
    felt = 0.2 + 0.6 * (cv2.GaussianBlur(rng.random((SIDE, SIDE)).astype(np.float32), (0, 0), 1.2) - 0.5)
    picture = np.repeat(felt[..., None], 3, 2) * slope
    inside = np.hypot(*np.mgrid[-100:100, -100:100]) < 10
    low = [cv2.GaussianBlur(p, (0, 0), 12)[inside].mean() for p in (
        picture, painted(picture, stroke("clone")), painted(picture, stroke("heal")),
    )]  # fmt: skip
    assert abs(low[1] / low[0] - 1) > 0.12  # a clone brings the donor's light with it
    assert abs(low[2] / low[0] - 1) < 0.06
    fine = [SRGB.encoded(p) - cv2.GaussianBlur(SRGB.encoded(p), (0, 0), 2) for p in (
        painted(picture, stroke("heal")), np.roll(picture, -50, 1),
    )]  # fmt: skip
    assert np.corrcoef(fine[0][inside].ravel(), fine[1][inside].ravel())[0, 1] > 0.9


def test_healing_agrees_with_poisson_editing(picture):
    """cv2.seamlessClone (Perez, Gangnet & Blake 2003) on the same pictures, in the same encoded values."""
    hard = stroke("heal", hardness=1.0, radius=20)
    made = SRGB.encoded(painted(picture, hard))
    mask = (coverage(hard, RECT) > 0.5).astype(np.uint8) * 255
    eight = (np.clip(SRGB.encoded(picture), 0, 1) * 255).astype(np.uint8)
    rows, cols = np.nonzero(mask)
    middle = (int((cols.min() + cols.max()) / 2), int((rows.min() + rows.max()) / 2))
    peer = cv2.seamlessClone(np.roll(eight, -50, 1), eight, mask, middle, cv2.NORMAL_CLONE)
    inner = cv2.erode(mask, np.ones((7, 7))) > 0
    apart = np.abs(cv2.GaussianBlur(made, (0, 0), 3) - cv2.GaussianBlur(peer / np.float32(255), (0, 0), 3))[inner]
    assert apart.mean() < 0.02


def test_light_and_dark_are_stops_and_smooth_and_sharp_are_texture(picture):
    cover = coverage(stroke(), RECT) > 0.999
    lighter = painted(picture, stroke("lighten", amount=1.0))
    np.testing.assert_allclose(lighter[cover], 2 * picture[cover], rtol=1e-3)
    darker = painted(picture, stroke("darken", amount=1.0))
    np.testing.assert_allclose(darker[cover], picture[cover] / 2, rtol=1e-3)

    def rough(p) -> float:
        tonal = SRGB.encoded(p)
        return float((tonal - cv2.GaussianBlur(tonal, (0, 0), 3))[cover].std())

    assert rough(painted(picture, stroke("smooth"))) < 0.6 * rough(picture) < rough(painted(picture, stroke("sharpen")))


def test_flow_builds_up_to_the_opacity_and_no_further():
    slow = coverage(stroke(flow=0.1, spacing=0.1, opacity=0.6), RECT)
    assert 0.3 < slow.max() <= 0.6 + 1e-6
    once = coverage(stroke(flow=0.1, spacing=1.0, opacity=0.6), RECT)
    assert once.max() < slow.max()


@pytest.mark.parametrize("drives", ["size", "opacity"])
def test_pressure_drives_what_it_is_told_to(drives):
    light, full = (
        coverage(Stroke("paint", np.array([[100, 100, p]], float), 20, pressure=drives), RECT) for p in (0.3, 1.0)
    )
    if drives == "size":
        assert light.max() == full.max()
        assert (light > 0).sum() < 0.4 * (full > 0).sum()
    else:
        assert light.max() < 0.5 * full.max()
        assert (light > 0).sum() == (full > 0).sum()


def test_nothing_spills_over_a_protecting_outline(picture):
    fence = check_polygon([(80, 60), (100, 60), (100, 140), (80, 140)], "The fence")
    made = painted(picture, stroke(within=fence))
    changed = (made != picture).any(-1)
    assert changed[:, 82:98].any()
    assert not changed[:, 102:].any()


def test_a_donor_can_be_turned_scaled_and_mirrored_about_the_stroke_s_start(picture):
    dab = np.array([[60, 100, 1]], float)
    flipped = painted(picture, Stroke("clone", dab, 15, hardness=1, donor=Donor((80, 0), flip=True)))
    wanted = picture[90:111, 130:151][:, ::-1]  # round (140, 100), mirrored
    np.testing.assert_allclose(flipped[90:111, 50:71][5:16, 5:16], wanted[5:16, 5:16], atol=1e-3)
    turned = painted(picture, Stroke("clone", dab, 15, hardness=1, donor=Donor((80, 0), turn=90)))
    wanted = np.rot90(picture[90:111, 130:151], -1)
    np.testing.assert_allclose(turned[90:111, 50:71][5:16, 5:16], wanted[5:16, 5:16], atol=1e-3)


def test_a_donor_can_be_the_plate_as_shot_or_another_frame(picture):
    other = picture * np.float32(0.25)
    first = Stroke("paint", np.array([[150, 100, 1]], float), 25, colour=(1, 0, 0))
    from_paint, from_plate, from_frame = (
        painted(picture, first, stroke(donor=Donor((50, 0), source=source)), donors={7: other}.__getitem__)
        for source in ("painted", "plate", 7)
    )
    assert from_paint[100, 100, 0] == pytest.approx(1, abs=0.05)
    np.testing.assert_allclose(from_plate[100, 100], picture[100, 150], atol=1e-6)
    np.testing.assert_allclose(from_frame[100, 100], other[100, 150], atol=1e-6)
    with pytest.raises(HushError, match="not at hand"):
        painted(picture, stroke(donor=Donor((50, 0), source=7)))


def test_a_spot_s_donor_is_clean_and_of_the_same_tone(picture):
    spotty = picture.copy()
    for x, y in ((100, 100), (124, 100), (100, 76)):
        cv2.circle(spotty, (x, y), 6, (0.01, 0.005, 0.005), -1)
    dx, dy = nearby(spotty, RECT, 100, 100, 8, SRGB)
    assert 16 <= np.hypot(dx, dy) <= 40
    assert min(np.hypot(dx - 24, dy), np.hypot(dx, dy + 24)) > 10  # not another spot
    healed = painted(spotty, Stroke("heal", np.array([[100, 100, 1]], float), 9, donor=Donor((dx, dy))))
    assert np.abs(healed - picture)[94:107, 94:107].mean() < 0.3 * np.abs(spotty - picture)[94:107, 94:107].mean()
    with pytest.raises(HushError, match="clone"):
        nearby(spotty[:20, :20], Rect(0, 0, 20, 20), 10, 10, 9, SRGB)


def test_the_donor_ring_s_figure_is_a_colour_difference():
    """A gain of 5 % is about one CIEDE2000 on a mid grey (engine.md); of 30 % it is plainly seen."""
    grey = np.full((21, 21, 3), 0.2, np.float32)
    assert tone_apart(grey, grey, SRGB).difference == 0
    near, far = (tone_apart(grey, grey * np.float32(gain), SRGB) for gain in (1.05, 1.3))
    assert 0.5 < near.difference < 1.5 < far.difference
    assert far.lighter > 0 > tone_apart(grey, grey / 2, SRGB).lighter
