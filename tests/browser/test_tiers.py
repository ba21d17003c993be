"""QoS tiers: who is held, what another limit would do, and that it settles when it is set."""

import re

from playwright.sync_api import Locator, Page, expect

from tests.browser.pages.compliance import CompliancePage
from tests.browser.pages.scenarios import ScenarioPage

REPLAYED_MS = 60_000  # of a week of every disk of a tier
TRIES = 50  # the recorder's file is brought in some minutes after the start


def see_replayed(tiers: CompliancePage, what: Locator, *, is_asked_for: bool = False) -> None:
    """Look until something is recorded that may be replayed; ask for it where that is wanted."""
    for _ in range(TRIES):
        if is_asked_for:
            tiers.margin.get_by_role("button", name="replay it").click()
        expect(what.or_(tiers.margin.get_by_text("nothing to replay"))).to_be_visible(
            timeout=REPLAYED_MS
        )
        if what.is_visible():
            return
        tiers.page.wait_for_timeout(TRIES * 100)
        tiers.page.reload()


def test_a_limit_is_raised_until_nobody_is_held_and_settles(known: Page):
    tiers = CompliancePage(known)
    tiers.open()
    tiers.policy("Neap").get_by_role("link").click()
    lanes = known.get_by_role("table", name="Neap", exact=True)
    expect(lanes.get_by_role("img", name=re.compile("may do 1")).first).to_be_visible()
    what = tiers.margin.get_by_role("table", name="What limits do")
    see_replayed(tiers, what)
    held = what.get_by_role("row", name="held over an hour a day")
    expect(held).to_be_visible()
    tiers.margin.get_by_role("slider", name="Maximum to try").press("End")
    expect(what.get_by_role("columnheader").last).to_have_text(re.compile(r"6.000"))
    expect(held.get_by_role("cell").last).to_have_text("0")
    tiers.margin.get_by_role("button", name=re.compile("revise it to")).click()
    expect(tiers.margin.get_by_label("At most, operations a second")).to_have_value("6000")
    tiers.margin.get_by_label("Why").fill("nobody is to wait")
    tiers.margin.get_by_role("button", name="accept the revision").click()
    expect(tiers.policy("Neap")).to_contain_text(re.compile(r"400 / 6.000"))
    expect(tiers.margin).to_contain_text("nobody is to wait")
    expect(lanes).to_contain_text(re.compile(r"judged in \d+ min"))
    tiers.margin.get_by_role("button", name="all 2 revisions side by side").click()
    beside = known.get_by_role("region", name="Revisions")
    most = beside.get_by_role("row", name=re.compile("^at most, operations"))
    expect(most.get_by_role("cell")).to_have_text([re.compile(r"6.000"), re.compile(r"1.500")])
    beside.get_by_role("button", name="take r1 up again").click()
    expect(tiers.margin.get_by_label("At most, operations a second")).to_have_value("1500")
    tiers.margin.get_by_role("button", name="leave it").click()
    known.get_by_role("button", name="back to who has it").click()
    expect(lanes).to_be_visible()


def test_limits_of_several_tiers_are_tried_together(known: Page):
    tiers = CompliancePage(known)
    tiers.open()
    tiers.policy("All disks").get_by_role("link").click()
    tiers.margin.get_by_label("Slack, at most").fill("900")
    tiers.margin.get_by_label("Ebb, at most").fill("40")
    what = tiers.margin.get_by_role("table", name="What limits do")
    see_replayed(tiers, what, is_asked_for=True)
    expect(what.get_by_role("columnheader").last).to_have_text("tried")
    held = what.get_by_role("row", name="held at any time").get_by_role("cell")
    texts = held.all_inner_texts()
    assert texts[0] != texts[-1]
    tiers.margin.get_by_role("button", name="Put into a scenario").click()
    known.get_by_label("Into which scenario").select_option(label="a new scenario")
    known.get_by_role("button", name="these limits of 2 tiers").click()
    plan = ScenarioPage(known)
    expect(plan.moves).to_contain_text("Change the limits of tier Slack")
    expect(plan.moves).to_contain_text("Change the limits of tier Ebb")
    expect(plan.line("as it is")).to_contain_text(re.compile("starved|nothing was read lately"))
    known.go_back()
    expect(tiers.margin.get_by_label("Ebb, at most")).to_have_value("40")
    tiers.margin.get_by_role("button", name="as tiers say").click()
    expect(tiers.margin.get_by_label("Ebb, at most")).to_have_value("200")


def test_lanes_are_added_up_by_host_and_lead_to_its_disks(known: Page):
    tiers = CompliancePage(known)
    tiers.open()
    tiers.policy("All disks").get_by_role("link").click()
    known.get_by_label("Added up").select_option(label="by host")
    hosts = known.get_by_role("table", name="All disks", exact=True)
    expect(hosts.get_by_role("columnheader", name="host")).to_be_visible()
    expect(hosts).to_contain_text("kelp-1")
    tiers.policy("Slack").get_by_role("link").click()
    slack = known.get_by_role("table", name="Slack", exact=True)
    expect(slack.get_by_role("columnheader", name="host")).to_be_visible()
    slack.get_by_role("link", name="kelp-1", exact=True).click()
    expect(slack.get_by_role("columnheader", name="disk")).to_be_visible()
    expect(known.get_by_text("host kelp-1 alone")).to_be_visible()
    known.get_by_role("button", name="all again").click()
    expect(known.get_by_text("host kelp-1 alone")).to_have_count(0)


def test_a_minimum_above_its_maximum_is_refused_where_it_stands(known: Page, refusals: None):
    tiers = CompliancePage(known)
    tiers.open()
    known.get_by_role("button", name="draw up a tier").click()
    tiers.margin.get_by_label("Name").fill("Bore")
    tiers.margin.get_by_label("At least, operations a second").fill("5000")
    tiers.margin.get_by_role("button", name="draw it up").click()
    expect(tiers.margin).to_contain_text("the minimum is above the maximum of 1,000")
    tiers.margin.get_by_label("At most, operations a second").fill("9000")
    tiers.margin.get_by_role("button", name="draw it up").click()
    expect(tiers.policy("Bore")).to_contain_text(re.compile(r"5.000 / 9.000"))
    expect(known.get_by_text("No disk of this scope is in it.")).to_be_visible()
    tiers.margin.get_by_role("button", name="retire it").click()
    known.get_by_role("dialog").get_by_role("button", name="retire it").click()
    expect(tiers.policy("Bore")).to_have_count(0)


def test_what_drifted_stands_first_among_what_places_must_offer(known: Page):
    tiers = CompliancePage(known)
    tiers.open()
    known.get_by_role("link", name="what places must offer").click()
    table = known.get_by_role("table", name="Must offer")
    expect(table.get_by_role("row").nth(1)).to_contain_text("too few")
    known.get_by_role("radio", name="array").check(force=True)
    expect(table.get_by_role("row").nth(1)).to_contain_text("plover-1")
    expect(table.get_by_role("row").nth(1)).to_contain_text("oversold")
