"""The whole chain against the demo's exact truth: hold, light, patch, delivery, command line."""

import json
import math
import os
import signal
import subprocess
from pathlib import Path

import cv2
import numpy as np
import pytest

from hushcore.colour import difference
from hushcore.colour.encoding import SRGB
from hushcore.deliver.frames import check_place, check_room, deliver_frame, like_source
from hushcore.deliver.proof import covered
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.hold.record import Hold
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.light import fields
from hushcore.light.region import Pair, Region, halved
from hushcore.media.clips import open_clip
from hushcore.media.pictures import read_codes
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate

ROOT = Path(__file__).resolve().parents[2]
HUSH = ROOT / ".venv" / "bin" / "hush"
ANCHOR, FIRST, LAST = 1049, 1041, 1057
CENTRE = (558.0, 314.0)


def circle(radius: float, count: int = 32) -> list[list[float]]:
    turns = np.arange(count) * 2 * math.pi / count
    return [[CENTRE[0] + radius * math.cos(t), CENTRE[1] + radius * math.sin(t)] for t in turns]


@pytest.fixture(scope="module")
def clip(apron):
    return open_clip(apron[0])


@pytest.fixture(scope="module")
def held(clip) -> Hold:
    hold = None
    for _, hold in track(clip.read, Ground.of([circle(130)]), "mesh", ANCHOR, FIRST, LAST):
        pass
    return hold


@pytest.fixture(scope="module")
def plate(clip, held, apron):
    finished = read_codes(apron[1] / "clean" / f"apron.{ANCHOR}.tif")
    return make_plate(clip.read(ANCHOR), held, ANCHOR, [], finished)


def test_mesh_hold_stays_on_the_cloth(apron, held):
    truth = np.load(apron[1] / "truth.npz")
    ys, xs = np.nonzero(np.ones(truth["positions"].shape[1:3]))
    still = np.stack([xs, ys], -1) * float(truth["step"])
    inside = np.hypot(*(still - CENTRE).T) < 126
    errors = []
    for frame in held.frames:
        at = list(truth["frames"]).index(frame)
        seen = truth["visible"][at][ys, xs] & inside
        errors.append(np.hypot(*(held.at(frame).forward(still[seen]) - truth["positions"][at][ys, xs][seen]).T))
    every = np.concatenate(errors)
    assert np.sqrt((every**2).mean()) < 0.38  # engine.md, cloth, online
    assert np.percentile(every, 95) < 2.3 * 0.38


def patched_difference(clip, apron, fix, frame: int) -> tuple[float, float]:
    """Mean CIEDE2000 inside the edge after a 2 px low-pass: the patch, and the truth with its own grain."""
    codes = clip.read(frame)
    laid = lay(codes, frame, fix)
    assert (laid.codes != codes)[~covered(codes.shape, [laid])].sum() == 0
    inside = laid.matte > 0.999

    def lab(picture):
        low = cv2.GaussianBlur(SRGB.decode(picture), (0, 0), 2.0)
        return difference.linear_to_lab(low[laid.rect.slices][inside])

    truth = lab(read_codes(apron[1] / "clean" / f"apron.{frame}.tif"))
    grainy = lab(read_codes(apron[1] / "clean_grain" / f"apron.{frame}.tif"))
    return difference.ciede2000(lab(laid.codes), truth).mean(), difference.ciede2000(grainy, truth).mean()


def test_patch_belongs_to_every_frame(clip, apron, held, plate):
    edge = Edge.of(np.array(circle(100)), 4, 12)
    scores = {}
    for mode in ("off", "under"):
        fix = make_fix(held, Plan(edge, Match(mode)), [(ANCHOR, plate)])
        scores[mode] = np.array([patched_difference(clip, apron, fix, f) for f in (FIRST, 1045, 1053, LAST)]).mean(0)
    under, floor = scores["under"]
    assert under <= floor + 0.25
    assert scores["off"][0] >= 3 * under


