"""Correcting a hold over HTTP: keys, redone stretches, going on, smoothing, tracks in and out."""

import csv
import io
import json
from dataclasses import replace

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from fixes.models import Revision
from holds.models import Hold
from holds.rows import keep

from tests.server.conftest import COUNT, SHIFT, Hands, loop

pytestmark = pytest.mark.django_db(transaction=True)
SPOT = np.array([160.0, 130.0])
ANCHOR, FIRST, LAST = 1004, 1001, 1000 + COUNT


def now(hands: Hands) -> dict:
    """The fix as the server has it, for the next change too."""
    hands.fix = hands.web.get(f"/api/fixes/{hands.fix['id']}").json()
    return hands.fix


def place(hands: Hands, frame: int) -> np.ndarray:
    """Where the spot is on a frame."""
    return Hold.objects.get(id=now(hands)["hold"]["id"]).engine().at(frame).forward(SPOT)


def truth(frame: int) -> np.ndarray:
    return SPOT + (frame - ANCHOR) * SHIFT


def pin(hands: Hands, frame: int, dx: float, dy: float) -> dict:
    at = np.add(truth(frame), [dx, dy])
    return {"still": SPOT.tolist(), "at": at.tolist()}


def test_a_key_is_met_and_its_neighbours_are_measured_anew(hands, work):
    first = hands.fix["hold"]["id"]
    answer = hands.do("post", "keys", frame=1007, pins=[pin(hands, 1007, 2, 1)], whole=True)
    assert answer.status_code == 200
    assert answer.json()["undo"] == "Key 1007"
    assert answer.json()["hold"]["state"] == "waiting"
    np.testing.assert_allclose(place(hands, 1007), np.add(truth(1007), [2, 1]), atol=0.02)  # at once, before any worker
    work()
    hold = now(hands)["hold"]
    assert hold["state"] == "done"
    assert len([frame for frame in hold["frames"] if frame["by"] == hold["id"]]) == 5  # 1005, 1006, the key, 1008, 1009
    assert hold["done"] == hold["wanted"] == 7  # two of them seen from both sides
    np.testing.assert_allclose(place(hands, 1007), np.add(truth(1007), [2, 1]), atol=0.02)
    away = np.array([place(hands, frame) - truth(frame) for frame in range(ANCHOR, LAST + 1)])
    assert np.abs(np.diff(away[:, 0])).max() < 1.6  # no jump: 2 px over three frames
    assert {frame["by"] for frame in hold["frames"] if frame["frame"] < ANCHOR} == {
        first
    }  # the other side is as it was
    assert hold["keys"] == [{"frame": 1007, "pins": [pin(hands, 1007, 2, 1)]}]


def test_undo_brings_the_hold_before_the_key_back_and_redo_the_key(hands, work):
    hands.do("post", "keys", frame=1007, pins=[pin(hands, 1007, 4, 0)])
    work()
    now(hands)
    hands.do("post", "undo")
    np.testing.assert_allclose(place(hands, 1007), truth(1007), atol=0.2)
    assert hands.fix["hold"]["keys"] == []
    hands.do("post", "redo")
    np.testing.assert_allclose(place(hands, 1007), np.add(truth(1007), [4, 0]), atol=0.05)


def test_a_key_taken_away_lets_the_picture_speak_again(hands, work):
    hands.do("post", "keys", frame=1007, pins=[pin(hands, 1007, 4, 0)])
    work()
    assert hands.do("post", "keys/delete", frame=1007).status_code == 200
    work()
    for frame in (1006, 1007, 1008):
        np.testing.assert_allclose(place(hands, frame), truth(frame), atol=0.3)
    assert hands.do("post", "keys/delete", frame=1007).json()["kind"] == "bad-key"


def test_two_keys_with_a_range_redone_between_them(hands, work):
    for frame in (1006, 1009):
        hands.do("post", "keys", frame=frame, pins=[pin(hands, frame, 1.5, 0)])
        work()
        now(hands)
    assert hands.do("post", "redo-range", first=1005, last=1008).status_code == 200
    work()
    np.testing.assert_allclose(place(hands, 1006), np.add(truth(1006), [1.5, 0]), atol=0.05)
    for frame in (1007, 1008):
        np.testing.assert_allclose(place(hands, frame), np.add(truth(frame), [1.5, 0]), atol=0.35)


