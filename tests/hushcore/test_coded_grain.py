"""Grain of coded and enlarged footage: steep spectra, soft colour, values that stand on steps, marks that are no grain."""

import colour
import cv2
import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.edge.matte import Edge
from hushcore.grain.lay import _small_field, fresh
from hushcore.grain.measure import measure
from hushcore.grain.model import Grain, white
from hushcore.grain.steps import Steps, rounding, steps_of
from hushcore.hold.record import Hold, HoldFrame
from hushcore.light.region import Region
from hushcore.media import yuv
from hushcore.patch.evidence import _read_on
from hushcore.patch.finish import finish_of
from hushcore.patch.place import outside_of
from hushcore.rounding import add_smoothly

SIDE = 320
LAPLACIAN = np.array([[-1, 2, -1], [2, -4, 2], [-1, 2, -1]], np.float32)
BT709 = np.array([0.2126, 0.7152, 0.0722])


def noise(seed: int, soft: float = 0.0, channels: int = 3) -> np.ndarray:
    """White noise of variance 1, or as soft as a Gaussian of ``soft`` px makes it."""
    field = np.random.default_rng(seed).standard_normal((SIDE, SIDE, channels)).astype(np.float32)
    field = cv2.GaussianBlur(field, (0, 0), soft).reshape(SIDE, SIDE, channels) if soft else field
    return field / field.std()


def measured(field: np.ndarray, mask: np.ndarray | None = None) -> Grain:
    everywhere = np.ones((SIDE, SIDE), bool)
    found = measure([(field, np.full_like(field, 0.4))], [everywhere if mask is None else mask])
    assert found is not None
    return found


def laid(grain: Grain, seed: int = 5) -> np.ndarray:
    return fresh(grain, (SIDE, SIDE), seed) * np.median(grain.sigma, 0).astype(np.float32)


def fine(field: np.ndarray) -> np.ndarray:
    return cv2.filter2D(field, -1, LAPLACIAN)[2:-2, 2:-2]


def alike(field: np.ndarray) -> float:
    """Correlation of red and green at the finest scale."""
    return float(np.corrcoef(fine(field)[..., 0].ravel(), fine(field)[..., 1].ravel())[0, 1])


@pytest.mark.parametrize("soft", [0.0, 1.0, 1.6])
def test_the_finest_scale_of_a_steep_spectrum_is_laid_as_weak_as_it_is(soft):
    """The known field itself is the truth; at 1.6 px its Laplacian has a thousandth of white noise's energy."""
    field = 0.02 * noise(1, soft)
    made = laid(measured(field))
    assert fine(made).std() == pytest.approx(fine(field).std(), rel=0.12)


def test_colour_differences_as_soft_as_codecs_keep_them_stay_out_of_the_finest_scale():
    """White luma, and colour of half its strength at an eighth of the resolution (as 4:2:0 at a low rate leaves it)."""
    field = 0.02 * (noise(2, 0, 1) + 0.5 * noise(3, 4.0))
    assert alike(field) > 0.998
    assert alike(laid(measured(field))) == pytest.approx(alike(field), abs=0.004)


def test_a_ring_tells_as_much_as_a_whole_frame():
    y, x = np.mgrid[:SIDE, :SIDE] - SIDE / 2
    ring = (np.hypot(x, y) > 60) & (np.hypot(x, y) < 90)
    field = 0.02 * noise(4, 1.0)
    assert fine(laid(measured(field, ring))).std() == pytest.approx(fine(field).std(), rel=0.15)
    assert measured(field, ring).mean_sigma == pytest.approx(0.02, rel=0.05)


