"""Light fields: membranes, the ring's modes, light under the mark, highlights, evidence, light over time."""

import cv2
import numpy as np
import pytest
from scipy.sparse import csr_matrix
from scipy.sparse.linalg import spsolve

from hushcore.geometry.membrane import membrane
from hushcore.light import evidence, fields, steady
from hushcore.light.fields import Light
from hushcore.light.region import TIMES, Pair, Region, halved, misplaced, steepness
from hushcore.light.under import Under

SIDE = 160


def exact(values: np.ndarray, known: np.ndarray) -> np.ndarray:
    """The discrete harmonic function, by a sparse direct solver."""
    height, width = known.shape
    index = -np.ones(known.shape, int)
    index[~known] = np.arange((~known).sum())
    rows, cols, data, right = [], [], [], np.zeros((~known).sum())
    for y, x in np.argwhere(~known):
        here = index[y, x]
        beside = [(y + dy, x + dx) for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0))]
        beside = [(v, u) for v, u in beside if 0 <= v < height and 0 <= u < width]
        rows.append(here), cols.append(here), data.append(len(beside))
        for v, u in beside:
            if known[v, u]:
                right[here] += values[v, u]
            else:
                rows.append(here), cols.append(index[v, u]), data.append(-1.0)
    out = values.copy()
    out[~known] = spsolve(csr_matrix((data, (rows, cols))), right)
    return out


def test_a_membrane_is_the_discrete_harmonic_function():
    # Laplace's equation against scipy.sparse.linalg.spsolve on the same grid (checks.md)
    y, x = np.mgrid[0:120, 0:120]
    known = np.hypot(x - 60, y - 60) > 40
    values = (np.sin(x / 17) + np.cos(y / 23)).astype(np.float32)
    found = membrane(values[..., None], known)[..., 0]
    assert np.abs(found - exact(values, known)).max() < 0.01 * np.ptp(values)


def test_a_membrane_on_a_disc_is_poisson_s_integral():
    """u(r, t) = (r / R)^n cos(n t) inside a disc whose rim has cos(n t): Poisson's integral formula."""
    y, x = np.mgrid[0:161, 0:161] - 80.0
    r, t = np.hypot(x, y), np.arctan2(y, x)
    wanted = (r / 60) ** 3 * np.cos(3 * t)
    found = membrane(wanted.astype(np.float32)[..., None], r >= 60)[..., 0]
    assert np.abs(found - wanted)[r < 60].max() < 0.02


def test_a_membrane_keeps_what_is_known_and_any_slope():
    y, x = np.mgrid[0:60, 0:80].astype(np.float32)
    slope = (0.3 * x - 0.2 * y)[..., None]
    known = np.hypot(x - 40, y - 30) > 20
    found = membrane(slope, known)
    np.testing.assert_array_equal(found[known], slope[known])
    assert np.abs(found - slope).max() < 0.1  # a slope is harmonic


@pytest.fixture(scope="module")
def surface() -> tuple[np.ndarray, np.ndarray, Region]:
    """Cloth with a dark red mark on it, and the region round the mark."""
    rng = np.random.default_rng(0)
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    weave = cv2.GaussianBlur(rng.random((SIDE, SIDE, 1)).astype(np.float32), (0, 0), 1.2)[..., None]
    cloth = ((0.25 + 0.5 * (weave - 0.3)) * np.float32([1.0, 0.9, 0.7])).astype(np.float32)
    mark = np.hypot(x - 80, y - 80) < 34
    original = np.where(mark[..., None], cloth * np.float32([0.5, 0.2, 0.2]), cloth).astype(np.float32)
    outside = np.maximum(np.hypot(x - 80, y - 80) - 44, 0).astype(np.float32)
    return cloth, original, Region.around(outside, np.ones_like(outside))


def solved(mode: str, original: np.ndarray, current: np.ndarray, region: Region, how: Under = Under()) -> Light:
    return fields.light_of(mode, Pair.of(halved(current), halved(original), region), how)


def far_off(light: Light, cloth: np.ndarray, wanted: np.ndarray) -> float:
    """Mean log error of the lit plate inside the mark."""
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    inside = np.hypot(x - 80, y - 80) < 34
    low = [cv2.GaussianBlur(side, (0, 0), 2.0) for side in (light.on(cloth), wanted)]
    return float(np.abs(np.log(low[0] / low[1]))[inside].mean())


