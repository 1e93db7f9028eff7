"""What passes in front: found, and its edge unmixed from the surface with the mark on it."""

import cv2
import numpy as np
import pytest

from hushcore.edge import front, unmix
from hushcore.edge.signs import Signs, Usual
from hushcore.patch.candidate import Candidate, _in_front


@pytest.fixture(scope="module")
def passing():
    """Brick with a mark, lit, and something dark and soft-edged before it: the frame, the surface, the true alpha."""
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:240, 0:240].astype(np.float32)
    surface = (0.3 + 0.25 * cv2.GaussianBlur(rng.random((240, 240, 3)).astype(np.float32), (0, 0), 1.5)).astype(
        np.float32
    )
    surface *= np.where(np.hypot(x - 120, y - 120) < 40, 0.4, 1.0)[..., None]
    alpha = np.clip((150 - x) / 12 + 0.5, 0, 1)[..., None]
    thing = np.float32([0.05, 0.07, 0.15])
    return (alpha * thing + (1 - alpha) * surface).astype(np.float32), surface, alpha[..., 0]


def signs(now, then):
    """As a frame of little grain shows them, in even light."""
    whole = np.ones(now.shape[:2], np.float32)
    return front.signs(now, then, then, np.zeros_like(now), np.full(3, 1e-5), whole > 0, whole)


def test_what_passes_in_front_is_found_and_its_edge_unmixed(passing):
    frame, surface, alpha = passing
    hidden = cv2.resize((alpha > 0.5).astype(np.float32), (120, 120))
    half = [cv2.resize(side, (120, 120), interpolation=cv2.INTER_AREA) for side in (frame, surface)]
    found = front.found(signs(*half), None, hidden, 1.0)
    assert found[60, 20]
    assert not found[60, 110]
    mask = cv2.resize(found.astype(np.uint8), (240, 240), interpolation=cv2.INTER_NEAREST) > 0
    covering = unmix.unmixed(mask, frame, surface)
    assert np.abs(covering.alpha - alpha)[60:180].mean() < 0.03
    # the mark taken off what is not covered leaves no sliver of it
    clean = surface / np.where(np.hypot(*(np.mgrid[0:240, 0:240] - 120)) < 40, 0.4, 1.0)[..., None]
    made = frame + (1 - covering.alpha[..., None]) * (clean - surface)
    wanted = alpha[..., None] * np.float32([0.05, 0.07, 0.15]) + (1 - alpha[..., None]) * clean
    assert np.abs(made - wanted)[80:160].mean() < 0.01


def test_a_highlight_is_not_taken_for_something_in_front_nor_an_unseen_thing(passing):
    frame, surface, _ = passing
    y, x = np.mgrid[0:120, 0:120]
    half = cv2.resize(surface, (120, 120), interpolation=cv2.INTER_AREA)
    bright = half + 0.6 * np.exp(-(((x - 60) ** 2 + (y - 60) ** 2) / 300.0))[..., None].astype(np.float32)
    everywhere = np.ones((120, 120), np.float32)
    assert not front.found(signs(bright, half), None, everywhere, 1.0).any()
    dark = cv2.resize(frame, (120, 120), interpolation=cv2.INTER_AREA)
    assert not front.found(signs(dark, half), None, 0 * everywhere, 1.0).any()  # the hold saw all of its ground


def test_drawn_shapes_add_to_what_is_found_and_take_away():
    found = np.zeros((20, 20), bool)
    found[:, :10] = True
    added, taken = np.zeros((20, 20), np.float32), np.zeros((20, 20), np.float32)
    added[:, 8:14], taken[:5] = 1, 1
    made = front.corrected(found, [(added, False), (taken, True)])
    assert made[10, 12]
    assert not made[2, 2]
    assert unmix.unmixed(np.zeros((20, 20), bool), np.zeros((20, 20, 3)), np.zeros((20, 20, 3))) is None


