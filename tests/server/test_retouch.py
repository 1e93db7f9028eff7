"""Plates, brushes, source, front, match and tells over HTTP, as the screens use them."""

import json

import cv2
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone
from fixes.models import Fix
from fixes.tasks import KEPT, clear_gone
from laying import ready
from laying.models import Evidence
from plates import retouching
from plates.models import Plate, Stroke
from tells import tasks as judging
from tells.models import Tell

from hushcore.media.pictures import read_codes, write_codes
from tests.server.conftest import SHIFT, Hands, loop

pytestmark = pytest.mark.django_db(transaction=True)


def send(web, fix: dict, what: str, name: str, data: bytes):
    upload = SimpleUploadedFile(name, data)
    return web.post(f"/api/fixes/{fix['id']}/{what}", {"version": fix["version"], "file": upload})


def picture_bytes(tmp_path, codes: np.ndarray, name="back.tif") -> bytes:
    write_codes(tmp_path / name, codes)
    return (tmp_path / name).read_bytes()


def patched(web, shot: int, frame: int) -> np.ndarray:
    answer = web.get(f"/pictures/shots/{shot}/patched/{frame}.png")
    assert answer.status_code == 200
    return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)


# -- plates


def test_several_plates_share_the_shot_and_keep_their_strokes(whole):
    assert whole.do("post", "plates", frame=1008).status_code == 200
    plates = {plate["frame"]: plate for plate in whole.fix["plates"]}
    assert (plates[1004]["first"], plates[1004]["last"]) == (1001, 1007)
    assert (plates[1008]["first"], plates[1008]["last"]) == (1005, 1009)
    assert whole.fix["plate"]["frame"] == 1008
    assert whole.fix["strokes"] == []
    assert whole.do("post", "plates/choose", plate=plates[1004]["id"]).status_code == 200
    assert len(whole.fix["strokes"]) == 1
    assert whole.do("patch", "source", source="replace", blend="light", stands=False).status_code == 200
    assert [(p["first"], p["last"]) for p in whole.fix["plates"]] == [(1001, 1009)] * 2
    assert whole.do("post", "plates/drop", plate=plates[1004]["id"]).status_code == 200
    assert [plate["frame"] for plate in whole.fix["plates"]] == [1008]
    whole.do("post", "undo")
    assert len(whole.fix["plates"]) == 2


def test_a_plate_comes_from_the_clearest_frames_with_reasons(web, whole, monkeypatch):
    monkeypatch.setattr("hushcore.plates.choose.APART", 2)  # the clip is short
    found = web.get(f"/api/fixes/{whole.fix['id']}/suggest").json()
    assert found
    assert all(abs(one["frame"] - 1004) >= 2 for one in found)
    assert all(one["words"] for one in found)


def test_an_average_is_one_click_and_undone_by_one(web, whole):
    plate = whole.fix["plate"]["id"]
    before = web.get(f"/pictures/fixes/{whole.fix['id']}/plate.png").content
    assert whole.do("post", "plates/start", plate=plate, start="below", average=4).status_code == 200
    assert whole.fix["plate"]["average"] == 4
    assert len(whole.fix["strokes"]) == 1  # the strokes stay on it
    assert web.get(f"/pictures/fixes/{whole.fix['id']}/plate.png").content != before
    whole.do("post", "undo")
    assert web.get(f"/pictures/fixes/{whole.fix['id']}/plate.png").content == before


