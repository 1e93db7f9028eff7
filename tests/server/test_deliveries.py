import json

import pytest
from deliveries.models import Delivery
from django.conf import settings

from hushcore.media.pictures import read_codes

pytestmark = pytest.mark.django_db(transaction=True)


def ask(web, shot, first=1001, last=1009):
    return web.post(f"/api/shots/{shot.id}/deliver", {"first": first, "last": last}, "application/json")


def test_delivery_is_whole_and_proved(web, whole, shot, work, footage):
    made = ask(web, shot)
    assert made.status_code == 201, made.content
    work()
    done = web.get("/api/deliveries").json()[0]
    assert (done["state"], done["written"], done["changed_outside"]) == ("done", 9, 0)
    folder = settings.DELIVERIES / done["folder"]
    assert sorted(p.name for p in folder.iterdir()) == ["proof.json", *[f"wall.{n}.tif" for n in range(1001, 1010)]]
    assert json.loads((folder / "proof.json").read_text())["changed_inside"] == done["changed_inside"] > 0
    source, written = (read_codes(place / "wall.1001.tif") for place in (footage, folder))
    changed = (source != written).any(-1)
    assert changed.any()
    assert not changed[:40].any()


def test_delivery_uses_the_fixes_as_they_stood(web, whole, shot, work):
    ask(web, shot, 1002, 1003)
    whole.do("patch", "on", on=False)
    work()
    assert web.get("/api/deliveries").json()[0]["changed_inside"] > 0


@pytest.mark.parametrize("last", [1000, 1050])
def test_a_wrong_range_is_refused(web, whole, shot, last):
    assert ask(web, shot, 1001, last).json()["kind"] == "bad-range"
    assert Delivery.objects.count() == 0


def test_an_unfinished_fix_is_named(web, fix, shot):
    answer = ask(web, shot)
    assert "No plate yet" in answer.json()["title"]
    assert Delivery.objects.count() == 0


def test_a_full_disk_stops_the_delivery_with_a_message_and_it_can_go_on(web, whole, shot, work, monkeypatch):
    from hushcore.deliver import frames as engine

    real, calls = engine.write_like, []

    def full(source, path, codes):
        calls.append(path)
        if len(calls) == 4:
            from hushcore.media.pictures import disk_problem

            raise disk_problem(path, OSError(28, "No space left on device"))
        real(source, path, codes)

    monkeypatch.setattr(engine, "write_like", full)
    ask(web, shot)
    work()
    stopped = web.get("/api/deliveries").json()[0]
    assert stopped["state"] == "failed"
    assert "disk may be full" in stopped["problem"]
    folder = settings.DELIVERIES / stopped["folder"]
    assert len(list(folder.glob("*.tif"))) == stopped["written"] == 3
    assert not list(folder.glob(".*"))
    monkeypatch.setattr(engine, "write_like", real)
    web.post(f"/api/deliveries/{stopped['id']}/go-on")
    work()
    assert web.get("/api/deliveries").json()[0]["state"] == "done"


def test_no_room_is_seen_before_anything_is_queued(web, whole, shot, monkeypatch):
    import shutil

    monkeypatch.setattr(shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10, 10, 1000))
    answer = ask(web, shot)
    assert answer.status_code == 507
    assert Delivery.objects.count() == 0


def test_stopping_and_clearing(web, whole, shot, work):
    made = ask(web, shot).json()
    assert web.post(f"/api/deliveries/{made['id']}/stop").json()["state"] == "stopped"
    work()
    assert web.get("/api/deliveries").json()[0]["written"] == 0
    assert web.delete(f"/api/deliveries/{made['id']}").status_code == 204
    assert web.get("/api/deliveries").json() == []
    assert not (settings.DELIVERIES / made["folder"]).exists()