def test_a_new_kind_keeps_edge_plate_and_strokes(whole, work):
    before = now(whole)
    method = {"kind": "two-point", "motion": "similarity", "search": [30, 30]}
    windows = [[[120, 100], [150, 100], [150, 130], [120, 130]], [[175, 140], [205, 140], [205, 170], [175, 170]]]
    ground = {"anchor": ANCHOR, "read": windows}
    assert whole.do("post", "track", method=method, ground=ground).status_code == 200
    work()
    after = now(whole)
    assert after["hold"]["kind"] == "two-point"
    assert after["hold"]["method"]["search"] == [30, 30]
    assert (after["edge"], after["plate"]["frame"], after["strokes"]) == (
        before["edge"], before["plate"]["frame"], before["strokes"],
    )  # fmt: skip
    np.testing.assert_allclose(place(whole, 1008), truth(1008), atol=0.3)


def test_one_way_keeps_the_other_side(hands, work):
    hold = hands.fix["hold"]
    hands.do("post", "keys", frame=1002, pins=[pin(hands, 1002, 3, 0)])
    work()
    now(hands)
    answer = hands.do("post", "track", method=hold["method"], ground=hold["ground"], way="ahead")
    assert answer.json()["undo"] == "Track ahead"
    assert [frame["frame"] for frame in answer.json()["hold"]["frames"]] == [1001, 1002, 1003]  # ahead is to come
    work()
    assert [frame["frame"] for frame in now(hands)["hold"]["frames"]] == [
        n for n in range(FIRST, LAST + 1) if n != ANCHOR
    ]
    np.testing.assert_allclose(place(hands, 1002), np.add(truth(1002), [3, 0]), atol=0.05)


def test_go_on_from_a_frame_one_at_a_time_and_with_a_new_template(hands, work):
    hands.do("post", "throw-away", first=1007, last=LAST)
    assert [frame["frame"] for frame in hands.fix["hold"]["frames"]][-1] == 1006
    hands.do("post", "onward", frame=1006, way="ahead", until=1007)
    work()
    assert [frame["frame"] for frame in now(hands)["hold"]["frames"]][-1] == 1007
    hands.do("post", "onward", frame=1007, way="ahead", renew=True)
    assert hands.fix["undo"] == "Track on from 1007, new template"
    work()
    for frame in (1007, 1008, 1009):
        np.testing.assert_allclose(place(hands, frame), truth(frame), atol=0.2)
    now(hands)
    assert hands.do("post", "onward", frame=LAST, way="ahead").json()["kind"] == "bad-range"


def test_smoothing_and_second_pass_keep_every_frame(hands, work):
    hands.do("post", "smooth", first=1002, last=1008, strength=5)
    work()
    hold = now(hands)["hold"]
    assert hold["state"] == "done"
    assert hold["done"] == 6  # the anchor stays
    hands.do("post", "second-pass")
    work()
    hold = now(hands)["hold"]
    assert hold["state"] == "done"
    assert len(hold["frames"]) == COUNT - 1
    for frame in range(FIRST, LAST + 1):
        np.testing.assert_allclose(place(hands, frame), truth(frame), atol=0.25)


def test_off_ranges_leave_the_frame_as_it_was(whole):
    address = f"/pictures/shots/{whole.fix['shot']}/patched/1006.png"
    patched = whole.web.get(address).content
    assert whole.do("patch", "off", off=[[1006, 1007]]).status_code == 200
    source = whole.web.get(f"/pictures/shots/{whole.fix['shot']}/frames/1006.png").content
    assert whole.web.get(address).content == source
    assert patched != source
    assert whole.do("patch", "off", off=[[900, 1007]]).json()["kind"] == "bad-range"


def test_keys_that_cannot_be_are_refused_and_nothing_changes(hands):
    version = hands.fix["version"]
    for body, words in (
        ({"frame": ANCHOR, "pins": [pin(hands, ANCHOR, 1, 0)]}, "anchor"),
        ({"frame": 2000, "pins": [pin(hands, 1007, 1, 0)]}, "outside"),
        (
            {"frame": 1007, "pins": [pin(hands, 1007, 1, 0), pin(hands, 1007, -9, 0)]},
            "pull two ways",
        ),
    ):
        answer = hands.do("post", "keys", **body)
        assert answer.status_code == 400
        assert words in answer.json()["title"]
    assert now(hands)["version"] == version
    assert Hold.objects.count() == 1


