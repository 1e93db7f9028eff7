"""Every way to take a mark away, in the browser: a fill chosen, turned and dragged on the picture, ways tried beside each
other, softening, a copy on the same hold."""

import io
import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.screens import ANCHOR, drag, fixes, go_to, on_still, wait_for

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]


def red_in(page: Page, space: str) -> float:
    """Share of a picture on the screen that is the crest's red."""
    data = page.locator(f"canvas[data-space={space}]").screenshot()
    picture = cv2.imdecode(np.frombuffer(io.BytesIO(data).getvalue(), np.uint8), cv2.IMREAD_COLOR).astype(float)
    return float((picture[..., 2] > 1.35 * picture[..., 1] + 12).mean())


def gone(page: Page, space: str, before: float) -> None:
    wait_for(page, lambda: red_in(page, space) < 0.2 * before)


def stage(page: Page):
    return page.get_by_role("button", name=re.compile("^Source"))


def test_a_fill_is_chosen_turned_and_dragged_on_the_picture(page: Page, crest: dict):
    go_to(page, ANCHOR)
    stage(page).click()
    hold = fixes(page)[0]["hold"]
    wait_for(page, lambda: red_in(page, "still") > 0.005)  # the picture is there
    before = red_in(page, "still")
    page.get_by_role("radio", name="Fill", exact=True).click()
    expect(stage(page)).to_contain_text("soaked")
    gone(page, "still", before)

    # pull along an arrow, turned on the surface
    page.get_by_role("radio", name="Pull", exact=True).click()
    page.get_by_role("radio", name="Along an arrow").click()
    expect(page.get_by_text("0°", exact=True)).to_be_visible()
    wait_for(page, lambda: fixes(page)[0]["fill"]["direction"] == 0)
    page.wait_for_timeout(500)  # the arrow is drawn
    nodes = [node for one in fixes(page)[0]["edge"]["outlines"] for node in one["nodes"]]
    xs, ys = ([node[k] for node in nodes] for k in "xy")
    middle = ((min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2)
    long = max(40, 1.5 * max(max(xs) - min(xs), max(ys) - min(ys)) / 2)
    tip = (middle[0] + long, middle[1])
    low = (middle[0], middle[1] + long)
    drag(
        page,
        [on_still(page, hold, *tip), on_still(page, hold, middle[0] + 40, middle[1] + 60), on_still(page, hold, *low)],
    )
    expect(page.get_by_text("90°", exact=True)).to_be_visible()
    gone(page, "still", before)

    # borrow: it says what is missing; the place is dragged
    page.get_by_role("radio", name="Borrow", exact=True).click()
    expect(page.get_by_text("Nothing to borrow from yet: drag the clean place in the Still view.")).to_be_visible()
    half = max(max(xs) - min(xs), max(ys) - min(ys)) / 2
    offered = (middle[0] + 2.4 * half, middle[1])
    drag(page, [on_still(page, hold, *offered), on_still(page, hold, offered[0] - 60, offered[1] + 90)])
    wait_for(page, lambda: not fixes(page)[0]["lacks"])
    expect(stage(page)).to_contain_text("borrowed")
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Nothing to borrow from yet: drag the clean place in the Still view.")).to_be_visible()


def test_ways_are_tried_beside_each_other_and_one_is_taken(page: Page, crest: dict, workers):
    go_to(page, ANCHOR)
    stage(page).click()
    wait_for(page, lambda: red_in(page, "still") > 0.005)
    before = red_in(page, "still")
    page.get_by_role("button", name="Try them").click()
    sheet = page.get_by_role("dialog")
    ways = sheet.get_by_role("list", name="Ways").get_by_role("listitem")
    expect(ways).to_have_count(5, timeout=30_000)  # soak, contour, pull, weave, soften
    expect(sheet.get_by_role("img", name=f"Weave on {ANCHOR}")).to_be_visible(timeout=60_000)
    figures = ways.nth(3).get_by_text(re.compile(r"(quiet|seam|light|texture|grain|drift|flicker)"))
    expect(figures).to_have_count(3, timeout=60_000)  # this frame, the first and the last
    sheet.get_by_role("button", name="Take Weave").click()
    expect(sheet).to_be_hidden()
    expect(stage(page)).to_contain_text("woven")
    gone(page, "still", before)

    # softening has its own few controls, and needs no plate
    page.get_by_role("radio", name="Soften", exact=True).click()
    expect(stage(page)).to_contain_text("softened")
    expect(page.get_by_role("slider", name="Creases")).to_be_visible()

    # a copy on the same hold, and what is corrected is gained by both
    page.get_by_role("button", name=re.compile("^Duplicate")).click()
    expect(page.get_by_role("button", name=re.compile("^Choose "))).to_have_count(2)
    one, two = fixes(page)
    assert one["hold"]["id"] == two["hold"]["id"]
    page.get_by_role("button", name=re.compile("^Hold")).click()
    expect(page.get_by_text(re.compile("what is corrected is gained by all"))).to_be_visible()
