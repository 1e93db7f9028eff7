"""What an artist does over and over, for the tests that drive the browser."""

import math
import time
from collections.abc import Callable

import numpy as np
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import FIRST, HEIGHT, LAST, WIDTH, Running

ANCHOR = 1049
CREST = (279.0, 157.0)


def open_shot(page: Page, running: Running) -> None:
    page.goto(running.address)
    expect(page.get_by_text("Wren Alder")).to_be_visible()
    page.get_by_role("button", name="Open 040 apron").click()
    expect(page.get_by_test_id("frame")).to_have_text(str(FIRST))


def go_to(page: Page, frame: int) -> None:
    box = page.get_by_test_id("ruler").bounding_box()
    part = (frame - FIRST + 0.5) / (LAST - FIRST + 1)
    page.mouse.click(box["x"] + part * box["width"], box["y"] + 28)
    expect(page.get_by_test_id("frame")).to_have_text(str(frame))


def on_shot(page: Page, x: float, y: float) -> tuple[float, float]:
    """Screen place of a picture pixel in the Shot view, which shows the whole frame."""
    box = page.locator("canvas[data-space=shot]").bounding_box()
    scale = min(box["width"] / WIDTH, box["height"] / HEIGHT)
    left = box["x"] + (box["width"] - WIDTH * scale) / 2
    top = box["y"] + (box["height"] - HEIGHT * scale) / 2
    return left + (x + 0.5) * scale, top + (y + 0.5) * scale


def on_still(page: Page, still: dict, x: float, y: float) -> tuple[float, float]:
    box = page.locator("canvas[data-space=still]").bounding_box()
    scale = min(box["width"] / still["still_width"], box["height"] / still["still_height"])
    left = box["x"] + (box["width"] - still["still_width"] * scale) / 2
    top = box["y"] + (box["height"] - still["still_height"] * scale) / 2
    return left + (x + 0.5 - still["still_left"]) * scale, top + (y + 0.5 - still["still_top"]) * scale


def drag(page: Page, points: list[tuple[float, float]]) -> None:
    page.mouse.move(*points[0])
    page.mouse.down()
    for point in points[1:]:
        page.mouse.move(*point)
    page.mouse.up()


def settled(page: Page, canvas: Locator) -> bytes:
    """What a canvas shows once it has stood still for a second."""
    seen, since = canvas.screenshot(), time.monotonic()
    for _ in range(120):
        page.wait_for_timeout(250)
        now = canvas.screenshot()
        if now != seen:
            seen, since = now, time.monotonic()
        elif time.monotonic() - since > 1:
            return seen
    raise AssertionError("the picture does not settle")


def changes(page: Page, canvas: Locator, before: bytes) -> None:
    """Waits until a canvas shows something else than before."""
    for _ in range(80):
        if canvas.screenshot() != before:
            return
        page.wait_for_timeout(250)
    raise AssertionError("the picture stays as it was")


def circle_the_crest(page: Page) -> None:
    go_to(page, ANCHOR)
    page.get_by_role("button", name="Circle something to hush").click()
    turns = np.linspace(0, 2 * math.pi, 40)
    drag(page, [on_shot(page, CREST[0] + 53 * math.cos(t), CREST[1] + 53 * math.sin(t)) for t in turns])
    expect(page.get_by_role("button", name="Choose Fix 1")).to_be_visible(timeout=60_000)


def fixes(page: Page) -> list[dict]:
    shot = page.url.rsplit("/", 1)[1]
    return page.request.get(f"{page.url.split('/shots')[0]}/api/shots/{shot}/fixes").json()


def wait_for(page: Page, true: Callable[[], bool], seconds: float = 20) -> None:
    """Waits until something about what is kept is true."""
    end = time.monotonic() + seconds
    while not true():
        if time.monotonic() > end:
            raise AssertionError("it does not come about")
        page.wait_for_timeout(200)
