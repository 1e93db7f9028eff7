"""Working with the hold: judging it, dragging it right, another kind, what passes in front, what the tracker sees."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import COUNT, FIRST, LAST, WIDTH
from tests.browser.screens import (
    ANCHOR,
    CREST,
    changes,
    drag,
    fixes,
    go_to,
    on_shot,
    settled,
)

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]
HELD = LAST - 2  # the frame that is dragged right


def done(page: Page, words: str | None = None) -> dict:
    """The fix once nothing is being measured any more."""
    expect(page.get_by_role("status").filter(has_text=re.compile(words or r"Held on|becomes a key"))).to_be_visible(
        timeout=120_000
    )
    for _ in range(240):
        (fix,) = fixes(page)
        if fix["hold"]["state"] == "done":
            return fix
        page.wait_for_timeout(250)
    raise AssertionError(f"the hold is {fix['hold']['state']}: {fix['hold']['problem']}")


def at(page: Page, fix: dict, frame: int, still: tuple[float, float]) -> np.ndarray:
    """Where a still place is on a frame, by the hold's own track file."""
    import json

    from hushcore.hold.record import Hold

    text = page.request.get(f"{page.url.split('/shots')[0]}/api/holds/{fix['hold']['id']}/tracks/hold.json").text()
    return Hold.of(json.loads(text)).at(frame).forward(np.array(still))


def test_a_slip_is_seen_and_dragged_right(page: Page, crest: dict, workers):
    fix = done(page, f"Held on all {COUNT} frames")

    # judge: checks laid on the surface bend with it; trust shows where it is weak
    shot = page.locator("canvas[data-space=shot]")
    go_to(page, HELD)
    page.mouse.move(30, 30)
    before = settled(page, shot)
    page.get_by_label("Laid on it").select_option("checks")
    changes(page, shot, before)
    before = settled(page, shot)
    page.get_by_label("Laid on it").select_option("trust: where it is weak")
    changes(page, shot, before)

    # a test line is drawn on the surface and moves with it
    page.get_by_role("button", name="Test line").click()
    drag(page, [on_shot(page, 250, 150), on_shot(page, 280, 151), on_shot(page, 310, 152)])
    expect(page.get_by_role("button", name="Wipe the line")).to_be_visible()

    # drag one point: it becomes a key, met exactly, and the frames up to the next keys are measured anew
    place = (CREST[0], CREST[1])
    was, before_anchor = at(page, fix, HELD, place), at(page, fix, FIRST, place)
    page.get_by_role("radio", name="Correct").click()
    page.get_by_role("radio", name="Point", exact=True).click()
    x, y = on_shot(page, *was)
    drag(page, [(x, y), (x + 3, y + 2), (x + 8, y + 5)])
    expect(page.get_by_role("button", name=f"Go to key {HELD}")).to_be_visible()
    fix = done(page)
    scale = page.locator("canvas[data-space=shot]").bounding_box()["width"] / WIDTH
    moved = at(page, fix, HELD, place) - was
    np.testing.assert_allclose(moved, [8 / scale, 5 / scale], atol=1.5)
    np.testing.assert_allclose(at(page, fix, FIRST, place), before_anchor, atol=1e-6)  # the other side is as it was
    assert len(fix["hold"]["frames"]) == COUNT - 1

    # undo goes back to the hold as it was, and redo to the key
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("button", name=f"Go to key {HELD}")).to_have_count(0)
    np.testing.assert_allclose(at(page, fixes(page)[0], HELD, place), was, atol=1e-6)
    page.get_by_role("button", name="Redo", exact=True).first.click()
    page.get_by_role("button", name=f"Go to key {HELD}").click()
    page.get_by_role("button", name="Delete key").click()
    expect(page.get_by_role("button", name=f"Go to key {HELD}")).to_have_count(0)
    fix = done(page)
    np.testing.assert_allclose(at(page, fix, HELD, place), was, atol=0.5)

    # a range: thrown away and tracked on again, one frame and then the rest
    go_to(page, LAST - 3)
    page.keyboard.press("i")
    go_to(page, LAST)
    page.keyboard.press("o")
    page.get_by_role("button", name="Throw away").click()
    expect(page.get_by_test_id("saved")).to_have_text("saved")
    page.keyboard.press("p")
    page.get_by_role("radio", name="Track", exact=True).click()
    expect(page.get_by_text(f"Held on {COUNT - 4} of {COUNT} frames")).to_be_visible()
    expect(page.get_by_text(f"Not held on {LAST}")).to_be_visible()
    go_to(page, LAST - 4)
    page.get_by_role("button", name="Track one frame on").click()
    expect(page.get_by_text(f"Held on {COUNT - 3} of {COUNT} frames")).to_be_visible(timeout=60_000)
    go_to(page, LAST - 3)
    page.get_by_role("button", name="Track on from here").click()
    done(page, f"Held on all {COUNT} frames")


def test_another_kind_and_what_the_tracker_reads(page: Page, crest: dict, workers):
    done(page, f"Held on all {COUNT} frames")

    # what passes in front is drawn on a frame, and used when it is tracked
    go_to(page, 1052)
    page.get_by_role("radio", name="Ground").click()
    page.get_by_role("button", name="Ignore what passes").click()
    corners = [(235, 190), (325, 192), (328, 220), (280, 225), (232, 220), (232, 191)]
    drag(page, [on_shot(page, x, y) for x, y in corners for _ in (0, 1)])
    expect(page.get_by_role("button", name="Passes: 1052", exact=True)).to_be_visible()
    page.get_by_role("button", name="Track with this").click()
    expect(page.get_by_role("button", name="Track with this")).to_have_count(0)
    page.get_by_role("radio", name="Track", exact=True).click()
    fix = done(page, f"Held on all {COUNT} frames")
    assert fix["hold"]["ground"]["passing"][0]["keys"][0]["frame"] == 1052

    # what the tracker sees, before and after a preparation
    page.get_by_role("radio", name="Method").click()
    shot = page.locator("canvas[data-space=shot]")
    page.mouse.move(30, 30)
    before = settled(page, shot)
    page.get_by_role("button", name="See what it sees").click()
    changes(page, shot, before)
    before = settled(page, shot)
    page.get_by_role("slider", name="Blur").focus()
    for _ in range(8):
        page.keyboard.press("ArrowRight")
    changes(page, shot, before)
    page.get_by_role("button", name="Put back").click()
    page.get_by_role("button", name="See the footage").click()

    # another kind: a point with its window, dragged larger, tracked ahead only; nothing of the rest is lost
    nodes = fix["edge"]["nodes"]
    page.get_by_role("radio", name="Track", exact=True).click()
    go_to(page, ANCHOR)
    page.get_by_role("radio", name="Point", exact=True).click()
    expect(page.get_by_text("Changed, not tracked yet")).to_be_visible()
    middle = np.array(fix["hold"]["ground"]["read"][0])
    x, y = (middle.min(0) + middle.max(0)) / 2
    drag(page, [on_shot(page, x + 24, y + 24), on_shot(page, x + 36, y + 30), on_shot(page, x + 48, y + 40)])
    page.get_by_role("button", name="Track both ways").click()
    expect(page.get_by_text("Changed, not tracked yet")).to_have_count(0)
    fix = done(page, f"Held on all {COUNT} frames")
    assert fix["hold"]["kind"] == "point"
    window = np.array(fix["hold"]["ground"]["read"][0])
    np.testing.assert_allclose(np.ptp(window, 0), [72, 64], atol=3)
    assert fix["edge"]["nodes"] == nodes
