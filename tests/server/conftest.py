"""A job on a small clip with a real surface in it, a client that is signed in, and a worker that runs inline."""

from collections.abc import Callable

import numpy as np
import pytest
import scipy.ndimage as ndi
from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client

from hushcore.media.pictures import write_codes
from tests.kept import Kept, empty_the_queue

SHIFT = np.array([1.4, -0.8])  # px a frame
COUNT = 9


@pytest.fixture(autouse=True)
def quick_passwords(settings):
    """A hash that is slow on purpose is tested by Django."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture
def storage(tmp_path, settings):
    """Storage roots of the test's own."""
    settings.MEDIA_FOOTAGE, settings.DELIVERIES, settings.PROXIES, settings.PLATES = (
        tmp_path / name for name in ("media", "deliveries", "proxies", "plates")
    )
    settings.MEDIA_FOOTAGE.mkdir()
    settings.PROPOSE = False  # most tests paint by hand
    settings.SCAN_APART = False  # one test opens footage apart; the others need not wait for it
    return tmp_path


@pytest.fixture
def footage(storage, texture):
    """``wall.####.tif``: a texture that moves by SHIFT a frame, with a dark mark on it."""
    y, x = np.mgrid[0:260, 0:320].astype(float)
    picture = texture[100:360, 60:380].astype(float).copy()
    mark = np.hypot(x - 160, y - 130) < 18
    picture[mark] *= 0.5
    folder = settings.MEDIA_FOOTAGE / "wall"
    if folder.exists():  # put back with a fix; written anew it would not be what that was made on
        return folder
    rng = np.random.default_rng(4)
    for k in range(COUNT):
        dx, dy = k * SHIFT
        moved = ndi.map_coordinates(picture, [y - dy, x - dx], order=3, mode="reflect")
        noisy = 0.15 + 0.7 * moved + rng.normal(0, 0.006, moved.shape)
        codes = np.round(np.clip(np.repeat(noisy[..., None], 3, 2), 0, 1) * 65535).astype(np.uint16)
        write_codes(folder / f"wall.{1001 + k:04d}.tif", codes)
    return folder


@pytest.fixture
def empty_queue(transactional_db) -> None:
    """No work is left waiting from another test."""
    empty_the_queue()


@pytest.fixture
def shot(empty_queue, storage, kept, request):
    """The wall as a shot; what was made of it is put back where a test asks for its fix."""
    from jobs.actions import bring_in
    from jobs.models import Job, Shot

    if kept.rows and "fix" in request.fixturenames:
        kept.put_back(storage)
        return Shot.objects.get()
    request.getfixturevalue("footage")
    return bring_in(Job.objects.create(name="Test job"), "010 wall", "wall")


@pytest.fixture
def artist(db):
    return User.objects.create_user("ada", password="a long enough word", is_staff=True)


@pytest.fixture
def web(artist) -> Client:
    """A browser of the artist's."""
    client = Client()
    client.force_login(artist)
    return client


@pytest.fixture(scope="session")
def kept(tmp_path_factory) -> Kept:
    """The wall, circled and tracked."""
    return Kept(tmp_path_factory.mktemp("kept"))


@pytest.fixture
def work(empty_queue) -> Callable[[], None]:
    """Runs every waiting job here, as a worker would."""
    from procrastinate.contrib.django import app

    def run() -> None:
        with app.replace_connector(app.connector.get_worker_connector()) as inline:
            inline.run_worker(wait=False, install_signal_handlers=False, listen_notify=False)

    return run


def loop(x=160.0, y=130.0, radius=24.0):
    turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    return [[float(x + radius * np.cos(t)), float(y + radius * np.sin(t))] for t in turns]


@pytest.fixture
def fix(web, shot, work, storage, kept):
    """A fix that is circled and tracked."""
    from fixes.models import Fix

    if kept.rows:
        return web.get(f"/api/fixes/{Fix.objects.get().id}").json()
    answer = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop()}, "application/json")
    assert answer.status_code == 201, answer.content
    work()
    made = web.get(f"/api/fixes/{answer.json()['id']}").json()
    kept.keep(storage)
    return made


class Hands:
    """Makes changes as the screen does, always on the newest version."""

    def __init__(self, web: Client, fix: dict) -> None:
        self.web, self.fix = web, fix

    def do(self, verb: str, what: str, /, **body):
        send = getattr(self.web, verb)
        answer = send(
            f"/api/fixes/{self.fix['id']}/{what}", {"version": self.fix["version"], **body}, "application/json"
        )
        if answer.status_code < 300:
            self.fix = answer.json()
        return answer

    def stroke(self, x=160.0, y=130.0, **more):
        data = {"kind": "clone", "points": [[x, y, 1]], "radius": 24, "donor": {"offset": [60, 0]}, **more}
        return self.do("post", "strokes", stroke=data)


@pytest.fixture
def hands(web, fix) -> Hands:
    return Hands(web, fix)


@pytest.fixture
def whole(hands) -> Hands:
    """A fix with a plate and a stroke over the mark."""
    assert hands.do("patch", "plate", frame=1004).status_code == 200
    assert hands.stroke().status_code == 200
    return hands
