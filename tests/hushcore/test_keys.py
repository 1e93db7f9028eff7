"""Corrections by hand, redone stretches, smoothing, and tracks in and out."""

import json

import numpy as np
import pytest
from click.testing import CliRunner
from skimage import data, transform

from hushcore.cli.main import cli
from hushcore.errors import HushError
from hushcore.geometry import homography, spline
from hushcore.hold.keys import Pin, corrected
from hushcore.hold.maps import PlanarMap
from hushcore.hold.method import Method
from hushcore.hold.record import Hold, HoldFrame, frame_of, frame_plain
from hushcore.hold.redo import Redo, corners_of, stretch_of
from hushcore.hold.smooth import smoothed, whittaker
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.hold.tracks import matrices_json, point_hold, points_csv, read_points
from hushcore.media.pictures import write_codes
from tests.hushcore.test_hold import BOX, INNER, codes_of, warped

GROUND = Ground.of(BOX)
CORNERS = np.array([[130.0, 130], [380, 130], [380, 380], [130, 380]])


@pytest.fixture(scope="module")
def gravel() -> np.ndarray:
    """scikit-image's ``gravel`` (CC0)."""
    return np.asarray(data.gravel(), np.float32) / 255


def empty(kind: str) -> Hold:
    grid = spline.Grid.over(GROUND.rect(512, 512), 28.0) if kind == "mesh" else None
    return Hold(kind, 0, (512, 512), grid, (100, 100))


@pytest.mark.parametrize("count", [1, 2, 3, 4])
def test_pins_place_a_plane_as_plainly_as_they_can(count):
    # the peers: scikit-image's estimates from the same points
    hold, now = empty("planar"), np.array([[1.02, 0.01, 4], [-0.02, 0.99, -3], [1e-5, 0, 1]])
    to = PlanarMap(now).forward(CORNERS[:count]) + np.array([[3.0, 1], [2, -2], [-1, 4], [5, 5]])[:count]
    pins = [Pin(tuple(a), tuple(b)) for a, b in zip(CORNERS[:count], to, strict=True)]
    made = corrected(hold, now, pins, False, 60)
    np.testing.assert_allclose(PlanarMap(made).forward(CORNERS[:count]), to, atol=1e-6)
    peer = {
        2: transform.SimilarityTransform, 3: transform.AffineTransform, 4: transform.ProjectiveTransform,
    }.get(count)  # fmt: skip
    if peer is None:
        np.testing.assert_allclose(
            made[:2, :2] / made[2, 2], (np.array([[1, 0, 3], [0, 1, 1], [0, 0, 1]]) @ now)[:2, :2]
        )
    else:
        found = peer.from_estimate(PlanarMap(now).forward(CORNERS[:count]), to).params @ now
        np.testing.assert_allclose(made, found / found[2, 2], rtol=1e-4, atol=1e-6)


def test_a_pin_pulls_a_mesh_near_it_and_not_far_away():
    hold = empty("mesh")
    flat = np.zeros((*hold.grid.shape, 2))
    made = hold.map_of(corrected(hold, flat, [Pin((250, 250), (256, 247))], False, 60))
    np.testing.assert_allclose(made.forward(np.array([250.0, 250])), [256, 247], atol=0.05)
    far = np.array([[140.0, 140], [370, 370], [140, 370]])
    assert np.abs(made.forward(far) - far).max() < 0.6
    whole = hold.map_of(corrected(hold, flat, [Pin((250, 250), (256, 247))], True, 60))
    np.testing.assert_allclose(whole.forward(INNER) - INNER, np.tile([6.0, -3], (len(INNER), 1)), atol=1e-6)


def test_keys_that_contradict_each_other_or_fold_the_surface_are_refused():
    hold = empty("mesh")
    flat = np.zeros((*hold.grid.shape, 2))
    with pytest.raises(HushError, match="pull two ways"):
        corrected(hold, flat, [Pin((250, 250), (256, 247)), Pin((250, 250.2), (240, 247))], False, 60)
    with pytest.raises(HushError, match="fold"):
        corrected(hold, flat, [Pin((230, 250), (290, 250)), Pin((260, 250), (200, 250))], False, 40)
    with pytest.raises(HushError, match="Drag"):
        corrected(hold, flat, [], False, 60)
    with pytest.raises(HushError, match="line"):
        corrected(empty("planar"), np.eye(3), [Pin((k, k), (k + 1, k)) for k in (10, 20, 30)], False, 60)


def test_a_stretch_lies_between_its_keys():
    hold = empty("planar")
    hold.keys = {12: np.eye(3), 20: np.eye(3), -5: np.eye(3)}
    assert stretch_of(hold, 15, -20, 40) == (12, 20)
    assert stretch_of(hold, 5, -20, 40) == (0, 12)
    assert stretch_of(hold, 30, -20, 40) == (20, None)
    assert stretch_of(hold, -10, -20, 40) == (None, -5)


