"""A house of its own: server and workers as processes, a database cluster that may be killed, a proxy in front.

Run with ``bin/test tests/house``, which starts that cluster and says where it lies (HUSH_CLUSTER).
"""

import os
import shutil
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from django.db import OperationalError, connection

from hushcore.media.pictures import write_codes
from tests.browser.conftest import Running
from tests.conftest import ROOT
from tests.kept import empty_the_queue

FRAMES = 24
PG = Path("/usr/lib/postgresql/15/bin")


def as_postgres(*words: str) -> subprocess.CompletedProcess[bytes]:
    """A program of the database server, as the user who may run it."""
    if os.geteuid() == 0:
        words = ("setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups", "--reset-env", "--", *words)
    return subprocess.run(words, cwd="/", capture_output=True, timeout=120)


class Cluster:
    """The database server of these tests."""

    def __init__(self, place: str) -> None:
        self.place = place

    def kill(self) -> None:
        """SIGKILL: nothing is written down first."""
        pid = int(self._pid().split()[0])
        os.kill(pid, 9)
        for _ in range(100):
            if not Path(f"/proc/{pid}").exists():
                return
            time.sleep(0.1)
        raise AssertionError("the database server does not die")

    def _pid(self) -> str:
        return as_postgres("cat", f"{self.place}/postmaster.pid").stdout.decode()

    def start(self) -> None:
        """It recovers by itself from what it had written ahead."""
        for _ in range(30):  # a killed server's children need a moment to leave
            done = as_postgres(
                str(PG / "pg_ctl"), "-D", self.place, "-w", "-s", "-l", f"{self.place}/server.log", "-o", self._options(),
                "start",
            )  # fmt: skip
            if done.returncode == 0:
                connection.close()
                return
            time.sleep(0.5)
        raise AssertionError(done.stderr.decode())

    def _options(self) -> str:
        port = os.environ["HUSH_DB_PORT"]
        return f"-p {port} -c listen_addresses=127.0.0.1 -c unix_socket_directories={self.place}"


@pytest.fixture(scope="session")
def cluster() -> Cluster:
    place = os.environ.get("HUSH_CLUSTER")
    assert place, "run these tests with bin/test tests/house: they kill their database and need one of their own"
    return Cluster(place)


@pytest.fixture
def house(transactional_db, tmp_path, settings) -> Iterator[Running]:
    """A house with a small job; its processes are the test's to start and kill."""
    running = Running(tmp_path, connection.settings_dict["NAME"], str(connection.settings_dict["PORT"]))
    running.env["HUSH_STALLED_AFTER"] = "3"
    settings.MEDIA_FOOTAGE, settings.DELIVERIES = tmp_path / "media", tmp_path / "deliveries"
    settings.PROXIES, settings.PLATES = tmp_path / "proxies", tmp_path / "plates"
    settings.SCAN_APART = settings.PROPOSE = False
    empty_the_queue()
    yield running
    running.stop()
    for log in sorted(tmp_path.glob("*.log")):
        print(f"{log.name}:\n{log.read_text()[-1500:]}")
    shutil.rmtree(tmp_path / "proxies", ignore_errors=True)


@pytest.fixture
def job(house, texture, settings):
    """A shot with a mark that is held and healed, in a house whose people are one artist."""
    from django.contrib.auth.models import User
    from django.test import Client
    from jobs.actions import bring_in
    from jobs.models import Job, Shot

    y, x = np.mgrid[0:180, 0:240].astype(float)
    for k in range(FRAMES):
        part = texture[100:280, 60:300].copy()
        part[np.hypot(x - 120, y - 90) < 16] *= 0.5
        rng = np.random.default_rng(k)
        codes = np.round(np.clip(0.15 + 0.7 * part + rng.normal(0, 0.006, part.shape), 0, 1) * 65535).astype(np.uint16)
        write_codes(settings.MEDIA_FOOTAGE / "wall" / f"wall.{1001 + k:04d}.tif", np.repeat(codes[..., None], 3, 2))
    person = User.objects.create_user("ada", password="linen and clay", is_staff=True)
    shot = bring_in(Job.objects.create(name="House job"), "010 wall", "wall")
    web = Client()
    web.force_login(person)
    turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    loop = [[float(120 + 24 * np.cos(t)), float(90 + 24 * np.sin(t))] for t in turns]
    fix = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1012, "loop": loop}, "application/json").json()
    work_all()
    at = f"/api/fixes/{fix['id']}"
    version = web.get(at).json()["version"]
    made = web.patch(f"{at}/plate", {"version": version, "frame": 1012}, "application/json").json()
    stroke = {"kind": "clone", "points": [[120, 90, 1]], "radius": 24, "donor": {"offset": [60, 0]}}
    made = web.post(f"{at}/strokes", {"version": made["version"], "stroke": stroke}, "application/json").json()
    empty_the_queue()
    return {"web": web, "shot": Shot.objects.get(), "fix": made, "person": person}


def work_all() -> None:
    """Do here all that waits."""
    from procrastinate.contrib.django import app

    with app.replace_connector(app.connector.get_worker_connector()) as inline:
        inline.run_worker(wait=False, install_signal_handlers=False, listen_notify=False)


def until(true: Callable[[], bool], seconds: float = 90) -> None:
    """Wait until something is true, also while the database is away."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            if true():
                return
        except OperationalError:
            connection.close()
        time.sleep(0.2)
    raise AssertionError("it does not come about")


def run(*words: str, env: dict[str, str] | None = None, code: int = 0) -> str:
    """A script of the project; what it said."""
    done = subprocess.run(words, cwd=ROOT, env=env or dict(os.environ), capture_output=True, text=True, timeout=300)
    assert done.returncode == code, done.stdout + done.stderr
    return done.stdout + done.stderr
