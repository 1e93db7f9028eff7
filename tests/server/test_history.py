"""Undo for what belongs to a shot as a whole, and what is taken away for good after some days."""

import json
from datetime import timedelta

import pytest
from django.conf import settings
from django.utils import timezone
from fixes.models import Fix
from fixes.tasks import KEPT, clear_gone
from jobs.history import TOGETHER
from jobs.models import Step

pytestmark = pytest.mark.django_db(transaction=True)


def fixes(web, shot) -> list[dict]:
    return json.loads(web.get(f"/api/shots/{shot.id}/fixes").content)


def step(web, shot, which: str) -> dict:
    answer = web.post(f"/api/shots/{shot.id}/{which}")
    assert answer.status_code == 200, answer.content
    return answer.json()


def test_a_fix_taken_away_comes_back_whole(web, whole, shot):
    fix = whole.fix
    assert web.delete(f"/api/fixes/{fix['id']}?version={fix['version']}").status_code == 204
    assert fixes(web, shot) == []
    assert web.get(f"/api/fixes/{fix['id']}").status_code == 404
    assert web.get(f"/api/shots/{shot.id}").json()["undo"] == "Take Fix 1 away"
    step(web, shot, "undo")
    back = fixes(web, shot)[0]
    assert (back["strokes"], back["hold"]["state"], back["plate"]) == (fix["strokes"], "done", fix["plate"])
    step(web, shot, "redo")
    assert fixes(web, shot) == []


def test_what_was_taken_away_is_cleared_after_some_days(web, whole):
    fix = Fix.objects.get(id=whole.fix["id"])
    pictures = settings.PLATES / str(fix.id)
    pictures.mkdir(parents=True, exist_ok=True)
    (pictures / "kept.tif").write_bytes(b"a plate")
    web.delete(f"/api/fixes/{fix.id}?version={fix.version}")
    clear_gone(0)
    assert Fix.every.filter(id=fix.id).exists()
    assert pictures.exists()
    Fix.every.filter(id=fix.id).update(gone=timezone.now() - KEPT - timedelta(hours=1))
    clear_gone(0)
    assert not Fix.every.filter(id=fix.id).exists()
    assert not pictures.exists()
    answer = web.post(f"/api/shots/{fix.shot_id}/undo")
    assert answer.status_code == 404
    assert "too long ago" in answer.json()["title"]


def test_order_look_and_range_are_undone_one_after_the_other(web, whole, shot):
    from tests.server.conftest import loop

    made = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop(100, 90)}, "application/json").json()
    first = whole.fix["id"]
    order = {"fixes": [made["id"], first]}
    assert web.put(f"/api/shots/{shot.id}/order", order, "application/json").status_code == 200
    for exposure in (0.5, 1.0, 1.5):  # a slider that is dragged
        look = {"look": {"exposure": exposure}}
        assert web.patch(f"/api/shots/{shot.id}", look, "application/json").status_code == 200
    cut = {"cut_in": 1002, "cut_out": 1008}
    assert web.patch(f"/api/shots/{shot.id}", cut, "application/json").json()["undo"] == "Range"
    assert step(web, shot, "undo")["clip"]["first"] == 1001
    assert step(web, shot, "undo")["look"]["exposure"] == 0
    step(web, shot, "undo")
    assert [fix["id"] for fix in fixes(web, shot)] == [first, made["id"]]
    assert web.post(f"/api/shots/{shot.id}/undo").json()["title"] == "There is nothing to undo."
    for _ in range(3):
        shown = step(web, shot, "redo")
    assert (shown["clip"]["first"], shown["look"]["exposure"]) == (1002, 1.5)
    assert [fix["id"] for fix in fixes(web, shot)] == [made["id"], first]
    assert web.post(f"/api/shots/{shot.id}/redo").status_code == 400


def test_a_new_step_forgets_what_was_undone(web, shot):
    web.patch(f"/api/shots/{shot.id}", {"look": {"exposure": 1}}, "application/json")
    Step.objects.update(made=timezone.now() - 2 * TOGETHER)
    step(web, shot, "undo")
    assert web.patch(f"/api/shots/{shot.id}", {"handles": 3}, "application/json").json()["redo"] == ""


def test_an_artist_s_first_times_are_remembered(web, client):
    assert web.get("/api/session").json()["done"] == []
    for _ in range(2):
        assert web.post("/api/session/done", {"what": "edge"}, "application/json").json()["done"] == ["edge"]
    assert web.get("/api/session").json()["done"] == ["edge"]
    assert web.post("/api/session/done", {"what": "<script>"}, "application/json").status_code == 400
    assert client.post("/api/session/done", {"what": "edge"}, "application/json").status_code == 401
