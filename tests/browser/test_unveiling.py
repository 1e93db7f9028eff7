"""A station's mark over a finished film, in the browser: one loop and it is gone; another source, and the ground is tracked."""

import io
import math
import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.screens import drag, fixes, wait_for
from tests.hushcore.test_unveil import LOGO, Stamped
from tests.hushcore.walls import COUNT, HEIGHT, WIDTH

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]
FIRST, ANCHOR = 1001, 1005


@pytest.fixture
def film(page: Page, running, settings, texture) -> None:
    """The film, open on the frame that is circled; workers propose."""
    from jobs.actions import bring_in
    from jobs.models import Job

    from hushcore.media.pictures import write_codes

    wall = Stamped(texture)
    for k in range(COUNT):
        write_codes(settings.MEDIA_FOOTAGE / "film" / f"film.{FIRST + k}.tif", wall.read(k))
    bring_in(Job.objects.get(), "160 film", "film")
    running.worker(HUSH_PROPOSE="1")
    page.goto(running.address)
    page.get_by_role("button", name="Open 160 film").click()
    expect(page.get_by_test_id("frame")).to_have_text(str(FIRST))
    box = page.get_by_test_id("ruler").bounding_box()
    page.mouse.click(box["x"] + (ANCHOR - FIRST + 0.5) / COUNT * box["width"], box["y"] + 28)
    expect(page.get_by_test_id("frame")).to_have_text(str(ANCHOR))


def on_shot(page: Page, x: float, y: float) -> tuple[float, float]:
    box = page.locator("canvas[data-space=shot]").bounding_box()
    scale = min(box["width"] / WIDTH, box["height"] / HEIGHT)
    left, top = box["x"] + (box["width"] - WIDTH * scale) / 2, box["y"] + (box["height"] - HEIGHT * scale) / 2
    return left + (x + 0.5) * scale, top + (y + 0.5) * scale


def bright(page: Page) -> float:
    """Share of the picture right round the mark, on the screen, that is as bright and grey as it."""
    (left, top), (right, bottom) = (on_shot(page, *(LOGO.mean(0) + by)) for by in (-26, 26))
    data = page.screenshot(clip={"x": left, "y": top, "width": right - left, "height": bottom - top})
    picture = cv2.imdecode(np.frombuffer(io.BytesIO(data).getvalue(), np.uint8), cv2.IMREAD_COLOR).astype(float)
    return float((picture.min(-1) > 190).mean())


def stage(page: Page, name: str):
    return page.get_by_role("button", name=re.compile(f"^{name}"))


def test_one_loop_and_the_mark_is_gone_without_tracking(page: Page, film):
    wait_for(page, lambda: bright(page) > 0.1)
    before = bright(page)
    page.get_by_role("button", name="Circle something to hush").click()
    middle, half = LOGO.mean(0), np.ptp(LOGO, 0) / 2 * 1.3
    turns = np.linspace(0, 2 * math.pi, 40)
    drag(page, [on_shot(page, *(middle + half * [math.cos(t), math.sin(t)])) for t in turns])
    expect(stage(page, "Source")).to_contain_text("proposed, unveiled", timeout=60_000)
    expect(stage(page, "Hold")).to_contain_text("stands in the frame")
    wait_for(page, lambda: bright(page) < 0.1 * before)

    stage(page, "Source").click()
    proposed = page.get_by_role("region", name="Proposed")
    expect(proposed).to_contain_text("taken off each frame's own picture, 3")
    names = page.get_by_role("radiogroup", name="Source").get_by_role("radio").all_inner_texts()
    assert names == ["Replace", "Lift", "Unveil", "Fill", "Insert"]  # none that cannot be
    expect(page.get_by_role("button", name="Try them")).to_have_count(0)
    proposed.get_by_role("button", name="Keep it").click()
    expect(stage(page, "Source")).to_contain_text(re.compile("^Sourceunveiled"))
    expect(page.get_by_text(re.compile(r"3\d % of the picture shows through it"))).to_be_visible()
    stage(page, "Match").click()
    expect(page.get_by_text("there is nothing to match")).to_be_visible()
    stage(page, "Hold").click()
    expect(page.get_by_text("Nothing is tracked")).to_be_visible()

    # another source has the ground tracked; undone, the mark is gone as before
    stage(page, "Source").click()
    page.get_by_role("radio", name="Fill", exact=True).click()
    expect(stage(page, "Source")).to_contain_text("from other frames")
    wait_for(page, lambda: fixes(page)[0]["hold"]["state"] == "done", seconds=60)
    assert fixes(page)[0]["hold"]["kind"] != "frame"
    page.keyboard.press("Control+z")
    expect(stage(page, "Source")).to_contain_text("unveiled")
    wait_for(page, lambda: bright(page) < 0.1 * before)
