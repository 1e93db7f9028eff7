"""A see-through mark that stands in the frame: circled, and taken off without a hold; another source has one measured again."""

import cv2
import numpy as np
import pytest
from django.conf import settings

from hushcore.media.pictures import read_codes, write_codes
from tests.hushcore.test_unveil import LOGO, Stamped, off
from tests.hushcore.walls import COUNT
from tests.server.conftest import Hands

pytestmark = pytest.mark.django_db(transaction=True)
FIRST, ANCHOR = 1001, 1005


@pytest.fixture
def wall(texture) -> Stamped:
    return Stamped(texture)


@pytest.fixture
def overlaid(wall, empty_queue, storage):
    """``film.####.tif``: a wall that moves by under a see-through mark."""
    from jobs.actions import bring_in
    from jobs.models import Job

    for k in range(COUNT):
        write_codes(settings.MEDIA_FOOTAGE / "film" / f"film.{FIRST + k:04d}.tif", wall.read(k))
    return bring_in(Job.objects.create(name="Test job"), "010 film", "film")


@pytest.fixture
def circled(settings, overlaid, web) -> Hands:
    """The mark, circled; nothing is done yet."""
    settings.PROPOSE = True
    answer = web.post(f"/api/shots/{overlaid.id}/circle", {"frame": ANCHOR, "loop": LOGO.tolist()}, "application/json")
    assert answer.status_code == 201, answer.content
    return Hands(web, answer.json())


@pytest.fixture
def unveiled(circled, work) -> Hands:
    """The mark as it is proposed to be taken off."""
    work()
    return anew(circled)


def anew(hands: Hands) -> Hands:
    hands.fix = hands.web.get(f"/api/fixes/{hands.fix['id']}").json()
    return hands


def test_one_loop_takes_it_off_every_frame_without_tracking(unveiled, wall, work):
    from holds.models import Hold
    from tells.tasks import measure

    fix = unveiled.fix
    assert (fix["source"], fix["lacks"], fix["undo"]) == ("unveil", "", "Proposed retouch")
    assert fix["proposed"].startswith("taken off each frame's own picture, 3")
    assert (fix["hold"]["kind"], fix["hold"]["state"], len(fix["hold"]["frames"])) == ("frame", "done", COUNT - 1)
    rest = Hold.objects.filter(fix=fix["id"]).exclude(kind="frame").get()
    assert (rest.state, rest.frames.count()) == ("stopped", 0)  # it was not measured in vain
    said = unveiled.web.get(f"/api/fixes/{fix['id']}/evidence").json()
    assert said["settled"]
    assert said["veil"] == pytest.approx(0.35, abs=0.03)
    assert not said["stained"]
    measure(fix=fix["id"])
    rows = unveiled.web.get(f"/api/fixes/{fix['id']}/tells").json()["frames"]
    assert [row["frame"] for row in rows] == list(range(FIRST, FIRST + COUNT))
    loudest = sorted(max(row[name] for name in ("seam", "grain", "flicker")) for row in rows)
    assert loudest[-3] < 1  # bricks that pass by have edges as the mark's
    assert loudest[-1] < 2


def test_its_matte_is_shown_and_what_it_has_not_is_empty(unveiled):
    shown = {}
    for what in ("matte", "front", "light"):
        answer = unveiled.web.get(f"/pictures/fixes/{unveiled.fix['id']}/sights/{what}/1006.png")
        assert answer.status_code == 200, answer.content
        shown[what] = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_GRAYSCALE)
    assert (shown["matte"] == 255).sum() > 500
    assert len(np.unique(shown["front"])) == len(np.unique(shown["light"])) == 1


def test_it_is_delivered_and_all_else_is_left_alone(unveiled, overlaid, wall, work):
    asked = unveiled.web.post(
        f"/api/shots/{overlaid.id}/deliver", {"first": FIRST, "last": FIRST + 4}, "application/json"
    )
    assert asked.status_code == 201, asked.content
    work()
    done = unveiled.web.get("/api/deliveries").json()[0]
    assert (done["state"], done["written"], done["changed_outside"]) == ("done", 5, 0)
    made = read_codes(settings.DELIVERIES / done["folder"] / "film.1003.tif")
    assert off(wall, 2, made) < 0.15 * off(wall, 2, wall.read(2))
    far = np.ones(made.shape[:2], bool)
    far[80:160, 140:240] = False
    assert np.array_equal(made[far], wall.read(2)[far])


