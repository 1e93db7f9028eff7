"""Bringing footage in and looking at it, as an artist does."""

import re
from collections.abc import Callable
from fractions import Fraction

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from hushcore.media.pictures import read_codes
from tests.browser.conftest import FIRST, LAST, Running
from tests.browser.screens import changes, go_to, on_shot, open_shot, settled
from tests.hushcore.movies import number_of, write_movie

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]


def picture(page: Page, x: int, y: int, wide: int = 9) -> np.ndarray:
    """What the Shot view shows about a place of the screen, RGB."""
    data = page.screenshot(clip={"x": x - wide // 2, "y": y - wide // 2, "width": wide, "height": wide})
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]


def until(page: Page, holds: Callable[[], bool]) -> None:
    """Waits up to twenty seconds for what an artist would see."""
    for _ in range(80):
        if holds():
            return
        page.wait_for_timeout(250)
    raise AssertionError(f"{holds.__name__} does not come about")


def test_a_movie_is_brought_in_corrected_and_played(page: Page, running: Running):
    running.worker()
    write_movie(
        running.place / "media" / "day 2" / "jug.mov", "prores_ks", "yuv422p10le", 24, Fraction(25), size=(640, 360)
    )
    page.goto(running.address)
    page.get_by_role("button", name="Bring in footage").click()
    page.get_by_role("button", name="day 2").click()
    page.get_by_role("button", name=re.compile("^jug.mov")).click()
    form = page.get_by_role("form", name="Bring in jug")
    expect(form).to_contain_text("640 × 360 · 10 bit · PRORES")
    expect(form).to_contain_text("24 frames at 25 play 0.96 s.")
    form.get_by_label("Rate").fill("12.5x")
    expect(form).to_contain_text("Write it like 25")
    form.get_by_label("Rate").fill("50")
    expect(form).to_contain_text("conformed to 50 it has 48 frames of the same 0.96 s")
    form.get_by_label("Rate").fill("25")
    form.get_by_label("Shot name").fill("090 turning")
    form.get_by_label("In", exact=True).fill("1500")
    form.get_by_role("button", name="Bring in as a shot").click()
    expect(form.get_by_role("alert")).to_contain_text("do not lie inside the clip (1001 to 1024)")
    form.get_by_label("In", exact=True).fill("1003")
    form.get_by_label("Out", exact=True).fill("1020")
    form.get_by_label("Handles").fill("1")
    form.get_by_role("button", name="Bring in as a shot").click()
    expect(page.get_by_title(re.compile("1002 to 1021"))).to_be_visible()
    page.get_by_role("button", name="Open 090 turning").click()
    expect(page.get_by_test_id("frame")).to_have_text("1002")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("f")
    shot = page.locator("canvas[data-space=shot]")

    def third_picture() -> bool:  # frame 1003
        shown = cv2.imdecode(np.frombuffer(shot.screenshot(), np.uint8), cv2.IMREAD_COLOR)
        top = int((shown.shape[0] - shown.shape[1] * 360 / 640) / 2)
        return number_of(shown[top : shown.shape[0] - top]) == 2

    until(page, third_picture)

    # a range, there and back, at the clip's rate
    page.keyboard.press("i")
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("o")
    page.get_by_role("button", name="Plays: Round and round").click()
    expect(page.get_by_role("button", name="Plays: There and back")).to_be_visible()
    page.keyboard.press("Space")
    page.wait_for_timeout(3000)
    assert 1003 <= int(page.get_by_test_id("frame").inner_text()) <= 1009
    expect(page.get_by_test_id("speed")).to_have_text(re.compile(r"f/s, \d+ dropped"))


def test_frames_are_sent_from_this_computer(page: Page, running: Running, tmp_path):
    from hushcore.media import pictures

    for frame in (7, 8, 10):
        pictures.write_codes(tmp_path / f"pot.{frame:04d}.tif", np.full((90, 160, 3), 900 * frame, np.uint16))
    page.goto(running.address)
    page.get_by_role("button", name="Bring in footage").click()
    page.get_by_role("tab", name="From this computer").click()
    page.get_by_label("Into folder").fill("pots")
    page.get_by_label("Files to send").set_input_files([str(path) for path in sorted(tmp_path.glob("*.tif"))])
    page.get_by_role("button", name="pots").click()
    expect(page.get_by_role("button", name=re.compile("pot.####.tif"))).to_contain_text("missing 9")
    arrived = running.place / "media" / "uploads" / "pots"
    assert [path.name for path in sorted(arrived.iterdir())] == ["pot.0007.tif", "pot.0008.tif", "pot.0010.tif"]
    assert (read_codes(arrived / "pot.0008.tif") == 7200).all()
    page.get_by_role("button", name=re.compile("pot.####.tif")).click()
    expect(page.get_by_role("form", name="Bring in pot")).to_contain_text("Missing: 9.")


def test_looking_close_pixels_values_and_the_look(page: Page, running: Running, half):
    open_shot(page, running)
    go_to(page, 1049)
    source = read_codes(half / "apron.1049.tif")
    middle = on_shot(page, 320, 180)
    page.mouse.move(*middle)
    readout = page.get_by_label("Pixel under the pointer")
    x, y = (int(word) for word in re.match(r"(\d+), (\d+)", readout.inner_text()).groups())
    assert abs(x - 320) <= 1
    expect(readout).to_contain_text("code " + " ".join(str(value) for value in source[y, x]))

    # far in, a pixel is a square of exactly its own colour
    for _ in range(16):
        page.mouse.wheel(0, -120)
    shot = page.locator("canvas[data-space=shot]")
    settled(page, shot)
    page.mouse.move(middle[0] + 1, middle[1])

    def square() -> bool:
        x, y = (int(word) for word in re.match(r"(\d+), (\d+)", readout.inner_text()).groups())
        seen = picture(page, int(middle[0]), int(middle[1]), 3)
        return np.abs(seen[1, 2].astype(int) - np.rint(source[y, x] / 257)).max() <= 1

    until(page, square)
    page.keyboard.press("f")

    # the look changes what is shown, and says that it is for viewing only
    before = settled(page, shot)
    page.get_by_role("button", name="Look view only").click()
    expect(page.get_by_text("no delivered pixel goes through it")).to_be_visible()
    page.get_by_role("slider", name="Exposure").focus()
    for _ in range(10):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Escape")
    changes(page, shot, before)

    # a band alone: texture lies about middle grey
    page.get_by_label("Channel").select_option("Texture")

    def about_grey() -> bool:
        spot = cv2.imdecode(np.frombuffer(shot.screenshot(), np.uint8), cv2.IMREAD_COLOR)[200:400, 200:500]
        return abs(int(np.median(spot)) - 127) < 6 and np.ptp(spot.astype(int), axis=-1).mean() < 30

    until(page, about_grey)
    page.reload()
    page.get_by_role("button", name="Look view only").click()
    expect(page.get_by_role("slider", name="Exposure")).to_have_attribute("aria-valuenow", "1")
    page.get_by_role("button", name="Reset").click()
    expect(page.get_by_role("slider", name="Exposure")).to_have_attribute("aria-valuenow", "0")
    assert (read_codes(running.place / "media" / "apron" / "apron.1049.tif") == source).all()


def test_corrections_and_proxies_of_a_shot(page: Page, running: Running):
    running.worker()
    page.goto(running.address)
    page.get_by_role("button", name="More of 040 apron").click()
    page.get_by_role("menuitem", name="Clip and corrections").click()
    expect(page.get_by_text(f"{LAST - FIRST + 1} of {LAST - FIRST + 1} frames")).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Clear").click()
    expect(page.get_by_text(f"0 of {LAST - FIRST + 1} frames")).to_be_visible()
    page.get_by_label("Timecode").fill("10:00:00:99")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("alert")).to_contain_text("does not exist at 24")
    page.get_by_label("Timecode").fill("10:00:00:00")
    page.get_by_role("button", name="Encoding").click()
    page.get_by_role("combobox", name="Search encodings").fill("709 video")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Encoding")).to_have_text("BT.709 video (BT.1886)")
    expect(page.get_by_text("delivered values outside the mattes stay as they are")).to_be_visible()
    page.get_by_role("button", name="Keep").click()
    row = page.get_by_role("listitem").filter(has_text=re.compile("040 apron.*BT.709 video", re.S))
    expect(row.get_by_title(re.compile("from 10:00:00:00"))).to_be_visible()
    page.get_by_role("button", name="Open 040 apron").click()
    expect(page.get_by_text("10:00:00:00")).to_be_visible()
