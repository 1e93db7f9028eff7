"""Grain carried over from beside a mark in squares, on footage that a codec has left uneven."""

from dataclasses import replace
from functools import cache

import cv2
import numpy as np
import pytest
from scipy.stats import kurtosis

from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.grain import squares
from hushcore.grain.steps import BETWEEN, ON_IT, Steps, rounding, steps_of
from hushcore.hold.record import Hold, HoldFrame
from hushcore.media import yuv
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate
from hushcore.rounding import add_smoothly, add_whole

SIDE, QUALITY = 240, 45
FIRST, LAST, ANCHOR = 0, 8, 4
HALVED = yuv.Layout(8, False, "bt709", 1, 1)
LAPLACIAN = np.array([[-1, 2, -1], [2, -4, 2], [-1, 2, -1]], np.float32)
ENCODING = Encoding("bt1886")


def coded(tonal: np.ndarray, quality: int = QUALITY) -> np.ndarray:
    """A tonal picture (h, w, 3) through another's codec (JPEG, ITU-T T.81, as libjpeg has it), tonal."""
    blue_first = np.ascontiguousarray(np.clip(np.rint(255 * tonal[..., ::-1]), 0, 255).astype(np.uint8))
    packed = cv2.imencode(".jpg", blue_first, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return cv2.imdecode(packed, cv2.IMREAD_COLOR)[..., ::-1].astype(np.float32) / 255


def uneven(seed: int) -> np.ndarray:
    """What a codec leaves of white noise on grey, less the grey."""
    noise = np.random.default_rng(seed).normal(0, 0.03, (SIDE, SIDE, 1)).repeat(3, 2)
    made = coded((0.5 + noise).astype(np.float32), 25)
    return (made - made.mean((0, 1))).astype(np.float32)


def distance() -> np.ndarray:
    y, x = np.mgrid[:SIDE, :SIDE] - SIDE / 2
    return np.hypot(x, y)


RING = (distance() > 45) & (distance() < 95)
MARK = distance() < 40


def carried(grain: np.ndarray, ring: np.ndarray, corner: tuple[int, int] = (0, 0), seed: int = 1) -> np.ndarray | None:
    """What is finest and the rest, as they were."""
    found = squares.carried(squares.split(grain), ring, MARK, corner, seed)
    return None if found is None else found[0] + found[1]


def sharp(field: np.ndarray) -> float:
    """Kurtosis at the finest scale: 3 for Gaussian noise."""
    return float(kurtosis(cv2.filter2D(field[..., 1], -1, LAPLACIAN)[MARK], fisher=False))


def test_grain_keeps_its_strength_and_its_unevenness():
    """The field goes on under the mark: there it is the truth."""
    wanted, got = [], []
    for seed in range(4):
        field = uneven(seed)
        made = carried(squares.grain_of(field, RING), RING)
        assert made is not None
        truth = squares.grain_of(field, np.ones_like(RING))
        wanted.append((sharp(truth), truth[MARK].std()))
        got.append((sharp(made), made[MARK].std()))
    assert np.mean(wanted, 0)[0] > 10  # no Gaussian noise
    # less uneven where squares are mixed
    np.testing.assert_allclose(np.mean(got, 0), np.mean(wanted, 0), rtol=0.25)


@pytest.mark.parametrize("corner", [(0, 0), (37, 5)])
def test_squares_come_from_squares_on_the_frames_lattice(corner):
    field = uneven(2)
    made = carried(field, RING, corner)
    assert made is not None
    over = squares.COARSE_OVERLAP
    core = 16 - 2 * over
    known = np.stack([
        field[y : y + core, x : x + core]
        for y in range((over - corner[1]) % 16, SIDE - 16, 16)
        for x in range((over - corner[0]) % 16, SIDE - 16, 16)
    ])  # fmt: skip
    y, x = (96 + (over - low) % 16 for low in corner[::-1])
    assert np.abs(known - made[y : y + core, x : x + core]).max((1, 2, 3)).min() < 1e-6


def test_where_squares_meet_nothing_fine_is_added():
    """Grain that is mostly wide, as codecs leave it: mixed over few pixels, its slopes alone would show in a Laplacian."""
    rng = np.random.default_rng(10)
    wide, fine = (cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)), (0, 0), px) for px in (1.4, 0.5))
    field = (wide / wide.std() + 0.05 * fine / fine.std()).astype(np.float32)[..., None]
    core = distance() < 34
    level = [cv2.filter2D(one[..., 0], -1, LAPLACIAN)[core].std() for one in (carried(field, RING), field)]
    assert abs(level[0] / level[1] - 1) < 0.09
    plainly = np.zeros_like(field)
    found = squares.squares_of(field, RING, (0, 0))
    squares._fill(plainly, field, found, MARK, 0, 0, np.uint64(1), squares._ramp(squares.OVERLAP))
    assert cv2.filter2D(plainly[..., 0], -1, LAPLACIAN)[core].std() > 1.12 * level[1]


