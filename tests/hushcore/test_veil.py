"""A see-through mark that stands in the frame: every frame's own picture comes back from under it."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Evidence, Match, Plan
from hushcore.patch.unveiled import _completed, _fitted
from hushcore.patch.veil import PASSES_LEAST, Veil, fitted
from hushcore.plates.plate import Plate, make_plate
from tests.hushcore.walls import ANCHOR, COUNT, HEIGHT, WIDTH, Wall, X, Y, shift

SIDE, GRAIN, TONE = 140, 0.006, 0.93
RECT = Rect(0, 0, SIDE, SIDE)
NOISE = np.random.default_rng(8).standard_normal((SIDE, 4 * SIDE)).astype(np.float32)
WEAVE = cv2.GaussianBlur(NOISE, (0, 0), 3.0)


def lines() -> np.ndarray:
    """Where the mark lies (h, w): a ring and a bar, 12 px wide."""
    cover = np.zeros((SIDE, SIDE), np.float32)
    cv2.circle(cover, (70, 70), 45, 1.0, 12)
    cover[64:76, 30:110] = 1
    return cover


def surface(frame: int) -> np.ndarray:
    """What the plate says is under it, tonal (h, w, 3): a weave that moves, in light that changes."""
    part = WEAVE[:, 9 * frame : 9 * frame + SIDE] / WEAVE.std()
    grey = (0.45 + 0.05 * part) * (1 + 0.15 * np.sin(frame / 3))
    return np.repeat(grey[..., None], 3, 2).astype(np.float32)


def truth(frame: int) -> np.ndarray:
    """The surface; beyond an edge that comes in, stripes that no plate knows."""
    out = surface(frame)
    beyond = np.arange(SIDE) > SIDE - 6 * max(0, frame - 12)
    stripes = np.where((np.arange(SIDE) // 14) % 2 == 0, 0.15, 0.8)
    out[:, beyond] = stripes[beyond][None, :, None]
    return out


def under(frame: int, share: float) -> np.ndarray:
    """The frame: ``share`` of it is the mark where that lies."""
    cover = share * lines()[..., None]
    grain = np.random.default_rng(frame).normal(0, GRAIN, (SIDE, SIDE, 3))
    return (truth(frame) * (1 - cover) + TONE * cover + grain).astype(np.float32)


def found(share: float) -> Veil | None:
    frames = range(24)
    return fitted(RECT, lines(), [under(n, share) for n in frames], [surface(n) for n in frames])


def linear(tonal: np.ndarray) -> np.ndarray:
    return SRGB.from_tonal(tonal.astype(np.float32))


def miss(made: np.ndarray, frame: int, where: np.ndarray) -> float:
    off = cv2.GaussianBlur(SRGB.tonal_of(np.maximum(made, 0)) - truth(frame), (0, 0), 1.5)
    return float(np.abs(off)[where].mean())


@pytest.mark.parametrize("share", [0.35, 0.7])
def test_what_no_plate_knows_comes_back_from_under_it(share):
    veil = found(share)
    assert veil is not None
    assert veil.share == pytest.approx(1 - share, abs=0.05)
    beneath, made = linear(under(21, share)), linear(surface(21))
    beyond = (lines() > 0) & (np.arange(SIDE) > SIDE - 6 * 9)[None]
    after = veil.lifted(beneath, made, lines(), SRGB)
    assert miss(after, 21, beyond) < 0.2 * miss(made, 21, beyond)
    assert np.array_equal(after[lines() == 0], made[lines() == 0])


def test_a_picture_that_is_right_stays_to_the_last_bit_and_takes_up_no_grain():
    veil = found(0.7)
    made = linear(surface(5))
    assert np.array_equal(veil.lifted(linear(under(5, 0.7)), made, lines(), SRGB), made)


def test_nothing_comes_from_under_a_mark_that_lets_nothing_through():
    assert found(1.0) is None
    assert found(1 - PASSES_LEAST / 2) is None


def test_it_is_kept_with_the_evidence():
    veil = found(0.5)
    again = Evidence.of(Evidence(veil=veil).plain()).veil
    assert again.rect == RECT
    np.testing.assert_allclose(again.passes, veil.passes, atol=1e-3)
    np.testing.assert_allclose(again.tone, veil.tone, atol=1e-3)


# -- laid over the finished film, grain and all


def grained(frame: int) -> np.ndarray:
    """The finished film's own picture."""
    grain = np.random.default_rng(frame).normal(0, GRAIN, (SIDE, SIDE, 3))
    return np.maximum(truth(frame) + grain, 0).astype(np.float32)


