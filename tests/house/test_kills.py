"""Everything killed in the middle of the work: workers, web server, database. No frame is lost, doubled or different."""

import os
import random
import time

import numpy as np
import pytest
from django.test import Client

from hushcore.deliver import report
from hushcore.media.pictures import read_codes
from tests.house.conftest import FRAMES, until

KILLS = int(os.environ.get("HUSH_KILLS", "5"))  # bench: 50
pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.timeout(600)]


def asked(web: Client, shot, **more) -> dict:
    answer = web.post(
        f"/api/shots/{shot.id}/deliver", {"first": 1001, "last": 1000 + FRAMES, **more}, "application/json"
    )
    assert answer.status_code == 201, answer.content
    return answer.json()


def state(number: int) -> str:
    from deliveries.models import Delivery

    return Delivery.objects.get(id=number).state


def frames_of(settings, delivery: dict) -> dict[str, bytes]:
    folder = settings.DELIVERIES / delivery["folder"]
    return {path.name: path.read_bytes() for path in sorted(folder.glob("wall.*.tif"))}


@pytest.mark.parametrize("form", ["source", "ffv1"])
def test_deliveries_whose_workers_and_database_are_killed(house, job, cluster, settings, form):
    pieces = [{"what": "frames", "form": form}]
    for _ in range(2):
        house.worker()
    calm = asked(job["web"], job["shot"], pieces=pieces)
    until(lambda: state(calm["id"]) == "done")
    from deliveries.models import DeliveredFrame, Delivery

    DeliveredFrame.objects.update(state="")  # nothing of it is taken over: every frame is made again
    rng = random.Random(7)
    storm = asked(job["web"], job["shot"], pieces=pieces)
    for kill in range(KILLS):
        time.sleep(0.4 + rng.random())
        if kill % 5 == 2:
            cluster.kill()
            time.sleep(1)
            cluster.start()
        victim = rng.choice(house.processes)
        victim.kill()
        victim.wait()
        house.processes.remove(victim)
        house.worker()
    for worker in list(house.processes):  # those that lost their database may have ended by themselves
        if worker.poll() is not None:
            house.processes.remove(worker)
            house.worker()
    until(lambda: state(storm["id"]) in ("done", "failed"), 180)
    row = Delivery.objects.get(id=storm["id"])
    if row.state == "failed":  # what broke with the database is said, and goes on from there
        assert row.problem
        job["web"].post(f"/api/deliveries/{row.id}/go-on")
        until(lambda: state(storm["id"]) == "done", 120)
    assert row.frames.count() == FRAMES
    said = report.check(settings.DELIVERIES / storm["folder"])
    assert f"holds: {FRAMES} frames" in said
    if form == "source":
        one, two = frames_of(settings, calm), frames_of(settings, storm)
        assert list(one) == list(two) == [f"wall.{n}.tif" for n in range(1001, 1001 + FRAMES)]
        assert one == two
    assert not list((settings.DELIVERIES / storm["folder"]).glob(".*"))


def test_an_acknowledged_edit_outlives_server_and_database(house, job, cluster):
    """Edits over real HTTP; the server and the database are killed right after the answers."""
    import httpx

    house.server()
    server = house.processes[-1]
    client = httpx.Client(base_url=house.address, timeout=20)
    csrf = client.get("/api/session").json()["csrf"]
    client.headers["X-CSRFToken"] = csrf
    signed = client.post("/api/session", json={"name": "ada", "password": "linen and clay"})
    assert signed.status_code == 200, signed.text
    client.headers["X-CSRFToken"] = signed.json()["csrf"]
    at, version, kept = f"/api/fixes/{job['fix']['id']}", job["fix"]["version"], ""
    for k in range(6):
        try:
            answer = client.patch(f"{at}/name", json={"version": version, "name": f"Name {k}"})
        except httpx.TransportError:
            answer = None
        if answer is not None and answer.status_code == 200:
            kept, version = f"Name {k}", answer.json()["version"]
        if k == 1:
            server.kill()
            server.wait()
            house.processes.remove(server)
            house.server()
        if k == 3:
            cluster.kill()
            cluster.start()
            until(lambda: client.get(at).status_code == 200, 60)
    assert kept == "Name 5"
    assert client.get(at).json()["name"] == kept
    undone = client.post(f"{at}/undo", json={"version": version}).json()
    assert undone["name"] == "Name 4"


def test_what_was_delivered_is_the_patched_frame(house, job, settings):
    house.worker()
    made = asked(job["web"], job["shot"])
    until(lambda: state(made["id"]) == "done")
    source, after = (
        read_codes(place / "wall.1007.tif")
        for place in (settings.MEDIA_FOOTAGE / "wall", settings.DELIVERIES / made["folder"])
    )
    y, x = np.mgrid[0:180, 0:240]
    far = np.hypot(x - 120, y - 90) > 60
    assert (source[far] == after[far]).all()
    spot = np.hypot(x - 120, y - 90) < 10
    assert after[spot].mean() > 1.3 * source[spot].mean()
