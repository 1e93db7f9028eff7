"""Choosing by what it does: the light that explains a shot, highlights that stand, and where the patch is laid at all."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.edge.matte import Edge
from hushcore.grain.model import Grain, white
from hushcore.hold.record import Hold, HoldFrame
from hushcore.light.fields import Light
from hushcore.patch import change, choose, explain
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Choice, Evidence, Match, Plan, Tried
from hushcore.plates.plate import make_plate

LINEAR = Encoding("linear")
SIDE, COUNT = 180, 11
MARK = np.array([[70, 70], [110, 70], [110, 110], [70, 110]], float)


def tried(light: str, multiplies: float, mark: float, leak: float = 0.0) -> Tried:
    return Tried(light, multiplies, mark, mark, leak)


def test_the_evidence_stays_unless_a_rival_is_a_quarter_better():
    own = tried("auto", 1.0, 1.0)
    assert choose.best_of([own, tried("auto", 0.0, 0.8)], 10) is own
    better = tried("auto", 0.0, 0.7)
    assert choose.best_of([own, better], 10) is better


def test_light_that_carries_the_mark_gives_way_however_well_it_explains():
    leaking = tried("auto", 0.0, 0.3, leak=0.2)
    clean, rim = tried("auto", 1.0, 0.9, leak=0.01), tried("rim", 1.0, 0.8)
    assert choose.best_of([leaking, clean, rim], 10) is clean
    assert choose.best_of([clean, leaking, rim], 10).multiplies == 1.0
    # when every way of looking under the mark reads it, nothing looks there
    assert choose.best_of([leaking, tried("auto", 1.0, 0.4, leak=0.3), rim], 10) is rim


def test_a_leak_is_weighed_by_what_it_leaves_of_the_mark():
    """A shadow's edge over a faint mole: a seventh of the mole is less than what light from round about is off by."""
    own, rim = tried("auto", 1.0, 0.47, leak=0.14), tried("rim", 1.0, 2.3)
    assert choose.best_of([own, rim], 4) is own
    assert choose.best_of([own, rim], 20) is rim
    clean = tried("auto", 0.5, 4.0, leak=0.02)
    assert choose.best_of([own, clean, rim], 4) is own
    assert choose.best_of([own, clean, rim], 40) is clean


def test_light_that_is_said_to_add_must_explain_better_than_light_that_multiplies():
    """Contrast that a change of scale took off reads as light that adds."""
    adds, multiplies = tried("auto", 0.0, 0.77), tried("auto", 1.0, 0.65)
    assert choose.best_of([adds, multiplies], 10) is multiplies
    assert choose.best_of([adds, tried("auto", 1.0, 0.85)], 10) is adds
    assert choose.best_of([adds, alike := tried("auto", 1.0, 0.79)], 10) is alike  # and clearly so
    assert choose.best_of([adds, tried("auto", 1.0, 0.65, leak=0.2)], 10) is adds


def test_a_highlight_stays_only_when_ring_mark_and_colour_all_say_so():
    plain, lit = explain.Figures(4.0, 4.65, 0), explain.Figures(4.2, 1.99, 0)  # the glazed jug's own figures
    neutral = np.array([1.0, 1.0, 0.98], np.float32)
    assert choose.stays(plain, lit, neutral)
    assert not choose.stays(plain, replace(lit, ring=2.9), neutral)
    assert not choose.stays(plain, replace(lit, mark=5.4), neutral)
    assert not choose.stays(plain, lit, np.array([1.36, 1.02, 0.62], np.float32))  # as canvas under folds
    assert not choose.stays(None, lit, neutral)


def test_a_leak_is_the_share_of_the_retouch_in_the_light():
    rng = np.random.default_rng(2)
    clean = np.full((SIDE, SIDE, 3), 0.4, np.float32)
    ratio = cv2.GaussianBlur(rng.normal(0, 1, (SIDE, SIDE)).astype(np.float32), (0, 0), 2.0)[..., None]
    then = clean * np.exp(0.5 * ratio / ratio.std() * 0.3)
    for share in (0.0, 0.25):
        field = np.log(then / clean) * share  # the mark's own shading, in the light
        found = explain.leak(Light(np.asarray(field, np.float32)), clean, then)
        assert found == pytest.approx(share, abs=0.1)