def test_tracks_go_out_in_open_forms(web, hands):
    hold = hands.fix["hold"]["id"]
    full = json.loads(web.get(f"/api/holds/{hold}/tracks/hold.json").content)
    assert full["version"] == 1
    assert len(full["frames"]) == COUNT - 1
    rows = list(csv.DictReader(io.StringIO(web.get(f"/api/holds/{hold}/tracks/points.csv").content.decode())))
    middle = {int(row["frame"]): (float(row["x"]), float(row["y"])) for row in rows if row["id"] == "middle"}
    np.testing.assert_allclose(np.subtract(middle[1008], middle[1004]), 4 * SHIFT, atol=0.2)
    matrices = json.loads(web.get(f"/api/holds/{hold}/tracks/matrices.json").content)
    assert np.array(matrices["frames"]["1004"]).tolist() == np.eye(3).tolist()
    assert web.get(f"/api/holds/{hold}/tracks/other.bin").status_code == 400


def test_a_track_comes_in_as_a_point_hold(whole):
    lines = ["frame,x,y"] + [f"{frame},{truth(frame)[0]:.3f},{truth(frame)[1]:.3f}" for frame in range(FIRST, LAST + 1)]

    def send(text: str, anchor: int = ANCHOR):
        return whole.web.post(
            f"/api/fixes/{whole.fix['id']}/import-track",
            {"version": whole.fix["version"], "anchor": anchor, "file": SimpleUploadedFile("t.csv", text.encode())},
        )

    refused = send("\n".join(lines[:3]) + "\n1003,soft,1\n")
    assert refused.status_code == 400
    assert "Line 4" in refused.json()["title"]
    whole.fix = send("\n".join(lines)).json()
    assert whole.fix["hold"]["kind"] == "point"
    assert whole.fix["hold"]["state"] == "done"
    assert len(whole.fix["strokes"]) == 1
    np.testing.assert_allclose(place(whole, 1008), truth(1008), atol=0.01)
    assert whole.web.get(f"/pictures/shots/{whole.fix['shot']}/patched/1008.png").status_code == 200


def test_what_the_tracker_sees_can_be_looked_at(web, hands):
    hands_on = f"/pictures/fixes/{hands.fix['id']}/tracker/1005.jpg"
    plain = web.get(hands_on)
    assert plain["Content-Type"] == "image/jpeg"
    blurred = web.get(hands_on + "?prep=" + json.dumps({"blur": 4}))
    assert blurred.content != plain.content
    assert web.get(hands_on + '?prep={"blur": 400}').status_code == 400


def test_maps_say_what_is_used(web, hands):
    hold = hands.fix["hold"]["id"]
    found = web.get(f"/api/holds/{hold}/maps/1006").json()
    assert len(found["params"]) == 9
    assert len(found["cells"]) == len(found["drift"])
    assert {c for row in found["cells"] for c in row} <= set("0123456789o.")
    assert any("9" in row for row in found["cells"])


def test_a_correction_while_tracking_lets_the_rest_go_on(web, shot, work, hands):
    """The key comes before the workers have measured the last frames: they are measured all the same."""
    hold = hands.fix["hold"]
    hands.do("post", "track", method=hold["method"], ground=hold["ground"])
    assert hands.fix["hold"]["frames"] == []
    hands.do("post", "keys", frame=1006, pins=[pin(hands, 1006, 1, 0)])
    work()
    done = now(hands)["hold"]
    assert done["state"] == "done"
    assert [frame["frame"] for frame in done["frames"]] == [n for n in range(FIRST, LAST + 1) if n != ANCHOR]
    np.testing.assert_allclose(place(hands, 1006), np.add(truth(1006), [1, 0]), atol=0.05)