def test_what_is_carried_and_what_is_laid_beside_it_have_most_of_the_power_of_the_whole():
    """Transfer of a Gaussian: exp(-2 pi^2 sigma^2 f^2)."""
    frequency = np.linspace(0, 0.5, 200)
    wide, meets = (np.exp(-2 * (np.pi * sigma * frequency) ** 2) for sigma in (squares.WIDE, squares.MEETS))
    power = (1 - wide) ** 2 + meets**2
    assert 0.77 < power.min() < power.max() < 1.001


def test_a_place_takes_from_the_same_square_while_that_can_be_seen():
    field, moved = uneven(3), np.roll(RING, 9, 1)
    one, other = (carried(field, ring) for ring in (RING, moved))
    same = (one == other).all(-1)[MARK]
    assert 0.3 < same.mean() < 1
    assert (carried(field, RING) == one).all()
    assert (carried(field, RING, seed=2) != one).any()  # another fix, another order


def test_what_is_louder_than_grain_is_left_where_it_is():
    field = uneven(4)
    field[44:50, 116:124] += 0.5  # within the ring
    made = carried(field, RING)
    assert np.abs(made).max() < 0.2
    assert len(squares.squares_of(field, RING, (0, 0))) < len(squares.squares_of(uneven(4), RING, (0, 0)))


def test_too_few_squares_give_nothing():
    thin = (distance() > 45) & (distance() < 58)
    assert carried(uneven(5), thin) is None
    assert carried(uneven(5), np.zeros_like(RING)) is None


def test_a_slope_of_light_is_no_grain():
    slope = np.linspace(0, 1, SIDE, dtype=np.float32)[None, :, None].repeat(SIDE, 0).repeat(3, 2)
    deep = (distance() > 60) & (distance() < 80)
    assert np.abs(squares.grain_of(slope, RING)[deep]).max() < 0.15 * 16 / SIDE


def planes(seed: int, layout: yuv.Layout) -> tuple[np.ndarray, ...]:
    """Planes of a soft picture before they are rounded: colour that drifts, luma that rises."""
    rng = np.random.default_rng(seed)
    sizes = [(SIDE, SIDE)] + 2 * [(SIDE >> layout.sub_y, SIDE >> layout.sub_x)]
    soft = [cv2.GaussianBlur(rng.standard_normal(size), (0, 0), 12) for size in sizes]
    return tuple(mid + 12 * one / one.std() for mid, one in zip((120, 128, 128), soft, strict=True))


@pytest.mark.parametrize(
    ("layout", "across", "down"),
    [
        (yuv.Layout(8, False, "bt709"), (), ()),
        (yuv.Layout(8, False, "bt709", 1, 0), ON_IT, ()),
        (HALVED, ON_IT, BETWEEN),
        (yuv.Layout(8, False, "bt709", 1, 1, left=False), BETWEEN, BETWEEN),
    ],
)
def test_how_colour_is_halved_is_found_and_what_rounding_it_adds(layout, across, down):
    """Where chroma lies: H.273. Its rounding is measured against that of finer codes of the same planes (Bennett 1948)."""
    wanted = planes(6, layout)
    codes = yuv.rgb16(tuple(np.rint(one).astype(np.uint8) for one in wanted), layout)
    steps = steps_of(codes)
    assert steps == Steps("bt709", 219, across, down)
    assert Steps.of(steps.plain()) == steps
    fine = replace(layout, bits=16)
    exact = yuv.rgb16(tuple(np.rint(256 * one).astype(np.uint16) for one in wanted), fine)
    added = (codes.astype(float) - exact).reshape(-1, 3) / 65535
    said = np.broadcast_to(rounding(steps, ENCODING), (16, 16, 3, 3)).mean((0, 1))
    np.testing.assert_allclose(np.cov(added.T), said, atol=0.12 * said.max())


