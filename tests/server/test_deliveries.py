import json

import OpenImageIO as oiio
import pytest
from deliveries.models import Delivery
from django.conf import settings

from hushcore.media.pictures import read_codes

pytestmark = pytest.mark.django_db(transaction=True)


def ask(web, shot, first=1001, last=1009, **more):
    return web.post(f"/api/shots/{shot.id}/deliver", {"first": first, "last": last, **more}, "application/json")


def newest(web):
    return web.get("/api/deliveries").json()[0]


def test_delivery_is_whole_and_proved(web, whole, shot, work, footage):
    made = ask(web, shot)
    assert made.status_code == 201, made.content
    work()
    done = web.get("/api/deliveries").json()[0]
    assert (done["state"], done["written"], done["changed_outside"]) == ("done", 9, 0)
    folder = settings.DELIVERIES / done["folder"]
    assert sorted(p.name for p in folder.iterdir()) == [
        "SHA256SUMS", "proof.json", *[f"wall.{n}.tif" for n in range(1001, 1010)],
    ]  # fmt: skip
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
    from hushcore.deliver import pictures as engine

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


ALL = [
    {"what": "frames", "form": "exr-half", "mattes": True}, {"what": "frames", "form": "dpx10", "name": "dpx/{shot}.####"},
    {"what": "mattes", "form": "png16", "each": False}, {"what": "patch", "form": "exr-half", "straight": False},
    {"what": "side"},
]  # fmt: skip


def test_several_things_at_once_read_back_by_the_command_line(web, whole, shot, work):
    import subprocess
    import sys
    from pathlib import Path

    from tells.tasks import measure

    measure(fix=whole.fix["id"])
    made = ask(web, shot, pieces=ALL)
    assert made.status_code == 201, made.content
    work()
    done = newest(web)
    assert (done["state"], done["problem"], done["changed_outside"]) == ("done", "", 0)
    folder = settings.DELIVERIES / done["folder"]
    assert (folder / "dpx" / "010-wall.1004.dpx").exists()
    assert (folder / "mattes" / "all.1004.png").exists()
    hush = Path(sys.executable).parent / "hush"
    said = subprocess.run([hush, "check", str(folder)], capture_output=True, text=True)
    assert said.returncode == 0, said.stderr
    assert "9 frames (1001 to 1009) in 37 files are as they were delivered" in said.stdout
    assert subprocess.run(["sha256sum", "-c", "--quiet", "SHA256SUMS"], cwd=folder).returncode == 0
    proof = json.loads((folder / "proof.json").read_text())
    assert proof["fixes"][0]["tells"].keys() == {str(n) for n in range(1001, 1010)}
    assert (folder / "dpx" / "010-wall.1004.dpx").write_bytes(b"gone") == 4
    web.post(f"/api/deliveries/{done['id']}/check")
    work()
    assert newest(web)["checked"]["holds"] is False
    assert "010-wall.1004.dpx has been changed" in newest(web)["checked"]["words"]


def laid_frames(monkeypatch) -> list[int]:
    """Frames that are really laid from here on."""
    from hushcore.deliver import frames as engine

    real, found = engine.finished, []

    def counted(codes, frame, fixes):
        found.append(frame)
        return real(codes, frame, fixes)

    monkeypatch.setattr(engine, "finished", counted)
    return found


def test_a_changed_recipe_makes_only_the_frames_that_it_touches(web, whole, shot, work, monkeypatch):
    ask(web, shot)
    work()
    first = newest(web)
    laid = laid_frames(monkeypatch)
    web.post(f"/api/deliveries/{first['id']}/again")
    work()
    assert (newest(web)["state"], laid) == ("done", [])
    assert whole.do("patch", "off", off=[[1003, 1005]]).status_code == 200
    web.post(f"/api/deliveries/{first['id']}/again")
    work()
    third = newest(web)
    assert (third["state"], sorted(laid)) == ("done", [1003, 1004, 1005])
    one, two = (settings.DELIVERIES / row["folder"] / "wall.1004.tif" for row in (first, third))
    assert (read_codes(one) != read_codes(two)).any()
    assert whole.stroke(100, 90).status_code == 200
    laid.clear()
    web.post(f"/api/deliveries/{first['id']}/again")
    work()
    assert sorted(laid) == [1001, 1002, 1006, 1007, 1008, 1009]


def test_a_corrected_timecode_is_written_anew_and_not_copied_over(web, whole, shot, work, monkeypatch):
    """The numbers of SMPTE ST 12 that an OpenEXR header holds are those that the shot has now."""
    pieces = [{"what": "frames", "form": "exr-half"}]
    web.patch(f"/api/shots/{shot.id}", {"timecode": "01:00:00:00"}, "application/json")
    ask(web, shot, 1001, 1003, pieces=pieces)
    work()
    laid, first = laid_frames(monkeypatch), newest(web)
    web.patch(f"/api/shots/{shot.id}", {"timecode": "02:00:00:00"}, "application/json")
    web.post(f"/api/deliveries/{first['id']}/again")
    work()
    assert (newest(web)["state"], sorted(laid)) == ("done", [1001, 1002, 1003])
    told = [
        oiio.ImageInput.open(str(next((settings.DELIVERIES / row["folder"]).rglob("*.1002.exr")))).spec()
        for row in (first, newest(web))
    ]
    assert [spec.getattribute("smpte:TimeCode") for spec in told] == [(0x01000001, 0), (0x02000001, 0)]  # BCD


