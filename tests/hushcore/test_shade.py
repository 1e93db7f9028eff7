"""Shade, and what lies beside a silhouette, are not what passes in front; a mark is thought to give no more light than is there;
and where nobody knows where the mark is, nothing takes the colour of what lies there instead."""

from dataclasses import replace

import numpy as np
import pytest

from hushcore.edge import front, unmix
from hushcore.edge.matte import Edge
from hushcore.hold.confidence import WORST
from hushcore.light.fields import Light
from hushcore.light.region import Pair, Region
from hushcore.patch.candidate import Candidate, _in_front
from hushcore.patch.lay import _left, lay
from hushcore.patch.passing import _slope_of_surface
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate
from tests.hushcore.test_front import ALL, AREA, FLAT, GAIN, SIDE, noisy, signs, surface, usual  # noqa: F401
from tests.hushcore.walls import SRGB, Wall, fix_of, held_truly, shift

X = np.arange(SIDE, dtype=np.float32)[None, :, None]


def test_a_shadow_that_comes_in_over_plain_texture_is_not_more_of_what_was_found(surface, usual):  # noqa: F811
    """What was found at the right is as dark as the shade beside it, and the shade lies on what plainly is the surface. It was
    once taken in, with a sticker in it, which was left standing."""
    shade = np.where(X > 52, np.float32(0.35), np.float32(1))
    now = noisy(surface * shade, 1)
    begun = np.zeros((SIDE, SIDE), bool)
    begun[:, 80:92] = True
    shown = signs(now, noisy(surface))
    taken = front.spread(begun, now, shown, usual)
    assert taken[:, 58:74].mean() < 0.05
    hidden = now.copy()
    hidden[:, 53:] = 0.35 * surface.mean()  # as dark, where no texture is seen
    assert front.spread(begun, noisy(hidden, 2), signs(noisy(hidden, 2), noisy(surface)), usual)[:, 58:74].mean() > 0.8


def test_a_hand_on_red_paint_is_no_highlight_though_it_is_brighter(usual):  # noqa: F811
    """Brighter than the paint on the whole, and darker in red: light adds in every channel. A hand was patched through."""
    paint, spot = noisy(np.broadcast_to(np.float32([0.35, 0.05, 0.05]), (SIDE, SIDE, 3)), 1), np.s_[30:66, 30:66]
    plain = replace(usual, alike=0 * usual.alike, rest=0 * usual.rest, tint=0 * usual.tint)
    hand, glint = paint.copy(), paint.copy()
    hand[spot] = noisy(np.broadcast_to(np.float32([0.2, 0.14, 0.1]), (36, 36, 3)), 2)
    glint[spot] += 0.1
    on_hand, on_glint = (signs(noisy(now, 3), paint) for now in (hand, glint))
    assert on_hand.level[34:62, 34:62].min() > front.APART_TEXTURED
    assert on_glint.brighter[34:62, 34:62].all()
    assert not on_hand.brighter[34:62, 34:62].any()
    assert front.found(on_hand, plain, None, 1.0)[34:62, 34:62].mean() > 0.9


def test_where_something_passes_on_many_frames_what_passes_is_not_plainly_the_surface(surface, usual):  # noqa: F811
    """Such a place usually looks like little; it is no sign of the surface when it does."""
    often = replace(usual, alike=np.full_like(usual.alike, 0.5), spread=np.full_like(usual.spread, 0.4))
    now = noisy(surface, 1)
    now[:, 53:] = noisy(np.full((SIDE, SIDE - 53, 3), 0.1, np.float32), 2)
    begun = np.zeros((SIDE, SIDE), bool)
    begun[:, 80:92] = True
    assert front.spread(begun, now, signs(now, noisy(surface)), often)[:, 58:74].mean() > 0.8


def test_a_mark_that_is_small_on_a_far_frame_still_looks_like_itself(surface, usual):  # noqa: F811
    """A surface that is far off takes few px, as one does that has turned away; where the rest of it is plainly seen, what the
    hold saw covered is expected to be so too."""
    now, hidden = noisy(surface, 1), np.zeros((SIDE, SIDE), np.float32)
    now[30:66, 40:60] = 0.2 * now[30:66, 40:60] + 0.8 * surface.mean()
    hidden[30:66, 40:60] = 1
    far = front.signs(now, noisy(surface), surface, FLAT, GAIN, ALL, 0.4 * AREA)
    assert front.found(far, usual, hidden, 1.0)[34:62, 44:56].mean() > 0.6
    assert front.found(far, usual, 0 * hidden, 1.0).mean() < 0.02


