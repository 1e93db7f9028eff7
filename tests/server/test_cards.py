"""The list of jobs: shots in short, putting away, deleting, and what a job takes on the disk."""

import pytest
from django.conf import settings
from fixes.models import Fix
from jobs.models import Clip, Job, Shot
from tells.models import Tell

pytestmark = pytest.mark.django_db(transaction=True)

QUIET = {"drift": 0.1, "seam": 0.2, "light": 0.1, "texture": 0.3, "grain": 0.2, "flicker": 0.1}


def test_a_shot_in_short_shows_marks_ribbon_and_state(web, whole, shot):
    fix = Fix.objects.get(id=whole.fix["id"])
    Tell.objects.create(fix=fix, frame=1002, state="x", values=QUIET)
    Tell.objects.create(fix=fix, frame=1005, state="x", values={**QUIET, "grain": 2.5})
    (card,) = web.get(f"/api/jobs/{shot.job_id}/cards").json()
    assert card["poster"] == whole.fix["hold"]["anchor"]
    xs, ys = zip(*card["marks"][0], strict=True)
    assert min(xs) < 160 < max(xs)
    assert min(ys) < 130 < max(ys)
    assert card["ribbon"] == [None, 0.3, None, None, 2.5, None, None, None, None]  # one column a frame of nine
    (one,) = card["fixes"]
    assert (one["name"], one["state"], one["loud"], one["frame"]) == ("Fix 1", "measured", 2.5, 1005)
    whole.do("patch", "on", on=False)
    (card,) = web.get(f"/api/jobs/{shot.job_id}/cards").json()
    assert card["marks"] == []
    assert set(card["ribbon"]) == {None}


def test_an_untouched_shot_is_short_as_well(web, shot):
    (card,) = web.get(f"/api/jobs/{shot.job_id}/cards").json()
    assert (card["poster"], card["marks"], card["fixes"]) == (1005, [], [])


def test_jobs_and_shots_are_renamed_noted_and_put_away(web, shot):
    job = f"/api/jobs/{shot.job_id}"
    answer = web.patch(job, {"name": " Film ", "note": "Grade is final", "put_away": True}, "application/json").json()
    assert (answer["name"], answer["note"], answer["put_away"]) == ("Film", "Grade is final", True)
    assert web.patch(job, {"name": "  "}, "application/json").json()["kind"] == "no-name"
    assert Job.objects.get(id=shot.job_id).name == "Film"
    shown = web.patch(f"/api/shots/{shot.id}", {"put_away": True, "note": "later"}, "application/json").json()
    assert (shown["put_away"], shown["note"], shown["undo"]) == (True, "later", "")


def test_a_deleted_shot_takes_its_work_along_and_leaves_its_footage(web, whole, shot, work):
    pictures = settings.PLATES / str(whole.fix["id"])
    pictures.mkdir(parents=True, exist_ok=True)
    before = sorted(path.name for path in (settings.MEDIA_FOOTAGE / "wall").iterdir())
    assert web.delete(f"/api/shots/{shot.id}").status_code == 204
    assert not pictures.exists()
    assert (Shot.objects.count(), Clip.objects.count(), Fix.every.count()) == (0, 0, 0)
    assert sorted(path.name for path in (settings.MEDIA_FOOTAGE / "wall").iterdir()) == before
    work()  # what was queued for it ends quietly


def test_a_deleted_job_is_gone_with_its_shots(web, shot):
    assert web.delete(f"/api/jobs/{shot.job_id}").status_code == 204
    assert web.get("/api/jobs").json() == []
    assert (settings.MEDIA_FOOTAGE / "wall").is_dir()


def test_a_job_says_what_it_takes(web, fix, shot):
    pictures = settings.PLATES / str(fix["id"])
    pictures.mkdir(parents=True, exist_ok=True)
    (pictures / "a.tif").write_bytes(bytes(1000))
    taken = web.get(f"/api/jobs/{shot.job_id}/storage").json()
    assert taken["plates"] == 1000
    assert taken["deliveries"] == 0
    assert taken["proxies"] > 0