def test_undone_the_ground_is_tracked_and_it_is_not_proposed_again(unveiled, work):
    unveiled.do("post", "undo")
    hold = unveiled.fix["hold"]
    assert (unveiled.fix["source"], hold["kind"], hold["state"]) == ("replace", "auto", "waiting")
    work()
    fix = anew(unveiled).fix
    assert (fix["source"], fix["hold"]["state"], len(fix["hold"]["frames"])) == ("replace", "done", COUNT - 1)
    unveiled.do("post", "redo")
    assert unveiled.fix["hold"]["kind"] == "frame"


def test_another_source_lies_on_the_ground_as_it_was_measured_before(unveiled, work):
    unveiled.do("patch", "source", source="replace", blend="time", stands=True)
    assert unveiled.fix["hold"]["state"] == "waiting"
    assert unveiled.fix["proposed"] == ""
    work()
    tracked = anew(unveiled).fix["hold"]
    assert tracked["state"] == "done"
    keys = [way["key"] for way in unveiled.web.get(f"/api/fixes/{unveiled.fix['id']}/tries?frame=1005").json()]
    assert keys == ["unveil", "other frames"]
    tried = unveiled.web.get(f"/api/fixes/{unveiled.fix['id']}/tries/unveil?frame=1009")
    assert tried.status_code == 200, tried.content
    assert tried.json()["value"] < 1.5
    unveiled.do("patch", "source", source="unveil", blend="time", stands=True)
    held = unveiled.fix["hold"]
    assert held["kind"] == "frame"
    assert unveiled.do("patch", "soften", soften={}).json()["hold"]["id"] == tracked["id"]
    assert unveiled.do("patch", "source", source="unveil", blend="time", stands=True).json()["hold"]["id"] == held["id"]
    filled = unveiled.do("patch", "fill", fill={"kind": "other frames"}).json()
    assert (filled["hold"]["id"], filled["hold"]["state"]) == (tracked["id"], "done")


def test_said_later_to_stand_it_is_looked_at_as_well(settings, overlaid, web, work):
    settings.PROPOSE = True
    # so near the shot's first frame too few others tell that it stands
    answer = web.post(f"/api/shots/{overlaid.id}/circle", {"frame": FIRST, "loop": LOGO.tolist()}, "application/json")
    hands = Hands(web, answer.json())
    assert not hands.fix["stands"]
    assert hands.do("patch", "source", source="replace", blend="time", stands=True).status_code == 200
    work()
    fix = anew(hands).fix
    assert (fix["source"], fix["hold"]["kind"]) == ("unveil", "frame")
    assert fix["proposed"]


def test_what_an_overlay_does_not_have_is_refused(unveiled, overlaid, web):
    refused = unveiled.do("patch", "source", source="unveil", blend="time", stands=False)
    assert (refused.status_code, refused.json()["kind"]) == (400, "not-standing")
    for what, body in (
        ("second-pass", {}), ("smooth", {"first": 1002, "last": 1008}), ("throw-away", {"first": 1002, "last": 1003}),
        ("keys", {"frame": 1008, "pins": [{"still": [190, 120], "at": [191, 120]}]}),
    ):  # fmt: skip
        answer = unveiled.do("post", what, **body)
        assert (what, answer.status_code, answer.json().get("kind")) == (what, 400, "standing")
    other = web.post(
        f"/api/shots/{overlaid.id}/circle",
        {"frame": ANCHOR, "loop": (LOGO + np.array([60, 40])).tolist()},
        "application/json",
    ).json()
    answer = Hands(web, other).do("post", "behind", other=unveiled.fix["id"])
    assert "follows no surface" in answer.json()["title"]


def test_where_nothing_shows_through_it_is_said_and_the_rest_of_the_shot_is_looked_at(circled, work, wall, monkeypatch):
    from laying import proposing
    from tells.tasks import measure

    monkeypatch.setattr(proposing, "from_itself", lambda *_: None)
    work()
    assert anew(circled).fix["source"] != "unveil"  # tracked instead
    assert circled.fix["hold"]["state"] == "done"
    monkeypatch.setattr("hushcore.patch.choose.overlay_of", lambda *_: None)
    circled.do("patch", "source", source="unveil", blend="time", stands=True)
    measure(fix=circled.fix["id"])
    told = circled.web.get(f"/api/fixes/{circled.fix['id']}/tells").json()
    assert told["problem"].startswith("Nothing see-through")
    assert circled.web.get(f"/pictures/shots/{circled.fix['shot']}/patched/1003.png").status_code == 200