def test_the_light_of_a_ring_that_is_seen_on_one_side_goes_on_no_further(surface):  # noqa: F811
    """Its slope, carried on over a mark that turns away, once made a white line of it: a hundred times the light."""
    seen = np.zeros((SIDE, SIDE), np.float32)
    seen[:, :24] = 1
    region = Region((2 * SIDE, 2 * SIDE), 5 * seen, seen, seen, 9.0)
    lit = surface * np.exp(4 * X / SIDE)
    slope = Pair.of(noisy(lit, 3), noisy(surface, 5), region).slope
    assert np.abs(slope[:, 4:20] - 4 * X[:, 4:20] / SIDE).max() < 0.1
    assert slope.max() < 1.8  # 4 at the other side, if it went on


def test_the_light_of_a_ring_that_shows_mostly_what_is_behind_is_that_of_the_surface(surface):  # noqa: F811
    """Right of a silhouette lies something bright; where the surface is, it has not changed."""
    now = noisy(surface, 3)
    now[:, 24:] = 2.0 + 0.02 * np.random.default_rng(4).standard_normal((SIDE, SIDE - 24, 3))
    region = Region(
        (2 * SIDE, 2 * SIDE), 5 * ALL.astype(np.float32), ALL.astype(np.float32), ALL.astype(np.float32), 9.0
    )
    pair = Pair.of(now, noisy(surface, 5), region)
    assert np.abs(pair.slope[:, :20]).mean() > 0.3  # misled
    made = front.signs(pair.now, pair.then, pair.then, pair.slope, GAIN, ALL, AREA)
    slope = _slope_of_surface(pair, front.surely(made))
    assert slope is not None
    assert np.abs(slope[:, :20]).mean() < 0.05
    # a light that all of the ring shows is left alone
    lit = Pair.of(noisy(surface * np.exp(0.8 * (X / SIDE - 0.5)), 3), noisy(surface, 5), region)
    seen = front.signs(lit.now, lit.then, lit.then, lit.slope, GAIN, ALL, AREA)
    assert _slope_of_surface(lit, front.surely(seen)) is None


@pytest.mark.parametrize("shade", [0.3, 0.6, 1.0])
def test_no_more_of_a_mark_is_taken_off_than_there_is(shade):
    """A yellow sticker in shade, thought to lie in full light beside something in front: what was left of it was blue."""
    ground, sticker = np.float32([0.3, 0.28, 0.26]), np.float32([0.6, 0.55, 0.15])
    rough = 1 + 0.05 * np.random.default_rng(2).standard_normal((60, 60, 1)).astype(np.float32)
    patch, mark = ground * rough, sticker * rough
    current = shade * mark
    covering = unmix.Covering(np.zeros((60, 60), np.float32), np.ones((60, 60), np.float32))
    made = _in_front(covering, Candidate(None, patch, None, 0.0, {}), mark, current)
    laid = current + made.cover[..., None] * (made.scale * current + made.added - current)
    np.testing.assert_allclose(laid.mean((0, 1)), shade * ground, rtol=0.15)


def test_beside_something_in_front_all_of_a_mark_that_is_seen_is_taken_off():
    """What is in front gives light too: then the bound says nothing."""
    alpha = np.clip((np.arange(60) - 20) / 20, 0, 1)[None].repeat(60, 0).astype(np.float32)
    thing, mark, patch = (np.full((60, 60, 3), level, np.float32) for level in (0.25, 0.5, 0.3))
    share = (1 - alpha)[..., None]
    current = alpha[..., None] * thing + share * mark
    made = _in_front(unmix.Covering(alpha, np.ones_like(alpha)), Candidate(None, patch, None, 0.0, {}), mark, current)
    laid = current + made.cover[..., None] * (made.scale * current + made.added - current)
    np.testing.assert_allclose(laid, alpha[..., None] * thing + share * patch, atol=0.01)


def test_beside_something_in_front_a_bright_mark_leaves_no_specks(texture):
    """A bright mark's grain is strong, and its edge behind something may be read wrong: what is taken off then leaves less than
    nothing in some channel, which a log curve shows as specks of colour. No more is taken than all of the frame being mark."""
    grain = 1 + 0.1 * np.random.default_rng(3).standard_normal((60, 60, 3)).astype(np.float32)
    mark, patch = (np.full((60, 60, 3), level, np.float32) for level in (6.0, 2.0))
    frame = mark * grain
    frame[:, 30:] *= 0.1  # something dark, thought to begin further right
    seen = unmix.Covering(np.zeros((60, 60), np.float32), np.ones((60, 60), np.float32))
    made = _in_front(seen, Candidate(None, patch, None, 0.0, {}), mark, frame)
    mixed = frame + made.cover[..., None] * (made.scale * frame + made.added - frame)
    laid = _left(mixed, frame, made.least)
    assert mixed.min() < 0
    assert (laid > 0.25 * frame).all()
    assert laid[:, :24].std() / laid[:, :24].mean() == pytest.approx(0.1, rel=0.1)  # 0.3 as it was


