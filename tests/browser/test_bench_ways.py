"""The bench around the stages: undo of what belongs to the shot, the ruler, the inset, the keys, first-run hints."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import FIRST, LAST, Running
from tests.browser.screens import ANCHOR, changes, circle_the_crest, fixes, go_to, on_shot, open_shot, settled, wait_for

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]
CLOSEST = 12  # frames that the ruler shows at least


def test_a_fix_taken_away_comes_back_and_a_look_is_undone(page: Page, crest: dict):
    page.get_by_role("button", name="Take Fix 1 away").click()
    expect(page.get_by_role("button", name="Choose Fix 1")).to_have_count(0)
    expect(page.get_by_role("alert")).to_contain_text("undo brings it back")
    assert fixes(page) == []
    page.reload()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("button", name="Choose Fix 1")).to_be_visible()
    assert fixes(page)[0]["hold"] == crest["hold"]

    # undo takes back whatever came last: first the look, then the edge
    page.get_by_role("button", name=re.compile("^Edge")).click()
    page.get_by_role("slider", name="Soft outside").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("button", name=re.compile("soft 0 in, 15 out"))).to_be_visible()
    page.get_by_role("button", name="Look").click()
    page.get_by_role("slider", name="Exposure").focus()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    undo = page.get_by_role("button", name="Undo")
    shot = page.url.rsplit("/", 1)[1]

    def exposure() -> float:
        return page.request.get(page.url.replace(f"/shots/{shot}", f"/api/shots/{shot}")).json()["look"]["exposure"]

    at = float(page.get_by_role("slider", name="Exposure").get_attribute("aria-valuenow"))
    page.keyboard.press("Escape")
    wait_for(page, lambda: exposure() == at > 0)
    undo.click()
    expect(page.get_by_role("button", name=re.compile("soft 0 in, 15 out"))).to_be_visible()
    wait_for(page, lambda: exposure() == 0)
    undo.click()
    expect(page.get_by_role("button", name=re.compile("soft 0 in, 14 out"))).to_be_visible()


def test_the_ruler_zooms_and_pans(page: Page, running: Running):
    open_shot(page, running)
    ruler = page.get_by_test_id("ruler")
    overview = page.get_by_test_id("overview")
    box = ruler.bounding_box()
    go_to(page, ANCHOR)
    for _ in range(3):
        page.keyboard.press("+")
    words = overview.get_attribute("title")
    first, last = map(int, re.match(r"(\d+) to (\d+) of", words).groups())
    assert first <= ANCHOR <= last
    assert last - first + 1 == CLOSEST < LAST - FIRST + 1
    # a click goes to the frame that is shown there
    page.mouse.click(box["x"] + box["width"] - 2, box["y"] + 28)
    expect(page.get_by_test_id("frame")).to_have_text(str(last))
    # the wheel moves along, Ctrl and the wheel zoom about the pointer, a double-click shows all of it
    page.mouse.move(box["x"] + 5, box["y"] + 20)
    page.mouse.wheel(0, -3000)
    expect(overview).to_have_attribute("title", re.compile(f"^{FIRST} to"))
    page.keyboard.down("Control")
    page.mouse.wheel(0, -300)
    page.keyboard.up("Control")
    expect(overview).to_have_attribute("title", re.compile(f"^{FIRST} to (?!{LAST})"))
    at = overview.bounding_box()
    page.mouse.dblclick(at["x"] + at["width"] - 5, at["y"] + 3)
    expect(overview).to_have_attribute("title", re.compile("Ctrl and the wheel"))
    # stepping out of what is shown brings it into view
    for _ in range(4):
        page.keyboard.press("+")
    page.keyboard.press("Home")
    expect(overview).to_have_attribute("title", re.compile(f"^{FIRST} to"))


def test_the_inset_steps_aside_and_can_be_put_anywhere(page: Page, crest: dict):
    inset = page.get_by_test_id("inset")
    expect(inset).to_have_attribute("data-corner", "bottom-right")
    # zoomed in so that the mark lies under it, it steps aside or becomes smaller
    full = inset.bounding_box()["width"]
    shot = page.locator("canvas[data-space=shot]")
    before = settled(page, shot)
    page.mouse.move(*on_shot(page, 150, 50))
    page.mouse.wheel(0, -400)
    changes(page, shot, before)

    def aside() -> bool:
        moved = inset.get_attribute("data-corner") != "bottom-right"
        return moved or inset.bounding_box()["width"] < 0.9 * full

    wait_for(page, aside)
    page.keyboard.press("f")
    mover = inset.get_by_role("button", name=re.compile("Move the inset"))
    mover.focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowLeft")
    expect(inset).to_have_attribute("data-corner", "top-left")
    box = mover.bounding_box()
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.mouse.move(box["x"] + 500, box["y"] + 300, steps=6)
    page.mouse.up()
    expect(inset).to_have_attribute("data-corner", "bottom-right")
    # on a wide screen both stand side by side
    page.set_viewport_size({"width": 1680, "height": 900})
    expect(inset).to_have_count(0)
    shot, still = (page.locator(f"canvas[data-space={space}]").bounding_box() for space in ("shot", "still"))
    assert abs(shot["width"] - still["width"]) < 3
    assert shot["x"] + shot["width"] <= still["x"] + 2


def test_a_hint_goes_once_it_is_done_and_stays_away(page: Page, crest: dict):
    hint = page.locator("[data-hint=hold]")
    expect(hint).to_be_visible()
    with page.expect_response(re.compile("/api/session/done")):
        page.get_by_label("Laid on it").select_option("checks")
    expect(hint).to_have_count(0)
    page.reload()
    expect(page.get_by_label("Laid on it")).to_be_visible()
    expect(hint).to_have_count(0)
    page.get_by_role("button", name=re.compile("^Edge")).click()
    page.locator("[data-hint=edge]").get_by_role("button", name="I know this").click()
    expect(page.locator("[data-hint=edge]")).to_have_count(0)


def test_the_keys_are_shown_and_do_what_they_say(page: Page, running: Running):
    open_shot(page, running)
    page.keyboard.press("?")
    keys = page.get_by_role("dialog", name="Keys")
    expect(keys).to_contain_text("Next frame that is not quiet")
    page.keyboard.press("End")  # not while they are read
    expect(page.get_by_test_id("frame")).to_have_text(str(FIRST))
    page.keyboard.press("Escape")
    page.keyboard.press("End")
    expect(page.get_by_test_id("frame")).to_have_text(str(LAST))
    # who walks by keyboard presses with Enter; Space always plays
    page.get_by_role("button", name="First frame").focus()
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")  # step back
    expect(page.get_by_test_id("frame")).to_have_text(str(LAST - 1))


def test_one_loop_gives_a_patch_that_can_be_kept_or_replaced(page: Page, running: Running):
    """No stroke is painted: the crest's red is gone on the frame that was circled, and on others once it is tracked."""
    running.worker(HUSH_PROPOSE="1")
    running.worker(HUSH_PROPOSE="1")
    open_shot(page, running)
    circle_the_crest(page)
    expect(page.get_by_role("button", name=re.compile("^Source proposed, 1 plate"))).to_be_visible(timeout=150_000)
    page.get_by_role("button", name=re.compile("^Source")).click()
    said = page.get_by_role("region", name="Proposed")
    expect(said).to_contain_text(re.compile(r"healed from \d+ px|woven from round it"))
    first = fixes(page)[0]["proposed"]
    said.get_by_role("button", name="Try another").click()
    wait_for(page, lambda: fixes(page)[0]["proposed"] not in ("", first), seconds=60)
    said.get_by_role("button", name="Keep it").click()
    expect(said).to_have_count(0)
    expect(page.get_by_role("button", name=re.compile("^Source retouched, 1 plate"))).to_be_visible()
