"""Holds where something passes, turns away or stands in the frame; and the surface that a hold chooses by trying."""

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi
from skimage import data

from hushcore.errors import HushError
from hushcore.hold import auto
from hushcore.hold.auto import Trial, chosen, plainest
from hushcore.hold.bridge import between, hidden_stretches
from hushcore.hold.mark import Mark
from hushcore.hold.method import Method
from hushcore.hold.overlay import stands_still
from hushcore.hold.record import Hold, HoldFrame
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.hold.tracker import make_tracker
from hushcore.recipe.models import GroundData

SIZE, COUNT = 260, 20


@pytest.fixture(scope="module")
def texture() -> np.ndarray:
    """scikit-image's ``gravel`` (CC0): bricks repeat, and a surface that was hidden could be any of them."""
    return np.asarray(data.gravel(), np.float32) / 255


BOX = [[80.0, 80], [180, 80], [180, 180], [80, 180]]
INNER = np.stack(np.meshgrid(np.arange(90, 175, 12.0), np.arange(90, 175, 12.0)), -1).reshape(-1, 2)


def moved(frame: int) -> np.ndarray:
    return np.array([2.0 * frame + 6 * np.sin(frame / 4), 1.2 * frame])


def shot(texture, frame: int, passer: bool = True) -> np.ndarray:
    """A texture that drifts; a dark thing without texture of its own crosses it, all of it for three frames."""
    y, x = np.mgrid[0:SIZE, 0:SIZE].astype(float)
    dx, dy = moved(frame)
    grey = 0.15 + 0.6 * ndi.map_coordinates(texture, [y - dy + 60, x - dx + 60], order=1, mode="reflect")
    if passer:
        grey = np.where(np.abs(x - (-130 + 34 * frame)) < 85, 0.03, grey)
    grey = grey + np.random.default_rng(frame).normal(0, 0.01, grey.shape)
    return np.round(np.clip(np.repeat(grey[..., None], 3, 2), 0, 1) * 65535).astype(np.uint16)


@pytest.mark.parametrize("kind", ["planar", "mesh"])
def test_a_hold_is_not_pulled_along_by_what_passes_and_is_bridged_behind_it(texture, kind):
    hold = None
    for _, hold in track(lambda n: shot(texture, n), Ground.of([BOX]), kind, 0, 0, COUNT - 1):
        pass
    errors = [np.hypot(*(hold.at(n).forward(INNER) - INNER - moved(n)).T).max() for n in range(1, COUNT)]
    assert max(errors) < 2.5  # while nobody sees it
    assert max(errors[14:]) < 0.6  # and behind
    assert not any(hold.frames[n].lost for n in range(14, COUNT))


def shaken(frame: int) -> np.ndarray:
    """A way that is not smooth: from frame to frame it turns back."""
    return np.array([1.5 * frame + 7 * np.sin(2.1 * frame), 5 * np.cos(1.7 * frame) - 5])


def beside(texture, frame: int) -> np.ndarray:
    """The texture with a dark mark on it; on five frames something hides the ground on both sides of the mark, not the mark."""
    y, x = np.mgrid[0:SIZE, 0:SIZE].astype(float)
    dx, dy = shaken(frame)
    grey = 0.15 + 0.6 * ndi.map_coordinates(texture, [y - dy + 60, x - dx + 60], order=1, mode="reflect")
    away = np.hypot(x - dx - 130, y - dy - 130)
    grey = np.where(away < 16, 0.3 * grey, grey)
    if 7 <= frame <= 11:
        grey = np.where(np.abs(x - dx - 130) > 26, 0.03, grey)
    grey = grey + np.random.default_rng(frame).normal(0, 0.01, grey.shape)
    return np.round(np.clip(np.repeat(grey[..., None], 3, 2), 0, 1) * 65535).astype(np.uint16)


def test_no_bridge_is_laid_over_frames_on_which_the_mark_itself_is_seen(texture):
    turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    outline = np.array([130.0, 130]) + 20 * np.stack([np.cos(turns), np.sin(turns)], -1)
    hold = None
    for _, hold in track(lambda n: beside(texture, n), Ground.of([BOX]), "mesh", 0, 0, 17, Mark(outline)):
        pass
    held = [n for n in range(1, 18) if not hold.frames[n].lost]
    assert len(held) >= 15  # before, eleven frames were lost, six of them with nothing in front
    errors = [np.hypot(*(hold.at(n).forward(outline) - outline - shaken(n)).T).max() for n in held]
    assert max(errors) < 1.2


@pytest.mark.parametrize("kind", ["planar", "mesh"])
def test_what_is_predicted_goes_on_as_far_as_the_next_frame_is_off(texture, kind):
    """Trying surfaces leaves frames out: a pan that was 3 px a frame is 6 px to the second one."""

    def pan(frame: int) -> np.ndarray:
        y, x = np.mgrid[0:SIZE, 0:SIZE].astype(float)
        grey = 0.15 + 0.6 * ndi.map_coordinates(texture, [y + 60, x + 60 - 3.0 * frame], order=1, mode="reflect")
        return np.round(np.repeat(grey[..., None], 3, 2) * 65535).astype(np.uint16)

    tracker = make_tracker(pan(0), Ground.of([BOX]), kind, 0)
    for number in (1, 2, 3):
        tracker.step(pan(number), number)
    ahead = {}
    for times in (1, 2):
        tracker.strides(times)
        ahead[times] = (tracker.map_of(tracker._predict()).forward(INNER) - INNER).mean(0)
    np.testing.assert_allclose(ahead[1], [12, 0], atol=0.2)
    np.testing.assert_allclose(ahead[2], [15, 0], atol=0.2)