@pytest.mark.parametrize("width", [3, 12, 26])
def test_no_sliver_is_left_of_a_speckled_mark_behind_a_shaded_thing(width):
    """The mark is about as dark as what passes, grain is on all, and the thing is lighter on one side: where its colour
    does not tell, how far it is in front comes from round about."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:240, 0:240].astype(np.float32)
    wall = 0.3 + 0.05 * cv2.GaussianBlur(rng.standard_normal((240, 240, 1)).astype(np.float32), (0, 0), 4)[..., None]
    clean = (wall * np.float32([1, 1, 0.95])).astype(np.float32)
    speckle = cv2.GaussianBlur(rng.standard_normal((240, 240)).astype(np.float32), (0, 0), 1.5) > 0.1
    ink = ((np.hypot(x - 120, y - 120) < 60) & speckle)[..., None]
    surface = np.where(ink, clean * np.float32([0.25, 0.3, 0.5]), clean).astype(np.float32)
    alpha = np.clip((130 - x) / width + 0.5, 0, 1)[..., None].astype(np.float32)
    thing = np.float32([0.05, 0.06, 0.12]) * (1 + 0.5 * x / 130)[..., None]
    grain = 0.004 * rng.standard_normal((240, 240, 3)).astype(np.float32)
    frame = alpha * thing + (1 - alpha) * surface + grain
    mask = cv2.dilate((alpha[..., 0] > 0.4).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    covering = unmix.unmixed(mask, frame, surface)
    inner = np.abs(covering.alpha - alpha[..., 0])[30:210]
    assert inner.mean() < 0.02
    made = frame + (1 - covering.alpha[..., None]) * (clean - surface)
    wanted = alpha * thing + (1 - alpha) * clean
    off = np.abs(cv2.GaussianBlur(made - wanted, (0, 0), 1))[60:180].max(-1)
    assert np.percentile(off, 99) < 0.025
    assert off.max() < 0.09


def test_the_middle_of_a_small_drawn_shape_is_in_front_whatever_is_seen():
    """Drawn over what looks like the surface itself: nothing tells, and the artist's word counts."""
    surface = (0.2 + 0.1 * np.random.default_rng(5).random((120, 120, 3))).astype(np.float32)
    mask = np.zeros((120, 120), bool)
    mask[42:78, 42:78] = True
    covering = unmix.unmixed(mask, surface, surface)
    assert covering.alpha[56:64, 56:64].min() > 0.97
    assert covering.alpha[:12].max() < 0.01


