"""How much of what a frame shows beside a mark is laid: against grain that is known."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from hushcore.grain import squares
from hushcore.grain.model import luma_of
from hushcore.grain.steps import Steps
from hushcore.media import yuv
from hushcore.patch.finish import FINEST
from hushcore.patch.strengths import COLOUR, LAPLACIAN, LEANT, LEAST, ROUGH, Strengths, strengths
from hushcore.rounding import add_whole

SIDE = 160
EVERYWHERE = np.ones((SIDE, SIDE), bool)
FINE_STEPS = Steps("bt709", 3504)  # of twelve bits: nothing to speak of


def field(seed: int, px: float, sigma: float, channels: int = 1) -> np.ndarray:
    """Gaussian noise (h, w, 3) as wide as a Gaussian of ``px``; one value in all channels, or three."""
    white = np.random.default_rng(seed).standard_normal((SIDE, SIDE, channels))
    soft = cv2.GaussianBlur(white, (0, 0), px).reshape(SIDE, SIDE, channels) if px else white
    return np.asarray((sigma * soft / soft.std()).repeat(3 // channels, 2), np.float32)


def rough(tonal: np.ndarray) -> float:
    """What looks finest: a Laplacian's standard deviation."""
    return float(cv2.filter2D(luma_of(tonal), -1, LAPLACIAN)[4:-4, 4:-4].std())


def finest(tonal: np.ndarray) -> float:
    luma = luma_of(tonal)
    return float((luma - cv2.GaussianBlur(luma, (0, 0), FINEST))[4:-4, 4:-4].std())


def found(there: np.ndarray, made: np.ndarray, steps: Steps = FINE_STEPS) -> tuple[Strengths, np.ndarray]:
    parts = squares.split(squares.grain_of(there - made, EVERYWHERE))
    said = strengths(there, made, parts, EVERYWHERE, steps)
    return said, said.of(parts)


def test_grain_on_a_bare_surface_is_laid_as_it_is():
    made = np.full((SIDE, SIDE, 3), 0.5, np.float32)
    said, laid = found(made + field(0, 0, 0.02, 3), made)
    assert min(said.fine, said.rest, said.colour) > 0.97
    assert laid.shape == made.shape


@pytest.mark.parametrize("px", [0.0, 0.8])
def test_texture_that_is_held_beside_itself_is_no_grain(px):
    """A weave a third of a pixel off: what it and the frame differ by is mostly the weave, whose energy the patch has."""
    weave = field(1, 1.0, 0.05)
    grain = field(2, px, 0.008)
    off = np.roll(weave, 1, 1) * 0.33 + weave * 0.67
    off *= np.float32(finest(weave) / finest(off))
    there = 0.5 + weave + grain
    said, laid = found(there, 0.5 + off)
    other = field(3, 1.0, 0.05)  # as a patch has it: somewhere else, so that what is laid does not know it
    for figure in (rough, finest):
        assert abs(figure(0.5 + other + laid) / figure(there) - 1) < 0.12
    assert said.rest < 0.75


def test_the_finest_part_is_laid_in_full_where_only_wider_texture_is_missed():
    """One strength for both would leave the patch smooth: a hold that is off shows in a soft weave's own scale."""
    weave = field(4, 1.6, 0.05)
    grain = field(5, 0, 0.004)
    said, _ = found(0.5 + weave + grain, 0.5 + np.roll(weave, 1, 1))
    assert said.fine > 0.9
    assert said.rest < 0.6


def test_colour_has_a_strength_of_its_own():
    """Chroma that the patch has as well is no grain; the luma's is laid all the same."""
    spots = field(6, 1.0, 0.02, 3)
    spots -= luma_of(spots)[..., None]
    moved = np.roll(spots, 3, (0, 1))
    said, _ = found(0.5 + spots + field(7, 0, 0.01), 0.5 + moved)
    assert said.fine > 0.95
    assert said.colour < 0.5


def test_what_rounding_adds_is_not_laid():
    """Bennett 1948, for a rounding that leans to its neighbours: measured on smooth noise of a step and more."""
    step = 1 / 219
    for px, sigma in ((0.7, 1.0), (0.7, 3.0), (1.2, 1.0)):
        change = luma_of(field(8, px, sigma)).astype(float)
        plane = np.full((SIDE, SIDE), 500, np.int32)
        add_whole(plane, change, EVERYWHERE, 4095, 0.7)
        pairs = [(one - 500.0 * (one is plane)).astype(np.float32)[..., None].repeat(3, 2) for one in (plane, change)]
        added = [figure(pairs[0]) ** 2 - figure(pairs[1]) ** 2 for figure in (rough, finest)]
        np.testing.assert_allclose(12 * np.array(added), (ROUGH, LEANT), rtol=0.2)
    made = np.full((SIDE, SIDE, 3), 0.5, np.float32)
    there = made + field(9, 0.7, 1.2 * step)
    said, laid = found(there, made, Steps("bt709", 219))
    lacking = rough(there) ** 2 - rough(laid) ** 2
    assert abs(lacking / (ROUGH * step**2 / 12) - 1) < 0.3
    assert said.fine < 1


def test_what_rounding_chroma_adds():
    """Ten bits, 4:2:2 (ITU-R BT.709), rounded as it is delivered, against finer codes of the same planes."""
    layout, steps = yuv.Layout(10, False, "bt709", 1, 0), Steps("bt709", 876)
    wanted = [512 + 3 * field(20 + k, 1.0, 1.0)[:, ::2, 0].astype(float) for k in range(2)]
    made = []
    for plane in wanted:
        whole = np.full(plane.shape, 512, np.uint16)
        add_whole(whole, np.ascontiguousarray(plane - 512), np.ones(plane.shape, bool), 1023, yuv.LEAN)
        made.append(whole)
    luma = np.full((SIDE, SIDE), 400, np.uint16)
    exact = [np.rint(64 * plane).astype(np.uint16) for plane in (luma, *wanted)]
    power = []
    for one in (yuv.rgb16((luma, *made), layout), yuv.rgb16(tuple(exact), replace(layout, bits=16))):
        tonal = one.astype(np.float64) / 65535
        apart = (tonal - (tonal @ steps.weights)[..., None]).astype(np.float32)
        power.append(np.mean([finest(apart[..., k : k + 1].repeat(3, 2)) ** 2 for k in (0, 2)]))
    red, _, blue = steps.weights
    rounding = ((2 - 2 * red) ** 2 + (2 - 2 * blue) ** 2) / 2 / (12 * steps.count**2)
    assert (power[0] - power[1]) / rounding == pytest.approx(COLOUR, abs=0.1)


def test_where_nothing_can_be_read_little_is_laid():
    parts = squares.split(field(10, 0, 0.02))
    said = strengths(parts[0], parts[1], parts, np.zeros_like(EVERYWHERE), FINE_STEPS)
    assert said == Strengths()
    assert said.fine == pytest.approx(np.sqrt(LEAST))