def over(picture: np.ndarray, share: float, tone: float = TONE) -> np.ndarray:
    cover = share * lines()[..., None]
    return (picture * (1 - cover) + tone * cover).astype(np.float32)


@pytest.fixture(scope="module")
def finished() -> Veil:
    """Found from what is wrong on half of the frames, as where a surface is lost."""
    frames = range(24)
    pictures = [surface(n if n % 2 else n + 9) for n in frames]
    veil = fitted(RECT, lines(), [over(grained(n), 0.6) for n in frames], pictures)
    assert veil is not None
    return veil


def test_what_was_finished_before_comes_back_grain_and_all(finished):
    assert finished.rough == pytest.approx(1, abs=0.06)
    for frame in (5, 21):
        whole = finished.whole(linear(over(grained(frame), 0.6)), lines(), SRGB)
        off = np.abs(SRGB.tonal_of(whole) - grained(frame))
        assert off[lines() > 0].mean() < GRAIN
        assert np.percentile(off, 99) < 4 * GRAIN


def test_grain_that_lies_over_it_would_come_back_stronger():
    veil = found(0.6)
    assert veil.rough > 1.8
    assert veil.whole(linear(under(5, 0.6)), lines(), SRGB) is None


def test_where_it_does_not_lie_on_a_frame_nothing_is_taken_off(finished):
    """A station takes its overlay away for a while."""
    plain, made = linear(grained(5)), linear(surface(5))
    assert finished.whole(plain, lines(), SRGB) is None
    assert finished.lifted(plain, made, lines(), SRGB) is made


def test_it_may_lie_over_linear_light():
    frames = range(24)
    light = [linear(grained(n)) for n in frames]
    seen, under_it = [over(one, 0.6, 0.8) for one in light], [linear(surface(n)) for n in frames]
    veil = fitted(RECT, lines(), seen, under_it, linear=True)
    assert veil.rough == pytest.approx(1, abs=0.1)
    whole = veil.whole(seen[5], lines(), SRGB)
    assert np.abs(SRGB.tonal_of(whole) - grained(5))[lines() > 0].mean() < GRAIN / 2
    kept = Evidence.of(Evidence(veil=veil).plain()).veil
    assert (kept.linear, kept.rough) == (True, pytest.approx(veil.rough, abs=1e-3))
    bent = fitted(RECT, lines(), *([SRGB.tonal_of(one) for one in side] for side in (seen, under_it)))
    assert bent is None or bent.rough > veil.rough


# -- a whole shot

LOGO = np.array([[150, 90], [230, 90], [230, 150], [150, 150]], float)


class Overlaid(Wall):
    """The wall, with somebody who passes, under a see-through mark that stands in the frame."""

    def overlaid(self, linear: np.ndarray, frame: int) -> np.ndarray:
        inside = ((np.abs(X - 190) < 30) & (np.abs(Y - 120) < 20)).astype(np.float32)
        share = 0.65 * ndi.gaussian_filter(inside, 0.7)[..., None]
        return SRGB.tonal_of(linear) * (1 - share) + 0.9 * share

    def noise(self, frame: int) -> np.ndarray:
        return np.random.default_rng(frame).normal(0, 0.003, (HEIGHT, WIDTH, 3))

    def read(self, frame: int) -> np.ndarray:
        tonal = self.overlaid(self.linear(frame), frame) + self.noise(frame)
        return SRGB.encode(SRGB.from_tonal(tonal.astype(np.float32)), np.uint16)