def test_two_keys_set_at_once_are_both_redone(hands, work):
    """The second key comes before any worker has begun on the first: neither is left with a jump beside it."""
    hands.do("post", "keys", frame=1007, pins=[pin(hands, 1007, 2, 0)])
    hands.do("post", "keys", frame=1002, pins=[pin(hands, 1002, -2, 0)])
    hold = hands.fix["hold"]
    assert hold["wanted"] == 11  # 1005 and 1006 twice, 1003 twice, 1008, 1009, 1001, and both keys
    work()
    hold = now(hands)["hold"]
    assert hold["state"] == "done"
    assert hold["done"] == 11
    away = np.array([place(hands, frame) - truth(frame) for frame in range(FIRST, LAST + 1)])[:, 0]
    np.testing.assert_allclose(away[[1, 6]], [-2, 2], atol=0.05)
    np.testing.assert_allclose(away[[0, 7, 8]], [-2, 2, 2], atol=0.35)
    assert np.abs(np.diff(away)).max() < 1.6


def test_a_key_ahead_of_the_tracker_leads_it(hands, work):
    """What was still to be measured is measured from the key, not from where the tracker stood."""
    hold = hands.fix["hold"]
    hands.do("post", "track", method=hold["method"], ground=hold["ground"])
    hands.do("post", "keys", frame=1005, pins=[pin(hands, 1005, 1.5, 0)])
    work()
    for frame in (1007, 1009):
        np.testing.assert_allclose(place(hands, frame), np.add(truth(frame), [1.5, 0]), atol=0.35)
    np.testing.assert_allclose(place(hands, 1002), truth(1002), atol=0.2)  # the other way went on as it was


def test_going_on_from_the_anchor_needs_no_new_template(hands, work):
    answer = hands.do("post", "onward", frame=ANCHOR, way="ahead", until=1006, renew=True)
    assert answer.status_code == 200
    work()
    np.testing.assert_allclose(place(hands, 1006), truth(1006), atol=0.2)


def test_nothing_is_thrown_away_or_smoothed_while_it_is_measured(hands):
    hold = hands.fix["hold"]
    hands.do("post", "track", method=hold["method"], ground=hold["ground"])
    for what, more in (("throw-away", {}), ("smooth", {"strength": 5}), ("second-pass", {})):
        body = {"first": 1002, "last": 1006, **more} if what != "second-pass" else {}
        assert hands.do("post", what, **body).json()["kind"] == "running"


def test_a_ground_that_no_surface_holds_ends_both_directions(web, shot, footage, work):
    """One direction tries the surfaces; when that fails, the other must not wait for ever."""
    from procrastinate.contrib.django.models import ProcrastinateJob

    from hushcore.media.pictures import read_codes, write_codes

    for path in sorted(footage.glob("*.tif")):
        write_codes(path, np.full_like(read_codes(path), 30000))
    made = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop()}, "application/json").json()
    work()
    hold = web.get(f"/api/holds/{made['hold']['id']}").json()
    assert (hold["state"], hold["trying"]) == ("failed", "")
    assert "no texture" in hold["problem"]
    assert not ProcrastinateJob.objects.filter(task_name="track", status="todo").exists()


def test_a_poor_hold_of_a_loop_is_tried_on_a_wider_ground_and_stays_the_artist_s(web, shot, work, monkeypatch):
    """Where the mark is the better for it, the fix lies on the new hold as a step of its own; else nothing changes."""
    from holds import widening

    monkeypatch.setattr(widening, "poor", lambda hold: True)
    answers = iter([False, True])
    monkeypatch.setattr(widening, "better", lambda *_: next(answers))
    circle = lambda x: web.post(  # noqa: E731
        f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop(x), "anew": True}, "application/json"
    ).json()
    first, second = circle(160.0), circle(100.0)
    work()
    assert Hold.objects.count() == 3
    assert web.get(f"/api/fixes/{first['id']}").json()["hold"]["id"] == first["hold"]["id"]
    now = web.get(f"/api/fixes/{second['id']}").json()
    assert now["hold"]["id"] != second["hold"]["id"]
    wide, own = (np.ptp(np.array(one["hold"]["ground"]["read"][0]), axis=0) for one in (now, second))
    assert (wide > own + 50).all()
    taken = Hold.objects.get(id=now["hold"]["id"])
    assert taken.state == Hold.State.DONE
    assert taken.frames.count() == COUNT - 1
    errors = [taken.engine().at(n).forward(SPOT) - truth(n) for n in range(FIRST, LAST + 1)]
    assert np.abs(errors).max() < 0.3
    back = web.post(f"/api/fixes/{second['id']}/undo", {"version": now["version"]}, "application/json").json()
    assert back["hold"]["id"] == second["hold"]["id"]