def test_a_choice_is_said_with_its_figures_and_the_runner_up():
    choice = Choice("auto", 1.0, False, (tried("auto", 1.0, 0.9), tried("auto", 0.0, 1.2, leak=0.2)))
    assert choose.words(choice) == (
        "Light from under the mark: explains the mark to 0.9, added light to 1.2 and would carry the mark."
    )
    leaks = Choice("auto", 1.0, False, (tried("auto", 1.0, 0.47, leak=0.14), tried("rim", 1.0, 2.3)))
    assert choose.words(leaks) == (
        "Light from under the mark: explains the mark to 0.5 and carries 14 % of it, light from the rim to 2.3."
    )
    assert Choice.of(choice.plain()) == choice
    assert Evidence.of(Evidence(choice=choice).plain()).choice == choice


def still_hold() -> Hold:
    frames = {
        n: HoldFrame(np.eye(3), np.full((12, 12), 0.1, np.float32), 0.1, 1.0, False) for n in range(COUNT) if n != 5
    }
    return Hold("planar", 5, (SIDE, SIDE), None, (0, 0), frames)


def folded(texture, frame: int, marked: bool) -> np.ndarray:
    """Warm cloth under folds of light that travel, as the false highlights were found in."""
    surface = (0.18 + 0.25 * texture[:SIDE, :SIDE, None]) * np.float32([1.2, 1.0, 0.6])
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    if marked:
        surface = np.where(((abs(x - 90) < 20) & (abs(y - 90) < 20))[..., None], 0.35 * surface, surface)
    light = 1 + 0.35 * np.sin(x / 17 + y / 31 - 0.6 * frame) + 0.1 * frame / COUNT
    grain = np.random.default_rng(frame + 100 * marked).normal(0, 0.004, surface.shape)
    return np.clip(surface * light[..., None] + grain, 0, 4).astype(np.float32)


def test_folds_of_light_are_not_taken_for_a_highlight_that_stands(texture):
    hold = still_hold()
    moving = {
        n: replace(f, params=np.array([[1, 0, 3.0 * (n - 5)], [0, 1, 0], [0, 0, 1]])) for n, f in hold.frames.items()
    }
    hold.frames.update(moving)

    def read(n: int) -> np.ndarray:
        return np.roll(folded(texture, n, True), 3 * (n - 5), 1)

    said = gather(read, hold, Edge.of(MARK), LINEAR)
    assert said.standing is None
    assert said.choice is not None
    assert said.choice.light == "auto"


def test_the_patch_is_laid_where_the_retouch_changes_something(texture):
    """However large the edge is drawn: growth 3 and 40 px give the same frame, and a retouch of one corner leaves the rest."""
    hold = still_hold()
    codes, clean = folded(texture, 2, True), folded(texture, 5, False)
    painted = folded(texture, 5, True)
    painted[66:114, 66:114] = clean[66:114, 66:114]
    laid = []
    for growth in (3.0, 40.0):
        plate = make_plate(folded(texture, 5, True), hold, 5, [], painted, LINEAR)
        plan = Plan(Edge.of(MARK, growth), Match(grain="off"))
        laid.append(lay(codes, 2, make_fix(hold, plan, [(5, plate)], Evidence())).codes)
    assert np.abs(laid[0] - laid[1])[70:110, 70:110].mean() < 0.02
    assert not (laid[1] != codes)[:45].any()
    assert not (laid[1] != codes)[:, :45].any()
    whole = Plan(Edge.of(MARK, 40.0), Match(grain="off"), whole=True)
    everywhere = lay(codes, 2, make_fix(hold, whole, [(5, plate)], Evidence())).codes
    assert (everywhere != codes)[38:42, 80:100].mean() > 0.9


