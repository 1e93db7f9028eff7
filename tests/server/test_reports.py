"""Report, contact sheet and the edit with delivered shots in place."""

import io
import re
import zlib

import numpy as np
import opentimelineio as otio
import pytest
from django.conf import settings

from tests.server.test_deliveries import ask

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def told(web, whole, shot, work, storage, settings):
    """A shot with tells, a note and a delivery."""
    from tells.tasks import measure

    settings.REPORTS = storage / "reports"
    measure(fix=whole.fix["id"])
    web.post(f"/api/shots/{shot.id}/notes", {"frame": 1005, "words": "Watch <this> & that"}, "application/json")
    ask(web, shot)
    work()
    return shot


def unpacked(stream: bytes) -> bytes:
    try:
        return zlib.decompress(stream)
    except zlib.error:
        return b""


def test_a_report_as_pdf_html_and_picture(web, told, work):
    from holds.models import HoldFrame

    HoldFrame.objects.filter(frame__in=(1006, 1007)).update(how="body")
    at = f"/api/shots/{told.id}/report"
    assert web.get(at).json()["asked"] is False
    assert web.get(f"{at}/report.pdf").json()["kind"] == "not-found"
    assert web.post(at).status_code == 202
    work()
    assert web.get(at).json()["made"]
    page = web.get(f"{at}/report.html").content.decode()
    assert "Watch &lt;this&gt; &amp; that" in page
    assert "2 frames as a stiff body, 1006 to 1007" in page
    assert "0 of 2,246,400 values changed outside the mattes" in page
    assert "http://" not in page.replace("http://www.w3.org", "")
    assert "https://" not in page
    assert page.count("data:image/jpeg") == 2 + 2 * 6
    made = web.get(f"{at}/report.pdf").content
    assert made.startswith(b"%PDF-")
    streams = re.findall(rb"stream\r?\n(.*?)\r?\nendstream", made, re.DOTALL)
    assert any(b"Spline" in unpacked(stream) for stream in streams)  # our own font is in it
    sheet = web.get(f"{at}/sheet.png")
    assert sheet["Content-Type"] == "image/png"
    from PIL import Image

    picture = np.asarray(Image.open(io.BytesIO(sheet.content)))
    assert picture.shape[1] == 2 * 28 + 6 * 240 + 5 * 8
    assert picture.std() > 20
    assert web.get(f"{at}/../../secret").status_code == 404


def test_a_shot_without_a_fix_says_so(web, shot, work, storage, settings):
    settings.REPORTS = storage / "reports"
    web.post(f"/api/shots/{shot.id}/report")
    work()
    assert "nothing to put on a contact sheet" in web.get(f"/api/shots/{shot.id}/report").json()["problem"]


def test_the_edit_has_delivered_shots_in_place(web, told):
    text = web.get(f"/api/jobs/{told.job_id}/edit?form=otio").content.decode()
    timeline = otio.adapters.read_from_string(text, "otio_json")
    clip = next(iter(timeline.find_clips()))
    media = clip.media_reference
    folder = next(settings.DELIVERIES.iterdir()).name
    assert (clip.name, media.target_url_base, media.name_prefix, media.name_suffix) == (
        "010 wall",
        f"{folder}/",
        "wall.",
        ".tif",
    )
    assert media.target_url_for_image_number(2) == f"{folder}/wall.1003.tif"
    assert (settings.DELIVERIES / media.target_url_for_image_number(8)).exists()
    assert clip.source_range.duration == otio.opentime.RationalTime(9, 24)
    lines = web.get(f"/api/jobs/{told.job_id}/edit?form=edl").content.decode().splitlines()
    assert any(line.startswith("001") and " V " in line and " C " in line for line in lines)
    assert web.get(f"/api/jobs/{told.job_id}/edit?form=xml").json()["kind"] == "bad-form"


def test_a_shot_that_is_not_delivered_is_named_as_missing(web, shot):
    text = web.get(f"/api/jobs/{shot.job_id}/edit").content.decode()
    clip = next(iter(otio.adapters.read_from_string(text, "otio_json").find_clips()))
    assert clip.media_reference.is_missing_reference
    assert "not delivered" in clip.media_reference.name
