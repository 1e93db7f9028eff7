"""An artist, a reviewer and a supervisor in one house, each in a browser of their own."""

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import FIRST, Running
from tests.browser.screens import ANCHOR, wait_for
from tests.browser.test_for_everyone import found

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]


def asked(page: Page, way: str, path: str, **data) -> dict:
    """A call of the API from the page itself."""
    told = page.evaluate(
        """async ([way, path, data]) => {
            const csrf = (await (await fetch("/api/session")).json()).csrf;
            const answer = await fetch(path, { method: way, body: JSON.stringify(data),
                headers: { "Content-Type": "application/json", "X-CSRFToken": csrf } });
            return [answer.status, answer.status === 204 ? {} : await answer.json()];
        }""",
        [way, path, data],
    )
    assert told[0] < 300, told
    return told[1]


@pytest.fixture
def healed(page, crest) -> dict:
    """The crest healed from beside it."""
    fix = asked(page, "PATCH", f"/api/fixes/{crest['id']}/plate", version=crest["version"], frame=ANCHOR)
    stroke = {"kind": "heal", "points": [[279, 157, 1]], "radius": 50, "hardness": 0.8, "donor": {"offset": [0, 95]}}
    return asked(page, "POST", f"/api/fixes/{crest['id']}/strokes", version=fix["version"], stroke=stroke)


@pytest.fixture
def reviewer(browser: Browser, page: Page, running: Running):
    """Otto's browser."""
    other = browser.new_page(viewport={"width": 1180, "height": 820})  # a tablet's
    other.goto(running.address)
    other.get_by_role("button", name="Wren Alder").click()
    other.get_by_role("menuitem", name="Sign out").click()
    other.get_by_role("button", name=re.compile("as Otto Brandl")).click()
    expect(other.get_by_role("button", name="Otto Brandl")).to_be_visible()
    yield other
    other.close()


def test_a_shot_goes_to_review_and_comes_back(page: Page, reviewer: Page, healed: dict):
    review = page.get_by_role("button", name=re.compile("^Review"))
    review.click()
    page.get_by_role("button", name="Send to review").click()
    expect(page.get_by_text("To review 1")).to_be_visible()
    page.keyboard.press("Escape")

    # the reviewer sees it wait, and nothing else than reviews
    expect(reviewer.get_by_role("button", name="Jobs and shots")).to_have_count(0)
    waiting = reviewer.get_by_role("region", name="Waiting for review")
    waiting.get_by_role("button", name="Review 040 apron").click()
    picture = reviewer.get_by_role("img").or_(reviewer.locator("canvas")).first
    expect(picture).to_be_visible()
    reviewer.get_by_label("Frame", exact=True).fill(str(FIRST + 5))
    reviewer.get_by_role("button", name="Pin").click()
    box = reviewer.locator("canvas").bounding_box()
    reviewer.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    reviewer.get_by_role("button", name="Draw").click()
    reviewer.mouse.move(box["x"] + 300, box["y"] + 300)
    reviewer.mouse.down()
    reviewer.mouse.move(box["x"] + 360, box["y"] + 340, steps=5)
    reviewer.mouse.up()
    reviewer.get_by_label("New note").fill("The weave is too smooth here")
    wrong = found(reviewer, "review room")
    reviewer.get_by_role("button", name="Add note").click()
    expect(reviewer.get_by_role("article", name=f"Note on {FIRST + 5}")).to_contain_text("too smooth")
    reviewer.get_by_role("button", name="Split with").click()
    reviewer.get_by_role("button", name="Return it").click()
    reviewer.get_by_role("button", name="Return it").click()
    expect(reviewer.get_by_role("status").filter(has_text="Returned by Otto Brandl")).to_be_visible()

    # the artist sees it at once: on the ruler, on the picture and in the list
    mark = page.get_by_role("button", name=f"To the note on {FIRST + 5}")
    mark.click()
    expect(page.get_by_test_id("frame")).to_have_text(str(FIRST + 5))
    review.click()
    note = page.get_by_role("article", name=f"Note on {FIRST + 5}")
    expect(note).to_contain_text("Otto Brandl")
    wrong += found(page, "review menu")
    page.get_by_role("textbox", name=f"Answer the note on {FIRST + 5}").fill("Rougher now")
    page.keyboard.press("Enter")
    page.get_by_role("button", name=f"Tick the note on {FIRST + 5} off").click()
    expect(reviewer.get_by_text("Ticked off by Wren Alder")).to_be_visible()
    page.get_by_role("button", name="Send to review").click()
    expect(page.get_by_text("To review 2")).to_be_visible()

    reviewer.get_by_label("Shown").select_option("2 To review 2")
    reviewer.get_by_role("button", name="Approve").click()
    expect(reviewer.get_by_text("Approved", exact=True)).to_be_visible()
    page.keyboard.press("Escape")
    review.click()
    expect(page.get_by_text("Approved by Otto Brandl")).to_be_visible()

    # what is not the reviewer's is not there for them
    reviewer.goto(page.url)
    expect(reviewer.get_by_role("button", name="Deliver", exact=True)).to_have_count(0)
    expect(reviewer.get_by_role("region", name="Verdict").or_(reviewer.get_by_label("New note")).first).to_be_visible()
    assert wrong == []


