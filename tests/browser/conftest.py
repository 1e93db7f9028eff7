"""The real thing: uvicorn and worker processes on the test database, and Chromium."""

import os
import shutil
import socket
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.forked import Forked
from tests.kept import Kept, empty_the_queue

ROOT = Path(__file__).resolve().parents[2]
CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
WORKER = [
    "server/manage.py", "procrastinate", "worker", "--concurrency", "1", "--shutdown-graceful-timeout", "1",
]  # fmt: skip
FIRST, LAST = 1043, 1056
COUNT = LAST - FIRST + 1
WIDTH, HEIGHT = 640, 360  # half the size that the demo has: what an artist does is the same, in a quarter of the time
expect.set_options(timeout=20_000)  # machines are shared; what must be fast is measured in bench/


class Running:
    """A server and workers on storage of their own."""

    def __init__(self, place: Path, database: str, port: str) -> None:
        self.place, self.port = place, _free_port()
        self.env = {
            **os.environ, "HUSH_DB": database, "HUSH_DB_PORT": port, "HUSH_DEMO": "1", "HUSH_PROPOSE": "0",
            "HUSH_VAR": str(place),
            "HUSH_FOOTAGE": str(place / "media"), "HUSH_DELIVERIES": str(place / "deliveries"),
            "HUSH_PROXIES": str(place / "proxies"), "HUSH_PLATES": str(place / "plates"),
            "HUSH_REPORTS": str(place / "reports"),
        }  # fmt: skip
        self.processes: list[Forked] = []
        self.address = f"http://127.0.0.1:{self.port}"

    def _start(self, words: list[str], name: str, **env: str) -> Forked:
        process = Forked(words, {**self.env, **env}, self.place / f"{name}.log")
        self.processes.append(process)
        return process

    def server(self) -> None:
        words = ["-m", "uvicorn", "--app-dir", "server", "config.asgi:application", "--port", str(self.port)]
        words += ["--timeout-graceful-shutdown", "2", "--log-level", "warning"]
        # a test's own request must not take a connection that is being closed for having been idle for five seconds
        self._start([*words, "--timeout-keep-alive", "600"], "server", HUSH_DB_POOL="1")
        for _ in range(240):
            try:
                urllib.request.urlopen(f"{self.address}/api/session", timeout=2)
                return
            except OSError:
                time.sleep(0.25)
        raise RuntimeError((self.place / "server.log").read_text())

    def worker(self, **env: str) -> Forked:
        return self._start(WORKER, f"worker{len(self.processes)}", **env)

    def stop(self, some: list[Forked] | None = None) -> None:
        """End processes: all of them, or some; what they are in the middle of goes with their storage."""
        for process in list(self.processes if some is None else some):
            process.kill()
            process.wait()
            self.processes.remove(process)


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture(scope="package")
def served(django_db_setup, tmp_path_factory) -> Iterator[Running]:
    """One server for all browser tests, on storage of its own."""
    from django.db import connection

    place = tmp_path_factory.mktemp("running")
    made = Running(place, connection.settings_dict["NAME"], str(connection.settings_dict["PORT"]))
    try:
        made.server()
        yield made
    finally:
        made.stop()
        shutil.rmtree(place, ignore_errors=True)


@pytest.fixture(scope="package")
def half(apron, tmp_path_factory) -> Path:
    """A part of the demo's apron at half its size: each pixel the mean of four."""
    from hushcore.media.pictures import read_codes, write_codes

    folder = tmp_path_factory.mktemp("half")
    for frame in range(FIRST, LAST + 1):
        name = f"apron.{frame}.tif"
        small = read_codes(apron[0] / name).reshape(HEIGHT, 2, WIDTH, 2, 3).mean((1, 3))
        write_codes(folder / name, np.rint(small).astype(np.uint16))
    return folder


@pytest.fixture
def running(transactional_db, half, served, settings) -> Iterator[Running]:
    """The demo job on a part of the shot, served; workers are the test's own. Storage and database begin empty."""
    place = served.place
    for name in ("media", "deliveries", "proxies", "plates", "reports"):
        shutil.rmtree(place / name, ignore_errors=True)
    media = place / "media" / "apron"
    media.mkdir(parents=True)
    for frame in range(FIRST, LAST + 1):
        os.link(half / f"apron.{frame}.tif", media / f"apron.{frame}.tif")
    settings.MEDIA_FOOTAGE, settings.DELIVERIES = place / "media", place / "deliveries"
    settings.PROXIES, settings.PLATES = place / "proxies", place / "plates"
    settings.SCAN_APART = False  # here; the server does
    from demo.load import load

    load()
    yield served
    served.stop(served.processes[1:])
    empty_the_queue()
    for log in sorted(place.glob("*.log")):
        print(f"{log.name}:\n{log.read_text()[-3000:]}")


@pytest.fixture(scope="package")
def tracked() -> Kept:
    """The crest, circled, tracked and looked at."""
    return Kept()


@pytest.fixture(scope="package")
def browser() -> Iterator[Browser]:
    with sync_playwright() as play:
        chromium = play.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield chromium
        chromium.close()


@pytest.fixture
def page(browser, running) -> Iterator[Page]:
    """A page at the design's size; anything on the console that is an error fails the test."""
    opened = browser.new_page(viewport={"width": 1280, "height": 800})
    said: list[str] = []
    opened.on("console", lambda message: said.append(message.text) if message.type == "error" else None)
    opened.on("pageerror", lambda error: said.append(str(error)))
    opened.said = said  # type: ignore[attr-defined]
    yield opened
    opened.close()
    unexpected = [words for words in said if "status of 4" not in words]  # refusals that a test asks for
    assert unexpected == []


@pytest.fixture
def crest(page, running, tracked) -> dict:
    """The fix of a tracked crest in the open shot; only the first test that asks tracks it. Ask for ``workers`` as well where
    something is to be worked out."""
    from fixes.models import Fix
    from laying.models import Evidence

    from demo.load import load
    from tests.browser.screens import circle_the_crest, fixes, open_shot, wait_for

    if tracked.rows:
        tracked.put_back()
        load()  # the job's people have gone with the job that was there
        open_shot(page, running)
        return fixes(page)[0]
    both = [running.worker(), running.worker()]
    open_shot(page, running)
    circle_the_crest(page)
    words = f"Held on all {COUNT} frames"
    expect(page.get_by_text(words)).to_be_visible(timeout=120_000)
    wait_for(page, lambda: Evidence.objects.filter(fix=Fix.objects.get()).exists(), seconds=120)
    tracked.keep()
    running.stop(both)
    return fixes(page)[0]


@pytest.fixture
def workers(crest, running) -> None:
    """Two of them, for the tracked crest."""
    running.worker()
    running.worker()