@pytest.mark.parametrize(("bits", "legal", "count"), [(8, True, 219), (10, True, 876), (8, False, 255)])
@pytest.mark.parametrize("matrix", ["bt709", "bt601", "bt2020"])
def test_the_steps_of_a_movies_luma_are_found(bits, legal, count, matrix):
    """The picture by another implementation of the standards (colour-science's ``YCbCr_to_RGB``)."""
    name = {"bt709": "ITU-R BT.709", "bt601": "ITU-R BT.601", "bt2020": "ITU-R BT.2020"}[matrix]
    rng, scale = np.random.default_rng(5), 2 ** (bits - 8)
    codes = rng.integers([60 * scale, 118 * scale, 118 * scale], [180 * scale, 138 * scale, 138 * scale], (150, 200, 3))
    rgb = colour.YCbCr_to_RGB(
        codes, K=colour.WEIGHTS_YCBCR[name], in_bits=bits, in_legal=legal, in_int=True, out_legal=False
    )
    assert steps_of(np.round(rgb * 65535).astype(np.uint16)) == Steps(matrix, count)


def test_pictures_that_are_no_movies_have_no_steps():
    rng = np.random.default_rng(6)
    sixteen = rng.integers(9000, 50000, (200, 300, 3)).astype(np.uint16)
    ten = rng.integers(100, 900, (200, 300, 3)).astype(np.uint16)
    for codes in (sixteen, (ten << 6) | (ten >> 4), (sixteen >> 8).astype(np.uint8), sixteen.astype(np.float16)):
        assert steps_of(codes) is None


def test_what_is_laid_stands_on_the_steps():
    rng = np.random.default_rng(7)
    before, after = (rng.integers(12000, 40000, (60, 80, 3)).astype(np.uint16) for _ in range(2))
    made = Steps("bt709", 219).kept(before, after)
    change = (made.astype(float) - before) @ BT709 / (65535 / 219)
    assert np.abs(change - np.rint(change)).max() < 0.005  # codes are whole, too
    assert np.abs(made.astype(float) - after).max() <= 65535 / 219 / 2 + 1


def test_rounding_gives_back_the_noise_that_was_held_back_for_it():
    """Rounding to steps adds white noise of a twelfth of the step squared (Bennett 1948): what was measured with it comes out
    as strong again, at the finest scale too, where it is most of it."""
    step = 1 / 219
    ramp = np.linspace(0.3, 0.5, SIDE, dtype=np.float32)[None, :, None] + np.linspace(0, 0.1, SIDE)[:, None, None]

    def on_steps(luma: np.ndarray) -> np.ndarray:
        return (np.rint((luma + ramp) / step) * step - ramp).astype(np.float32)

    field = on_steps(0.8 * step * noise(8, 1.3, 1)).repeat(3, 2)
    grain = measured(field)
    less = grain.less(rounding(Steps("bt709", 219), Encoding("bt1886")))
    assert less.mean_sigma < 0.97 * grain.mean_sigma
    assert fine(laid(less)).std() < 0.5 * fine(field).std()
    assert fine(on_steps(laid(less))).std() == pytest.approx(fine(field).std(), rel=0.1)


def test_rounding_of_light_is_none_and_of_ten_bits_is_little():
    assert not rounding(None, Encoding("linear")).any()
    assert rounding(None, Encoding("acescct", 10))[1, 1] == pytest.approx(1 / 1023**2 / 12)


@pytest.mark.parametrize("stands", [False, True])
def test_the_mark_is_no_grain_of_the_surface(stands):
    """It moves with the surface, or stands in the frame; the surface beside it is read, and all of it where that is little."""
    cells = np.full((20, 24), 9, np.uint8)
    frame = HoldFrame(
        np.array([[1, 0, 30.0], [0, 1, 0], [0, 0, 1.0]]), np.zeros((20, 24), np.float32), 0.1, 1.0, False, cells
    )
    hold = Hold("planar", 0, (400, 300), None, (0, 0), {1: frame})
    turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    mark = Edge.of(np.stack([150 + 40 * np.cos(turns), 120 + 40 * np.sin(turns)], -1), 3, 4)
    on = _read_on(hold, mark, stands, 1, Rect(60, 30, 300, 220))
    left = 150 if stands else 180
    assert not on[90 - 35 : 90 + 35, left - 60 - 20 : left - 60 + 20].any()
    assert on[:30].all()
    assert _read_on(hold, mark, stands, 1, Rect(left - 22, 98, left + 22, 142)).all()


