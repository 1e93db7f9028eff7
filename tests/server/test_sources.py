"""Sources, holds used again, duplicates and tries over HTTP, as the screens use them."""

import cv2
import numpy as np
import pytest
from fixes.models import Fix
from holds.models import Hold
from laying import behind
from laying import tasks as laying
from plates.models import Plate
from plates.root import plates_root

from tests.server.conftest import SHIFT, Hands, loop

pytestmark = pytest.mark.django_db(transaction=True)
MARK = (160.0, 130.0)  # on 1001


def shown(web, shot: int, frame: int, what: str = "patched") -> np.ndarray:
    answer = web.get(f"/pictures/shots/{shot}/{what}/{frame}.png")
    assert answer.status_code == 200, answer.content
    return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR).astype(float)


def spot(web, shot: int, frame: int, what: str = "patched") -> float:
    x, y = np.round(np.array(MARK) + (frame - 1001) * SHIFT).astype(int)
    return float(shown(web, shot, frame, what)[y - 6 : y + 7, x - 6 : x + 7].mean())


FILL = {"kind": "soak"}


# -- fills


@pytest.mark.parametrize("kind", ["soak", "contour", "pull", "weave"])
def test_a_fill_takes_the_mark_off_every_frame_and_needs_no_plate(hands, web, shot, kind):
    assert hands.fix["lacks"]
    assert hands.do("patch", "fill", fill={"kind": kind, "patch": 11}).status_code == 200
    assert (hands.fix["source"], hands.fix["lacks"], hands.fix["plates"]) == ("fill", "", [])
    for frame in (1001, 1009):
        assert spot(web, shot.id, frame) > 1.2 * spot(web, shot.id, frame, "frames")  # the mark was half as bright
    assert hands.do("post", "undo").json()["lacks"]


def test_what_a_fill_lacks_or_cannot_is_said_and_nothing_is_lost(hands, web, shot):
    hands.do("patch", "fill", fill={"kind": "borrow"})
    assert "drag the clean place" in hands.fix["lacks"]
    hands.do("patch", "fill", fill={"kind": "borrow", "offset": [4, 0]})
    answer = web.get(f"/pictures/fixes/{hands.fix['id']}/sights/matte/1004.png")
    assert (answer.status_code, answer.json()["kind"]) == (400, "donor-on-mark")
    assert hands.do("patch", "fill", fill={"kind": "borrow", "offset": [70, 20]}).status_code == 200
    assert spot(web, shot.id, 1004) > 1.2 * spot(web, shot.id, 1004, "frames")
    refused = hands.do("patch", "fill", fill={"kind": "weave", "place": [[1, 1], [2, 2]]})
    assert (refused.status_code, refused.json()["kind"]) == (400, "bad-path")
    assert hands.web.get(f"/api/fixes/{hands.fix['id']}").json()["fill"]["kind"] == "borrow"
    hands.do("patch", "fill", fill={"kind": "other frames"})
    answer = web.get(f"/pictures/fixes/{hands.fix['id']}/sights/matte/1004.png")
    assert "rides the surface" in answer.json()["title"]


def test_what_was_proposed_does_not_guide_a_fill_that_is_chosen_instead(settings, hands):
    settings.PROPOSE = True
    laying.first_retouch(hands.fix["id"])
    hands.fix = hands.web.get(f"/api/fixes/{hands.fix['id']}").json()
    assert hands.fix["proposed"]
    hands.do("patch", "source", source="fill", blend="time", stands=False)
    assert (hands.fix["plates"], hands.fix["proposed"]) == ([], "")
    hands.do("post", "undo")
    assert hands.fix["proposed"]


def test_a_plate_s_strokes_lie_on_the_fill(hands, web, shot):
    hands.do("patch", "fill", fill=FILL)
    hands.do("post", "plates", frame=1004)
    hands.do("post", "strokes", stroke={
        "kind": "paint", "points": [[*MARK, 1]], "radius": 8, "hardness": 1, "colour": [0.9, 0.9, 0.9], "pressure": "none",
    })  # fmt: skip
    assert len(hands.fix["strokes"]) == 1
    assert spot(web, shot.id, 1004) > 200