def frame_at(x: float, seen: float = 1.0, lost: bool = False) -> HoldFrame:
    return HoldFrame(np.array([[1, 0, x], [0, 1, 0], [0, 0, 1.0]]), np.full((8, 8), 0.2, np.float32), 0.2, seen, lost)


def test_a_bridge_is_a_smooth_way_between_sure_frames():
    places = {n: 0.5 * n * n for n in range(1, 12)}
    frames = {n: frame_at(x, 0.2 if 5 <= n <= 7 else 1.0, n == 6) for n, x in places.items()}
    frames[6] = frame_at(400.0, 0.0, True)
    hold = Hold("planar", 0, (300, 300), None, (0, 0), frames)
    assert hidden_stretches(hold) == [(5, 7)]
    corners = np.array([[10, 10], [90, 10], [90, 90], [10, 90]], float)
    way = between(hold, 5, 7, corners)
    # a cubic through the ends with the chords' slopes: half a pixel of a constant acceleration's truth
    assert [way[n][0, 2] / way[n][2, 2] for n in (5, 6, 7)] == pytest.approx([places[n] for n in (5, 6, 7)], abs=0.6)


def test_nothing_is_bridged_over_a_key_or_beyond_the_last_sure_frame():
    frames = {n: frame_at(n, 0.1 if n > 6 else 1.0) for n in range(1, 10)}
    hold = Hold("planar", 0, (300, 300), None, (0, 0), frames)
    assert hidden_stretches(hold) == []
    frames.update({n: frame_at(n, 1.0) for n in (9, 10, 11)})
    assert hidden_stretches(hold) == [(7, 8)]
    hold.keys = {8: np.eye(3)}
    assert hidden_stretches(hold) == []


def trial(surface: str, fits: list[float], seen: float = 1.0) -> Trial:
    return Trial(surface, dict(enumerate(fits)), {n: seen for n in range(len(fits))})


def test_the_plainest_surface_that_fits_nearly_everywhere_is_taken():
    cloth = trial("cloth", [0.95] * 8)
    assert plainest([trial("plane", [0.949] * 8), trial("stiff", [0.95] * 8), cloth]) == "plane"
    slow = trial("plane", [0.949] * 5 + [0.9] * 3)  # a bend that shows late
    assert plainest([slow, trial("stiff", [0.949] * 8), cloth]) == "stiff"
    assert plainest([trial("plane", [0.949] * 8, seen=0.8), trial("stiff", [0.9] * 8), cloth]) == "cloth"
    assert plainest([trial("plane", [0.1] * 8), trial("cloth", [0.12] * 8)]) == auto.FALLBACK


def test_a_flat_wall_is_held_as_a_plane(texture):
    asked = Method("auto", seeks=False, body=False)
    name, method, _ = chosen(lambda n: shot(texture, n, False), Ground.of([BOX]), asked, 0, 0, 14)
    assert (name, method.kind) == ("plane", "planar")
    assert (method.seeks, method.body) == (False, False)


LOOP = np.array([[110, 110], [150, 110], [150, 140], [110, 140]], float)


def overlaid(texture, frame: int, stands: bool, share: float = 1.0) -> np.ndarray:
    codes = shot(texture, frame, False)
    dx, dy = (0, 0) if stands else moved(frame).astype(int)
    drawn = np.zeros((SIZE, SIZE), np.uint8)
    cv2.putText(drawn, "H", (int(115 + dx), int(138 + dy)), cv2.FONT_HERSHEY_SIMPLEX, 1.1, 255, 4)
    there = drawn > 128
    codes[there] = (codes[there] * (1 - share) + 60000 * share).astype(np.uint16)
    return codes


def test_what_stands_in_the_frame_is_told_from_what_rides_the_surface(texture):
    assert stands_still(lambda n: overlaid(texture, n, True), LOOP, 0, 0, COUNT - 1)
    # see-through, over stones: it stays .55 like itself
    assert stands_still(lambda n: overlaid(texture, n, True, 0.45), LOOP, 0, 0, COUNT - 1)
    assert not stands_still(lambda n: overlaid(texture, n, False, 0.45), LOOP, 0, 0, COUNT - 1)
    assert not stands_still(lambda n: overlaid(texture, n, False), LOOP, 0, 0, COUNT - 1)
    # a locked-off shot: everything stays, so nothing is said
    assert not stands_still(lambda n: overlaid(texture, 0, True), LOOP, 0, 0, COUNT - 1)


@pytest.mark.parametrize("kind", ["planar", "mesh"])
def test_over_a_picture_without_texture_what_stands_is_held_somewhere(kind):
    """It is taken off by what shows through it: that its surface is lost must not keep it from that."""
    flat = np.full((SIZE, SIZE, 3), 30000, np.uint16)
    bare = GroundData(anchor=0, read=[BOX])
    with pytest.raises(HushError, match="no texture"):
        list(track(lambda _: flat, bare.ground(), kind, 0, 0, 5))
    ground = bare.model_copy(update={"stands": [LOOP.tolist()]}).ground()
    *_, (_, hold) = track(lambda _: flat, ground, kind, 0, 0, 5)
    assert sorted(hold.frames) == [1, 2, 3, 4, 5]
    assert all(np.isfinite(hold.at(n).forward(LOOP)).all() for n in hold.frames)


def test_what_stands_is_never_ground(texture):
    """With an overlay in it the same ground is held to a tenth of a pixel only when the overlay is left out."""
    ground = GroundData(anchor=0, read=[BOX], stands=[LOOP.tolist()])
    hold = None
    for _, hold in track(lambda n: overlaid(texture, n, True), ground.ground(), "planar", 0, 0, 8):
        pass
    errors = [np.hypot(*(hold.at(n).forward(INNER) - INNER - moved(n)).T) for n in range(1, 9)]
    assert np.sqrt((np.array(errors) ** 2).mean()) < 0.12
