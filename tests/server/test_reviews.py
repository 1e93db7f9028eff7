"""Versions, notes, sending to review, approving and returning; what versions need is kept."""

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client
from fixes.models import Fix
from jobs.models import Member, Shot
from reviews.models import Version

from tests.server.conftest import loop

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def reviewer(shot) -> Client:
    person = User.objects.create_user("otto", first_name="Otto", last_name="Brandl")
    Member.objects.create(job=shot.job, person=person, role="reviewer")
    browser = Client()
    browser.force_login(person)
    return browser


def picture(browser, version: int, frame: int = 1004) -> bytes:
    answer = browser.get(f"/pictures/versions/{version}/{frame}.jpg")
    assert answer.status_code == 200, answer.content
    return answer.content


def named(web, shot, name):
    return web.post(f"/api/shots/{shot.id}/versions", {"name": name}, "application/json").json()


def test_a_version_stays_as_it_stood_and_can_be_gone_back_to(web, whole, shot, work):
    one = named(web, shot, "Healed from the left")
    before = picture(web, one["id"])
    assert before == web.get(f"/pictures/shots/{shot.id}/patched/1004.jpg").content
    whole.stroke(170, 130, donor={"offset": [-60, 0]})
    whole.do("patch", "name", name="Other")
    made = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop(230, 130)}, "application/json").json()
    work()
    after = web.get(f"/pictures/shots/{shot.id}/patched/1004.jpg").content
    assert before != after
    assert picture(web, one["id"]) == before
    back = web.post(f"/api/versions/{one['id']}/go-back")
    assert back.status_code == 200, back.content
    assert [row["name"] for row in back.json()["versions"]] == [
        "Before going back to Healed from the left",
        "Healed from the left",
    ]
    assert web.get(f"/pictures/shots/{shot.id}/patched/1004.jpg").content == before
    assert [fix["name"] for fix in web.get(f"/api/shots/{shot.id}/fixes").json()] == [one["fixes"][0]]
    two = back.json()["versions"][0]
    web.post(f"/api/versions/{two['id']}/go-back")
    assert {fix["id"] for fix in web.get(f"/api/shots/{shot.id}/fixes").json()} == {whole.fix["id"], made["id"]}
    assert web.get(f"/api/fixes/{whole.fix['id']}").json()["name"] == "Other"
    assert web.get(f"/pictures/shots/{shot.id}/patched/1004.jpg").content == after


def test_going_back_twice_keeps_no_second_copy(web, whole, shot):
    one = named(web, shot, "One")
    for _ in range(2):
        web.post(f"/api/versions/{one['id']}/go-back")
    assert Version.objects.count() == 1
    assert named(web, shot, "  ")["kind"] == "no-name"


def test_the_look_of_then_comes_back(web, whole, shot):
    one = named(web, shot, "One")
    before = picture(web, one["id"])
    look = {**web.get(f"/api/shots/{shot.id}").json()["look"], "exposure": 1.5}
    web.patch(f"/api/shots/{shot.id}", {"look": look}, "application/json")
    assert picture(web, one["id"]) == before
    web.post(f"/api/versions/{one['id']}/go-back")
    assert web.get(f"/api/shots/{shot.id}").json()["look"]["exposure"] == 0


def test_what_a_version_needs_is_not_cleared(web, whole, shot):
    from datetime import timedelta

    from django.utils import timezone
    from fixes.tasks import clear_gone

    one = named(web, shot, "One")
    web.delete(f"/api/fixes/{whole.fix['id']}?version={whole.fix['version']}")
    Fix.every.update(gone=timezone.now() - timedelta(days=60))
    clear_gone(timestamp=0)
    assert Fix.every.count() == 1
    assert picture(web, one["id"])
    Version.objects.all().delete()
    clear_gone(timestamp=0)
    assert Fix.every.count() == 0


def test_only_pictures_that_no_state_needs_are_cleared(web, whole, shot):
    from plates.models import Plate

    folder = settings.PLATES / str(whole.fix["id"])
    folder.mkdir(parents=True, exist_ok=True)
    kept, old = (f"{whole.fix['id']}/{name}.tif" for name in ("kept", "old"))
    for name in (kept, old):
        (settings.PLATES / name).write_bytes(b"x" * 1000)
    needed = Plate.objects.create(fix_id=whole.fix["id"], frame=1004, picture=kept)
    Plate.objects.create(fix_id=whole.fix["id"], frame=1004, picture=old)
    fix = Fix.objects.get()
    entries = [{"fix": fix.id, "document": {**fix.document, "plates": [{"id": needed.id, "strokes": []}]}}]
    Version.objects.create(shot=shot, number=1, name="One", entries=entries)
    row = web.get("/api/storage").json()["shots"][0]
    assert row["unneeded"] == 1000
    assert web.post(f"/api/shots/{shot.id}/clear-unneeded").json() == {"freed": 1000}
    assert (settings.PLATES / kept).exists()
    assert not (settings.PLATES / old).exists()