# -- retrace and soften


def test_strokes_are_redone_on_every_frame(whole, web, shot):
    whole.do("patch", "source", source="retrace", blend="time", stands=False)
    assert whole.fix["lacks"] == ""
    for frame in (1001, 1009):
        assert spot(web, shot.id, frame) > 1.2 * spot(web, shot.id, frame, "frames")
    stroke = whole.fix["strokes"][0]["id"]
    assert whole.do("patch", f"strokes/{stroke}", span=[1005, 1009]).status_code == 200
    assert whole.fix["strokes"][0]["span"] == [1005, 1009]
    assert spot(web, shot.id, 1001) == pytest.approx(spot(web, shot.id, 1001, "frames"), abs=0.5)
    stroke = whole.fix["strokes"][0]["id"]
    assert whole.do("patch", f"strokes/{stroke}", span=None).json()["strokes"][0]["span"] is None  # on all again
    whole.do("patch", "strokes", strokes=[])
    assert "paint on the plate" in whole.fix["lacks"]


def test_softening_needs_no_plate(hands, web, shot):
    assert hands.do("patch", "soften", soften={"amount": 1.0, "scale": 20}).status_code == 200
    assert (hands.fix["source"], hands.fix["lacks"]) == ("soften", "")
    assert np.abs(shown(web, shot.id, 1006) - shown(web, shot.id, 1006, "frames")).max() > 2
    assert hands.do("patch", "soften", soften={"amount": 2.0}).status_code == 400


# -- one hold for many fixes


@pytest.fixture
def two(hands, web, shot, work):
    """A second fix, circled within the ground of the first."""
    answer = web.post(
        f"/api/shots/{shot.id}/circle", {"frame": 1006, "loop": loop(167 + 6, 126 - 4, 9)}, "application/json"
    )
    assert answer.status_code == 201, answer.content
    work()
    return hands, Hands(web, web.get(f"/api/fixes/{answer.json()['id']}").json())


def test_a_loop_on_a_held_surface_uses_its_hold(two):
    one, other = two
    assert other.fix["hold"]["id"] == one.fix["hold"]["id"]
    assert other.fix["shares"] == [one.fix["name"]]
    assert Hold.objects.count() == 1  # nothing was measured again
    # the loop was drawn on 1006; the edge lies where that is on the anchor frame, 1004
    middle = np.array([[node["x"], node["y"]] for node in other.fix["edge"]["nodes"]]).mean(0)
    np.testing.assert_allclose(middle, np.array([173, 122]) - 2 * SHIFT, atol=0.7)


