import json

import numpy as np
import pytest
from fixes.models import Fix
from holds.models import Hold, HoldFrame
from laying.ready import painted_plate, ready

from tests.server.conftest import COUNT, SHIFT, Hands, loop

pytestmark = pytest.mark.django_db(transaction=True)


def test_a_loop_becomes_a_hold_that_follows_the_surface(fix):
    hold = fix["hold"]
    assert hold["state"] == "done"
    assert hold["kind"] == "planar"  # a wall: the stiffer hold is preferred where it fits
    assert [frame["frame"] for frame in hold["frames"]] == [n for n in range(1001, 1001 + COUNT) if n != 1004]
    engine = Hold.objects.get(id=hold["id"]).engine()
    for frame in (1001, 1009):
        moved = engine.at(frame).forward(np.array([[160.0, 130.0]]))[0] - [160, 130]
        np.testing.assert_allclose(moved, (frame - 1004) * SHIFT, atol=0.15)


def test_the_proposed_ground_is_larger_than_the_mark_and_inside_the_picture(fix):
    shape = np.array(fix["hold"]["ground"]["read"][0])
    assert np.hypot(*(shape - [160, 130]).T).min() > 24 + 20
    assert shape.min() >= 0
    assert shape[:, 0].max() < 320
    assert len(fix["edge"]["nodes"]) >= 3


def test_strokes_and_undo_survive_a_reload(web, whole):
    assert whole.stroke(150, 120).status_code == 200
    assert len(whole.fix["strokes"]) == 2
    whole.do("post", "undo")
    assert len(web.get(f"/api/fixes/{whole.fix['id']}").json()["strokes"]) == 1
    assert whole.fix["redo"] == "Clone"
    whole.do("post", "redo")
    assert len(whole.fix["strokes"]) == 2
    for _ in range(3):
        whole.do("post", "undo")
    assert whole.fix["plate"] is None
    assert whole.do("post", "undo").json()["kind"] == "no-revision"
    whole.do("patch", "match", match={"light": "even", "blur": True})
    assert whole.fix["redo"] == ""  # a new change ends what could be redone


def test_two_tabs_the_later_one_is_told_and_shown_the_newer_state(web, fix):
    one, two = Hands(web, fix), Hands(web, dict(fix))
    assert one.do("patch", "edge", growth=3, softness=9).status_code == 200
    refused = two.do("patch", "edge", growth=30, softness=1)
    assert refused.status_code == 409
    body = refused.json()
    assert body["kind"] == "conflict"
    assert body["newer"]["document"]["edge"]["growth"] == 3
    assert web.get(f"/api/fixes/{fix['id']}").json()["edge"]["softness"] == 9


def test_a_stroke_with_no_plate_is_refused_in_words(hands):
    answer = hands.stroke()
    assert answer.status_code == 400
    assert "No plate yet" in answer.json()["title"]
    assert Fix.objects.get(id=hands.fix["id"]).document["plates"] == []


def test_an_edge_with_no_area_is_refused_and_the_old_one_stays(hands):
    line = [{"x": 1, "y": 1}, {"x": 50, "y": 50}, {"x": 99, "y": 99}]
    answer = hands.do("patch", "edge", nodes=line, growth=0, softness=0)
    assert answer.json()["kind"] == "no-area"
    assert len(hands.web.get(f"/api/fixes/{hands.fix['id']}").json()["edge"]["nodes"]) == 8


@pytest.mark.parametrize(
    ("bad", "kind"),
    [
        ([[310.0, 100.0], [400, 100], [400, 200]], "bad-ground"),
        ([[10.0, 10], [11, 10], [11, 11]], "no-area"),
    ],
)
def test_a_loop_that_cannot_be_used(web, shot, bad, kind):
    answer = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": bad}, "application/json")
    assert answer.json()["kind"] == kind
    assert Fix.objects.count() == 0


def test_a_ground_that_leaves_the_picture_changes_nothing(hands):
    ground = {"anchor": 1004, "read": [[[-200, 10], [100, 10], [100, 100]]], "ignore": []}
    answer = hands.do("post", "track", method={"kind": "mesh"}, ground=ground)
    assert answer.json()["kind"] == "bad-ground"
    assert Hold.objects.count() == 1