def post(light: np.ndarray, middle: float = 96.0) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """A grey post before a yellow sticker on a blue-green wall that lies in some ``light`` (240, 240): frame, wall and sticker
    in plain light, how far the post is in front, the wall without a sticker."""
    rng = np.random.default_rng(9)
    y, x = np.mgrid[0:240, 0:240].astype(np.float32)
    wall = 1 + 0.06 * cv2.GaussianBlur(rng.standard_normal((240, 240)).astype(np.float32), (0, 0), 2.0)[..., None] * 4
    clean = (wall * np.float32([0.13, 0.27, 0.3])).astype(np.float32)
    bars = np.where((x // 5) % 2 == 0, 1.0, 0.7)[..., None]
    on = ((np.abs(x - 120) < 50) & (np.abs(y - 120) < 34))[..., None]
    then = np.where(on, bars * np.float32([0.5, 0.53, 0.26]), clean).astype(np.float32)
    alpha = np.clip((9 - np.abs(x - middle)) / 4 + 0.5, 0, 1)[..., None].astype(np.float32)
    grain = 0.002 * rng.standard_normal((240, 240, 3)).astype(np.float32)
    frame = alpha * np.float32([0.07, 0.075, 0.068]) + (1 - alpha) * then * light[..., None] + grain
    return frame.astype(np.float32), then, alpha[..., 0], clean


def test_shade_beside_what_passes_is_not_taken_for_more_of_it():
    """A fold's shade lies next to a post: with the light read up to it nothing of the shade is post, without it hardly any."""
    x = np.arange(240, dtype=np.float32)
    shade = np.tile(1 - 0.4 * np.exp(-(((x - 130) / 22) ** 2)), (240, 1)).astype(np.float32)
    frame, then, alpha, _ = post(shade)
    beside = (np.abs(x - 130) < 16)[None] & (np.abs(np.arange(240) - 120) < 90)[:, None]
    unread = unmix.unmixed(alpha > 0.5, frame, then)
    assert unread.alpha[beside].mean() < 0.15
    read = unmix.unmixed(alpha > 0.5, frame, then * shade[..., None], unmix.LIGHT_READ)
    assert read.alpha[beside].mean() < 0.005
    assert read.alpha[alpha == 1].mean() > 0.95


def test_the_difference_of_patch_and_mark_is_laid_only_where_something_is_in_front():
    frame, then, alpha, _ = post(np.ones((240, 240), np.float32))
    covering = unmix.unmixed(alpha > 0.5, frame, then)
    away = cv2.distanceTransform((alpha <= 0).astype(np.uint8), cv2.DIST_L2, 5)
    assert covering.near[(alpha > 0.05) & (alpha < 0.95)].min() > 0.9
    assert covering.near[away > 16].max() < 0.05


def test_a_post_found_above_and_below_a_mark_is_one_before_it_too():
    """The mark's own detail beside it makes places look like the surface."""
    frame, then, alpha, _ = post(np.ones((240, 240), np.float32))
    half = [cv2.resize(side, (120, 120), interpolation=cv2.INTER_AREA) for side in (frame, then)]
    shown = signs(*half)
    whole = cv2.resize(alpha, (120, 120)) > 0.5
    some = whole.copy()
    some[34:86] = False
    spread = front.spread(some, half[0], shown, None)
    middle = cv2.erode(whole.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    assert spread[middle].mean() > 0.95
    assert (spread & ~(cv2.dilate(whole.astype(np.uint8), np.ones((5, 5))) > 0)).sum() == 0
    assert not front.spread(np.zeros_like(some), half[0], shown, None).any()


def test_a_mark_held_a_little_off_in_its_middle_is_not_something_in_front_and_a_thing_there_is():
    """Bars that lie half a step beside themselves look unlike; they are as bright as they should be on the whole."""
    _, then, _, clean = post(np.ones((240, 240), np.float32))
    middle = ((np.abs(np.arange(240) - 120) < 20)[None] & (np.abs(np.arange(240) - 120) < 18)[:, None])[..., None]
    off = np.where(middle, np.roll(then, 5, axis=1), then)
    thing = np.where(middle, np.float32([0.07, 0.075, 0.068]), then)
    whole = np.ones((120, 120), np.float32)

    def shown(frame: np.ndarray, seed: int) -> Signs:
        grain = 0.002 * np.random.default_rng(seed).standard_normal(frame.shape)
        now, was, bare = (
            cv2.resize(side.astype(np.float32), (120, 120), interpolation=cv2.INTER_AREA)
            for side in (frame + grain, then, clean)
        )
        return front.signs(now, was, bare, np.zeros_like(now), np.full(3, 1e-5), whole > 0, whole)

    usual = Usual.of_frames(0, 0, [shown(then, seed) for seed in range(6)])
    assert not front.found(shown(off, 7), usual, None, 1.0).any()
    assert front.found(shown(thing, 8), usual, None, 1.0)[60, 60]


def test_near_what_passes_a_mark_that_is_smeared_or_lies_otherwise_is_covered_and_not_taken_off():
    """The patch less the mark is laid where something is in front, as far as the mark is known: its lines would show twice."""
    frame, then, alpha, clean = post(np.ones((240, 240), np.float32))
    beside = (alpha == 0) & (cv2.distanceTransform((alpha <= 0).astype(np.uint8), cv2.DIST_L2, 5) < 8)
    beside &= (np.abs(np.arange(240) - 120) < 30)[:, None] & (np.abs(np.arange(240) - 120) < 46)[None]

    def left(behind: np.ndarray) -> float:
        """Mean share of the mark's bars that shows beside the post."""
        made = unmix.unmixed(alpha > 0.5, frame, behind)
        near, cover = made.near[..., None], 1 - made.alpha[..., None]
        laid = near * (frame + cover * (clean - behind)) + (1 - near) * (frame + cover * (clean - frame))
        return float(np.abs(laid - clean)[beside].mean() / np.abs(then - clean)[beside].mean())

    assert left(then) < 0.1
    assert left(np.roll(then, 2, axis=1)) < 0.15  # .29 when the difference was laid wherever an edge was near
    assert left(cv2.blur(then, (9, 1))) < 0.15


def test_beside_what_passes_a_mark_that_may_lie_otherwise_is_covered():
    """Bars of ink that the hold misses by 2 px: their difference to the patch is laid on the edge itself alone."""
    x = np.mgrid[0:80, 0:160][1].astype(np.float32)
    bars, patch = (np.where(side > 0, 0.1, 0.5) for side in (np.sin(x / 3), -np.ones_like(x)))
    mark, seen, patch = (
        np.repeat(side[..., None], 3, 2).astype(np.float32) for side in (bars, np.roll(bars, 2, 1), patch)
    )
    alpha = np.clip((70 - x) / 12 + 0.5, 0, 1).astype(np.float32)
    current = alpha[..., None] * np.float32(0.25) + (1 - alpha[..., None]) * seen
    wanted = alpha[..., None] * np.float32(0.25) + (1 - alpha[..., None]) * patch
    off = {}
    for drift in (0.0, 3.0):
        covering = unmix.within_edge(unmix.Covering(alpha, np.ones_like(alpha)), drift)
        made = _in_front(covering, Candidate(None, patch, None, 0.0, {}), mark, current)
        result = current + made.cover[..., None] * (made.scale * current + made.added - current)
        off[drift] = np.abs(result - wanted)[:, 74:].mean()
    assert off[3.0] < 0.25 * off[0.0]
