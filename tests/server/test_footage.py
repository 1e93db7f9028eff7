"""Bringing footage in, looking at it, uploads, edits and proxies, over HTTP as the screens do it."""

import base64
import json
from fractions import Fraction

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from jobs.models import Job, Shot, Upload

from hushcore.colour.encoding import spread
from hushcore.media.pictures import write_codes
from tests.hushcore.movies import number_of, write_movie

pytestmark = pytest.mark.django_db(transaction=True)
TUS = {"headers": {"Tus-Resumable": "1.0.0"}}


@pytest.fixture
def job(db):
    return Job.objects.create(name="J")


@pytest.fixture
def movie(storage):
    return write_movie(
        settings.MEDIA_FOOTAGE / "day 1" / "take 'ä'.mov", "prores_ks", "yuv422p10le", 20, Fraction(24000, 1001)
    )


@pytest.fixture
def log_dpx(storage):
    """A 10-bit ramp as DPX."""
    codes = np.repeat(np.tile(np.linspace(0, 1023, 64).astype(np.uint16), (20, 1))[..., None], 3, axis=2)
    folder = settings.MEDIA_FOOTAGE / "log"
    folder.mkdir()
    for frame in (1, 2, 3):
        spec = oiio.ImageSpec(64, 20, 3, "uint16")
        spec["oiio:BitsPerSample"] = 10
        out = oiio.ImageOutput.create("a.dpx")
        assert out.open(str(folder / f"ramp.{frame:04d}.dpx"), spec)
        assert out.write_image(spread(codes, 10, np.dtype("uint16")))
        out.close()
    return folder


def bring(web, job, **more):
    return web.post(f"/api/jobs/{job.id}/shots", more, "application/json")


def seen(web, address):
    answer = web.get(address)
    assert answer.status_code == 200, answer.content
    picture = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)
    return picture[..., ::-1]


def test_a_movie_becomes_a_shot_with_its_own_rate(web, job, movie):
    found = web.get("/api/footage?place=day 1").json()
    assert [entry["place"] for entry in found["found"]] == ["take 'ä'.mov"]
    made = bring(web, job, place="day 1/take 'ä'.mov", first=1001, handles=2, cut_in=1005, cut_out=1010)
    assert made.status_code == 201, made.content
    clip = made.json()["clip"]
    assert (clip["first"], clip["last"], clip["clip_first"], clip["clip_last"]) == (1003, 1012, 1001, 1020)
    assert (clip["rate_num"], clip["rate_den"], clip["space"]) == (24000, 1001, "bt1886")
    picture = seen(web, f"/pictures/shots/{made.json()['id']}/frames/1007.png")
    assert number_of(picture) == 6


def test_a_conformed_rate_changes_the_length(web, job, movie):
    made = bring(web, job, place="day 1/take 'ä'.mov", rate_num=48000, rate_den=1001).json()
    assert made["clip"]["last"] - made["clip"]["first"] + 1 == 40
    again = web.patch(f"/api/shots/{made['id']}", {"rate_num": 12}, "application/json").json()
    assert again["clip"]["last"] - again["clip"]["first"] + 1 == 10