def test_each_mode_explains_the_light_that_it_is_made_for(surface):
    cloth, original, region = surface
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    even = np.float32(1.4) * np.ones((SIDE, SIDE, 1), np.float32)
    slope = np.exp(0.5 * (x - 80) / 80 - 0.3 * (y - 80) / 80)[..., None].astype(np.float32)
    fold = np.exp(0.5 * np.sin(x / 13) + 0.2 * np.cos(y / 17))[..., None].astype(np.float32)
    lights = {"even": even, "slope": slope, "fold": fold}
    scores = {
        mode: {
            name: far_off(solved(mode, original, original * light, region), cloth, cloth * light)
            for name, light in lights.items()
        }
        for mode in ("even", "slope", "rim", "under", "auto")
    }
    assert scores["even"]["even"] < 0.01 < 0.1 < scores["even"]["slope"]
    assert scores["slope"]["slope"] < 0.01 < 0.1 < scores["slope"]["fold"]
    assert scores["rim"]["slope"] < 0.03
    assert scores["under"]["fold"] < 0.04  # a fold that lies under the mark is only seen under the mark
    assert scores["under"]["fold"] < scores["rim"]["fold"] / 3  # engine.md: at least three times better than the rim
    assert scores["auto"]["fold"] < 1.1 * scores["under"]["fold"] + 0.005


def highlight(k: int) -> np.ndarray:
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    spot = np.exp(-(((x - 40 - 9 * k) / 22) ** 2 + ((y - 84) / 30) ** 2))
    return (0.3 * spot)[..., None].astype(np.float32)


def test_a_shot_says_whether_its_light_multiplies_or_adds(surface):
    _, original, region = surface
    rng = np.random.default_rng(3)

    def samples(make) -> list:
        noisy = [make(k) + rng.normal(0, 0.002, original.shape).astype(np.float32) for k in range(9)]
        return [evidence.sample(Pair.of(halved(n), halved(original), region)) for n in noisy]

    x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)[1]
    folds = [np.exp(0.5 * np.sin(x / 15 + k))[..., None].astype(np.float32) for k in range(9)]
    assert evidence.multiplies(samples(lambda k: original * folds[k])) > 0.9
    assert evidence.multiplies(samples(lambda k: original + highlight(k))) < 0.1
    assert evidence.multiplies([None, None]) == 1.0  # a shot that does not tell is taken to multiply


def test_highlights_are_added_and_not_multiplied(surface):
    cloth, original, region = surface
    current, wanted = original + highlight(4), cloth + highlight(4)
    shine = far_off(solved("shine", original, current, region), cloth, wanted)
    under = far_off(solved("under", original, current, region), cloth, wanted)
    auto = far_off(solved("auto", original, current, region, Under(0.0, True)), cloth, wanted)
    assert shine < under / 2
    assert auto < 1.1 * shine + 0.01  # the estimator for all is within a tenth of the best one


def test_where_the_mark_is_hidden_the_rim_steps_in_without_a_seam(surface):
    cloth, original, _ = surface
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    outside = np.maximum(np.hypot(x - 80, y - 80) - 44, 0).astype(np.float32)
    usable = (np.hypot(x - 80, y - 80) > 36).astype(np.float32)  # nothing of the mark can be read
    light = np.exp(0.4 * (x - 80) / 80)[..., None].astype(np.float32)
    found = solved("under", original, original * light, Region.around(outside, usable))
    assert np.isfinite(found.gain).all()
    assert far_off(found, cloth, cloth * light) < 0.03
    assert np.abs(np.diff(found.gain, axis=1)).max() < 0.03  # no step where the reading ends


def test_the_cap_keeps_the_mark_s_own_shading_out(surface):
    """A mark that turns glossy by itself is not light: capped, the field goes no further than the ring's own changes."""
    cloth, original, region = surface
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    glint = 1 + 0.8 * np.exp(-(((x - 80) ** 2 + (y - 80) ** 2) / 150.0))[..., None]
    current = (original * glint).astype(np.float32)
    capped = far_off(solved("auto", original, current, region, Under(1.0, True)), cloth, cloth)
    free = far_off(solved("auto", original, current, region, Under(1.0, False)), cloth, cloth)
    assert capped < free / 2