def test_grain_that_is_still_in_the_plate_is_not_laid_twice():
    """The frame has all of its grain, the plate a third of its variance: two thirds are laid, and no detail is made up."""
    rng = np.random.default_rng(9)
    surface = 0.4 + 0.05 * cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)).astype(np.float32), (0, 0), 3)[..., None]
    grain = Grain(np.array([0.0, 1.0]), np.full((2, 3), 0.02), white())
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    matte = (np.hypot(x - SIDE / 2, y - SIDE / 2) < 40).astype(np.float32)
    region = Region.around(outside_of(matte), np.ones((SIDE, SIDE), np.float32), 2.0)
    tonal = [np.repeat(surface, 3, 2) + share * 0.02 * noise(k, 0) for k, share in ((10, 1.0), (11, np.sqrt(1 / 3)))]
    frame, plate = (SRGB.from_tonal(side.astype(np.float32)) for side in tonal)
    finish = finish_of(frame, plate, region, grain, 1 / 3, SRGB, True, (x, y))
    assert finish.grain == pytest.approx(np.sqrt(2 / 3), abs=0.03)
    assert finish.detail == pytest.approx(1, abs=0.12)
    assert finish.soft == 0


@pytest.mark.parametrize("subsampling", [(1, 0), (1, 1)])
def test_what_was_read_from_a_movie_goes_back_as_it_was(subsampling):
    """A picture of the same layout put whole into another: its own samples come out, colour too."""
    rng = np.random.default_rng(12)
    layout = yuv.Layout(8, False, "bt709", *subsampling)

    def planes() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        made = []
        for k, shape in enumerate(((64, 96), *2 * [(64 >> subsampling[1], 96 >> subsampling[0])])):
            plane = cv2.GaussianBlur(rng.normal(0, 60, shape), (0, 0), 1.2) / (3 if k else 1)
            made.append(np.clip(np.rint(118 + 10 * bool(k) + plane), 70, 180).astype(np.uint8))
        return made[0], made[1], made[2]

    ours, other = planes(), planes()
    made = yuv.patched(ours, layout, yuv.rgb16(ours, layout), yuv.rgb16(other, layout))
    np.testing.assert_array_equal(made[0], other[0])
    for mine, wanted in zip(made[1:], other[1:], strict=True):
        miss = (mine.astype(int) - wanted)[2:-2, 2:-2]
        assert np.abs(miss).max() <= 1
        assert (miss != 0).mean() < 0.12


def test_colour_between_two_codes_settles_on_one():
    """Rounded each by itself, samples next to a half scatter between both; they must not, and must miss by little."""
    rng = np.random.default_rng(13)
    wanted = 0.5 + rng.normal(0, 0.15, (60, 80))
    plane, cover = np.full((60, 80), 128, np.uint8), np.ones((60, 80), bool)
    cover[:, 70:] = False
    add_smoothly(plane, wanted, cover, 255, 0.5)
    scattered = np.rint(128 + wanted)
    inside = np.s_[:, :70]

    def changes(side: np.ndarray) -> float:
        return float((np.diff(side[inside].astype(int), axis=1) != 0).mean())

    assert changes(plane) < 0.6 * changes(scattered)
    assert np.abs(plane[inside] - 128 - wanted[inside]).max() < 1
    assert (plane[:, 70:] == 128).all()


def test_the_fields_of_a_stack_of_fixes_are_made_once():
    """Five fixes on coded footage have ten kinds of grain: laid frame after frame, none is made again."""
    kinds = [Grain(np.zeros(1), np.ones((1, 3)), white() * np.float64(1 + k / 100)) for k in range(10)]
    first = [fresh(kind, (80, 90), 1) for kind in kinds]
    made = _small_field.cache_info().misses
    again = [fresh(kind, (80, 90), 1) for kind in kinds]
    assert _small_field.cache_info().misses == made
    for one, other in zip(first, again, strict=True):
        np.testing.assert_array_equal(one, other)