def test_from_sending_to_approving(web, whole, shot, reviewer):
    assert web.post(f"/api/shots/{shot.id}/send", {"name": ""}, "application/json").json()["name"] == "To review 1"
    row = reviewer.get("/api/reviews").json()[0]
    assert (row["shot_name"], row["status"], row["role"], row["sent"]) == (
        "010 wall",
        "to-review",
        "reviewer",
        "To review 1",
    )
    version = reviewer.get(f"/api/shots/{shot.id}/review").json()["versions"][0]
    assert picture(reviewer, version["id"])
    at = f"/api/versions/{version['id']}/verdict"
    mute = reviewer.post(at, {"approved": False}, "application/json").json()
    assert mute["kind"] == "no-words"
    body = {
        "frame": 1005,
        "words": "Still a ghost of it",
        "spot": [160, 130],
        "lines": [[[150, 120], [170, 140]]],
        "version": version["id"],
    }
    pinned = reviewer.post(f"/api/shots/{shot.id}/notes", body, "application/json")
    assert pinned.status_code == 201, pinned.content
    back = reviewer.post(at, {"approved": False, "words": ""}, "application/json").json()
    assert back["verdicts"][0]["approved"] is False
    assert Shot.objects.get().status == "in-hand"
    note = web.get(f"/api/shots/{shot.id}/notes").json()[0]
    assert (note["frame"], note["x"], note["by"], note["done"], note["mine"]) == (
        1005,
        160,
        "Otto Brandl",
        False,
        False,
    )
    web.post(f"/api/notes/{note['id']}/answers", {"words": "Healed again"}, "application/json")
    web.patch(f"/api/notes/{note['id']}", {"done": True}, "application/json")
    seen = reviewer.get(f"/api/shots/{shot.id}/notes").json()[0]
    assert (seen["done"], seen["done_by"], seen["answers"][0]["words"]) == (True, "ada", "Healed again")
    assert web.delete(f"/api/notes/{note['id']}").status_code == 204
    web.post(f"/api/shots/{shot.id}/send", {"name": ""}, "application/json")
    newer = reviewer.get(f"/api/shots/{shot.id}/review").json()["versions"][0]
    reviewer.post(at, {"approved": True}, "application/json")
    assert Shot.objects.get().status == "to-review"  # the older one was approved, the newer is not seen yet
    reviewer.post(f"/api/versions/{newer['id']}/verdict", {"approved": True, "words": "Gone"}, "application/json")
    assert Shot.objects.get().status == "approved"


@pytest.mark.parametrize(
    ("body", "kind"),
    [
        ({"frame": 999, "words": "Here"}, "no-frame"), ({"frame": 1004, "words": " "}, "no-words"),
        ({"frame": 1004, "words": "Here", "spot": [5000, 3]}, "no-frame"),
        ({"frame": 1004, "words": "Here", "lines": [[[0, 0]] * 5000]}, "too-large"),
        ({"frame": 1004, "words": "Here", "version": 10**6}, "not-found"),
    ],
)  # fmt: skip
def test_a_note_that_cannot_be_is_refused(reviewer, shot, body, kind):
    assert reviewer.post(f"/api/shots/{shot.id}/notes", body, "application/json").json()["kind"] == kind


def test_only_who_wrote_a_note_takes_it_back(reviewer, web, shot):
    other = User.objects.create_user("ines")
    Member.objects.create(job=shot.job, person=other, role="artist")
    browser = Client()
    browser.force_login(other)
    note = reviewer.post(f"/api/shots/{shot.id}/notes", {"frame": 1004, "words": "Here"}, "application/json").json()
    assert browser.delete(f"/api/notes/{note['id']}").status_code == 403
    assert reviewer.delete(f"/api/notes/{note['id']}").status_code == 204
    assert web.get(f"/api/shots/{shot.id}/notes").json() == []


def test_nothing_to_review_is_said(web, shot):
    assert web.post(f"/api/shots/{shot.id}/send", {"name": ""}, "application/json").json()["kind"] == "incomplete"