def test_a_poor_hold_of_a_loop_is_tried_in_the_channel_that_shows_the_mark(web, shot, work, monkeypatch):
    from holds import widening

    monkeypatch.setattr(widening, "poor", lambda hold: hold is engines[0] if engines else engines.append(hold) or True)
    monkeypatch.setattr(widening, "clearest", lambda *_: "g")
    monkeypatch.setattr(widening, "better", lambda *_: True)
    engines: list = []
    body = {"frame": 1004, "loop": loop(160.0)}
    made = web.post(f"/api/shots/{shot.id}/circle", body, "application/json").json()
    work()
    now = web.get(f"/api/fixes/{made['id']}").json()
    assert Hold.objects.count() == 2  # good enough: no wider ground is tried as well
    assert now["hold"]["method"]["prep"]["channel"] == "g"
    assert now["hold"]["ground"] == made["hold"]["ground"]
    assert len(now["hold"]["frames"]) == COUNT - 1
    assert Revision.objects.filter(fix=made["id"]).latest("id").label == "Held by its green channel"


def tried(hands) -> tuple[str, str]:
    hold = now(hands)["hold"]
    assert hold["state"] != "waiting"
    return hold["kind"], hold["trying"]


def test_a_ground_that_the_artist_drew_is_never_widened(web, hands, work, monkeypatch):
    from holds import reading, widening

    monkeypatch.setattr(widening, "poor", lambda hold: True)
    monkeypatch.setattr(widening, "better", lambda *_: True)
    said, told = [], reading._tell
    monkeypatch.setattr(reading, "_tell", lambda hold: (said.append(tried(hands)), told(hold)))
    hold = hands.fix["hold"]
    hands.do("post", "track", method={"kind": "auto"}, ground=hold["ground"])
    work()
    # what is tried meanwhile is said, and then what was found
    assert said == [("auto", "plane"), ("auto", "stiff"), ("auto", "cloth"), ("planar", "")]
    after = now(hands)["hold"]
    assert after["id"] == Hold.objects.order_by("-id")[0].id
    assert after["ground"]["read"] == hold["ground"]["read"]


def test_a_mark_is_looked_for_where_its_hold_slipped_and_the_screens_are_told(hands, work, monkeypatch):
    """Not after a redo, nor where it was gone on from an older hold: that is the artist's own."""
    from holds import tasks

    hold = Hold.objects.get(id=hands.fix["hold"]["id"])
    told = []
    mend = tasks._mend
    monkeypatch.setattr(tasks, "_mend", lambda one: (told.append(now(hands)["hold"]["settling"]), mend(one)))
    gone_on = [
        Hold.objects.create(fix=hold.fix, kind=hold.kind, anchor=hold.anchor, first=FIRST, last=LAST, ground={}).id
    ]
    for doing, line, mended in (
        (Hold.Work.REDO, [], False),
        (Hold.Work.TRACK, gone_on, False),
        (Hold.Work.TRACK, [], True),
    ):
        Hold.objects.filter(id=hold.id).update(work=doing, line=line)
        for number in (1005, 1006):
            slip(hold, number, 25.0)
        told.clear()
        tasks.settle(hold.id)
        engine = Hold.objects.get(id=hold.id).engine()
        errors = [np.abs(engine.at(n).forward(SPOT) - truth(n)).max() for n in (1005, 1006)]
        assert bool(max(errors) < 0.5) is mended, errors
        assert told == [True]
        after = now(hands)["hold"]
        assert after["settling"] is False
        assert [one["words"] for one in after["otherwise"]] == [FOUND_BY_MARK] * mended


FOUND_BY_MARK = "2 frames found by the mark itself, 1005 to 1006"


def slip(hold: Hold, number: int, by: float) -> None:
    """Put a frame of a hold beside what it was, and say that it may be."""
    row = hold.known.get(frame=number)
    frame = row.engine()
    params = np.array(frame.params)
    if hold.grid is None:
        params[0, 2] += by
    else:
        params[..., 0] += by
    keep(hold, number, replace(frame, params=params, drift_rms=30.0), None)