def moving(gravel, count: int):
    moves = [np.array([2.2 * k, 6 * np.sin(0.4 * k)]) for k in range(count)]
    return [codes_of(warped(gravel, lambda p, d=d: p - d), k) for k, d in enumerate(moves)], np.array(moves)


def held(frames, method) -> Hold:
    hold = None
    for _, hold in track(frames.__getitem__, GROUND, method, 0, 0, len(frames) - 1):
        pass
    return hold


@pytest.mark.parametrize("kind", ["planar", "mesh"])
def test_a_slipped_stretch_comes_right_from_one_key(gravel, kind):
    frames, moves = moving(gravel, 13)
    hold = held(frames, kind)
    for number in range(5, 13):  # it slipped to a neighbouring pebble from 5 on
        slipped = hold.map_of(hold.frames[number].params)
        pins = [Pin(tuple(p), tuple(slipped.forward(p) + np.array([9, -6]))) for p in CORNERS]
        hold.frames[number] = held_as(hold.frames[number], corrected(hold, hold.frames[number].params, pins, True, 60))
    key = corrected(hold, hold.frames[8].params, [Pin((250, 250), tuple(np.array([250.0, 250]) + moves[8]))], True, 60)
    hold.keys[8] = key
    hold.frames[8] = held_as(hold.frames[8], key)
    for before, after in ((0, 8), (8, None)):
        redo = Redo(hold, GROUND, Method(kind), frames.__getitem__, before, after, 0, 12)
        hold.frames.update(dict(redo.run()))
    found = np.array([hold.at(k).forward(INNER) - INNER for k in range(1, 13)])
    assert np.hypot(*(found - moves[1:, None]).T).max() < 0.2


def held_as(frame: HoldFrame, params: np.ndarray) -> HoldFrame:
    return HoldFrame(params, frame.drift, frame.drift_rms, frame.seen, frame.lost, frame.cells)


def test_a_redone_stretch_passes_through_its_keys_without_a_jump(gravel):
    """A key that disagrees with the picture by 3 px: it is met, and the way to it and from it is smooth."""
    frames, moves = moving(gravel, 17)
    hold = held(frames, "mesh")
    hold.keys[8] = corrected(hold, hold.frames[8].params, [Pin((250, 250), tuple(moves[8] + [253, 250]))], True, 60)
    hold.frames[8] = held_as(hold.frames[8], hold.keys[8])
    for before, after in ((0, 8), (8, None)):
        hold.frames.update(dict(Redo(hold, GROUND, Method("mesh"), frames.__getitem__, before, after, 0, 16).run()))
    away = np.array([(hold.at(k).forward(INNER) - INNER).mean(0) - moves[k] for k in range(17)])
    np.testing.assert_allclose(away[8], [3, 0], atol=0.05)
    np.testing.assert_allclose(away[0], 0, atol=1e-9)
    assert np.abs(np.diff(away[:, 0])).max() < 0.8  # 3 px over 8 frames, eased
    np.testing.assert_allclose(away[9:, 0], 3, atol=0.3)  # at the open end the correction stays


def test_between_keys_a_covered_stretch_follows_the_keys(gravel):
    frames, moves = moving(gravel, 13)
    for k in range(4, 9):
        frames[k] = codes_of(np.asarray(data.grass(), np.float32) / 255, k)
    hold = held(frames, "planar")
    assert all(hold.frames[k].lost for k in range(4, 9))
    hold.keys[9] = np.array([[1, 0, moves[9, 0]], [0, 1, moves[9, 1]], [0, 0, 1.0]])
    hold.frames.update(dict(Redo(hold, GROUND, Method("planar"), frames.__getitem__, 0, 9, 0, 12).run()))
    for k in range(4, 9):
        assert np.abs(hold.at(k).forward(CORNERS) - CORNERS - moves[k]).max() < 6
        assert hold.frames[k].lost  # it says that nothing was seen


def test_whittaker_keeps_a_line_and_takes_out_what_jumps():
    # a straight line has no second difference, so that any strength keeps it (Eilers 2003)
    line = np.linspace(0, 5, 20)[:, None]
    np.testing.assert_allclose(whittaker(line, np.ones(20), 1e4), line, atol=1e-6)
    noisy = line + np.random.default_rng(1).normal(0, 0.3, line.shape)
    assert np.diff(whittaker(noisy, np.ones(20), 50), 2, axis=0).std() < 0.1 * np.diff(noisy, 2, axis=0).std()