def test_the_mark_s_own_colour_stays_out_of_the_light():
    # a synthetic proof: known albedo, known smooth light, no grain
    rng = np.random.default_rng(0)
    y, x = np.mgrid[0:160, 0:160].astype(np.float32)
    cloth = (0.3 + 0.1 * cv2.GaussianBlur(rng.random((160, 160, 3)).astype(np.float32), (0, 0), 1.2)).astype(np.float32)
    mark = np.hypot(x - 80, y - 80) < 40
    original = np.where(mark[..., None], cloth * np.float32([0.4, 0.12, 0.12]), cloth)
    light = np.exp(0.4 * np.sin(x / 40) + 0.3 * np.cos(y / 33))[..., None].astype(np.float32)
    outside = np.maximum(np.hypot(x - 80, y - 80) - 46, 0).astype(np.float32)
    region = Region.around(outside, np.ones_like(outside))
    sides = halved(original * light), halved(original)
    found = np.exp(fields.light_of("under", Pair.of(*sides, region)).gain)
    inner = np.hypot(x - 80, y - 80) < 44
    assert np.abs(np.log(found / light))[inner].mean() < 0.02
    flat = np.exp(fields.light_of("even", Pair.of(*sides, region)).gain)
    assert np.abs(np.log(flat / light))[inner].mean() > 0.1


def test_delivered_frame_is_proved_from_the_file(clip, held, plate, tmp_path):
    fix = make_fix(held, Plan(Edge.of(np.array(circle(100)), 4, 12), Match("under")), [(ANCHOR, plate)])
    proof = deliver_frame(clip, 1044, [fix], tmp_path)
    written, source = read_codes(tmp_path / "apron.1044.tif"), clip.read(1044)
    changed = (written != source).any(-1)
    assert proof.changed_outside == 0
    assert proof.changed_inside == int((written != source).sum()) > 10_000
    rows, cols = np.nonzero(changed)
    assert rows.max() - rows.min() < 320
    assert cols.max() - cols.min() < 320
    assert [entry.name for entry in tmp_path.iterdir()] == ["apron.1044.tif"]


def test_delivery_never_writes_over_the_source(clip):
    with pytest.raises(HushError, match="never written over"):
        check_place(clip, clip.folder)


def test_a_disk_without_room_is_seen_before_anything_is_written(clip, tmp_path, monkeypatch):
    import shutil

    monkeypatch.setattr(shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10, 10, 1000))
    with pytest.raises(HushError, match="Nothing was written"):
        check_room(like_source(clip), [FIRST, FIRST + 1], tmp_path)


def run(*words: str, code: int = 0) -> subprocess.CompletedProcess[str]:
    done = subprocess.run([str(HUSH), *words], capture_output=True, text=True, env={**os.environ, "HOME": "/tmp"})
    assert done.returncode == code, done.stderr
    return done


@pytest.fixture
def here(capsys, monkeypatch):
    """The command line without a process of its own: quick, for what it says."""

    def said(*words: str, code: int = 0):
        from hushcore.cli.main import main

        monkeypatch.setattr("sys.argv", ["hush", *words])
        try:
            main()
            ended = 0
        except SystemExit as end:
            ended = int(end.code or 0)
        told = capsys.readouterr()
        assert ended == code, told.err
        return told

    return said