def test_what_passes_before_a_held_surface_does_not_ride_it(hands, web, shot):
    """Within the ground, but other things are there on other frames: it is tracked for itself."""
    from holds.sharing import surface_under

    real = shot.clip.media()

    class Passing:
        """The footage with a striped board that moves the other way."""

        def read(self, frame: int):
            codes = real.read(frame).copy()
            x = 166 - 9 * (frame - 1004)
            board = (np.arange(26)[:, None] // 4 + np.arange(26)[None] // 5) % 2
            codes[115:141, x - 13 : x + 13] = (20_000 + 20_000 * board)[..., None]
            return codes

    shape = np.array(loop(166, 128, 9))
    assert surface_under(shot, 1004, shape) is not None
    shot.clip.media = Passing
    assert surface_under(shot, 1004, shape) is None


def test_tracked_anew_when_that_is_asked(hands, web, shot):
    body = {"frame": 1004, "loop": loop(166, 128, 9), "anew": True}
    made = web.post(f"/api/shots/{shot.id}/circle", body, "application/json").json()
    assert made["hold"]["id"] != hands.fix["hold"]["id"]
    assert made["shares"] == []


def test_who_shares_a_hold_gains_by_its_correction(two, web, work):
    one, other = two
    pins = [{"still": [160, 130], "at": [163, 131]}]
    assert one.do("post", "keys", frame=1008, pins=pins).status_code == 200
    work()
    now = web.get(f"/api/fixes/{other.fix['id']}").json()
    assert now["hold"]["id"] == one.fix["hold"]["id"] != other.fix["hold"]["id"]
    assert now["undo"] == f"Hold corrected with {one.fix['name']}"
    one.fix = web.get(f"/api/fixes/{one.fix['id']}").json()
    one.do("post", "undo")
    assert web.get(f"/api/fixes/{other.fix['id']}").json()["hold"]["id"] == other.fix["hold"]["id"]


def test_a_hold_stays_for_those_that_lie_on_it(two, web):
    from fixes.stack import delete

    one, other = two
    delete(Fix.objects.get(id=one.fix["id"]))
    now = web.get(f"/api/fixes/{other.fix['id']}").json()
    assert len(now["hold"]["frames"]) == 8
    assert now["shares"] == []


def test_a_fix_is_duplicated_with_its_strokes_on_the_same_hold(whole, web, shot):
    answer = web.post(f"/api/fixes/{whole.fix['id']}/duplicate", {"strokes": True}, "application/json")
    assert answer.status_code == 201, answer.content
    copy = answer.json()
    assert copy["name"] == f"{whole.fix['name']} 2"
    assert copy["hold"]["id"] == whole.fix["hold"]["id"]
    assert copy["order"] == whole.fix["order"] + 1
    assert copy["edge"]["nodes"] == whole.fix["edge"]["nodes"]
    assert (len(copy["strokes"]), copy["plate"]["frame"]) == (1, 1004)
    assert copy["plate"]["id"] != whole.fix["plate"]["id"]
    Hands(web, copy).do("patch", "strokes", strokes=[])
    assert len(web.get(f"/api/fixes/{whole.fix['id']}").json()["strokes"]) == 1  # the first keeps its own
    bare = web.post(f"/api/fixes/{whole.fix['id']}/duplicate", {"strokes": False}, "application/json").json()
    assert bare["plates"] == []
    assert [fix["id"] for fix in web.get(f"/api/shots/{shot.id}/fixes").json()] == [
        whole.fix["id"],
        bare["id"],
        copy["id"],
    ]


def test_a_copy_s_pictures_are_its_own(whole, web):
    row = Plate.objects.get(id=whole.fix["plate"]["id"])
    (plates_root() / str(row.fix_id)).mkdir(parents=True, exist_ok=True)
    (plates_root() / f"{row.fix_id}/back.tif").write_bytes(b"a picture")
    Plate.objects.filter(id=row.id).update(picture=f"{row.fix_id}/back.tif")
    copy = web.post(f"/api/fixes/{row.fix_id}/duplicate", {"strokes": True}, "application/json").json()
    own = Plate.objects.get(id=copy["plate"]["id"]).picture
    assert own == f"{copy['id']}/back.tif"
    assert (plates_root() / own).read_bytes() == b"a picture"


# -- what lies behind


@pytest.fixture
def walking(two):
    """The second fix's edge rides a hold of its own over the wall: the first's."""
    one, other = two
    hold = Hold.objects.get(id=one.fix["hold"]["id"])
    own = Hold.objects.create(
        fix_id=other.fix["id"], kind="planar", anchor=1004, first=1001, last=1009, ground=hold.ground, method=hold.method,
        corner=hold.corner, state="done",
    )  # fmt: skip
    for row in hold.known:
        matrix = np.eye(3)
        matrix[:2, 2] = (row.frame - 1004) * np.array([-14.0, 0.0])
        row.id, row.hold, row.data = None, own, {**row.data, "params": matrix.tolist()}
        row.lost = row.frame == 1002
        row.data["lost"] = row.lost
        row.save(force_insert=True)
    document = {**Fix.objects.get(id=other.fix["id"]).document, "hold": own.id}
    Fix.objects.filter(id=other.fix["id"]).update(document=document)
    return one, other


def test_an_edge_rides_its_own_hold_over_the_surface_behind(walking, web, shot, work):
    one, other = walking
    assert other.do("post", "behind", other=one.fix["id"]).status_code == 200
    fix = other.fix
    assert (fix["source"], fix["fill"]["kind"], fix["stands"]) == ("fill", "other frames", True)
    assert fix["hold"]["id"] == one.fix["hold"]["id"]
    assert fix["carried"]
    assert fix["unmasked"] == "Nothing is masked on 1002, so nothing is filled there."
    xs = {key["frame"]: np.mean([node["x"] for node in key["nodes"]]) for key in fix["edge"]["outlines"][0]["keys"]}
    frames = sorted(xs)
    assert (xs[frames[-1]] - xs[frames[0]]) / (frames[-1] - frames[0]) == pytest.approx(-14, abs=0.1)
    assert web.get(f"/pictures/fixes/{fix['id']}/sights/matte/1006.png").status_code == 200
    found = Fix.objects.select_related("shot__clip").get(id=fix["id"])
    assert behind.on_disk(found) > 1000
    kept = [file.name for file in (plates_root() / str(found.id)).glob("behind-*")]
    assert web.get(f"/api/fixes/{fix['id']}").json()["kept"] == behind.on_disk(found)
    assert [file.name for file in (plates_root() / str(found.id)).glob("behind-*")] == kept
    from fixes.stack import delete

    delete(found)
    assert not (plates_root() / str(fix["id"])).exists()  # it goes with the fix


def test_a_surface_cannot_lie_behind_itself(two):
    one, other = two
    refused = other.do("post", "behind", other=one.fix["id"])
    assert (refused.status_code, refused.json()["kind"]) == (400, "same-hold")
    refused = other.do("post", "behind", other=99_999)
    assert refused.json()["kind"] == "not-here"


def test_a_donor_rides_another_fix_s_hold(walking, web, shot):
    one, other = walking
    fill = {"kind": "borrow", "offset": [60, 30]}
    assert one.do("patch", "fill", fill=fill, donor=other.fix["id"]).status_code == 200
    assert one.fix["donor"] == other.fix["id"]
    assert spot(web, shot.id, 1005) > 1.15 * spot(web, shot.id, 1005, "frames")
    assert one.do("patch", "fill", fill=fill, donor=None).json()["donor"] is None


# -- trying ways beside each other


def test_ways_are_tried_without_changing_the_fix(whole, web):
    version = whole.fix["version"]
    ways = web.get(f"/api/fixes/{whole.fix['id']}/tries?frame=1006").json()
    keys = [way["key"] for way in ways]
    assert keys[0] == "now"
    assert {"soak", "contour", "pull", "weave", "soften", "lift"} <= set(keys)
    assert "borrow" not in keys  # nothing to borrow from is chosen
    assert "replace" not in keys  # that is how it stands
    assert ways[0]["frames"] == [1006, 1001, 1009]
    tried = web.get(f"/api/fixes/{whole.fix['id']}/tries/soak?frame=1006").json()
    assert tried["tell"] in ("drift", "seam", "light", "texture", "grain", "flicker")
    picture = web.get(f"/pictures/fixes/{whole.fix['id']}/tries/soak/1006.jpg")
    assert cv2.imdecode(np.frombuffer(picture.content, np.uint8), cv2.IMREAD_COLOR).shape[1] > 100
    assert web.get(f"/api/fixes/{whole.fix['id']}/tries/borrow?frame=1006").json()["kind"] == "bad-way"
    assert web.get(f"/api/fixes/{whole.fix['id']}").json()["version"] == version
