"""A hold on a ground with too little to hold on to, and the wider ground that is tried then."""

from functools import cache

import numpy as np
import pytest
import scipy.ndimage as ndi
from skimage import data

from hushcore.hold.likeness import likenesses
from hushcore.hold.mark import Mark
from hushcore.hold.record import Hold, HoldFrame
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.hold.wider import MOST, better, clearest, poor, unsure
from hushcore.recipe.circle import GROUND_GROWTH, ground_of, wider_ground

SIZE, COUNT, ANCHOR = 420, 14, 4
MIDDLE, BARE = 210, 70  # px
TURNS = np.linspace(0, 2 * np.pi, 24, endpoint=False)
LOOP = MIDDLE + 16 * np.stack([np.cos(TURNS), np.sin(TURNS)], -1)


def of_drifts(drifts: list[float], lost: int = 0) -> Hold:
    cells = np.zeros((1, 1), np.float32)
    frames = {
        n: HoldFrame(np.eye(3), cells, drift, 1.0, n > len(drifts) - lost) for n, drift in enumerate(drifts, start=1)
    }  # fmt: skip
    return Hold("planar", 0, (10, 10), None, (0, 0), frames)


def test_a_hold_is_as_unsure_as_its_drift_and_a_lost_frame_is_anywhere():
    assert unsure(of_drifts([1, 3])) == 2
    assert unsure(of_drifts([500, 2])) == (MOST + 2) / 2
    assert unsure(of_drifts([0, 0], lost=1)) == MOST / 2
    assert unsure(of_drifts([])) == 0
    assert poor(of_drifts([4, 4]))
    assert not poor(of_drifts([1, 1]))


def test_the_wider_ground_is_the_loop_s_own_only_larger():
    own, wide = ground_of(LOOP, ANCHOR, SIZE, SIZE, False), wider_ground(LOOP, ANCHOR, SIZE, SIZE)
    reach = [np.ptp(np.array(one.read[0]), axis=0) for one in (own, wide)]
    assert reach[0] == pytest.approx([32 + 2 * GROUND_GROWTH] * 2, abs=4)
    assert (reach[1] > reach[0] + 150).all()
    assert wide.anchor == ANCHOR
    assert (wide.ignore, wide.passing, wide.stands) == ([], [], [])


def moved(frame: int, own: bool = True) -> np.ndarray:
    k = frame - ANCHOR
    return np.array([7.0 * k, 3 * np.sin(k)]) if own else np.array([-5.0 * k, 4.0 * k])


@cache
def shot(frame: int, one_surface: bool, tint: float = 0.0) -> np.ndarray:
    """A bare disc with a faint mark, in a surface of scikit-image's ``gravel`` (CC0) that moves with it, or past it. ``tint``:
    how much redder than the disc the mark is, and as bright in luma (ITU-R BT.709)."""
    texture = np.asarray(data.gravel(), np.float32) / 255
    y, x = np.mgrid[0:SIZE, 0:SIZE].astype(float)
    dx, dy = moved(frame)
    away = np.hypot(x - dx - MIDDLE, y - dy - MIDDLE)
    bx, by = moved(frame, own=one_surface)
    around = 0.2 + 0.6 * ndi.map_coordinates(texture, [y - by + 40, x - bx + 40], order=1, mode="reflect")
    bare = 0.5 - 0.02 * np.exp(-(away**2) / 60)
    grey = bare + (around - bare) * np.clip((away - BARE) / 8, 0, 1)
    grey = grey + np.random.default_rng(frame).normal(0, 0.02, grey.shape)
    u, v = x - dx - MIDDLE, y - dy - MIDDLE
    cross = (np.maximum(abs(u), abs(v)) < 12) & (np.minimum(abs(u), abs(v)) < 4)
    red = ndi.gaussian_filter(cross.astype(float), 0.8)[..., None] * tint * np.array([1, -0.2126 / 0.7152, 0])
    return np.round(np.clip(grey[..., None] + red, 0, 1) * 65535).astype(np.uint16)


def held(one_surface: bool, wide: bool, tint: float = 0.0) -> tuple[Hold, float]:
    """The hold that is taken, and the RMS error (px) in the loop."""
    own = ground_of(LOOP, ANCHOR, SIZE, SIZE, False).ground()
    mark = Mark(LOOP, wider_ground(LOOP, ANCHOR, SIZE, SIZE).ground()) if wide else None
    hold = None
    for _, hold in track(lambda n: shot(n, one_surface, tint), own, "mesh", ANCHOR, 0, COUNT - 1, mark):
        pass
    assert hold is not None
    miss = [hold.at(n).forward(LOOP) - LOOP - moved(n) for n in range(COUNT)]
    return hold, float(np.sqrt((np.concatenate(miss) ** 2).sum(-1).mean()))