@pytest.mark.parametrize(
    ("given", "kind"),
    [
        ({"rate_num": 1000}, "bad-rate"),
        ({"space": "ocio:No such"}, "bad-space"),
        ({"timecode": "25:00:00:00"}, "bad-timecode"),
        ({"cut_in": 9, "cut_out": 3}, "bad-range"),
        ({"pixel_aspect": 0}, "bad-aspect"),
        ({"place": "nothing.mov"}, "missing-frame"),
        ({"place": "../../etc/passwd"}, "outside-root"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_is_made(web, job, movie, given, kind):
    answer = bring(web, job, **{"place": "day 1/take 'ä'.mov", **given})
    assert answer.json()["kind"] == kind, answer.content
    assert Shot.objects.count() == 0


def test_a_link_out_of_the_root_is_not_followed(web, job, storage, tmp_path):
    outside = tmp_path / "secret"
    write_codes(outside / "a.0001.tif", np.zeros((8, 8, 3), np.uint16))
    (settings.MEDIA_FOOTAGE / "way").symlink_to(outside)
    assert web.get("/api/footage?place=way").json()["kind"] == "outside-root"
    assert bring(web, job, place="way").json()["kind"] == "outside-root"
    assert bring(web, job, place="way/a.%23").status_code == 400


def test_footage_is_opened_apart(web, job, movie, settings):
    settings.SCAN_APART = True
    assert web.get("/api/footage/examine?place=day 1/take 'ä'.mov").json()["count"] == 20
    (settings.MEDIA_FOOTAGE / "bad.mp4").write_bytes(b"\0" * 4000)
    answer = web.get("/api/footage/examine?place=bad.mp4")
    assert (answer.status_code, answer.json()["kind"]) == (400, "unreadable")


def test_log_footage_is_shown_through_a_view_and_corrected(web, job, log_dpx):
    made = bring(web, job, place="log", space="acescct").json()
    assert made["clip"]["bits"] == 10
    assert made["look"]["view"].startswith("ACES")
    address = f"/pictures/shots/{made['id']}/frames/1.png?ch=luma"
    through = seen(web, address)
    assert (np.diff(through[10, :, 0].astype(int)) >= 0).all()
    brighter = web.patch(
        f"/api/shots/{made['id']}", {"look": {**made["look"], "exposure": 1.0}}, "application/json"
    ).json()
    assert brighter["look_name"] != made["look_name"]
    assert seen(web, address).mean() > through.mean() + 5
    plain = web.patch(f"/api/shots/{made['id']}", {"space": "srgb", "look": {}}, "application/json").json()
    assert plain["look"]["view"] == ""
    values = web.get(f"/api/shots/{made['id']}/values?frame=1&x=63&y=4").json()
    assert values["codes"] == [1023, 1023, 1023]
    assert values["linear"] == pytest.approx([1, 1, 1])
    middle = web.get(f"/api/shots/{made['id']}/values?frame=1&x=32&y=4").json()
    assert middle["codes"][0] == int(np.linspace(0, 1023, 64)[32])
    assert seen(web, f"/pictures/shots/{made['id']}/frames/1.png")[4, 32, 0] == pytest.approx(
        255 * middle["shown"][0], abs=1
    )


def test_a_cdl_and_a_lut_are_taken_into_the_look(web, job, log_dpx):
    made = bring(web, job, place="log", space="srgb").json()
    correction = """<ColorCorrection id="x"><SOPNode><Slope>0.5 0.5 0.5</Slope><Offset>0 0 0</Offset>
        <Power>1 1 1</Power></SOPNode><SatNode><Saturation>1</Saturation></SatNode></ColorCorrection>"""
    answer = web.post(f"/api/shots/{made['id']}/look/file", {"file": SimpleUploadedFile("a.cc", correction.encode())})
    assert answer.json()["look"]["cdl"]["slope"] == [0.5, 0.5, 0.5]
    ramp = seen(web, f"/pictures/shots/{made['id']}/frames/1.png")[4, :, 0]
    assert abs(int(ramp[63]) - 127) <= 1  # ASC CDL v1.2: out = in x slope, worked by hand
    cube = "LUT_3D_SIZE 2\n" + "\n".join(f"{1 - r} {1 - g} {1 - b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    web.patch(f"/api/shots/{made['id']}", {"look": {"cdl": None}}, "application/json")
    answer = web.post(f"/api/shots/{made['id']}/look/file", {"file": SimpleUploadedFile("neg.cube", cube.encode())})
    assert answer.json()["look"]["lut"] == "neg.cube"
    ramp = seen(web, f"/pictures/shots/{made['id']}/frames/1.png")[4, :, 0].astype(int)
    assert (np.diff(ramp) <= 0).all()
    assert ramp[0] == 255
    for name, data in (("a.cube", b"nonsense"), ("b.cc", b"<x/>"), ("c.exe", b"")):
        answer = web.post(f"/api/shots/{made['id']}/look/file", {"file": SimpleUploadedFile(name, data)})
        assert answer.status_code == 400


def test_parts_channels_and_stress(web, shot):
    whole = seen(web, f"/pictures/shots/{shot.id}/frames/1004.png")
    part = seen(web, f"/pictures/shots/{shot.id}/frames/1004.png?x=40&y=30&w=50&h=20")
    assert (part == whole[30:50, 40:90]).all()
    red = seen(web, f"/pictures/shots/{shot.id}/frames/1004.png?ch=r")
    assert (red[..., 0] == red[..., 2]).all()
    assert (red[..., 0] == whole[..., 0]).mean() > 0.999
    few = seen(web, f"/pictures/shots/{shot.id}/frames/1004.png?st=0,1,1,4")
    assert len(np.unique(few)) <= 4
    grain = seen(web, f"/pictures/shots/{shot.id}/frames/1004.png?ch=grain").astype(float)
    assert abs(grain.mean() - 127.5) < 2
    for bad in ("ch=x", "st=1", "st=99,1,1,0", "w=5", "x=9000&y=0&w=5&h=5", "wide=-3"):
        answer = web.get(f"/pictures/shots/{shot.id}/frames/1004.png?{bad}")
        assert answer.status_code in (400, 404), bad


def test_changes_are_black_where_nothing_was_altered(web, whole, shot):
    picture = seen(web, f"/pictures/shots/{shot.id}/patched/1004.png?changes=1")
    assert picture[130, 160].max() > 60
    far = np.hypot(*np.mgrid[-130:130, -160:160]) > 80
    assert (picture[far] == 0).all()


def upload(web, place, data, chunk=7):
    meta = "place " + base64.b64encode(place.encode()).decode()
    answer = web.post(
        "/api/uploads", headers={"Tus-Resumable": "1.0.0", "Upload-Length": str(len(data)), "Upload-Metadata": meta}
    )
    if answer.status_code != 201:
        return answer
    where = answer["Location"]
    sent = 0
    while sent < len(data):
        part = data[sent : sent + max(1, len(data) // chunk)]
        answer = patch(web, where, sent, part)
        assert answer.status_code == 204, answer.content
        sent += len(part)
        assert answer["Upload-Offset"] == str(sent)
    return answer


def patch(web, where, offset, data):
    return web.patch(
        where, data, "application/offset+octet-stream", headers={"Tus-Resumable": "1.0.0", "Upload-Offset": str(offset)}
    )


def test_an_upload_arrives_whole_and_can_be_resumed(web, storage, movie):
    """The tus protocol 1.0.0: HEAD tells the offset, a wrong offset is a conflict, the file appears once it is whole."""
    data = movie.read_bytes()
    meta = "place " + base64.b64encode(b"in/a b.mov").decode()
    made = web.post(
        "/api/uploads", headers={"Tus-Resumable": "1.0.0", "Upload-Length": str(len(data)), "Upload-Metadata": meta}
    )
    where = made["Location"]
    assert patch(web, where, 0, data[:1000]).status_code == 204
    place = settings.MEDIA_FOOTAGE / "uploads" / "in" / "a b.mov"
    assert not place.exists()
    assert web.head(where, **TUS)["Upload-Offset"] == "1000"
    assert patch(web, where, 0, data).status_code == 409
    assert patch(web, where, 1000, data[1000:]).status_code == 204
    assert place.read_bytes() == data
    assert Upload.objects.count() == 0
    assert web.get("/api/footage?place=uploads").json()["folders"] == ["in"]


def test_uploads_stay_inside_and_are_footage_only(web, storage, client):
    assert upload(web, "../../x.tif", b"1234567").status_code == 204
    assert (settings.MEDIA_FOOTAGE / "uploads" / "x.tif").exists()
    for place in ("a.sh", "", ".hidden.tif", "x" * 300 + ".tif"):
        assert upload(web, place, b"123").status_code == 400, place
    assert upload(web, "empty.tif", b"").status_code == 400
    assert client.post("/api/uploads", headers={"Tus-Resumable": "1.0.0"}).status_code == 401
    assert upload(web, "y.tif", b"abc").status_code == 204
    meta = "place " + base64.b64encode(b"y.tif").decode()
    made = web.post("/api/uploads", headers={"Tus-Resumable": "1.0.0", "Upload-Length": "11", "Upload-Metadata": meta})
    assert patch(web, made["Location"], 0, b"other bytes").json()["kind"] == "exists"
    assert (settings.MEDIA_FOOTAGE / "uploads" / "y.tif").read_bytes() == b"abc"


def test_an_edit_makes_shots_with_handles(web, job, footage):
    events = (
        "TITLE: T",
        "",
        "001  WALL  V  C  00:00:41:19 00:00:41:23 01:00:00:00 01:00:00:04",
        "002  GONE  V  C  00:00:00:00 00:00:01:00 01:00:00:04 01:00:01:04",
    )
    edl = "\n".join(events) + "\n"
    cuts = web.post("/api/edits", {"file": SimpleUploadedFile("cut.edl", edl.encode()), "rate": "24"}).json()
    assert (cuts[0]["place"], cuts[0]["cut_in"], cuts[0]["cut_out"]) == ("wall/wall.####.tif", 1003, 1006)
    assert "No footage called GONE" in cuts[1]["problem"]
    made = web.post(f"/api/jobs/{job.id}/conform", json.dumps({"cuts": cuts, "handles": 2}), "application/json")
    (shot,) = made.json()
    assert (shot["clip"]["first"], shot["clip"]["last"]) == (1001, 1008)
    bad = web.post("/api/edits", {"file": SimpleUploadedFile("cut.edl", b"\x00\x01"), "rate": "24"})
    assert bad.json()["kind"] == "bad-edit"


def test_proxies_are_made_by_workers_counted_and_cleared(web, shot, work):
    assert web.get(f"/api/shots/{shot.id}/proxies").json()["frames"] == 0
    work()
    made = web.get(f"/api/shots/{shot.id}/proxies").json()
    assert (made["frames"], made["of"]) == (9, 9)
    assert made["bytes"] > 0
    assert web.get("/api/storage").json()["shots"][0]["proxies"] == made["bytes"]
    for _ in range(2):  # asked for twice while it waits
        assert web.post(f"/api/shots/{shot.id}/proxies").status_code == 202
    assert web.delete(f"/api/shots/{shot.id}/proxies").status_code == 204
    assert web.get(f"/api/shots/{shot.id}/proxies").json()["files"] == 0
    seen(web, f"/pictures/shots/{shot.id}/frames/1004.jpg?wide=1280")
    assert web.get(f"/api/shots/{shot.id}/proxies").json()["frames"] == 1


def test_proxies_beyond_the_limit_give_way(shot, work, settings):
    from jobs.actions import disk_use
    from jobs.tasks import tidy_proxies

    work()
    before = disk_use(settings.PROXIES)[1]
    settings.PROXY_BYTES = before // 2
    tidy_proxies(0)
    assert 0 < disk_use(settings.PROXIES)[1] <= before // 2


def test_a_movie_is_patched_and_delivered_without_loss(web, job, storage, work, texture):
    """The whole way on a movie: circled, tracked, cloned, delivered as FFV1 with its look and a preview beside it."""
    import av

    from hushcore.media.movies import open_movie
    from tests.server.conftest import Hands, loop

    path = settings.MEDIA_FOOTAGE / "m.mov"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("prores_ks", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 260, "yuv422p10le"
        for k in range(6):
            part = texture[100 - k : 360 - k, 60 - k : 380 - k].copy()
            y, x = np.mgrid[0:260, 0:320]
            part[np.hypot(x - 160 - k, y - 130 - k) < 16] *= 0.5
            codes = np.repeat(np.round((0.15 + 0.7 * part) * 65535).astype(np.uint16)[..., None], 3, 2)
            frame = av.VideoFrame.from_ndarray(codes, "rgb48le").reformat(format="yuv422p10le")
            frame.pts, frame.time_base = k, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    shot = bring(web, job, place="m.mov").json()
    fix = web.post(f"/api/shots/{shot['id']}/circle", {"frame": 2, "loop": loop(162, 132)}, "application/json").json()
    work()
    hands = Hands(web, web.get(f"/api/fixes/{fix['id']}").json())
    assert hands.do("patch", "plate", frame=2).status_code == 200
    assert hands.stroke(162, 132).status_code == 200
    asked = {"first": 0, "last": 5, "with_look": True, "pieces": [{"what": "frames"}, {"what": "preview"}]}
    assert web.post(f"/api/shots/{shot['id']}/deliver", asked, "application/json").status_code == 201
    work()
    delivery = web.get("/api/deliveries").json()[0]
    assert (delivery["state"], delivery["problem"], delivery["changed_outside"]) == ("done", "", 0)
    assert delivery["changed_inside"] > 0
    half_told(web, delivery, work)
    folder = settings.DELIVERIES / delivery["folder"]
    assert sorted(entry.name for entry in folder.iterdir()) == [
        "SHA256SUMS", "look.cube", "m-preview.mp4", "m.mkv", "proof.json",
    ]  # fmt: skip
    source, made = open_movie(path), open_movie(folder / "m.mkv")
    for k in range(6):
        one, two = source.planes(k)[0], made.planes(k)[0]
        assert (one[0][:60] == two[0][:60]).all()
        spot = (slice(120 + k, 140 + k), slice(150 + k, 170 + k))
        assert two[0][spot].mean() > one[0][spot].mean() + 40  # the dark mark is gone


def half_told(web, delivery, work):
    """A worker that dies between two proofs of a segment: taken up again, the movie has every frame once."""
    from deliveries.models import Delivery

    row = Delivery.objects.get(id=delivery["id"])
    row.frames.filter(frame__gte=3).delete()
    Delivery.objects.filter(id=row.id).update(state="stopped", stop_asked=True)
    (settings.DELIVERIES / delivery["folder"] / "m.mkv").unlink()
    web.post(f"/api/deliveries/{row.id}/go-on")
    work()
    assert web.get("/api/deliveries").json()[0]["state"] == "done"


def test_storage_that_is_unplugged_is_said(web, storage):
    settings.MEDIA_FOOTAGE.rmdir()
    assert web.get("/api/footage").json()["kind"] == "no-storage"
