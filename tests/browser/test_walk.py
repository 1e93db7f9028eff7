"""What an artist does, from sign-in to delivered files, and what an artist would see."""

import math
import re

import numpy as np
import pytest
from holds.models import Hold, HoldFrame
from playwright.sync_api import Page, expect

from hushcore.colour import difference
from hushcore.colour.encoding import SRGB
from hushcore.media.pictures import read_codes
from tests.browser.conftest import COUNT, FIRST, HEIGHT, LAST, WIDTH, Running
from tests.browser.screens import (
    ANCHOR,
    CREST,
    changes,
    circle_the_crest,
    drag,
    fixes,
    on_shot,
    on_still,
    open_shot,
    settled,
)

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]


def redness(codes: np.ndarray) -> np.ndarray:
    return difference.linear_to_lab(SRGB.decode(codes))[..., 1]


def test_from_sign_in_to_delivered_files(page: Page, running: Running, half, apron):
    running.worker()
    running.worker()
    open_shot(page, running)
    circle_the_crest(page)

    # it tracks while the artist watches: the ribbon fills
    expect(page.get_by_role("img", name=re.compile(rf"drift: [1-9]\d* of {COUNT - 1} frames measured"))).to_be_visible(
        timeout=60_000
    )
    expect(page.get_by_text(f"Held on all {COUNT} frames, anchor {ANCHOR}")).to_be_visible(timeout=120_000)

    # the pointer is linked: over the bent apron a cross sits on the same thread in the Still view
    still = page.locator("canvas[data-space=still]")
    page.mouse.move(*on_shot(page, 30, 30))
    before = settled(page, still)
    page.mouse.move(*on_shot(page, 280, 125))
    changes(page, still, before)

    # a plate, and the crest cloned over from the clean cloth below it
    page.get_by_role("button", name=re.compile("^Source")).click()
    expect(page.get_by_text("No plate yet").first).to_be_visible()
    clearest = fixes(page)[0]["suggested_plate"]
    page.get_by_role("button", name=f"Take {clearest}").click()
    expect(page.get_by_text(f"Still, plate {clearest}")).to_be_visible(timeout=20_000)
    page.get_by_role("slider", name="Size").focus()
    for _ in range(6):
        page.keyboard.press("PageUp")
    page.get_by_text("Takes from").or_(page.get_by_text("Alt-click a clean place close by")).first.click()
    hold = fixes(page)[0]["hold"]
    page.keyboard.down("Alt")
    page.mouse.click(*on_still(page, hold, 244, 233))
    page.keyboard.up("Alt")
    expect(page.get_by_text("Donor set")).to_be_visible()
    for k, y in enumerate((120, 145, 170, 192)):
        drag(page, [on_still(page, hold, x, y) for x in range(232, 330, 15)])
        expect(page.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(k + 1)
        expect(page.get_by_test_id("saved")).to_have_text("saved")

    # undo and redo go through it, across a reload
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(3)
    page.reload()
    page.get_by_role("button", name=re.compile("^Source")).click()
    expect(page.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(3)
    page.get_by_role("button", name="Redo").click()
    expect(page.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(4)
    page.get_by_role("button", name="Switch stroke 4 off").click()
    page.get_by_role("button", name="Switch stroke 4 on").click()

    # light and edge
    page.get_by_role("button", name=re.compile("^Match")).click()
    page.get_by_role("radio", name="Off").click()
    expect(page.get_by_role("button", name=re.compile("light off"))).to_be_visible()
    page.get_by_role("radio", name="Under").click()
    expect(page.get_by_role("button", name=re.compile("light under"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Edge")).click()
    page.get_by_role("slider", name="Growth").focus()
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_role("button", name=re.compile("grow 4, soft 0 in, 14 out"))).to_be_visible()

    # hold B for before: the picture changes and comes back
    page.keyboard.press("v")
    page.get_by_role("radio", name="Patched").click()
    shot = page.locator("canvas[data-space=shot]")
    page.mouse.move(20, 400)
    patched = settled(page, shot)
    page.keyboard.down("b")
    changes(page, shot, patched)
    page.keyboard.up("b")

    # play, with an honest count
    page.keyboard.press("Space")
    expect(page.get_by_test_id("speed")).to_have_text(re.compile(r"[\d.]+ f/s, \d+ dropped"), timeout=90_000)
    page.keyboard.press("Space")

    # deliver, with the proof
    page.get_by_role("button", name="Deliver").click()
    page.get_by_role("button", name=f"Write {COUNT} frames").click()
    expect(page.get_by_text("Delivered", exact=True)).to_be_visible(timeout=180_000)
    expect(page.get_by_text("0 values changed outside the mattes")).to_be_visible()
    check_files(running, half, apron)


def check_files(running: Running, half, apron) -> None:
    """The delivered files themselves: the crest's red is gone on every frame, all else is the source's."""
    (folder,) = (running.place / "deliveries").iterdir()
    assert len(list(folder.glob("*.tif"))) == COUNT
    truth = np.load(apron[1] / "truth.npz")
    row, col = (int(2 * place // 8) for place in CREST[::-1])  # the truth is of the shot at its full size
    for frame in (FIRST, FIRST + 3, ANCHOR, LAST - 3, LAST):
        source, made = (read_codes(place / f"apron.{frame}.tif") for place in (half, folder))
        x, y = truth["positions"][list(truth["frames"]).index(frame), row, col] / 2
        yy, xx = np.mgrid[0:HEIGHT, 0:WIDTH]
        far = np.hypot(xx - x, yy - y) > 97  # the loop, and px round it that do not shrink with the picture
        assert (source[far] == made[far]).all()
        spot = np.hypot(xx - x, yy - y) < 35
        red = redness(source[spot])
        inked = red > np.percentile(red, 80)
        assert redness(made[spot])[inked].mean() < 0.4 * red[inked].mean()


def test_two_tabs_the_later_is_told(page: Page, browser, running: Running):
    open_shot(page, running)
    circle_the_crest(page)
    other = browser.new_page(viewport={"width": 1280, "height": 800})
    other.route("**/api/events", lambda route: route.abort())  # this one misses the news
    other.goto(page.url)
    other.get_by_role("button", name=re.compile("^Edge")).click()
    page.get_by_role("button", name=re.compile("^Edge")).click()
    page.get_by_role("slider", name="Soft outside").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("button", name=re.compile("soft 0 in, 15 out"))).to_be_visible()
    other.get_by_role("slider", name="Growth").focus()
    other.keyboard.press("ArrowRight")
    clash = other.get_by_role("alertdialog", name="Two changes of one fix")
    expect(clash).to_contain_text("Wren Alder changed this fix meanwhile")
    theirs = other.get_by_role("button", name=re.compile("grow 0, soft 0 in, 15 out"), include_hidden=True)
    expect(theirs).to_be_attached()  # it stands behind the question
    clash.get_by_role("button", name="Make mine on top").click()
    expect(other.get_by_role("button", name=re.compile("grow [1-9], soft 0 in, 14 out"))).to_be_visible()
    other.close()


def test_fixes_are_laid_in_another_order(page: Page, running: Running):
    open_shot(page, running)
    circle_the_crest(page)
    page.get_by_role("button", name="Circle something to hush").click()
    drag(page, [on_shot(page, 350 + 20 * math.cos(t), 210 + 20 * math.sin(t)) for t in np.linspace(0, 6.3, 30)])
    chosen = page.get_by_role("button", name=re.compile("^Choose Fix"))
    names = lambda: [one.get_attribute("aria-label") for one in chosen.all()]  # noqa: E731
    expect(chosen).to_have_count(2)
    assert names() == ["Choose Fix 1", "Choose Fix 2"]

    # from the keyboard
    said = lambda words: expect(page.get_by_role("status").filter(has_text=words)).to_have_count(1)  # noqa: E731
    page.get_by_role("button", name="Move Fix 2").focus()
    page.keyboard.press("Space")
    said("Fix 2 is taken up")
    page.wait_for_timeout(300)  # the list measures its rows
    page.keyboard.press("ArrowUp")
    said("Fix 2 would lie where Fix 1 is")
    with page.expect_response(lambda answer: answer.url.endswith("/order") and answer.request.method == "PUT"):
        page.keyboard.press("Space")
    expect(chosen.first).to_have_attribute("aria-label", "Choose Fix 2")
    page.reload()
    expect(chosen.first).to_have_attribute("aria-label", "Choose Fix 2")

    # with the mouse
    expect(page.get_by_text("saved")).to_be_visible()
    page.wait_for_timeout(1500)  # rows find their places
    grip, goal = (page.get_by_role("button", name=f"Move Fix {k}").bounding_box() for k in (1, 2))
    middle = [(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2) for box in (grip, goal)]
    with page.expect_response(lambda answer: answer.url.endswith("/order") and answer.request.method == "PUT"):
        page.mouse.move(*middle[0])
        page.mouse.down()
        for part in (0.2, 0.6, 1.0, 1.1):
            page.mouse.move(middle[0][0], middle[0][1] + part * (middle[1][1] - middle[0][1]))
            page.wait_for_timeout(150)
        page.mouse.up()
    expect(chosen.first).to_have_attribute("aria-label", "Choose Fix 1")
    assert [fix["name"] for fix in fixes(page)] == ["Fix 1", "Fix 2"]


def test_trouble_is_told_where_the_artist_is(page: Page, running: Running):
    open_shot(page, running)
    page.get_by_role("button", name="Circle something to hush").click()
    drag(page, [on_shot(page, x, y) for x, y in ((5, 150), (30, 150), (30, 170))])
    expect(page.get_by_role("alert")).to_contain_text("Draw a loop round it")
    page.get_by_role("button", name="Deliver").click()
    page.get_by_role("button", name=f"Write {COUNT} frames").click()
    expect(page.get_by_role("alert").filter(has_text="No fix is on")).to_be_visible()
    page.get_by_role("button", name="Close").click()
    (running.place / "media" / "apron" / f"apron.{LAST}.tif").unlink()
    page.keyboard.press("End")
    expect(page.get_by_text(f"Frame {LAST} of apron is missing")).to_be_visible()


def test_a_killed_worker_loses_nothing(page: Page, running: Running):
    """SIGKILL in the middle of tracking: its frames stay, and another worker takes its work up."""

    first = running.worker()
    open_shot(page, running)
    circle_the_crest(page)
    hold = Hold.objects.get()
    expect(page.get_by_role("img", name=re.compile(rf"drift: [3-9] of {COUNT - 1}"))).to_be_visible(timeout=60_000)
    first.kill()
    first.wait()
    kept = set(HoldFrame.objects.filter(hold=hold).values_list("frame", flat=True))
    assert 0 < len(kept) < LAST - FIRST
    running.worker(HUSH_STALLED_AFTER="6")
    expect(page.get_by_text(f"Held on all {COUNT} frames")).to_be_visible(timeout=120_000)
    assert kept <= set(HoldFrame.objects.filter(hold=hold).values_list("frame", flat=True))
