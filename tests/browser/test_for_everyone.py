"""Screens that everyone can use: axe-core's rules for WCAG A and AA on every main screen, and the way back into the demo."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import FIRST, Running
from tests.conftest import ROOT

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]


def found(page: Page, where: str) -> list[str]:
    """What axe-core says is wrong, one line a rule and place."""
    page.add_script_tag(path=AXE)
    told = page.evaluate("rules => axe.run(document, { runOnly: { type: 'tag', values: rules } })", RULES)
    assert len(told["passes"]) > 5, "axe has looked"
    return [
        f"{where}: {one['id']}: {node['target']} {node['any'][0]['message'] if node['any'] else ''}"
        for one in told["violations"] for node in one["nodes"]
    ]  # fmt: skip


def test_no_screen_shuts_anyone_out(page: Page, running: Running):
    page.goto(running.address)
    row = page.get_by_role("button", name=re.compile("^Frame .*040 apron", re.DOTALL))
    expect(row).to_be_visible()
    wrong = found(page, "jobs")
    page.get_by_role("button", name="Clip and corrections of 040 apron").click()
    expect(page.get_by_label("Timecode")).to_be_visible()
    wrong += found(page, "clip")
    page.get_by_role("button", name="Encoding").click()
    expect(page.get_by_role("listbox", name="Encodings")).to_be_visible()
    wrong += found(page, "encodings")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    row.click()
    expect(page.get_by_test_id("frame")).to_have_text(str(FIRST))
    wrong += found(page, "bench")
    assert wrong == []


def test_who_signs_out_of_the_demo_finds_the_way_back(page: Page, running: Running):
    page.goto(running.address)
    expect(page.get_by_text("Demo artist")).to_be_visible()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_text("Password", exact=True)).to_be_visible()
    assert found(page, "sign in") == []
    page.get_by_label("Name").fill("nobody")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("do not fit together")
    page.get_by_role("button", name="Open the demo").click()
    expect(page.get_by_text("Demo artist")).to_be_visible()
