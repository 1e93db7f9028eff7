"""Screens that everyone can use: axe-core's rules for WCAG A and AA on every main screen, and the way back into the demo."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Running
from tests.conftest import ROOT

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.browser]
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]


def found(page: Page, where: str) -> list[str]:
    """What axe-core says is wrong, one line a rule and place."""
    page.evaluate(AXE.read_text())  # not as a script of the page, which allows none but ours
    told = page.evaluate("rules => axe.run(document, { runOnly: { type: 'tag', values: rules } })", RULES)
    assert len(told["passes"]) > 5, "axe has looked"
    return [
        f"{where}: {one['id']}: {node['target']} {node['any'][0]['message'] if node['any'] else ''}"
        for one in told["violations"] for node in one["nodes"]
    ]  # fmt: skip


def test_no_screen_of_the_jobs_shuts_anyone_out(page: Page, running: Running):
    page.goto(running.address)
    more = page.get_by_role("button", name="More of 040 apron")
    expect(more).to_be_visible()
    wrong = found(page, "jobs")
    more.click()
    wrong += found(page, "menu")
    page.get_by_role("menuitem", name="Clip and corrections").click()
    expect(page.get_by_label("Timecode")).to_be_visible()
    wrong += found(page, "clip")
    page.get_by_role("button", name="Encoding").click()
    expect(page.get_by_role("listbox", name="Encodings")).to_be_visible()
    wrong += found(page, "encodings")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    more.click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_role("alertdialog")).to_be_visible()
    wrong += found(page, "delete")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Bring in footage").click()
    page.get_by_role("button", name="apron", exact=True).click()
    page.get_by_role("button", name=re.compile("apron.####.tif")).click()
    expect(page.get_by_role("form", name=re.compile("Bring in"))).to_be_visible()
    wrong += found(page, "bring in")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Deliveries", exact=True).click()
    expect(page.get_by_text(re.compile("deliver", re.I)).nth(1)).to_be_visible()
    wrong += found(page, "deliveries")
    assert wrong == []


def test_no_stage_of_the_bench_shuts_anyone_out(page: Page, crest: dict):
    stages = page.get_by_role("complementary", name="Stages")
    wrong = []
    for part in ("Correct", "Ground", "Method", "Track"):
        page.get_by_role("radio", name=part, exact=True).click()
        wrong += found(page, f"hold, {part}")
    for stage in ("Edge", "Source", "Match", "Check"):
        stages.get_by_role("button", name=re.compile(f"^{stage}")).click()
        if stage == "Source":
            page.get_by_role("button", name=re.compile(r"Take (this frame, )?\d+")).first.click()
            expect(page.get_by_text(re.compile("Still, plate"))).to_be_visible()
            page.get_by_text("More of the brush").click()
        wrong += found(page, stage)
    page.get_by_role("radio", name="Stress").click()
    page.get_by_role("button", name="Push").click()
    expect(page.get_by_role("slider", name="Gamma")).to_be_visible()
    wrong += found(page, "stress")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Look").click()
    wrong += found(page, "look")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Keys").click()
    expect(page.get_by_role("dialog")).to_contain_text("Next frame that is not quiet")
    wrong += found(page, "keys")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Deliver", exact=True).click()
    expect(page.get_by_role("dialog")).to_be_visible()
    wrong += found(page, "deliver")
    assert wrong == []


def test_who_signs_out_of_the_demo_finds_the_way_back(page: Page, running: Running):
    page.goto(running.address)
    expect(page.get_by_text("Wren Alder")).to_be_visible()
    page.get_by_role("button", name="Wren Alder").click()
    page.get_by_role("menuitem", name="Sign out").click()
    expect(page.get_by_text("Password", exact=True)).to_be_visible()
    assert found(page, "sign in") == []
    page.get_by_label("Name").fill("nobody")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("do not fit together")
    page.get_by_role("button", name="Open the demo", exact=True).click()
    expect(page.get_by_text("Wren Alder")).to_be_visible()
