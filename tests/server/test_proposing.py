"""The first retouch: proposed once something is circled, marked until it is kept or touched, never over the artist's own."""

import cv2
import numpy as np
import pytest
from laying import tasks as laying

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def circled(settings, hands):
    """A fix that has just been proposed a retouch."""
    settings.PROPOSE = True
    laying.first_retouch(hands.fix["id"])
    hands.fix = hands.web.get(f"/api/fixes/{hands.fix['id']}").json()
    return hands


def patched(web, shot: int, frame: int) -> np.ndarray:
    answer = web.get(f"/pictures/shots/{shot}/patched/{frame}.png")
    return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR).astype(float)


def test_one_loop_gives_a_patch_on_every_frame(circled, web, shot):
    fix = circled.fix
    assert fix["proposed"].startswith("healed from ")
    assert fix["undo"] == "Proposed retouch"
    assert (fix["plate"]["frame"], fix["lacks"]) == (fix["hold"]["anchor"], "")
    nodes = np.array([[node["x"], node["y"]] for node in fix["edge"]["nodes"]])
    assert np.ptp(nodes, 0).max() <= 49  # never beyond the loop, which was 48 px wide
    for frame in (1001, 1004, 1009):
        x, y = np.round(np.array([160, 130]) + (frame - 1001) * np.array([1.4, -0.8])).astype(int)
        spot = patched(web, shot.id, frame)[y - 8 : y + 9, x - 8 : x + 9].mean()
        source = cv2.imdecode(
            np.frombuffer(web.get(f"/pictures/shots/{shot.id}/frames/{frame}.png").content, np.uint8), cv2.IMREAD_COLOR
        )
        around = np.median(source[y - 40 : y + 41, x - 40 : x + 41])
        assert abs(spot - around) < 0.25 * around  # the mark was half as bright


def test_it_is_proposed_until_it_is_kept_or_touched(circled):
    assert circled.do("post", "keep").json()["proposed"] == ""
    assert circled.do("post", "undo").json()["proposed"]
    assert circled.stroke().json()["proposed"] == ""
    assert len(circled.fix["strokes"]) == 1  # the artist's own lies on what was proposed
    assert circled.do("post", "undo").json()["proposed"]
    assert circled.do("patch", "name", name="Crest").json()["proposed"]


def test_another_place_is_tried_and_all_is_undone_at_once(circled):
    first = circled.fix["proposed"]
    edge = circled.web.get(f"/api/fixes/{circled.fix['id']}").json()["edge"]
    answer = circled.do("post", "propose")
    assert answer.status_code == 200, answer.content
    assert circled.fix["proposed"] != first
    assert circled.fix["edge"]["nodes"] == edge["nodes"]
    circled.do("post", "undo")
    circled.do("post", "undo")
    assert circled.fix["plates"] == []
    assert circled.fix["proposed"] == ""
    laying.first_retouch(circled.fix["id"])  # who undoes it does not get it again
    assert circled.web.get(f"/api/fixes/{circled.fix['id']}").json()["plates"] == []
    # the frame itself is as it was shot for whoever takes it now
    taken = circled.do("patch", "plate", frame=circled.fix["hold"]["anchor"]).json()
    assert taken["plate"]["issues"] == [{"id": taken["plate"]["id"], "issue": 1, "outside": False}]


def test_the_artist_s_own_is_never_replaced(whole, settings):
    settings.PROPOSE = True
    laying.first_retouch(whole.fix["id"])
    assert whole.web.get(f"/api/fixes/{whole.fix['id']}").json()["version"] == whole.fix["version"]
    answer = whole.do("post", "propose")
    assert answer.json()["kind"] == "touched"


def test_a_proposal_that_breaks_down_does_not_keep_the_shot_from_being_read(hands, settings, monkeypatch, caplog):
    from holds.models import Hold
    from laying import proposing
    from laying.models import Evidence

    def broken(*_):
        raise ZeroDivisionError

    settings.PROPOSE = True
    Evidence.objects.all().delete()
    monkeypatch.setattr(proposing, "first_retouch", broken)
    laying.look(Hold.objects.get(id=hands.fix["hold"]["id"]))
    assert Evidence.objects.filter(fix=hands.fix["id"]).exists()
    assert "no retouch could be proposed" in caplog.text


def test_where_nothing_is_clean_nothing_is_proposed(hands, settings, monkeypatch):
    from laying import proposing

    settings.PROPOSE = True
    monkeypatch.setattr(proposing, "first_retouch", lambda *_: None)
    laying.first_retouch(hands.fix["id"])
    assert hands.web.get(f"/api/fixes/{hands.fix['id']}").json()["plates"] == []
    answer = hands.do("post", "propose")
    assert answer.json()["kind"] == "no-donor"
    assert "Take a plate and paint" in answer.json()["title"]
