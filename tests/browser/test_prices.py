"""A planner prices the classes, sees what that makes of a month, and plans objects by it."""

import re

from playwright.sync_api import Page, expect

from tests.browser.pages.place import WherePage
from tests.browser.pages.scenarios import ScenarioPage
from tests.browser.test_frame import faults


def test_a_list_is_tried_drawn_up_and_told_where_work_goes(signed_in: Page):
    signed_in.get_by_role("link", name="Scenarios", exact=True).click()
    signed_in.get_by_role("link", name="prices").click()
    row = signed_in.get_by_role("row").filter(has_text="Steady")
    price = row.get_by_label("A TiB and month of Steady")
    was = price.input_value()
    price.fill("many")
    expect(row).to_contain_text("A number from 0 on")
    draw = signed_in.get_by_role("button", name=re.compile("^draw up r"))
    expect(draw).to_be_disabled()
    price.fill("31,5")
    expect(row.get_by_role("img")).to_have_accessible_name(re.compile("with what is typed"))
    signed_in.get_by_label("Note").fill("Power became dearer.")
    draw.click()
    newest = signed_in.get_by_role("list", name="Revisions of prices").get_by_role("listitem").first
    expect(newest).to_contain_text(f"Steady {was} → 31.5")
    expect(newest).to_contain_text("Power became dearer.")
    assert faults(signed_in) == []
    where = WherePage(signed_in)
    where.open()
    where.want_class("Steady")
    expect(where.candidates.first).to_contain_text("crowns a month")


def test_objects_are_planned_in_the_tier_that_costs_least(known: Page):
    known.goto("/try/objects?first=2 TiB")
    rows = known.get_by_role("table", name="Buckets and tiers").get_by_role("row")
    expect(rows.nth(1)).to_contain_text("cold")
    known.get_by_role("checkbox", name="cold").uncheck()
    expect(rows.nth(1)).to_contain_text("warm")
    bucket = rows.nth(1).get_by_role("link").inner_text()
    rows.nth(1).get_by_role("button", name=re.compile("^plan it")).click()
    plan = ScenarioPage(known)
    plan.expect_open(f"Objects in {bucket}")
    expect(plan.move(f"into {bucket}, warm")).to_be_visible()
    expect(plan.line(f"Objects in {bucket}")).to_contain_text("crowns")