@pytest.mark.parametrize("glare", [0.03, 0.06])
def test_a_grey_shadow_stays_grey_on_red_ink_under_glare(surface, glare):
    """Light that is scattered in a lens adds to all of a picture (veiling glare, ISO 9358): where ink is dark in green, a shadow
    seems to take less of green there than of red."""
    _, original, region = surface
    x = np.linspace(0.8, 0.4, SIDE, dtype=np.float32)[None, :, None]
    light = solved("auto", original + np.float32(glare), original * x + np.float32(glare), region)
    inside = np.zeros((SIDE, SIDE), bool)
    inside[52:108, 52:108] = True
    tint = light.gain - light.gain.mean(-1, keepdims=True)
    assert np.abs(tint[inside]).max() < 0.04  # log units; as it was read, .10 and more
    coloured = (
        original * x * np.float32([1.1, 1.0, 0.8])
    )  # a shadow that is of another colour beside the mark is so under it
    light = solved("auto", original, coloured, region)
    wanted = np.log(x * np.float32([1.1, 1.0, 0.8]))
    assert np.abs(light.gain - wanted)[inside].mean() < 0.03


def test_a_mark_that_lies_a_little_off_leaves_no_ghost_in_its_light(surface):
    """Beside the mark's edges the frame shows ground where ink is thought to be: read as light, that was bright. How far it lies
    off is measured on the frame itself."""
    cloth, original, region = surface
    light = np.exp(0.4 * np.sin(np.mgrid[0:SIDE, 0:SIDE][1] / 25.0))[..., None].astype(np.float32)
    steep = steepness(np.log(halved(cloth)) - np.log(halved(original)))

    def far(by: int, allowing: bool) -> float:
        current, wanted = (np.roll(side, by, 1) * light for side in (original, cloth))
        pair = Pair.of(halved(current), halved(original), region)
        pair = pair.allowing(misplaced(pair, steep)) if allowing else pair
        return far_off(fields.light_of("under", pair, Under()), cloth, wanted)

    assert far(2, True) < 0.7 * far(2, False)
    assert far(0, True) < far(0, False) + 0.003  # a mark that lies where it should is lit no worse


def test_how_far_a_mark_lies_off_is_read_from_its_edges(surface):
    cloth, original, region = surface
    steep = steepness(np.log(halved(cloth)) - np.log(halved(original)))
    found = []
    for by in (0, 1, 3):
        pair = Pair.of(halved(np.roll(original, by, 1)), halved(original), region)
        at = np.unravel_index(steep.argmax(), steep.shape)
        found.append(4 * float(np.sqrt(misplaced(pair, steep)[at] / steep[at] / TIMES)))
    assert found[0] == 0
    assert found[0] < found[1] < found[2]
    # along the edge's normal, which the slip makes an angle with: 2 / pi of it in the mean; blunted by the grid
    assert 0.2 < found[1] < 1
    assert 0.6 < found[2] < 3


def test_light_is_steadied_but_flicker_does_not_lag():
    rng = np.random.default_rng(5)
    shape = np.linspace(-0.2, 0.2, 40, dtype=np.float32)[None, :, None] * np.ones((40, 1, 3), np.float32)
    level = {t: 0.3 * (-1) ** t for t in range(7)}  # flicker of 30 %
    lights = {t: Light((shape + level[t] + rng.normal(0, 0.03, shape.shape)).astype(np.float32)) for t in range(7)}
    made = steady.steadied(lights, 3)
    assert np.median(made.gain) == pytest.approx(np.median(lights[3].gain), abs=0.01)  # its own level, to the last
    before, after = ((light.gain - level[3] - shape).std() for light in (lights[3], made))
    assert after < 0.6 * before
    lights[5] = Light(lights[5].gain + np.float32(0.5) * np.sin(np.arange(40, dtype=np.float32) / 3)[None, :, None])
    again = steady.steadied(lights, 3)
    assert np.abs(again.gain - made.gain).max() < 0.08  # a frame in another light stays out
