"""The patch by hand, in the browser: plates, brushes, the strokes after the fact, edge, match, tells, a plate's round trip."""

import io
import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from hushcore.media.pictures import read_codes, write_codes
from tests.browser.conftest import COUNT, FIRST, LAST
from tests.browser.screens import (  # fmt: skip
    ANCHOR,
    changes,
    drag,
    fixes,
    go_to,
    on_shot,
    on_still,
    settled,
    wait_for,
)

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]


def begin(page: Page, crest: dict) -> dict:
    """A plate at the anchor of the tracked crest; returns its hold."""
    page.get_by_role("button", name=re.compile("^Source")).click()
    go_to(page, ANCHOR)
    page.get_by_role("button", name=re.compile(rf"Take (this frame, )?{ANCHOR}")).first.click()
    expect(page.get_by_text(f"Still, plate {ANCHOR}")).to_be_visible(timeout=20_000)
    return fixes(page)[0]["hold"]


def strokes(page: Page):
    return page.get_by_role("list", name="Strokes").get_by_role("listitem")


def test_brushes_and_strokes_that_stay_editable(page: Page, crest: dict):
    hold = begin(page, crest)
    expect(page.get_by_text(f"carried to {FIRST} to {LAST}")).to_be_visible()  # a stroke serves the whole range
    still = page.locator("canvas[data-space=still]")

    # the donor ring tells its tone before anything is painted
    page.get_by_role("radio", name="Heal").click()
    page.keyboard.down("Alt")
    page.mouse.click(*on_still(page, hold, 244, 233))
    page.keyboard.up("Alt")
    page.mouse.move(*on_still(page, hold, 270, 150))
    expect(page.get_by_text("Donor set")).to_be_visible()
    before = settled(page, still)
    drag(page, [on_still(page, hold, x, 150) for x in range(250, 310, 10)])
    expect(strokes(page)).to_have_count(1)
    expect(page.get_by_text(re.compile(r"Its tone is [\d.]+ off"))).to_be_visible()
    changes(page, still, before)

    # spots: click, click, click
    page.get_by_role("radio", name="Spots").click()
    for k, (x, y) in enumerate(((260, 125), (300, 125), (280, 190))):
        page.mouse.click(*on_still(page, hold, x, y))
        expect(strokes(page)).to_have_count(2 + k)

    # paint with a colour from the plate, on tone alone
    page.get_by_role("radio", name="Paint").click()
    page.get_by_role("radio", name="Tone").click()
    page.keyboard.down("Alt")
    page.mouse.click(*on_still(page, hold, 235, 220))
    page.keyboard.up("Alt")
    drag(page, [on_still(page, hold, x, 165) for x in (260, 280, 300)])
    expect(strokes(page)).to_have_count(5)
    assert fixes(page)[0]["strokes"][-1]["band"] == "tone"

    # after the fact: opacity, place, order
    page.get_by_role("button", name="Choose stroke 1", exact=True).click()
    sliders = page.get_by_role("slider", name="Opacity")
    sliders.last.focus()
    for _ in range(5):
        page.keyboard.press("PageDown")
    wait_for(page, lambda: fixes(page)[0]["strokes"][0]["opacity"] < 0.6)
    page.get_by_role("button", name="Move it").click()
    drag(page, [on_still(page, hold, 270, 150), on_still(page, hold, 275, 155), on_still(page, hold, 280, 160)])
    wait_for(page, lambda: fixes(page)[0]["strokes"][0]["moved"] != [0, 0])
    assert fixes(page)[0]["strokes"][0]["moved"] == pytest.approx([10, 10], abs=0.5)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Stroke 1 later").click()
    expect(page.get_by_test_id("saved")).to_have_text("saved")
    page.get_by_role("button", name="Undo").click()
    expect(strokes(page)).to_have_count(5)


