"""The demo's footage stands by its own name only when it is whole: what is half rendered is never brought in."""

import os
import signal
import subprocess
import sys
import time
from concurrent.futures.process import BrokenProcessPool
from types import SimpleNamespace

import numpy as np
import pytest

from demo import render
from hushcore.media.movies import open_movie
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


def test_a_stretch_is_enough_for_who_looks_at_no_more(tmp_path):
    media, truth = tmp_path / "media", tmp_path / "truth"
    assert render.render_shot("still", shot(a_frame), media, truth, 1, (2, 3))
    assert sorted(path.name for path in (media / "still").iterdir()) == ["made.2", "made.3"]
    assert not render.render_shot("still", shot(a_frame), media, truth, 1, (3, 3))
    assert render.render_shot("still", shot(a_frame), media, truth, 1)  # all of it was not there
    assert len(list((media / "still").iterdir())) == 3
    assert not render.render_shot("still", shot(a_frame), media, truth, 1, (2, 3))


def test_a_movie_of_a_stretch_begins_with_its_first_frame(tmp_path):
    media, truth = tmp_path / "media", tmp_path / "truth"
    assert render.render_shot("still", shot(grey, movie="still.mov"), media, truth, 1, (2, 3))
    movie = open_movie(media / "still" / "still.mov", first=render.stretch_of(truth, "still")[0])
    assert (movie.first, movie.last) == (2, 3)
    for frame in (2, 3):
        assert abs(int(movie.read(frame).mean()) - 9000 * frame) < 300


def grey(job) -> int:
    """A flat picture whose tone tells which frame it is."""
    frame, _, media, _ = job
    np.save(f"{media}/{frame:04d}.npy", np.full((48, 64, 3), 9000 * frame, np.uint16))
    return frame


def fails(job) -> int:
    if job[0] == 3:
        raise RuntimeError("the power goes")
    return a_frame(job)


def test_a_process_that_dies_is_not_waited_for(tmp_path):
    with pytest.raises(BrokenProcessPool):
        render.render_shot("still", shot(dies), tmp_path / "media", tmp_path / "truth", 2)
    assert not (tmp_path / "media" / "still").exists()


def dies(job) -> int:
    if job[0] == 2:
        os.kill(os.getpid(), signal.SIGKILL)
    return a_frame(job)


ENDLESS = """
import signal, sys
from demo import render
signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
for k in range(40):
    assert sorted(render._in_processes(abs, range(10), 2)) == list(range(10))
"""


def test_processes_end_whatever_the_renderer_does_when_it_is_told_to_end():
    """A pool whose processes had the renderer's own handler of SIGTERM waited for them for ever, some times in a hundred."""
    assert subprocess.run([sys.executable, "-c", ENDLESS], cwd=ROOT, timeout=60).returncode == 0


SWALLOWED = """
import contextlib
from demo import render
with contextlib.suppress(SystemExit):
    render._end()  # as in a callback of the compiler
for _ in render._in_processes(abs, range(10), 2):
    raise AssertionError
"""


def test_it_ends_when_it_was_told_to_while_that_could_not_be_raised():
    assert subprocess.run([sys.executable, "-c", SWALLOWED], cwd=ROOT, timeout=60).returncode == 0


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
