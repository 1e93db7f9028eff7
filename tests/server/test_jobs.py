import numpy as np
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client
from jobs.models import Job, Shot

from hushcore.colour import spaces
from hushcore.media.pictures import write_codes

pytestmark = pytest.mark.django_db(transaction=True)


def test_shot_keeps_the_clip_s_numbers_and_rate(web, shot):
    found = web.get("/api/jobs").json()[0]["shots"][0]
    assert (found["clip"]["first"], found["clip"]["last"]) == (1001, 1009)
    assert found["clip"]["depth"] == "uint16"
    assert found["job_name"] == "Test job"


@pytest.mark.parametrize("place", ["../elsewhere", "/etc", "wall/../../x"])
def test_a_path_that_leaves_the_storage_root_is_refused(web, storage, place):
    job = Job.objects.create(name="J")
    answer = web.post(f"/api/jobs/{job.id}/shots", {"place": place}, "application/json")
    assert answer.status_code == 400
    assert answer.json()["kind"] == "outside-root"
    assert Shot.objects.count() == 0


def test_frames_of_different_sizes_are_named_on_the_way_in(web, footage):
    write_codes(footage / "wall.1005.tif", np.zeros((10, 10, 3), np.uint16))
    job = Job.objects.create(name="J")
    answer = web.post(f"/api/jobs/{job.id}/shots", {"place": "wall"}, "application/json")
    assert answer.status_code == 201
    clip = answer.json()["clip"]
    assert clip["odd"]["1005"].startswith("10 x 10")
    assert clip["missing"] == [1005]


def test_frames_that_are_not_one_sequence_are_refused(web, footage):
    for frame in range(1002, 1008):
        write_codes(footage / f"wall.{frame}.tif", np.zeros((10, 10, 3), np.uint16))
    job = Job.objects.create(name="J")
    answer = web.post(f"/api/jobs/{job.id}/shots", {"place": "wall"}, "application/json")
    assert answer.json()["kind"] == "frame-size"
    assert Shot.objects.count() == 0


def test_gaps_are_shown_and_unreadable_footage_is_named(web, footage):
    (footage / "wall.1003.tif").unlink()
    broken = settings.MEDIA_FOOTAGE / "broken"
    broken.mkdir()
    (broken / "x.0001.tif").write_text("no picture")
    (found,) = web.get("/api/footage?place=wall").json()["found"]
    assert (found["place"], found["missing"]) == ("wall.####.tif", [1003])
    answer = web.get("/api/footage/examine?place=broken/x.%23%23%23%23.tif")
    assert answer.status_code == 400
    assert "cannot be read" in answer.json()["title"]


def test_a_frame_that_is_gone_is_said_where_the_artist_looks(web, shot, footage):
    (footage / "wall.1006.tif").unlink()
    answer = web.get(f"/pictures/shots/{shot.id}/frames/1006.jpg")
    assert answer.status_code == 400
    assert "Frame 1006 of wall is missing" in answer.json()["title"]


def test_demo_signs_in_on_loopback_only_with_the_demo_on(client, settings):
    User.objects.create_user("demo", first_name="Demo")
    settings.DEMO = False
    assert client.get("/api/session").json()["signed_in"] is False
    settings.DEMO = True
    assert client.get("/api/session", REMOTE_ADDR="10.0.0.9").json()["signed_in"] is False
    assert client.get("/api/session").json()["signed_in"] is True
    client.delete("/api/session")
    assert client.get("/api/session").json()["signed_in"] is False


def test_signing_in_with_a_password(client, artist):
    wrong = client.post("/api/session", {"name": "ada", "password": "x"}, "application/json")
    assert wrong.json()["kind"] == "bad-sign-in"
    right = client.post("/api/session", {"name": "ada", "password": "a long enough word"}, "application/json")
    assert right.json()["signed_in"] is True


def test_the_web_side_s_types_are_fresh():
    """The OpenAPI document and the types made from it must be committed as the server has them now."""
    import json
    from pathlib import Path

    from api.root import api

    kept = json.loads((Path(__file__).resolve().parents[2] / "web" / "openapi.json").read_text())
    assert kept == json.loads(json.dumps(api.get_openapi_schema(path_prefix="/api/"))), "run bin/types"


def test_the_demo_opens_again_on_this_machine_only(client, db, settings):
    User.objects.create_user("demo", first_name="Wren", last_name="Alder")
    settings.DEMO = True
    assert client.post("/api/session/demo", REMOTE_ADDR="192.0.2.7").status_code == 403
    assert client.post("/api/session/demo").json()["name"] == "Wren Alder"
    settings.DEMO = False
    client.logout()
    refused = client.post("/api/session/demo")
    assert refused.status_code == 403
    assert "sign in with a name" in refused.json()["title"]


def test_an_answer_that_comes_late_does_not_undo_signing_out(client, db, settings):
    """Pictures and lists are often under way when somebody leaves; each answer to the ended session clears its cookie."""
    User.objects.create_user("demo", first_name="Wren", last_name="Alder")
    settings.DEMO = True
    assert client.get("/api/session").json()["signed_in"]
    late = Client()
    late.cookies.load({name: one.value for name, one in client.cookies.items()})
    client.delete("/api/session")
    for path in ("/api/jobs", "/api/storage/disks"):
        client.cookies.update(late.get(path).cookies)
    assert not client.get("/api/session").json()["signed_in"]
    client.post("/api/session/demo")
    assert client.get("/api/session").json()["signed_in"]


def test_encodings_of_the_built_in_list_are_standards_and_cameras(web):
    words = [entry["words"] for entry in web.get("/api/colour").json()["encodings"]]
    assert {"ACEScct", "ARRI LogC4", "S-Log3 S-Gamut3.Cine", "Linear Rec.709 (sRGB)"} <= set(words)
    assert not [name for name in spaces.names() if name not in spaces.offered() and name in words]
    assert len(spaces.offered()) == len(spaces.names()) - 2


def test_what_is_cleared_while_it_is_counted_is_passed_over(tmp_path, monkeypatch):
    import os

    from jobs.actions import disk_use

    for name in ("a", "b"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "one.jpg").write_bytes(b"x" * 10)
    real = os.path.getsize

    def cleared(path):
        if path.endswith(os.path.join("b", "one.jpg")):
            raise FileNotFoundError(path)
        return real(path)

    monkeypatch.setattr(os.path, "getsize", cleared)
    assert disk_use(tmp_path) == (1, 10)
    assert disk_use(tmp_path / "gone") == (0, 0)