def test_a_better_hold_carries_the_old_strokes(whole, work):
    edge = whole.fix["edge"]
    assert whole.do("post", "track", method={"kind": "mesh"}, ground=whole.fix["hold"]["ground"]).status_code == 200
    work()
    again = whole.web.get(f"/api/fixes/{whole.fix['id']}").json()
    assert again["hold"]["kind"] == "mesh"
    assert again["hold"]["state"] == "done"
    assert len(again["strokes"]) == 1
    assert again["edge"] == edge


def test_tracking_can_be_stopped_keeps_what_is_done_and_goes_on(web, shot, work):
    made = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop()}, "application/json").json()
    hold = made["hold"]["id"]
    assert web.post(f"/api/holds/{hold}/stop").json()["state"] == "stopped"
    work()
    assert HoldFrame.objects.filter(hold=hold).count() == 0
    assert web.post(f"/api/holds/{hold}/go-on").json()["state"] == "waiting"
    work()
    assert web.get(f"/api/holds/{hold}").json()["state"] == "done"
    assert HoldFrame.objects.filter(hold=hold).count() == COUNT - 1


def test_a_missing_frame_ends_the_hold_with_a_message(web, shot, footage, work):
    made = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop()}, "application/json").json()
    (footage / "wall.1008.tif").unlink()
    work()
    hold = web.get(f"/api/holds/{made['hold']['id']}").json()
    assert hold["state"] == "failed"
    assert "Frame 1008 of wall is missing" in hold["problem"]
    assert {1005, 1006, 1007} <= {frame["frame"] for frame in hold["frames"]}


def test_the_map_of_a_frame_is_the_engine_s(web, fix):
    answer = web.get(f"/api/holds/{fix['hold']['id']}/maps/1007").json()
    engine = Hold.objects.get(id=fix["hold"]["id"]).engine().at(1007)
    np.testing.assert_allclose(np.reshape(answer["params"], (3, 3)), engine.matrix, atol=1e-8)
    assert web.get(f"/api/holds/{fix['hold']['id']}/maps/1050").status_code == 400


def test_pictures_show_the_patch(web, whole, shot):
    import cv2

    def picture(address):
        answer = web.get(address)
        assert answer.status_code == 200, answer.content
        return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR).astype(int)

    source = picture(f"/pictures/shots/{shot.id}/frames/1008.png")
    patched = picture(f"/pictures/shots/{shot.id}/patched/1008.png")
    x, y = np.round(np.array([160, 130]) + 4 * SHIFT).astype(int)
    assert patched[y - 5 : y + 6, x - 5 : x + 6].mean() > source[y - 5 : y + 6, x - 5 : x + 6].mean() + 10
    assert (patched[:40] == source[:40]).all()
    fix = whole.fix["id"]
    part = picture(f"/pictures/fixes/{fix}/plate.png?x=130&y=100&w=60&h=60")
    assert part.shape == (60, 60, 3)
    for address in ("still/1008.jpg", "still/1008.jpg?patched=1", "crops/1008.jpg", "crops/1008.jpg?patched=1"):
        picture(f"/pictures/fixes/{fix}/{address}")


def test_settled_plate_is_what_delivery_uses(web, whole, shot):

    fix = Fix.objects.get(id=whole.fix["id"])
    prepared, hold = ready(fix)
    plate = painted_plate(fix, fix.document["plates"][0], hold)
    left = prepared.sheets[0].asleft if prepared.sheets[0].asleft is not None else prepared.sheets[0].painted
    np.testing.assert_array_equal(plate.cut(prepared.rect)[1], left)


def test_strangers_see_nothing(client, shot):
    assert client.get("/api/jobs").status_code == 401
    assert client.get(f"/pictures/shots/{shot.id}/frames/1001.jpg").status_code == 401
    assert client.get("/api/events").status_code == 401


def test_taken_away_fix_is_gone(web, fix):
    assert web.delete(f"/api/fixes/{fix['id']}?version={fix['version']}").status_code == 204
    assert json.loads(web.get(f"/api/shots/{fix['shot']}/fixes").content) == []