def test_a_light_takes_another_s_colour_and_stays_as_bright():
    own, other = (
        Light(np.broadcast_to(np.float32(gain), (4, 4, 3)).copy()) for gain in ([0.9, 0.3, 0], [0.1, 0, -0.1])
    )
    np.testing.assert_allclose(own.coloured_as(other).gain[0, 0], [0.5, 0.4, 0.3], atol=1e-6)


def test_where_the_mark_is_lost_the_patch_does_not_take_the_colour_of_what_lies_there(texture):
    """A red mark rides a wall; on one frame nobody knows where it is, and something green lies where the hold says. The patch was
    lit as if that were the mark: far greener than anything there."""
    box, mark = np.array([[150, 100], [210, 100], [210, 150], [150, 150]], float), np.float32([0.5, 0.06, 0.06])

    class Marked(Wall):
        def linear(self, frame: int) -> np.ndarray:
            made, (dx, dy) = self.truth(frame), shift(frame).astype(int)
            colour = np.float32([0.1, 0.3, 0.1]) if frame == LOST else mark
            made[104 + dy : 146 + dy, 154 + dx : 206 + dx] = colour
            return made

    wall, hold = Marked(texture), held_truly()
    row = hold.frames[LOST]
    hold.frames[LOST] = replace(row, lost=True, drift=np.full_like(row.drift, WORST), drift_rms=WORST, seen=0.0)
    anchor = SRGB.encode(SRGB.from_tonal(SRGB.tonal_of(wall.truth(hold.anchor))), np.uint16)
    plates = [(hold.anchor, make_plate(wall.read(hold.anchor), hold, hold.anchor, [], anchor, SRGB))]
    fix = fix_of(wall, hold, Plan(Edge.of(box, 0, 4), Match(grain="off")), plates=plates)

    def greener(frame: int) -> float:
        """Green over red in the middle of the patch, against that of the wall there."""
        dx, dy = shift(frame).astype(int)
        spot = np.s_[110 + dy : 140 + dy, 160 + dx : 200 + dx]
        made, clean = SRGB.decode(lay(wall.read(frame), frame, fix).codes)[spot], wall.truth(frame)[spot]
        return float((made[..., 1].mean() / made[..., 0].mean()) / (clean[..., 1].mean() / clean[..., 0].mean()))

    assert greener(LOST - 1) == pytest.approx(1, abs=0.05)
    assert greener(LOST) == pytest.approx(1, abs=0.15)  # 5.9 in the light read there


@pytest.mark.parametrize("light", [1.0, 3.0])
def test_where_the_mark_is_lost_nothing_is_laid_on_what_is_far_brighter_than_it_was(texture, light):
    """A dark mark goes behind an edge; what lies there is bright. A patch lit as brightly stood on it. A light that all of the
    frame is in is another thing: then the patch is laid."""
    box = np.array([[150, 100], [210, 100], [210, 150], [150, 150]], float)

    class Turned(Wall):
        def linear(self, frame: int) -> np.ndarray:
            made, (dx, dy) = self.truth(frame) * np.float32(0.25), shift(frame).astype(int)
            if frame == LOST:
                made *= np.float32(light)
                made[80 + dy : 170 + dy, 185 + dx : 245 + dx] = 0.9  # from the middle of the mark on
            made[104 + dy : 146 + dy, 154 + dx : (185 if frame == LOST else 206) + dx] *= 0.5
            return made

    wall, hold = Turned(texture), held_truly()
    row = hold.frames[LOST]
    hold.frames[LOST] = replace(row, lost=True, drift=np.full_like(row.drift, WORST), drift_rms=WORST, seen=0.0)
    anchor = SRGB.encode(SRGB.from_tonal(SRGB.tonal_of(0.25 * wall.truth(hold.anchor))), np.uint16)
    plates = [(hold.anchor, make_plate(wall.read(hold.anchor), hold, hold.anchor, [], anchor, SRGB))]
    fix = fix_of(wall, hold, Plan(Edge.of(box, 0, 4), Match(grain="off")), plates=plates)
    laid, source = SRGB.decode(lay(wall.read(LOST), LOST, fix).codes), SRGB.decode(wall.read(LOST))
    dx, dy = shift(LOST).astype(int)
    behind, marked = np.s_[110 + dy : 140 + dy, 192 + dx : 204 + dx], np.s_[110 + dy : 140 + dy, 160 + dx : 178 + dx]
    assert np.abs(laid - source)[behind].max() < 0.02
    assert laid[marked].mean() > 1.5 * source[marked].mean()


LOST = 12