def test_a_plate_goes_out_and_comes_back_as_a_new_issue(web, whole, tmp_path, storage, shot, monkeypatch):
    monkeypatch.setattr("laying.roundtrip.PAD", 20)  # the clip is small
    fix, plate = whole.fix, whole.fix["plate"]["id"]
    sent = web.get(f"/api/fixes/{fix['id']}/plates/{plate}/out?form=tif&crop=true")
    assert sent.status_code == 200
    assert ".tif" in sent["Content-Disposition"]
    (tmp_path / "out.tif").write_bytes(sent.content)
    crop = read_codes(tmp_path / "out.tif")
    assert crop.dtype == np.uint16
    assert crop.shape[0] < 260
    whole_frame = web.get(f"/api/fixes/{fix['id']}/plates/{plate}/out?form=exr&crop=false")
    (tmp_path / "out.exr").write_bytes(whole_frame.content)
    assert read_codes(tmp_path / "out.exr").dtype == np.float16
    assert read_codes(tmp_path / "out.exr").shape[:2] == (260, 320)
    guide = web.get(f"/api/fixes/{fix['id']}/plates/{plate}/out?guide=true&crop=true")
    matte = cv2.imdecode(np.frombuffer(guide.content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert matte.shape[:2] == crop.shape[:2]
    assert matte.max() == 65535
    # retouched elsewhere: a bright bar in the middle of the mark
    middle = (crop.shape[0] // 2, crop.shape[1] // 2)
    crop[middle[0] - 4 : middle[0] + 4, middle[1] - 4 : middle[1] + 4] = 60000
    answer = send(web, fix, f"plates/{plate}/back", "back.tif", picture_bytes(tmp_path, crop))
    assert answer.status_code == 200, answer.content
    back = answer.json()
    assert [issue["outside"] for issue in back["plate"]["issues"]] == [False, True]
    assert back["strokes"] == []  # they are in the picture
    codes = patched(web, shot.id, 1004)
    assert codes[130, 160].min() > 200
    shown = web.post(
        f"/api/fixes/{fix['id']}/plates/issue",
        {"version": back["version"], "plate": back["plate"]["id"], "issue": plate},
        "application/json",
    ).json()
    assert len(shown["strokes"]) == 1  # the older issue with what was on it
    assert list(storage.glob("plates/*/*"))
    assert web.delete(f"/api/fixes/{fix['id']}?version={shown['version']}").status_code == 204
    Fix.every.update(gone=timezone.now() - 2 * KEPT)
    clear_gone(0)
    assert not list(storage.glob("plates/*"))  # no file of a fix that is gone for good stays behind


@pytest.mark.parametrize(
    ("codes", "kind"),
    [
        (np.zeros((50, 60, 3), np.uint16), "plate-size"),
        (np.full((260, 320, 3), 60000, np.uint16), "plate-encoding"),
    ],
)
def test_a_picture_that_is_not_the_plate_s_is_refused_and_nothing_is_kept(web, whole, tmp_path, storage, codes, kind):
    plate = whole.fix["plate"]["id"]
    answer = send(web, whole.fix, f"plates/{plate}/back", "back.tif", picture_bytes(tmp_path, codes))
    assert answer.status_code == 400
    assert answer.json()["kind"] == kind
    broken = send(web, whole.fix, f"plates/{plate}/back", "back.tif", b"not a picture")
    assert broken.status_code == 400
    assert Plate.objects.count() == 1
    assert not list((storage / "plates").rglob("*.tif"))


# -- strokes


def test_every_brush_paints_and_every_stroke_stays_editable(whole):
    for kind in ("heal", "paint", "lighten", "darken", "smooth", "sharpen", "restore"):
        assert whole.stroke(kind=kind, band="tone" if kind == "smooth" else "all").status_code == 200
    assert [s["kind"] for s in whole.fix["strokes"]][-1] == "restore"
    clone = whole.fix["strokes"][0]
    edits = {"opacity": 0.5, "band": "texture", "moved": [3, -2], "donor": {"offset": [40, 5], "turn": 10}}
    assert whole.do("patch", f"strokes/{clone['id']}", **edits).status_code == 200
    made = whole.fix["strokes"][0]
    assert (made["opacity"], made["band"], made["moved"]) == (0.5, "texture", [3, -2])
    assert (made["donor"]["offset"], made["donor"]["turn"]) == ([40, 5], 10)
    assert Stroke.objects.get(id=clone["id"]).data["opacity"] == 1  # the old one is there for undo
    order = [{"id": s["id"], "on": s["on"]} for s in reversed(whole.fix["strokes"])]
    assert whole.do("patch", "strokes", strokes=order).status_code == 200
    assert [s["id"] for s in whole.fix["strokes"]] == [s["id"] for s in order]
    bad = whole.do("patch", f"strokes/{made['id']}", donor={"offset": [0, 0], "turn": 0})
    assert bad.status_code == 400


def test_small_spots_are_healed_in_one_go(web, whole, shot):
    before = web.get(f"/pictures/fixes/{whole.fix['id']}/plate.png").content
    answer = whole.do("post", "spots", spots=[[100, 80], [140, 60], [200, 190]], radius=7)
    assert answer.status_code == 200, answer.content
    made = whole.fix["strokes"][-3:]
    assert {s["kind"] for s in made} == {"heal"}
    assert all(14 <= np.hypot(*s["donor"]["offset"]) <= 33 for s in made)  # near, and not the spot itself
    assert web.get(f"/pictures/fixes/{whole.fix['id']}/plate.png").content != before
    whole.do("post", "undo")
    assert len(whole.fix["strokes"]) == 1


def test_nothing_leaves_the_protecting_outline(whole):
    nodes = [{"x": x, "y": y} for x, y in ((150, 120), (170, 120), (170, 140), (150, 140))]
    assert whole.do("patch", "protect", nodes=nodes).status_code == 200
    assert whole.stroke().status_code == 200
    data = Stroke.objects.order_by("-id").first().data
    assert len(data["within"]) >= 4
    assert whole.do("patch", "protect", nodes=None).status_code == 200
    assert whole.fix["protect"] is None


def test_the_donor_s_tone_is_told_before_it_is_painted(web, whole):
    address = f"/api/fixes/{whole.fix['id']}/donor"
    same = web.get(f"{address}?x=60&y=60&dx=0&dy=0&radius=10").json()
    assert same["difference"] == 0
    far = web.get(f"{address}?x=160&y=40&dx=0&dy=90&radius=10").json()
    assert far["difference"] > 0
    colour = web.get(f"/api/fixes/{whole.fix['id']}/colour?x=60&y=60").json()
    assert all(0 < value < 1 for value in colour)


def test_painting_with_five_hundred_strokes_repaints_only_from_the_last_picture_kept(whole, monkeypatch):

    from hushcore.recipe.models import StrokeData
    from hushcore.retouch import strokes as engine

    fix = Fix.objects.get(id=whole.fix["id"])
    rng = np.random.default_rng(0)
    many = [
        StrokeData(kind="lighten", points=[(float(x), float(y), 1.0)], radius=5, amount=0.1)
        for x, y in rng.uniform(20, 240, (200, 2))
    ]
    document = json.loads(json.dumps(fix.document))
    retouching.add_strokes(document, fix, many)
    fix.document = document
    fix.save()
    ready.active_plate(fix)
    painted: list[int] = []
    monkeypatch.setattr(ready, "paint", lambda canvas, some: painted.append(len(some)) or engine.paint(canvas, some))
    document["plates"][0]["strokes"][150]["on"] = False
    ready.active_plate(fix)
    assert sum(painted) <= 200 - 128  # from the picture after stroke 128


# -- edge, source, front, match


def test_an_edge_of_several_outlines_with_keys(web, whole):
    box = [{"x": x, "y": y} for x, y in ((140, 110), (180, 110), (180, 150), (140, 150))]
    hole = [{"x": x, "y": y} for x, y in ((155, 125), (165, 125), (165, 135), (155, 135))]
    moved = [{**node, "x": node["x"] + 10} for node in box]
    outlines = [
        {"keys": [{"frame": 1002, "nodes": box}, {"frame": 1008, "nodes": moved}]},
        {"nodes": hole, "takes": True, "span": [1001, 1005]},
        {"nodes": box[:2], "width": 8},
    ]
    assert whole.do("patch", "edge", outlines=outlines, growth=1, softness=4, inside=2).status_code == 200
    edge = whole.fix["edge"]
    assert [len(one["keys"]) for one in edge["outlines"]] == [2, 0, 0]
    assert (edge["inside"], edge["outlines"][1]["takes"], edge["outlines"][2]["width"]) == (2, True, 8)
    early, late = (web.get(f"/api/fixes/{whole.fix['id']}/edge-lines?frame={frame}").json() for frame in (1002, 1008))
    assert len(early["full"]) == 2  # the outer line and the hole
    reach = [max(x for line in side["ends"] for x, _ in line) for side in (early, late)]
    assert reach[1] >= reach[0] + 5  # 10 px on, as keyed; the line beside it stays
    for frame in (1001, 1008):
        assert web.get(f"/pictures/fixes/{whole.fix['id']}/sights/matte/{frame}.png").status_code == 200


def test_a_key_with_other_points_is_refused_and_the_edge_stays(whole):
    before = whole.fix["edge"]
    box = [{"x": x, "y": y} for x, y in ((140, 110), (180, 110), (180, 150), (140, 150))]
    outlines = [{"keys": [{"frame": 1002, "nodes": box}, {"frame": 1008, "nodes": box[:3]}]}]
    answer = whole.do("patch", "edge", outlines=outlines, growth=1, softness=4)
    assert answer.status_code == 400
    assert "own points" in answer.json()["title"]
    assert whole.web.get(f"/api/fixes/{whole.fix['id']}").json()["edge"] == before


def test_artwork_rides_on_the_surface(web, whole, shot, tmp_path, storage):
    art = np.zeros((40, 40, 4), np.uint8)
    art[...] = (255, 30, 30, 255)  # BGRA
    answer = send(web, whole.fix, "art", "label.png", cv2.imencode(".png", art)[1].tobytes())
    assert answer.status_code == 200, answer.content
    whole.fix = answer.json()
    assert (whole.fix["source"], whole.fix["art"]["name"]) == ("insert", "label.png")
    for frame in (1002, 1009):
        x, y = np.array([160, 130]) + (frame - 1004) * SHIFT
        blue, _, red = patched(web, shot.id, frame)[round(y), round(x)]
        assert int(blue) > int(red) + 100
    corners = [[150, 120], [170, 120], [170, 140], [150, 140]]
    assert whole.do("patch", "art", corners=corners, mode="multiply", opacity=0.8).status_code == 200
    flat = [[150, 120]] * 4
    assert whole.do("patch", "art", corners=flat, mode="multiply", opacity=0.8).status_code == 400
    assert send(web, whole.fix, "art", "label.png", b"rubbish").status_code == 400
    assert whole.fix["art"]["mode"] == "multiply"
    late = {**whole.fix, "version": whole.fix["version"] - 1}
    kept = sorted(storage.glob("plates/*/*"))
    assert send(web, late, "art", "label.png", cv2.imencode(".png", art)[1].tobytes()).status_code == 409
    assert sorted(storage.glob("plates/*/*")) == kept  # a refused change leaves no file


def test_what_is_drawn_in_front_stays_in_front(web, whole, shot):
    plain = patched(web, shot.id, 1006)
    x, y = np.array([160, 130]) + 2 * SHIFT
    ring = [{"x": float(x + dx), "y": float(y + dy)} for dx, dy in ((-18, -18), (18, -18), (18, 18), (-18, 18))]
    front = {"auto": False, "shapes": [{"keys": [{"frame": 1006, "nodes": ring}], "span": [1006, 1006]}]}
    assert whole.do("patch", "front", front=front).status_code == 200
    covered, source = patched(web, shot.id, 1006), web.get(f"/pictures/shots/{shot.id}/frames/1006.png")
    shown = cv2.imdecode(np.frombuffer(source.content, np.uint8), cv2.IMREAD_COLOR)
    at = (round(float(y)), round(float(x)))
    assert np.abs(covered[at].astype(int) - shown[at]).max() <= 2  # the frame's own picture
    assert np.abs(plain[at].astype(int) - shown[at]).max() > 8
    sight = web.get(f"/pictures/fixes/{whole.fix['id']}/sights/front/1006.png")
    assert cv2.imdecode(np.frombuffer(sight.content, np.uint8), 0).max() > 200
    assert web.get(f"/pictures/fixes/{whole.fix['id']}/sights/soul/1006.png").status_code == 400


def test_match_is_whole_and_says_what_it_refuses(web, whole, shot):
    match = {**whole.fix["match"], "light": "rim", "grain": "off", "texture": 1.5, "repair": {"offset": [30, 0]}}
    before = patched(web, shot.id, 1008)
    assert whole.do("patch", "match", match=match).status_code == 200
    assert (patched(web, shot.id, 1008) != before).any()
    assert web.get(f"/pictures/fixes/{whole.fix['id']}/sights/light/1008.png").status_code == 200
    assert whole.do("patch", "match", match={**match, "light": "moon"}).status_code == 400


def test_the_shot_s_evidence_is_read_once_and_survives_a_correction(web, whole, work):
    fix = whole.fix["id"]
    said = web.get(f"/api/fixes/{fix}/evidence").json()
    assert said["known"]
    assert said["grain"][0]["sigma"][1] == pytest.approx(0.006, rel=0.5)  # the clip's own, from conftest
    assert Evidence.objects.filter(fix=fix).count() == 2  # what is seen, and what is chosen from it
    whole.do("post", "smooth", first=1002, last=1008, strength=1.0)
    work()
    again = web.get(f"/api/fixes/{fix}/evidence").json()
    assert (again["known"], again["shutter"]) == (said["known"], said["shutter"])
    assert again["grain"][0]["sigma"] == pytest.approx(said["grain"][0]["sigma"], rel=1e-4)
    assert again["settled"]
    assert again["words"].startswith(("Light", "A slope"))
    assert Evidence.objects.filter(fix=fix).count() == 3  # and what is chosen with the plate


# -- tells


def test_tells_are_measured_by_workers_and_only_what_changed_again(web, whole, work):

    fix = whole.fix["id"]
    judging.measure.func(fix)
    told = web.get(f"/api/fixes/{fix}/tells").json()
    assert (len(told["frames"]), told["waiting"]) == (9, 0)
    assert not any(row["stale"] for row in told["frames"])
    assert web.get(f"/api/fixes/{fix}").json()["loud"]["value"] > 0
    stamp = dict(Tell.objects.values_list("frame", "id"))
    whole.do("patch", "off", off=[[1001, 1003]])  # nothing of the other frames changes
    assert web.get(f"/api/fixes/{fix}/tells").json()["waiting"] == 0
    whole.do("patch", "name", name="Crest")
    assert web.get(f"/api/fixes/{fix}/tells").json()["waiting"] == 0
    whole.do("patch", "match", match={**whole.fix["match"], "light": "off"})
    assert web.get(f"/api/fixes/{fix}/tells").json()["waiting"] == 6
    judging.measure.func(fix)
    told = web.get(f"/api/fixes/{fix}/tells").json()
    assert (len(told["frames"]), told["waiting"]) == (6, 0)
    assert dict(Tell.objects.values_list("frame", "id")).items() <= stamp.items()


def test_what_workers_lay_for_the_tells_is_there_to_be_played(web, whole, shot, storage):
    """The same picture to the byte as one that is made when it is asked for."""

    address = f"/pictures/shots/{shot.id}/patched/1007.jpg?wide=1280"
    files = lambda: set(storage.glob("proxies/**/*.jpg"))  # noqa: E731
    before = files()
    judging.measure.func(whole.fix["id"])
    ready_made = files() - before
    assert len(ready_made) == 9
    shown = web.get(address).content
    assert files() - before == ready_made  # nothing was made anew
    for file in ready_made:
        file.unlink()
    assert web.get(address).content == shown
    assert files() - before < ready_made


def test_playing_finds_what_is_laid_without_looking_at_the_fixes_again(web, whole, shot, django_assert_max_num_queries):
    """The names of a stretch are those of its frames one by one; after the first picture only the person is looked up."""
    whole.do("patch", "off", off=[[1002, 1003]])
    judging.measure.func(whole.fix["id"])
    one_by_one = {n: ready.stack(shot, n)[1] for n in range(1001, 1010)}
    assert ready.states(shot, range(1001, 1010)) == one_by_one
    assert one_by_one[1002] == one_by_one[1003] != one_by_one[1004]
    address = f"/pictures/shots/{shot.id}/patched/{{}}.jpg?wide=1280&v=one"
    plain = f"/pictures/shots/{shot.id}/patched/{{}}.jpg?wide=1280"
    for n in (1001, 1002, 1005):
        web.get(plain.format(n))  # made now, if it is not there
    assert web.get(address.format(1001)).content == web.get(plain.format(1001)).content
    for n in (1002, 1005):
        with django_assert_max_num_queries(2):
            found = web.get(address.format(n))
        assert found.content == web.get(plain.format(n)).content
    # another look has another address: what was named with the one before must not be answered, nor kept for good
    web.patch(f"/api/shots/{shot.id}", {"look": {"exposure": 2}}, "application/json")
    brighter = web.get(address.format(1005) + "&l=brighter").content
    assert brighter == web.get(plain.format(1005)).content != found.content
    # however long the name of a state is
    long = "1.2.3." * 200
    first, second = (web.get(plain.format(1005) + f"&v={long}{end}").content for end in "ab")
    assert first == second == brighter
    # another state has another address, and is looked at anew
    whole.do("patch", "on", on=False)
    after = web.get(f"/pictures/shots/{shot.id}/patched/1005.jpg?wide=1280&v=two").content
    assert after == web.get(f"/pictures/shots/{shot.id}/frames/1005.jpg?wide=1280").content
    assert web.get(f"/pictures/shots/{shot.id}/patched/1099.jpg?wide=1280&v=two").status_code == 404


def test_why_there_are_no_tells_is_told_until_there_are(web, whole, shot):

    frame = next(iter(sorted(shot.clip.media().folder.glob("*.1006.tif"))))
    moved = frame.rename(frame.with_suffix(".away"))
    judging.measure.func(whole.fix["id"])
    told = web.get(f"/api/fixes/{whole.fix['id']}/tells").json()
    assert "1006" in told["problem"]
    assert len(told["frames"]) < 9
    moved.rename(frame)
    judging.measure.func(whole.fix["id"])
    told = web.get(f"/api/fixes/{whole.fix['id']}/tells").json()
    assert (told["problem"], told["waiting"]) == ("", 0)


# -- one fix upon another


def test_a_second_fix_works_on_the_first_one_s_result(web, whole, shot, work):
    answer = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop(165, 135)}, "application/json")
    second = answer.json()
    work()
    second = web.get(f"/api/fixes/{second['id']}").json()
    answer = web.patch(
        f"/api/fixes/{second['id']}/plate", {"version": second["version"], "frame": 1004}, "application/json"
    )
    assert answer.status_code == 200
    below = cv2.imdecode(
        np.frombuffer(web.get(f"/pictures/fixes/{second['id']}/plate.png").content, np.uint8), cv2.IMREAD_COLOR
    )
    alone = patched(web, shot.id, 1004)
    assert np.abs(below.astype(int) - alone).mean() < 2  # its plate begins where the first fix ends
    shot_plate = answer.json()
    web.post(
        f"/api/fixes/{second['id']}/plates/start",
        {"version": shot_plate["version"], "plate": shot_plate["plate"]["id"], "start": "shot", "average": 0},
        "application/json",
    )
    raw = cv2.imdecode(
        np.frombuffer(web.get(f"/pictures/fixes/{second['id']}/plate.png").content, np.uint8), cv2.IMREAD_COLOR
    )
    assert np.abs(raw.astype(int) - below).max() > 10
    ground = {**second["hold"]["ground"]}
    method = {**second["hold"]["method"], "reads": "below"}
    version = web.get(f"/api/fixes/{second['id']}").json()["version"]
    again = web.post(
        f"/api/fixes/{second['id']}/track",
        {"version": version, "ground": ground, "method": method, "way": "both"},
        "application/json",
    )
    assert again.status_code == 200
    work()
    assert web.get(f"/api/fixes/{second['id']}").json()["hold"]["state"] == "done"


def test_the_order_of_fixes_says_which_lies_on_top(web, whole, shot, work):
    answer = web.post(f"/api/shots/{shot.id}/circle", {"frame": 1004, "loop": loop()}, "application/json")
    work()
    red = Hands(web, web.get(f"/api/fixes/{answer.json()['id']}").json())
    assert red.do("patch", "plate", frame=1004).status_code == 200
    painted = red.stroke(kind="paint", colour=[0.9, 0.0, 0.0], radius=18)
    assert painted.status_code == 200, painted.content
    order = [whole.fix["id"], red.fix["id"]]

    def redness(frame: int) -> float:
        blue, _, much = patched(web, shot.id, frame)[125:135, 155:165].reshape(-1, 3).mean(0)
        return float(much - blue)

    assert redness(1004) > 60
    answer = web.put(f"/api/shots/{shot.id}/order", {"fixes": order[::-1]}, "application/json")
    assert [fix["id"] for fix in answer.json()] == order[::-1]
    assert redness(1004) < 20  # the clone, begun from what lies below it now, covers the paint
    for wrong in ([order[0]], [*order, order[0]], [order[0], 999_999]):
        refused = web.put(f"/api/shots/{shot.id}/order", {"fixes": wrong}, "application/json")
        assert refused.status_code == 409
        assert "changed meanwhile" in refused.json()["title"]
    assert [fix["id"] for fix in web.get(f"/api/shots/{shot.id}/fixes").json()] == order[::-1]


# -- what was made before