PLAN = Plan(Edge.of(LOGO, 0, 4), Match(), stands=True)


def plates_of(wall: Wall, hold: Hold) -> list[tuple[int, Plate]]:
    """The anchor frame with the overlay taken off as it truly is."""
    codes = wall.read(ANCHOR)
    dx, dy = shift(ANCHOR)
    clean = SRGB.encode(wall.surface(X - dx, Y - dy).astype(np.float32), np.uint16)
    painted = codes.copy()
    painted[95:145, 155:225] = clean[95:145, 155:225]
    return [(ANCHOR, make_plate(codes, hold, ANCHOR, [], painted, SRGB))]


def test_a_surface_that_is_lost_or_said_to_have_left_the_picture_takes_nothing_from_what_shows_through(texture, held):
    wall = Overlaid(texture, somebody=True)
    lost = replace(held, frames=dict(held.frames))
    for n, row in held.frames.items():
        away = np.array(row.params)
        away[0, 2] += 4000 * (n > 9)
        lost.frames[n] = replace(row, params=away, lost=n > 3)
    plates = plates_of(wall, lost)
    evidence = gather(wall.read, lost, PLAN.edge, SRGB, PLAN, plates)
    assert evidence.veil is not None
    assert evidence.veil.share == pytest.approx(0.35, abs=0.08)
    fix = make_fix(lost, PLAN, plates, evidence, None, wall.read, 0)
    laid = SRGB.tonal(lay(wall.read(12), 12, fix).codes)
    before, after = (np.abs(side - SRGB.tonal_of(wall.linear(12)))[105:136, 165:216].mean()
                     for side in (SRGB.tonal(wall.read(12)), laid))  # fmt: skip
    assert after < 0.25 * before


def test_who_passes_under_an_overlay_is_seen_where_it_was(texture, held):
    wall = Overlaid(texture, somebody=True)
    plan, plates = PLAN, plates_of(wall, held)
    evidence = gather(wall.read, held, plan.edge, SRGB, plan, plates)
    assert evidence.veil is not None
    assert evidence.veil.share == pytest.approx(0.35, abs=0.08)
    passing = next(n for n in range(COUNT) if abs(300 - 16 * n - 190) < 9)
    off = {}
    for how in ("auto", "off"):
        fix = make_fix(held, Plan(plan.edge, Match(veil=how), stands=True), plates, evidence, None, wall.read, 0)
        laid = SRGB.tonal(lay(wall.read(passing), passing, fix).codes)
        apart = cv2.GaussianBlur(np.abs(laid - SRGB.tonal_of(wall.linear(passing))), (0, 0), 1.5)
        off[how] = float(apart[105:136, 165:216].mean())
    assert off["auto"] < 0.6 * off["off"]
    # artwork is put there on purpose: nothing shows through it
    assert (
        gather(wall.read, held, plan.edge, SRGB, Plan(plan.edge, Match(), "insert", stands=True), plates).veil is None
    )


def test_a_part_of_the_mark_that_its_own_frame_did_not_show_is_found_on_the_others():
    """As bright as the surface there, the retouch changed nothing of it."""
    cover = lines()
    missing = np.zeros_like(cover, bool)
    missing[20:40, 65:75] = True  # of the ring's top
    cover[missing] = 0
    frames = range(24)
    seen = [linear(over(grained(n), 0.6)) for n in frames]
    veil = _fitted(RECT, cover, seen, [linear(surface(n)) for n in frames], SRGB)
    assert not veil.lines[missing].any()
    whole = _completed(veil, cover, seen, SRGB).lines
    mark = lines() > 0
    assert whole[missing & mark].mean() > 0.8
    assert not whole[missing & (ndi.distance_transform_edt(~mark) > 2)].any()
    assert np.array_equal(whole[~missing], veil.lines[~missing])
