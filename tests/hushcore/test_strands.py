"""Hair and threads over a mark: found as long lines that light and surface do not explain, and kept in front of the patch."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from hushcore.colour.encoding import SRGB
from hushcore.edge import front, strands, unmix
from hushcore.edge.matte import Edge
from hushcore.edge.signs import Usual
from hushcore.hold.record import Hold, HoldFrame
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.look import look
from hushcore.patch.plan import Plan
from hushcore.plates.plate import make_plate
from tests.hushcore.test_front import ALL, AREA, FLAT, GAIN, SIDE, noisy

HALF = 2
NOTHING = np.zeros((SIDE, SIDE), np.float32)


@pytest.fixture(scope="module")
def surface(texture) -> np.ndarray:
    """At full size (192 px a side)."""
    return np.repeat((0.2 + 0.4 * texture[:192, :192])[..., None], 3, 2).astype(np.float32)


@pytest.fixture(scope="module")
def outside() -> np.ndarray:
    """Px outside a round edge in the middle, half size."""
    y, x = np.mgrid[0:SIDE, 0:SIDE] - SIDE / 2
    return np.maximum(HALF * (np.hypot(x, y) - 18), 0).astype(np.float32)


def hair(count: int = 4, width: float = 1.2, bend: float = 6.0) -> np.ndarray:
    """How far (h, w) hanging strands cover the picture."""
    y, x = np.mgrid[0 : HALF * SIDE, 0 : HALF * SIDE].astype(np.float32)
    cover = np.zeros_like(x)
    for k in range(count):
        away = x - 38 * (k + 1) - bend * np.sin(y / 40 + k)
        cover = np.maximum(cover, np.exp(-(away**2) / (2 * width**2)))
    return cover


def over(surface: np.ndarray, cover: np.ndarray, colour: float, amount: float = 1.0) -> np.ndarray:
    return surface + amount * cover[..., None] * (np.float32(colour) - surface)


def halved(picture: np.ndarray) -> np.ndarray:
    return cv2.resize(picture, (SIDE, SIDE), interpolation=cv2.INTER_AREA)


def seen(now: np.ndarray, then: np.ndarray) -> strands.Lines:
    a, b = (np.maximum(halved(side), 0) for side in (now, then))
    found = strands.lines(np.log(a + strands.BLACK) - np.log(b + strands.BLACK), b, ALL)
    assert found is not None
    return found


@pytest.fixture(scope="module")
def usually(surface) -> np.ndarray:
    """As seven frames show the surface with nothing in front."""
    return strands.usual([seen(noisy(surface, 30 + k), noisy(surface)).strength for k in range(7)])


@pytest.mark.parametrize(("colour", "sign"), [(0.02, -1), (1.6, 1)])
def test_strands_are_found_with_their_sign(surface, usually, outside, colour, sign):
    cover = hair()
    found = strands.found(seen(noisy(over(surface, cover, colour), 1), noisy(surface)), usually, outside)
    assert found is not None
    middles, told = found
    assert told == sign
    near = cv2.dilate(middles.astype(np.uint8), np.ones((3, 3))) > 0
    small = halved(cover)
    assert near[small > 0.5].mean() > 0.9
    assert (small[middles] > 0.1).mean() > 0.97


def test_half_covering_strands_of_a_moving_head_are_found_too(surface, usually, outside):
    cover = hair(width=2.5)
    found = strands.found(seen(noisy(over(surface, cover, 0.02, 0.35), 2), noisy(surface)), usually, outside)
    assert found is not None
    assert found[1] == -1
    assert (halved(cover)[found[0]] > 0.1).mean() > 0.95


def test_grain_light_and_a_missed_hold_are_no_strands(surface, usually, outside):
    shade = 0.5 + 0.5 / (1 + np.exp(-(np.arange(HALF * SIDE) - 90) / 10.0))[None, :, None]
    moved = cv2.warpAffine(
        surface, np.array([[1, 0, 0.5], [0, 1, 0.3]]), (HALF * SIDE,) * 2, borderMode=cv2.BORDER_REFLECT
    )
    for now in (surface, surface * np.float32(0.6), surface * shade.astype(np.float32), moved):
        for seed in range(4):
            assert strands.found(seen(noisy(now, seed), noisy(surface, 9)), usually, outside) is None


def test_a_mark_s_own_lines_are_none(surface, usually, outside):
    """A ring of ink that the hold misses by a pixel shows lines, but none that leads out of the edge."""
    y, x = np.mgrid[0 : HALF * SIDE, 0 : HALF * SIDE] - float(SIDE)

    def inked(dx: float) -> np.ndarray:
        ring = np.exp(-((np.hypot(x - dx, y) - 28) ** 2) / 8)
        return over(surface, ring.astype(np.float32), 0.03)

    assert strands.found(seen(noisy(inked(1.0), 1), noisy(inked(0.0))), usually, outside) is None


def test_what_a_place_always_shows_is_no_strand(surface, outside):
    """A strand on the anchor frame is missing on every other one."""
    frames = [seen(noisy(surface, k), noisy(over(surface, hair(1), 0.02), 50)).strength for k in range(7)]
    usual = strands.usual(frames)
    now = seen(noisy(surface, 20), noisy(over(surface, hair(1), 0.02), 50))
    assert strands.found(now, NOTHING, outside) is not None
    assert strands.found(now, usual, outside) is None


def test_short_lines_are_none(surface, usually, outside):
    cover = hair()
    cover[: 2 * SIDE - 40] = 0
    assert strands.found(seen(noisy(over(surface, cover, 0.02), 1), noisy(surface)), usually, outside) is None


@pytest.mark.parametrize("ink", [0.03, 0.9])
def test_how_far_a_strand_covers_is_right_on_and_off_the_ink(surface, usually, outside, ink):
    """Frame and patch mixed by it give the frame with clean ground under the strands (a f + (1 - a) patch)."""
    cover, marked = hair(3), surface.copy()
    for top in (70, 90, 110):
        marked[top : top + 8, 50:140] = ink
    now = noisy(over(marked, cover, 0.01, 0.6), 1)
    found = strands.found(seen(now, marked), usually, outside)
    assert found is not None
    alpha, near = strands.covering(*found, now, marked, np.ones((HALF * SIDE,) * 2, bool))
    made = now + (1 - alpha)[..., None] * near[..., None] * (surface - marked)
    clean = over(surface, cover, 0.01, 0.6)
    inside = np.zeros(alpha.shape, bool)
    inside[64:124, 54:136] = True
    inside &= near > 0.99
    apart = np.abs(made - clean)[inside].mean()
    gone = np.abs(over(surface, cover, 0.01, 0.0) - clean)[inside].mean()  # as if there were no strands
    assert apart < 0.5 * gone
    assert alpha[near == 0].max() == 0


def test_a_strand_that_runs_along_dark_ink_goes_on_as_beside_it(surface):
    """Dark on dark it is not seen, least where the ink shines a little: there it covers as far as beside the ink. What covers
    fully, far from it, is another."""
    thin, own = hair(1), np.arange(HALF * SIDE) < 80
    cover, marked = np.maximum(0.35 * thin, hair(4) * (np.arange(HALF * SIDE) > 130)), surface.copy()
    marked[60:120, 30:52] = 0.02
    now = over(marked, cover.astype(np.float32), 0.0)
    now[60:120, 30:52] += 0.008
    middles = (halved(thin) > 0.5) | (halved(cover) > 0.5)
    alpha, _ = strands.covering(middles, -1, noisy(now, 1), marked, np.ones((HALF * SIDE,) * 2, bool))
    along = (alpha * own).max(1)
    beside = float(np.median(along[130:180]))
    assert beside == pytest.approx(0.35, abs=0.08)
    assert along[64:116].min() > 0.6 * beside
    assert along[64:116].max() < 1.5 * beside


def test_what_is_usual_of_lines_is_kept_in_a_recipe(surface):
    frames = [
        front.signs(halved(noisy(surface, k)), halved(surface), halved(surface), FLAT, GAIN, ALL, AREA)
        for k in range(7)
    ]
    old = Usual.of_frames(0, 0, frames)
    assert Usual.of(old.plain()).lines is None  # a recipe from before they were looked for
    shown = [np.where(hair(1)[::2, ::2] > 0.5, 40, 2 + k / 9).astype(np.float32) for k in range(7)]
    usual = Usual.of_frames(4, 6, [replace(one, lines=line) for one, line in zip(frames, shown, strict=True)])
    again = Usual.of(usual.plain())
    assert (again.left, again.top) == (4, 6)
    assert np.abs(again.lines - usual.lines).max() <= 0.011
    assert usual.lines.max() == pytest.approx(strands.USUAL_MOST)
    # what was not looked at is not known: nothing is taken for a strand there
    assert again.over(4 - 20, 6, (SIDE, SIDE)).lines[:, :10].max() == -1


def test_nothing_is_looked_for_where_everything_is_explained(surface):
    small = halved(surface)
    same = np.zeros_like(small)
    assert strands.lines(same + 0.01, small, ALL, always=False) is None
    shown = np.log(halved(over(surface, hair(1), 0.02)) + strands.BLACK) - np.log(small + strands.BLACK)
    assert strands.lines(shown, small, ALL, always=False) is not None


STRANDS_ON = range(7, 12)  # of frames 0 to 17: those on which strands hang before the mark


@pytest.fixture(scope="module")
def shot(texture) -> dict:
    """Brick that moves by a pixel a frame, an inked ring on it, and hair that passes; with what it should look like."""
    wall = np.repeat((0.15 + 0.5 * cv2.GaussianBlur(texture[100:420, 60:400], (0, 0), 0.8))[..., None], 3, 2)
    y, x = np.mgrid[0:320, 0:340].astype(np.float32)
    ring = np.exp(-((np.hypot(x - 170, y - 160) - 26) ** 2) / 10)[..., None]
    inked = wall * (1 - 0.85 * ring)
    frames: dict[str, dict[int, np.ndarray]] = {"marked": {}, "clean": {}}
    for frame in range(18):
        cover = np.zeros((280, 300), np.float32)
        if frame in STRANDS_ON:
            yy, xx = np.mgrid[0:280, 0:300].astype(np.float32)
            for k in range(3):
                away = xx - 118 - 22 * k - 5 * (frame - 9) - 6 * np.sin(yy / 45 + k)
                cover = np.maximum(cover, np.exp(-(away**2) / 3))
        for name, picture in (("marked", inked), ("clean", wall)):
            seen = over(picture[10:290, 5 + frame : 305 + frame], cover, 0.02)
            grain = np.random.default_rng(frame).normal(0, 0.004, seen.shape)
            frames[name][frame] = SRGB.encode(np.clip(seen + grain, 0, 1).astype(np.float32), "uint16")
    return frames


def test_hair_goes_on_through_the_patch(shot):
    anchor = 2
    frames = {
        n: HoldFrame(np.array([[1, 0, anchor - n], [0, 1, 0], [0, 0, 1.0]]), np.full((18, 20), 0.1, np.float32), 0.1, 1.0, False)
        for n in range(18) if n != anchor
    }  # fmt: skip
    hold = Hold("planar", anchor, (300, 280), None, (0, 0), frames)
    codes = shot["marked"]
    turn = np.linspace(0, 2 * np.pi, 25)[:-1]
    edge = Edge.of(np.column_stack([170 - 7 + 36 * np.cos(turn), 160 - 10 + 36 * np.sin(turn)]), 2.0, 8.0)
    plate = make_plate(codes[anchor], hold, anchor, [], shot["clean"][anchor])
    plan = Plan(edge)
    evidence = gather(codes.__getitem__, hold, edge, SRGB, plan, [(anchor, plate)])
    assert evidence.usual is not None
    assert evidence.usual.lines is not None
    fix = make_fix(hold, plan, [(anchor, plate)], evidence, None, codes.__getitem__, 1)
    blind = replace(fix, evidence=replace(evidence, usual=replace(evidence.usual, lines=None)))
    off = {"with": [], "without": []}
    for frame in (8, 9, 10):
        clean = cv2.GaussianBlur(shot["clean"][frame] / 65535, (0, 0), 1.0)
        y, x = np.mgrid[0:280, 0:300]
        inside = np.hypot(x - (165 - frame), y - 150) < 32
        for name, one in (("with", fix), ("without", blind)):
            made = cv2.GaussianBlur(lay(codes[frame], frame, one).codes / 65535, (0, 0), 1.0)
            off[name].append(float(np.abs(made - clean).mean(-1)[inside].mean()))
    assert max(off["with"]) < 0.5 * min(off["without"])
    # and nothing else is taken for hair
    for frame in (0, 4, 15):
        seen = look(codes[frame], frame, fix)
        assert seen is not None
        assert seen.covering is None


def test_what_is_drawn_as_not_in_front_is_taken_off_strands_too():
    one = unmix.Covering(np.full((4, 4), 0.8, np.float32), np.ones((4, 4), np.float32))
    half = np.zeros((4, 4), np.float32)
    half[:, :2] = 1
    left = unmix.without(one, [(half, True)])
    assert left.alpha[:, :2].max() == 0
    assert left.near[:, :2].max() == 0
    assert left.alpha[:, 2:].min() == pytest.approx(0.8)
    assert unmix.without(one, [(half, False)]).alpha.min() == pytest.approx(0.8)