def test_a_plate_goes_out_and_back_and_artwork_is_put_on(page: Page, crest: dict, tmp_path):
    hold = begin(page, crest)
    page.get_by_text(f"Plate {ANCHOR}: start, out and back").click()
    with page.expect_download() as sent:
        page.get_by_role("link", name="Send out").click()
    path = tmp_path / sent.value.suggested_filename
    sent.value.save_as(path)
    codes = read_codes(path)
    height, width = codes.shape[:2]
    assert codes.dtype == np.uint16
    cv2.circle(codes, (width // 2, height // 2), 15, (65000, 65000, 65000), -1)
    write_codes(tmp_path / "back.tif", codes)
    still = page.locator("canvas[data-space=still]")
    before = settled(page, still)
    page.get_by_label("Picture that came back").set_input_files(tmp_path / "back.tif")
    expect(page.get_by_role("combobox", name="Issue")).to_be_visible()
    changes(page, still, before)
    # another size is refused in words, and what is there stays
    write_codes(tmp_path / "wrong.tif", codes[:40, :50])
    page.get_by_label("Picture that came back").set_input_files(tmp_path / "wrong.tif")
    expect(page.get_by_role("alert")).to_contain_text("Save it at the size that it had")

    # new artwork takes the mark's place; it is dragged on the surface and blended
    art = np.zeros((60, 60, 4), np.uint8)
    cv2.circle(art, (30, 30), 28, (200, 80, 20, 255), -1)
    (tmp_path / "label.png").write_bytes(io.BytesIO(cv2.imencode(".png", art)[1].tobytes()).read())
    page.get_by_role("radio", name="Insert").click()
    page.get_by_label("Artwork").set_input_files(tmp_path / "label.png")
    expect(page.get_by_text("label.png")).to_be_visible()
    before = fixes(page)[0]["art"]["corners"]
    middle = np.mean(before, 0)
    drag(
        page, [on_still(page, hold, *middle), on_still(page, hold, *(middle + 3)), on_still(page, hold, *(middle + 6))]
    )
    wait_for(page, lambda: fixes(page)[0]["art"]["corners"] != before)
    np.testing.assert_allclose(np.subtract(fixes(page)[0]["art"]["corners"], before), 6, atol=0.5)
    page.get_by_role("combobox", name="Blend").select_option("multiply")
    expect(page.get_by_role("button", name=re.compile("^Source put on"))).to_be_visible()
    wait_for(page, lambda: fixes(page)[0]["art"]["mode"] == "multiply")


def test_edge_match_and_tells(page: Page, crest: dict, workers):
    hold = begin(page, crest)
    page.get_by_role("radio", name="Heal").click()
    page.keyboard.down("Alt")
    page.mouse.click(*on_still(page, hold, 244, 233))
    page.keyboard.up("Alt")
    drag(page, [on_still(page, hold, x, 150) for x in range(250, 310, 10)])
    expect(strokes(page)).to_have_count(1)

    # another outline, taken away, and a key on another frame
    page.get_by_role("button", name=re.compile("^Edge")).click()
    page.keyboard.press("v")
    page.get_by_role("button", name="Take away").click()
    drag(page, [on_shot(page, 270 + 9 * np.cos(t), 150 + 9 * np.sin(t)) for t in np.linspace(0, 6.2, 24)])
    outlines = page.get_by_role("list", name="Outlines").get_by_role("listitem")
    expect(outlines).to_have_count(2)
    expect(outlines.nth(1)).to_contain_text("taken away")
    page.get_by_role("button", name=re.compile("1: the mark")).click()
    page.get_by_label("Dragging a point sets a key on its frame").check()
    go_to(page, LAST - 1)
    page.wait_for_timeout(600)
    node = fixes(page)[0]["edge"]["nodes"][0]
    # the node is where the surface is: drag it in the Still view, where it has not moved
    page.keyboard.press("v")
    at = on_still(page, hold, node["x"], node["y"])
    drag(page, [at, (at[0] + 8, at[1]), (at[0] + 16, at[1])])
    expect(outlines.nth(0)).to_contain_text("2 keys")
    page.get_by_role("radio", name="Matte").click()
    expect(page.get_by_text(f"Still {LAST - 1}, matte")).to_be_visible()

    # light: every mode is there, and the field can be looked at
    page.get_by_role("button", name=re.compile("^Match")).click()
    for mode in ("Off", "Even", "Slope", "Rim", "Under", "Shine", "Auto"):
        expect(page.get_by_role("radiogroup", name="Light").get_by_role("radio", name=mode)).to_be_visible()
    page.get_by_role("button", name="Show the light").click()
    expect(page.get_by_text(re.compile("its light"))).to_be_visible()
    expect(page.get_by_role("img", name="Grain against brightness")).to_be_visible(timeout=120_000)

    # the patch is half done, so something gives it away: the workers say where
    page.get_by_role("radio", name="Off").click()
    expect(
        page.get_by_role("img", name=re.compile(rf"tells: {COUNT} of {COUNT} frames measured, [1-9]"))
    ).to_be_visible(timeout=120_000)
    page.get_by_role("button", name=re.compile("^Check")).click()
    table = page.get_by_role("table", name=re.compile("Tells on"))
    expect(table.get_by_role("row")).to_have_count(6)
    now = int(page.get_by_test_id("frame").inner_text())
    page.keyboard.press("n")
    expect(page.get_by_test_id("frame")).not_to_have_text(str(now))
    loud = fixes(page)[0]["loud"]
    assert loud["value"] >= 1
    expect(page.get_by_role("button", name=f"{loud['value']:.1f} at {loud['frame']}").first).to_be_visible()