def test_command_line_does_the_whole_job_on_files(clip, apron, tmp_path, here):
    shot = str(clip.folder / "apron.####.tif")
    assert json.loads(here("info", shot).out)["width"] == 1280
    (tmp_path / "ground.json").write_text(json.dumps({"anchor": ANCHOR, "read": [circle(130)], "ignore": []}))
    read = ["--ground", f"{tmp_path}/ground.json", "--kind", "mesh", "--range", "1048-1051"]
    here("track", shot, *read, "-o", f"{tmp_path}/hold.json")
    (tmp_path / "points.csv").write_text("id,x,y\na,540,303\nb,600,260\n")
    here("follow", f"{tmp_path}/hold.json", "--points", f"{tmp_path}/points.csv", "-o", f"{tmp_path}/out.csv")
    rows = (tmp_path / "out.csv").read_text().splitlines()
    assert rows[0] == "frame,id,x,y,confidence"
    assert len(rows) == 1 + 2 * 4
    assert f"{ANCHOR},a,540.0000,303.0000,1.0000" in rows
    here("plate", shot, "--frame", str(ANCHOR), "-o", f"{tmp_path}/plate.tif")
    assert (read_codes(tmp_path / "plate.tif") == clip.read(ANCHOR)).all()
    os.symlink(apron[1] / "clean" / f"apron.{ANCHOR}.tif", tmp_path / "finished.tif")
    recipe = {
        "version": 1,
        "fixes": [{
            "hold": "hold.json", "edge": {"polygon": circle(100), "growth": 4, "softness": 12},
            "plate": {"frame": ANCHOR, "picture": "finished.tif"}, "match": {"light": "under"},
        }],
    }  # fmt: skip
    (tmp_path / "recipe.json").write_text(json.dumps(recipe))
    words = ["--recipe", f"{tmp_path}/recipe.json", "-o", f"{tmp_path}/out", "--range", "1048-1051", "--workers", "2"]
    done = run("render", shot, *words)
    assert "0 of" in done.stdout
    proof = json.loads((tmp_path / "out" / "proof.json").read_text())
    assert (proof["frames"], proof["changed_outside"]) == (4, 0)
    one = (tmp_path / "out" / "apron.1050.tif").read_bytes()
    more = ["--mattes", "channels", "--as", "exr-half", "--patch", "straight", "--side-by-side"]
    here("render", shot, "--recipe", f"{tmp_path}/recipe.json", "-o", f"{tmp_path}/again", "--range", "1050-1050")
    assert (tmp_path / "again" / "apron.1050.tif").read_bytes() == one  # the same recipe gives the same bytes
    here("render", shot, "--recipe", f"{tmp_path}/recipe.json", "-o", f"{tmp_path}/more", "--range", "1050-1051", *more)
    names = {"apron.1050.exr", "apron.1051.exr", "patch", "apron-side-by-side.mp4", "proof.json", "SHA256SUMS"}
    assert {entry.name for entry in (tmp_path / "more").iterdir()} == names
    assert "holds: 2 frames" in here("check", f"{tmp_path}/more").out
    (tmp_path / "more" / "apron.1051.exr").write_bytes(b"")
    assert "apron.1051.exr has been changed" in here("check", f"{tmp_path}/more", code=1).err


def test_a_rendering_process_that_is_ended_is_said_and_not_waited_for(monkeypatch):
    from hushcore.cli import render

    monkeypatch.setattr(render, "_some", ended)
    with pytest.raises(HushError, match="ended from outside"):
        list(render._in_processes([[1], [2], [3]], 2))


def ended(frames: list[int]) -> list[int]:
    if 2 in frames:
        os.kill(os.getpid(), signal.SIGKILL)
    return frames


@pytest.mark.parametrize("name", ["ground", "recipe", "hold"])
def test_schemas_are_valid_json_schema(here, name):
    import jsonschema

    schema = json.loads(here("schema", name).out)
    jsonschema.Draft202012Validator.check_schema(schema)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["info", "nowhere/x.####.tif"], "no folder"),
        (["schema", "song"], "no schema"),
        (["follow", "none.json", "--points", "p.csv", "-o", "o.csv"], "no file none.json"),
    ],
)
def test_an_error_is_one_clear_line(here, words, says):
    done = here(*words, code=1)
    assert says in done.err
    assert done.err.count("\n") == 1


def test_a_wrong_recipe_names_the_place(here, tmp_path, clip):
    (tmp_path / "r.json").write_text(
        json.dumps({"fixes": [{"hold": "h.json", "edge": {"polygon": circle(9)}, "plate": {"frame": "x"}}]})
    )
    done = here("render", str(clip.folder), "--recipe", f"{tmp_path}/r.json", "-o", f"{tmp_path}/o", code=1)
    assert "fixes.0.plates.0.frame" in done.err
    assert not (tmp_path / "o").exists()
