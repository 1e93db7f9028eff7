"""The demo's footage stands by its own name only when it is whole: what is half rendered is never brought in."""

import subprocess
import sys
import time
from types import SimpleNamespace

import numpy as np
import pytest

from demo import render
from tests.conftest import ROOT


def shot(frame, movie: str = "") -> render.Shot:
    scene = SimpleNamespace(FIRST=1, COUNT=3, RATE=(24, 1), truth=lambda frames: {"frames": np.array(frames)})
    return render.Shot(scene, ("noise",), frame, movie=movie)


def a_frame(job) -> int:
    frame, _, media, _ = job
    with open(f"{media}/made.{frame}", "w") as out:
        out.write("whole")
    return frame


def test_a_shot_that_is_interrupted_is_not_there_and_is_rendered_anew(tmp_path):
    media, truth = tmp_path / "media", tmp_path / "truth"
    with pytest.raises(RuntimeError):
        render.render_shot("still", shot(fails), media, truth, 1)
    assert not (media / "still").exists()
    assert render.render_shot("still", shot(a_frame), media, truth, 1)
    assert sorted(path.name for path in (media / "still").iterdir()) == ["made.1", "made.2", "made.3"]
    assert not render.render_shot("still", shot(a_frame), media, truth, 1)  # it is there already
    assert [path.name for path in media.iterdir()] == ["still"]


def fails(job) -> int:
    if job[0] == 3:
        raise RuntimeError("the power goes")
    return a_frame(job)


def test_rendering_behind_the_application_ends_when_it_is_told_to(tmp_path):
    """``bin/start`` waits for it: a handler that waited for the renderer within a wait for it hung for ever."""
    media, truth = tmp_path / "media", tmp_path / "truth"
    words = f"from demo import load; load._render('wall', {str(media)!r}, {str(truth)!r})"
    behind = subprocess.Popen([sys.executable, "-c", words], cwd=ROOT)
    until = time.monotonic() + 60
    while not (media / ".wall.part").exists():
        assert time.monotonic() < until
        time.sleep(0.1)
    behind.terminate()
    assert behind.wait(30) == 0
    assert not (media / "wall").exists()