def test_a_rounding_that_leans_keeps_a_smooth_change_smooth_and_its_level():
    y, x = np.mgrid[:64, :64]
    before = np.full((64, 64, 3), 30000, np.uint16)
    soft = cv2.GaussianBlur(np.random.default_rng(8).standard_normal((64, 64)), (0, 0), 3)
    after = (before + (700 + 11 * x + 7 * y + 6000 * soft)[..., None]).astype(np.uint16)
    step = 65535 / 219
    rough = {}
    for smoothly in (False, True):
        made = Steps("bt709", 219).kept(before, after, smoothly)
        change = (made.astype(float) - before)[..., 1] / step
        assert np.abs(change - np.rint(change)).max() < 0.005  # whole steps all the same
        assert abs((made.astype(float) - after).mean()) < 0.1 * step
        rough[smoothly] = cv2.filter2D(np.rint(change).astype(np.float32), -1, LAPLACIAN)[2:-2, 2:-2].std()
    assert rough[True] < 0.8 * rough[False]


@pytest.mark.parametrize("lean", [0.5, 0.7])
def test_a_long_slope_keeps_its_level(lean):
    """Leaning alone moves it by half a code and more, for every miss asks for another like it."""
    y, x = np.mgrid[:160, :160]
    change, cover = 2.3 + 0.1 * x + 0.057 * y, np.ones((160, 160), bool)
    off = {}
    for way in (add_smoothly, add_whole):
        plane = np.full((160, 160), 1000, np.int32)
        way(plane, change, cover, 4095, lean)
        off[way] = float((plane - 1000 - change).mean())
    assert abs(off[add_smoothly]) > 0.4
    assert abs(off[add_whole]) < 0.05


class Shot:
    """A soft surface in fresh white noise, as a codec leaves it, which stands still; with a dark disc or without."""

    def __init__(self, disc: float) -> None:
        rng = np.random.default_rng(9)
        tone = cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)).astype(np.float32), (0, 0), 5)
        self.tone = 0.45 + 0.03 * tone / tone.std() - disc * np.clip(31 - distance(), 0, 1)
        self.read = cache(self.read)

    def read(self, frame: int) -> np.ndarray:
        noise = np.random.default_rng(frame).normal(0, 0.02, (SIDE, SIDE))
        tonal = coded((self.tone + noise).astype(np.float32)[..., None].repeat(3, 2))
        made = yuv.planes16(np.rint(65535 * tonal).astype(np.uint16), HALVED)
        return yuv.rgb16(made, HALVED)


def test_a_patch_on_coded_footage_is_as_uneven_as_the_shot():
    """Against grain of the measured spectrum, which is Gaussian; and no more of the frame is touched."""
    shot, clean = Shot(0.2), Shot(0.0)
    held = {
        n: HoldFrame(np.eye(3), np.full((15, 15), 0.05, np.float32), 0.05, 1.0, False)
        for n in range(FIRST, LAST + 1)
        if n != ANCHOR
    }
    hold = Hold("planar", ANCHOR, (SIDE, SIDE), None, (0, 0), held)
    turns = np.linspace(0, 2 * np.pi, 32, endpoint=False)
    edge = Edge.of(SIDE / 2 + 36 * np.stack([np.cos(turns), np.sin(turns)], -1), 3, 4)
    plate = make_plate(shot.read(ANCHOR), hold, ANCHOR, [], clean.read(ANCHOR), ENCODING)
    plan = Plan(edge, Match())
    said = gather(shot.read, hold, edge, ENCODING, plan, [(ANCHOR, plate)])
    assert said.steps is not None
    assert said.steps.count == 219
    figures = {"truth": [], "own": [], "measured": []}
    for frame in (1, 2, 6, 7):
        codes = shot.read(frame)
        figures["truth"].append(sharp(clean.read(frame).astype(np.float32)))
        for name, evidence in (("own", said), ("measured", replace(said, steps=None))):
            laid = lay(codes, frame, make_fix(hold, plan, [(ANCHOR, plate)], evidence))
            figures[name].append(sharp(laid.codes.astype(np.float32)))
            assert (laid.codes[distance() > 60] == codes[distance() > 60]).all()
    truth, own, usual = (float(np.mean(figures[name])) for name in ("truth", "own", "measured"))
    assert abs(own - truth) < 0.6 * abs(usual - truth)
