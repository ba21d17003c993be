"""Limits are set from the screen: what drifted is set right, seen to be so, and taken back."""

import re

from playwright.sync_api import Page, expect

from tests.browser.pages.compliance import CompliancePage

SET_MS = 150_000  # workers may be busy; what they collected is in a revision a minute later


def first_number(text: str) -> int:
    return int(re.findall(r"\d+", text)[0])


def test_what_drifted_is_set_right_collected_and_taken_back(operating: Page):
    compliance = CompliancePage(operating)
    operating.goto("/compliance?offers=volume")
    table = operating.get_by_role("table", name="Must offer")
    note = operating.get_by_text(re.compile(r"volumes · \d+ drifted"))
    expect(note).to_be_visible()
    before = first_number(note.inner_text().split("·")[1])
    choose = operating.get_by_role("button", name=re.compile(r"choose \d+ drifted"))
    n = first_number(choose.inner_text())
    choose.click()
    compliance.margin.get_by_label("Why").fill("forgotten when their disks came")
    compliance.margin.get_by_role("button", name=f"set {n} volumes").click()
    asked = compliance.margin.get_by_role("status").first
    expect(asked).to_have_text(f"{n} set", timeout=SET_MS)
    expect(operating.get_by_text(f"volumes · {before - n} drifted")).to_be_visible(timeout=SET_MS)
    expect(table.get_by_role("row").nth(1)).to_contain_text("left alone")
    compliance.margin.get_by_role("button", name="take it back").click()
    expect(compliance.margin).to_contain_text("takes back")
    expect(asked).to_have_text(f"{n} set", timeout=SET_MS)


def test_a_planner_plans_what_an_operator_would_let_go(known: Page):
    compliance = CompliancePage(known)
    known.goto("/compliance?offers=volume")
    table = known.get_by_role("table", name="Must offer")
    table.get_by_role("row").nth(1).get_by_role("checkbox").check()
    most = compliance.margin.get_by_label("Most, operations a second")
    most.fill("4321")
    compliance.margin.get_by_role("button", name="plan 1 volume").click()
    asked = compliance.margin.get_by_role("status").first
    expect(asked).to_have_text("1 planned")
    expect(compliance.margin.get_by_role("button", name="let it go")).to_have_count(0)
    expect(table.get_by_role("row").nth(1)).to_contain_text(re.compile(r"planned: .* / 4.321"))
    compliance.margin.get_by_role("button", name="drop it").click()
    expect(asked).to_have_text("1 dropped")
