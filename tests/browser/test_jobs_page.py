"""Jobs and shots: what an artist puts in order before the day begins."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import FIRST, Running

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]


def write(page: Page, label: str, words: str) -> None:
    """Click words, write others, Enter."""
    page.get_by_role("button", name=re.compile(f"^{label}:")).click()
    page.get_by_role("textbox", name=label).fill(words)
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=f"{label}: {words}")).to_be_visible()


def test_jobs_and_shots_are_kept_in_order(page: Page, running: Running):
    footage = sorted(path.name for path in (running.place / "media" / "apron").iterdir())
    page.goto(running.address)
    write(page, "Name of the job", "Ollowby Clay, autumn")
    write(page, "Note on Ollowby Clay, autumn", "Grade is final")
    write(page, "Note on 040 apron", "Mind the fold")
    page.get_by_label("Status of 040 apron").select_option("In hand")
    expect(page.get_by_text(re.compile("on disk"))).to_be_visible()
    page.reload()
    expect(page.get_by_role("button", name="Note on 040 apron: Mind the fold")).to_be_visible()
    expect(page.get_by_label("Status of 040 apron")).to_have_value("in-hand")

    # put away, and out again
    row = page.get_by_role("button", name="Open 040 apron")
    more = page.get_by_role("button", name="More of 040 apron")
    more.click()
    page.get_by_role("menuitem", name="Put away").click()
    expect(row).to_be_hidden()
    page.get_by_text("1 put away").click()
    more.click()
    page.get_by_role("menuitem", name="Take out again").click()
    expect(page.get_by_text("1 put away")).to_have_count(0)
    expect(row).to_be_visible()

    # delete asks once more; the footage stays
    more.click()
    page.get_by_role("menuitem", name="Delete").click()
    page.get_by_role("button", name="Keep it").click()
    expect(row).to_be_visible()
    more.click()
    page.get_by_role("menuitem", name="Delete").click()
    page.get_by_role("button", name="Delete the shot").click()
    expect(row).to_have_count(0)
    expect(page.get_by_text("No shots yet")).to_be_visible()
    assert sorted(path.name for path in (running.place / "media" / "apron").iterdir()) == footage


def test_a_shot_shows_its_mark_and_how_loud_it_is(page: Page, crest: dict, running: Running):
    from fixes.models import Fix
    from tells.models import Tell

    fix = Fix.objects.get()
    assert crest["id"] == fix.id
    page.goto(running.address)
    expect(page.get_by_text("1 fix, 1 not whole yet")).to_be_visible()
    poster = page.get_by_role("button", name="Open 040 apron").locator("polygon").first
    assert poster.bounding_box()["width"] > 15  # the crest's outline lies on the picture
    expect(page.get_by_role("img", name="tells are not measured yet")).to_be_visible()
    page.get_by_role("button", name="Open 040 apron").click()
    page.get_by_role("button", name=re.compile("^Source")).click()
    page.get_by_role("button", name=re.compile(r"Take (this frame, )?\d+")).first.click()
    expect(page.get_by_text(re.compile("Still, plate"))).to_be_visible()
    Tell.objects.filter(fix=fix).delete()
    quiet = {"drift": 0.1, "seam": 0.2, "light": 0.1, "texture": 0.3, "grain": 0.2, "flicker": 0.1}
    running.stop(running.processes[1:])
    Tell.objects.create(fix=fix, frame=FIRST + 2, state="x", values={**quiet, "seam": 2.4})
    page.goto(running.address)
    expect(page.get_by_role("img", name=f"loudest tell 2.4 at {FIRST + 2}")).to_be_visible()