def test_a_fix_below_that_is_changed_meanwhile_changes_nothing_of_what_was_asked(web, whole, shot, work):
    from tests.server.conftest import Hands, loop

    made = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop(200, 130)}, "application/json").json()
    work()
    upper = Hands(web, web.get(f"/api/fixes/{made['id']}").json())
    assert upper.do("patch", "plate", frame=1004).status_code == 200
    assert upper.stroke(200, 130).status_code == 200
    ask(web, shot, 1004, 1004)
    whole.stroke(168, 130, opacity=0.5)
    work()
    changed = newest(web)
    ask(web, shot, 1004, 1004)
    work()
    a, b = (read_codes(settings.DELIVERIES / row["folder"] / "wall.1004.tif") for row in (changed, newest(web)))
    whole.do("post", "undo")
    ask(web, shot, 1004, 1004)
    work()
    c = read_codes(settings.DELIVERIES / newest(web)["folder"] / "wall.1004.tif")
    assert (a == c).all()
    assert (a != b).any()


@pytest.mark.parametrize(
    ("more", "kind"),
    [
        ({"folder": "../elsewhere"}, "outside-root"), ({"folder": "/tmp"}, "outside-root"),
        ({"pieces": [{"form": "gif"}]}, "bad-form"), ({"pieces": [{"what": "patch", "form": "dpx10"}]}, "bad-form"),
        ({"pieces": [{"form": "tiff16"}, {"what": "patch", "form": "tiff16", "name": "{clip}.####"}]}, "bad-pattern"),
        ({"pieces": [{"form": "tiff16", "name": "../{clip}.####"}]}, "bad-pattern"),
        ({"pieces": [{"form": "tiff16", "name": "{clip}"}]}, "bad-pattern"),
        ({"pieces": [{"form": "tiff16", "space": "ocio:none such"}]}, "bad-space"),
    ],
)  # fmt: skip
def test_what_cannot_be_written_is_refused_and_nothing_is_made(web, whole, shot, more, kind):
    assert ask(web, shot, **more).json()["kind"] == kind
    assert Delivery.objects.count() == 0
    assert not settings.DELIVERIES.exists() or list(settings.DELIVERIES.iterdir()) == []


def test_a_delivery_never_goes_into_the_footage_or_over_another(web, whole, shot, work):
    from django.test import override_settings

    assert ask(web, shot, folder="spring/v1").status_code == 201
    work()
    for folder in ("spring/v1", "spring/v1/more", "spring"):
        assert ask(web, shot, folder=folder).json()["kind"] == "exists"
    with override_settings(DELIVERIES=settings.MEDIA_FOOTAGE):
        assert ask(web, shot, folder="wall").json()["kind"] == "over-source"
        assert ask(web, shot, folder="wall/out").json()["kind"] == "over-source"
    assert Delivery.objects.count() == 1


def test_a_folder_that_cannot_be_written_is_said(web, whole, shot, monkeypatch):
    from pathlib import Path

    real = Path.touch

    def refused(self, *args, **kwargs):
        if self.name == ".probe":
            raise PermissionError(13, "Permission denied")
        real(self, *args, **kwargs)

    monkeypatch.setattr(Path, "touch", refused)
    answer = ask(web, shot).json()
    assert answer["kind"] == "not-writable"
    assert "give Hush Patch leave" in answer["title"]
    assert Delivery.objects.count() == 0


def test_a_source_frame_that_has_changed_is_said_and_can_be_taken(web, whole, shot, work):
    from hushcore.media.pictures import write_codes

    path = settings.MEDIA_FOOTAGE / "wall" / "wall.1005.tif"
    write_codes(path, read_codes(path) // 2)
    answer = ask(web, shot).json()
    assert answer["kind"] == "changed-source"
    assert "Frame 1005 of wall has changed" in answer["title"]
    assert web.post(f"/api/shots/{shot.id}/take-footage").status_code == 200
    assert ask(web, shot).status_code == 201
    path.unlink()
    work()
    failed = newest(web)
    assert failed["state"] == "failed"
    assert "Frame 1005 of wall is missing" in failed["problem"]
    assert ask(web, shot).json()["kind"] == "missing-frame"


def test_files_that_were_lost_meanwhile_are_written_again(web, whole, shot, work):
    made = ask(web, shot).json()
    work()
    Delivery.objects.filter(id=made["id"]).update(state="stopped", stop_asked=True)
    lost = settings.DELIVERIES / made["folder"] / "wall.1003.tif"
    lost.unlink()
    web.post(f"/api/deliveries/{made['id']}/go-on")
    work()
    assert newest(web)["state"] == "done"
    assert lost.exists()


def test_priority_is_that_of_what_waits(web, whole, shot):
    from procrastinate.contrib.django.models import ProcrastinateJob

    made = ask(web, shot).json()
    web.patch(f"/api/deliveries/{made['id']}/priority", {"priority": 20}, "application/json")
    waiting = ProcrastinateJob.objects.filter(task_name="deliver", status="todo")
    assert list(waiting.values_list("priority", "args__first")) == [(20, 1001), (20, 1009)]
    web.post(f"/api/deliveries/{made['id']}/stop")
    assert waiting.count() == 0


def test_presets_are_kept_per_job(web, whole, shot):
    at = f"/api/jobs/{shot.job_id}/presets"
    body = {"name": "For the edit", "pieces": [{"what": "frames", "form": "prores4444"}], "with_look": True}
    assert web.post(at, body, "application/json").status_code == 201
    again = web.post(at, {**body, "with_look": False}, "application/json").json()
    assert [(row["name"], row["with_look"]) for row in web.get(at).json()] == [("For the edit", False)]
    assert web.delete(f"/api/presets/{again['id']}").status_code == 204
    assert web.get(at).json() == []