def test_changes_are_seen_from_a_hair_s_width_to_a_shade_and_grain_is_none():
    rng = np.random.default_rng(4)
    grain = Grain(np.array([0.2, 0.8]), np.full((2, 3), 0.01), white())
    base = np.full((SIDE, SIDE, 3), 0.5, np.float32)
    noisy = [base + rng.normal(0, 0.01, base.shape).astype(np.float32) for _ in range(2)]
    linear = [SRGB.from_tonal(side) for side in noisy]
    assert change.changed(linear[0], linear[1], grain, SRGB).mean() < 0.002
    assert change.away(change.changed(linear[1], linear[1], grain, SRGB)) is None
    hair, shade = noisy[0].copy(), noisy[0].copy()
    hair[90, 40:140] += 0.12
    shade[60:120, 60:120] -= 0.02
    found = change.changed(SRGB.from_tonal(hair), linear[1], grain, SRGB)
    assert found[90, 45:135].mean() > 0.9
    assert change.changed(SRGB.from_tonal(shade), linear[1], grain, SRGB)[70:110, 70:110].mean() > 0.5


def test_a_mark_that_stands_still_works_on_its_part_of_the_surface_alone():
    frames = {
        n: HoldFrame(
            np.array([[1, 0, 40.0 * n], [0, 1, 0], [0, 0, 1]]), np.full((4, 60), 0.1, np.float32), 0.1, 1.0, False
        )
        for n in range(1, 12)
    }
    hold = Hold("planar", 0, (900, 120), None, (0, 0), frames)
    codes = np.random.default_rng(1).random((120, 900, 3), np.float32)
    edge = Edge.of(np.array([[400, 40], [440, 40], [440, 80], [400, 80]], float))
    plate = make_plate(codes, hold, 0, [], codes, LINEAR)
    fix = make_fix(hold, Plan(edge, Match(grain="off"), stands=True), [(0, plate)])
    laid = lay(codes, 6, fix)
    assert fix.rect.width > 500
    assert laid.seen is not None
    assert laid.seen.current.shape[1] < 200
    assert laid.rect == Rect(*edge.rect().clipped(900, 120).corners[[0, 2]].astype(int).ravel())


def test_what_stands_in_the_frame_is_laid_over_its_lines_alone(texture):
    """Two bars in a finished film, 30 px apart, and something that passes between them: it stays as it is, the bars go."""
    side, count = 200, 7
    surface = (0.2 + 0.3 * cv2.GaussianBlur(texture, (0, 0), 1.2)[:320, :320, None] * np.ones(3)).astype(np.float32)
    frames = {
        n: HoldFrame(np.array([[1, 0, -4.0 * n], [0, 1, 0], [0, 0, 1]]), np.full((4, 4), 0.1, np.float32), 0.1, 1.0, False)
        for n in range(1, count)
    }  # fmt: skip
    hold = Hold("planar", 0, (side, side), None, (0, 0), frames)
    bars = np.zeros((side, side), bool)
    bars[70:130, 80:86] = bars[70:130, 116:122] = True
    clean = [surface[:side, 4 * n : 4 * n + side].copy() for n in range(count)]
    clean[5][92:108, 94:108] = [0.5, 0.1, 0.1]
    shown = [np.where(bars[..., None], 0.8, one).astype(np.float32) for one in clean]
    edge = Edge.of(np.array([[76, 66], [126, 66], [126, 134], [76, 134]], float))
    plate = make_plate(shown[0], hold, 0, [], clean[0], LINEAR)
    plan = Plan(edge, Match("slope", grain="off"), stands=True)
    made = [
        lay(shown[n], n, make_fix(hold, one, [(0, plate)])).codes
        for n in (3, 5)
        for one in (plan, replace(plan, whole=True))
    ]
    assert np.abs(made[0][bars] - clean[3][bars]).mean() < 0.02 < np.abs(shown[3][bars] - clean[3][bars]).mean()
    between = np.s_[92:108, 94:108]
    assert (made[2][between] == shown[5][between]).all()
    assert not (made[3][between] == shown[5][between]).all()  # all of the edge would have taken it away