@pytest.mark.parametrize("kind", ["planar", "mesh"])
def test_smoothing_a_stretch_leaves_keys_and_its_neighbours(kind):
    hold, rng = empty(kind), np.random.default_rng(4)
    blank = frame_of(frame_plain(HoldFrame(hold.params_at(0), np.zeros((4, 4), np.float32), 0.1, 1, False)))
    for k in range(1, 25):
        pins = [Pin(tuple(c), tuple(c + np.array([k + rng.normal(0, 0.4), 0.5 * k]))) for c in CORNERS[:1]]
        hold.frames[k] = held_as(blank, corrected(hold, hold.params_at(0), pins, True, 60))
    hold.keys[12] = hold.frames[12].params
    made = smoothed(hold, 5, 20, 30.0, corners_of(hold, GROUND))
    assert sorted(made) == [k for k in range(5, 21) if k != 12]
    before = [hold.at(k).forward(np.array([250.0, 250]))[0] - k for k in range(4, 22)]
    after = [
        hold.map_of(made.get(k, hold.frames[k].params)).forward(np.array([250.0, 250]))[0] - k for k in range(4, 22)
    ]
    assert np.diff(after, 2).std() < 0.5 * np.diff(before, 2).std()
    with pytest.raises(HushError, match="not been measured on frame 25"):
        smoothed(hold, 5, 25, 30.0, corners_of(hold, GROUND))
    with pytest.raises(HushError, match="at least three"):
        smoothed(hold, 24, 24, 30.0, corners_of(hold, GROUND))


def test_tracks_go_out_and_come_back():
    hold = empty("planar")
    for k in (1, 2, 3):
        matrix = np.array([[1, 0, 2.5 * k], [0, 1, -k], [0, 0, 1.0]])
        hold.frames[k] = HoldFrame(matrix, np.full((20, 20), 0.5, np.float32), 0.5, 1, k == 3)
    text = points_csv(hold, ["a", "b"], np.array([[200.0, 210], [220, 230]]))
    assert text.splitlines()[0] == "frame,id,x,y,confidence"
    assert "3,a,207.5000,207.0000,0.0000" in text  # lost: no confidence
    tracks = read_points(text)
    back = point_hold(tracks["b"], 0, (512, 512), 0, 3)
    np.testing.assert_allclose(back.at(2).forward(np.array([220.0, 230])), [225, 228], atol=1e-3)
    matrices = json.loads(matrices_json(hold, CORNERS))
    np.testing.assert_allclose(matrices["frames"]["2"], hold.frames[2].params)
    assert matrices["exact"]


def test_a_meshs_matrices_are_the_nearest_plane():
    hold = empty("mesh")
    to = homography.fit(CORNERS, CORNERS + np.array([[4, 1], [2, 2], [3, -1], [5, 0]]))
    params = spline.fitted(hold.grid, lambda points: homography.apply(to, points))
    hold.frames[1] = HoldFrame(params, np.zeros((20, 20), np.float32), 0.1, 1, False)
    data_out = json.loads(matrices_json(hold, CORNERS))
    np.testing.assert_allclose(
        homography.apply(np.array(data_out["frames"]["1"]), INNER), homography.apply(to, INNER), atol=0.02
    )
    assert not data_out["exact"]


def test_gaps_inside_an_imported_track_are_bridged_and_said():
    hold = point_hold({0: (10.0, 20), 4: (18.0, 20)}, 0, (64, 64), 0, 9)
    np.testing.assert_allclose(hold.at(2).forward(np.array([10.0, 20])), [14, 20])
    assert hold.frames[2].seen == 0
    assert hold.frames[4].seen == 1
    assert not hold.has(5)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("a,b\n1,2\n", "needs the columns"),
        ("frame,x,y\n1,2,soft\n", "Line 2"),
        ("frame,x,y\n1,2,nan\n", "Line 2"),
        ("frame,x,y\n1,2,3\n1,2,3\n", "comes twice"),
        ("frame,x,y\n", "no points"),
        ("frame,x,y\n1,2," + "9" * 200_000 + "\n", "not a track file"),
    ],
)
def test_bad_track_files_are_refused_with_the_line(text, words):
    with pytest.raises(HushError, match=words):
        read_points(text)


def test_hush_imports_a_track_and_writes_matrices(tmp_path, gravel):
    for k in range(4):
        write_codes(tmp_path / "clip" / f"clip.{k + 1:04d}.tif", codes_of(gravel, k))
    (tmp_path / "track.csv").write_text("Frame, X, Y\n1,250,250\n2,252,251\n3,254,252\n4,256,253\n")
    run = CliRunner()
    args = ["import", str(tmp_path / "track.csv"), "--clip", str(tmp_path / "clip"), "--anchor", "1"]
    done = run.invoke(cli, [*args, "-o", str(tmp_path / "hold.json")], catch_exceptions=False)
    assert done.exit_code == 0
    done = run.invoke(cli, ["matrices", str(tmp_path / "hold.json"), "-o", str(tmp_path / "m.json")])
    assert done.exit_code == 0
    assert json.loads((tmp_path / "m.json").read_text())["frames"]["3"] == [[1, 0, 4], [0, 1, 2], [0, 0, 1]]