def test_versions_are_named_and_gone_back_to(page: Page, healed: dict):
    page.get_by_role("button", name=re.compile("^Review")).click()
    page.get_by_role("button", name="Name this state").click()
    page.get_by_label("Name of the version").fill("Healed from below")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Healed from below")).to_be_visible()
    page.keyboard.press("Escape")
    asked(page, "PATCH", f"/api/fixes/{healed['id']}/name", version=healed["version"], name="Crest, other way")
    expect(page.get_by_role("button", name="Choose Crest, other way")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Review")).click()
    page.get_by_role("button", name="Go back to it").click()
    expect(page.get_by_role("button", name="Choose Fix 1")).to_be_attached()
    expect(page.get_by_text("Before going back to Healed from below")).to_be_visible()


def test_several_things_are_delivered_watched_and_checked(page: Page, running: Running, healed: dict, workers):
    page.get_by_role("button", name="Deliver", exact=True).click()
    sheet = page.get_by_role("dialog")
    sheet.get_by_role("button", name="Mattes").click()
    sheet.get_by_role("button", name="Patch alone").click()
    rows = sheet.get_by_role("listitem")
    rows.nth(2).get_by_label("Form").select_option("PNG, 16 bit")
    rows.nth(2).get_by_label(re.compile("^Names of")).fill("../patch.####")
    sheet.get_by_label("to", exact=True).fill(str(FIRST + 7))
    sheet.get_by_role("button", name="Write 8 frames").click()
    expect(sheet.get_by_role("alert")).to_contain_text("does not stay inside")
    rows.nth(2).get_by_label(re.compile("^Names of")).fill("alone/{shot}.####")
    sheet.get_by_role("button", name="Keep as a preset").click()
    sheet.get_by_label("Name of the preset").fill("For the edit")
    page.keyboard.press("Enter")
    expect(sheet.get_by_role("combobox", name="Preset")).to_contain_text("For the edit")
    wrong = found(page, "deliver")
    sheet.get_by_role("button", name="Write 8 frames").click()
    expect(sheet.get_by_text("Delivered", exact=True)).to_be_visible(timeout=120_000)
    expect(sheet.get_by_text("0 values changed outside the mattes")).to_be_visible()
    (folder,) = (running.place / "deliveries").iterdir()
    for name in (
        f"apron.{FIRST}.tif",
        f"mattes/Fix-1.{FIRST + 7}.tif",
        f"alone/040-apron.{FIRST + 3}.png",
        "SHA256SUMS",
    ):
        assert (folder / name).is_file(), name
    sheet.get_by_role("button", name="Check it").click()
    expect(sheet.get_by_role("status").filter(has_text="holds: 8 frames")).to_be_visible(timeout=60_000)
    sheet.get_by_role("button", name="Close").click()
    page.get_by_role("button", name="hush patch").click()
    page.get_by_role("button", name="Deliveries", exact=True).click()
    expect(page.get_by_role("article", name=re.compile("Delivery 040-apron"))).to_be_visible()
    page.get_by_role("button", name="Queue").click()
    expect(page.get_by_text("2 workers serve the queue.")).to_be_visible()
    wrong += found(page, "queue")
    page.get_by_role("button", name="Storage").click()
    row = page.get_by_role("row", name=re.compile("040 apron"))
    expect(row).to_be_visible()
    wrong += found(page, "storage")
    taken = lambda: page.request.get(f"{running.address}/api/storage").json()["shots"][0]["proxies"]  # noqa: E731
    before = taken()
    row.get_by_role("button", name="Clear proxies").click()
    wait_for(page, lambda: taken() < before / 2)  # workers may be making some of them again
    assert wrong == []


def test_people_are_added_given_a_role_and_see_their_job(page: Page, browser: Browser, running: Running):
    page.goto(running.address)
    page.get_by_role("button", name="People").click()
    page.get_by_role("button", name="Add somebody").click()
    page.get_by_label("Full name").fill("Juno Vale")
    page.get_by_label("Name to sign in with").fill("juno")
    page.get_by_label(re.compile("First password")).fill("short")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("at least 10")
    wrong = found(page, "add somebody")
    page.get_by_label(re.compile("First password")).fill("linen and clay")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text("Juno Vale")).to_be_visible()
    wrong += found(page, "people")

    juno = browser.new_context().new_page()
    juno.goto(f"{running.address}/")
    juno.get_by_role("button", name="Wren Alder").click()
    juno.get_by_role("menuitem", name="Sign out").click()
    juno.get_by_label("Name", exact=True).fill("juno")
    juno.get_by_label("Password").fill("linen and clay")
    juno.get_by_role("button", name="Sign in").click()
    expect(juno.get_by_text("Nothing waits for review.")).to_be_visible()
    expect(juno.get_by_role("button", name="Review 040 apron")).to_have_count(0)

    page.get_by_role("button", name="Jobs and shots").click()
    page.get_by_role("button", name=re.compile("^More of Ollowby")).click()
    page.get_by_role("menuitem", name="Members and log").click()
    page.get_by_label("Person").select_option("Juno Vale")
    page.get_by_label("Role", exact=True).select_option("artist")
    page.get_by_role("button", name="Add to the job").click()
    expect(page.get_by_label("Role of Juno Vale")).to_have_value("artist")
    expect(page.get_by_role("table", name="Log")).to_contain_text("gave a role: Juno Vale: artist")
    wrong += found(page, "members")
    juno.reload()
    expect(juno.get_by_role("button", name="Open 040 apron")).to_be_visible()
    expect(juno.get_by_role("button", name="People")).to_have_count(0)

    # two in one shot: each sees that the other is there
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Open 040 apron").click()
    juno.get_by_role("button", name="Open 040 apron").click()
    expect(page.get_by_role("img", name="Juno Vale has this shot open")).to_be_visible()
    expect(juno.get_by_role("img", name="Wren Alder has this shot open")).to_be_visible()
    juno.context.close()
    assert wrong == []


def test_a_report_and_a_contact_sheet(page: Page, running: Running, healed: dict, workers):
    stages = page.get_by_role("complementary", name="Stages")
    stages.get_by_role("button", name=re.compile("^Check")).click()
    page.get_by_role("button", name="Make a report").click()
    link = page.get_by_role("link", name="PDF")
    expect(link).to_be_visible(timeout=120_000)
    reports = running.place / "reports"
    wait_for(page, lambda: len(list(reports.rglob("*.*"))) >= 3)
    answer = page.request.get(running.address + link.get_attribute("href"))
    assert answer.body().startswith(b"%PDF")
    page.goto(running.address + page.get_by_role("link", name="HTML").get_attribute("href"))
    expect(page.get_by_role("heading", name="040 apron")).to_be_visible()