def test_a_bare_place_is_held_by_what_lies_round_it():
    narrow, off = held(one_surface=True, wide=False)
    assert poor(narrow)
    assert off > 5
    taken, near = held(one_surface=True, wide=True)
    assert near < 0.8
    assert better(lambda n: shot(n, True), narrow, taken, LOOP)
    assert not better(lambda n: shot(n, True), taken, narrow, LOOP)


def test_what_moves_otherwise_round_about_is_not_taken_for_the_surface():
    """Nothing holds this one. What lies round about would be very sure, and wrong: the mark says so."""
    own, _ = held(one_surface=False, wide=False)
    around = wider_ground(LOOP, ANCHOR, SIZE, SIZE).ground()
    for _, other in track(lambda n: shot(n, False), around, "mesh", ANCHOR, 0, COUNT - 1):
        pass
    assert unsure(other) < unsure(own)
    taken, _ = held(one_surface=False, wide=True)
    assert taken.grid == own.grid


def test_a_mark_as_bright_as_its_ground_is_held_in_the_channel_that_shows_it():
    """What lies round about moves otherwise, and in luma there is nothing else to hold on to."""
    size = (SIZE, SIZE)
    assert clearest(shot(ANCHOR, False, 0.3), LOOP, size) == "r"
    assert clearest(shot(ANCHOR, False), LOOP, size) == "luma"
    assert clearest(shot(ANCHOR, False, 0.3), LOOP, size, "b") == "b"  # an artist's own choice
    taken, off = held(one_surface=False, wide=True, tint=0.3)
    assert off < 1.0
    assert not poor(taken)


def test_ink_on_red_paint_stands_out_in_red_where_white_reflections_are_strong():
    """In luma, green and blue the reflections round about vary more than the ink does; in red, where paint is bright, less."""
    y, x = np.mgrid[0:SIZE, 0:SIZE].astype(float)
    glare = np.clip(np.sin(x / 5) * np.sin(y / 7), 0, 1) ** 3
    paint = np.array([0.55, 0.12, 0.1]) + glare[..., None] * np.array([0.25, 0.6, 0.62])
    ink = (np.abs(np.hypot(x - MIDDLE, y - MIDDLE) - 10) < 3)[..., None] & (glare < 0.2)[..., None]
    codes = np.round(np.where(ink, np.minimum(paint, 0.3), paint) * 65535).astype(np.uint16)
    assert clearest(codes, LOOP, (SIZE, SIZE)) == "r"
    assert clearest(np.round(paint * 65535).astype(np.uint16), LOOP, (SIZE, SIZE)) == "luma"


def test_a_wider_ground_that_cannot_be_held_leaves_the_hold_as_it_is():
    bare = np.full((SIZE, SIZE, 3), 30000, np.uint16)
    own = ground_of(LOOP, ANCHOR, SIZE, SIZE, False).ground()
    nothing = Ground.of([[(2.0, 2.0), (40.0, 2.0), (40.0, 40.0), (2.0, 40.0)]])

    def read(n: int) -> np.ndarray:
        picture = shot(n, True).copy()
        picture[:60, :60] = bare[:60, :60]
        return picture

    for _, hold in track(read, own, "mesh", ANCHOR, 0, COUNT - 1, Mark(LOOP, nothing)):
        pass
    assert poor(hold)
    assert len(hold.frames) == COUNT - 1


def test_likeness_is_the_correlation_of_what_the_loop_holds():
    """1 under the right hold, about 0 under one that lies elsewhere, not a number where the loop has left the frame."""
    read = lambda n: textured(2.0 * n)  # noqa: E731
    right, wrong, gone = (
        Hold("planar", 0, (SIZE, SIZE), None, (0, 0), {1: one(x)}) for x in (2.0, 40.0, 4000.0)
    )  # fmt: skip
    found = likenesses(read, (right, wrong, gone), LOOP, 0, [1])
    assert found.shape == (3, 1)
    assert found[0, 0] > 0.95
    assert abs(found[1, 0]) < 0.5
    assert np.isnan(found[2, 0])


def textured(by: float) -> np.ndarray:
    texture = np.asarray(data.gravel(), np.float32) / 255
    y, x = np.mgrid[0:SIZE, 0:SIZE].astype(float)
    grey = ndi.map_coordinates(texture, [y + 20, x - by + 60], order=1, mode="reflect")
    return np.round(np.repeat(grey[..., None], 3, 2) * 65535).astype(np.uint16)


def one(x: float) -> HoldFrame:
    return HoldFrame(np.array([[1, 0, x], [0, 1, 0], [0, 0, 1.0]]), np.zeros((1, 1), np.float32), 0.0, 1.0, False)
