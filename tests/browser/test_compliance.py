"""Promises: which is broken and why, what a changed one would do, and to whom it is given."""

import re

from playwright.sync_api import Page, expect

from tests.browser.pages.compliance import CompliancePage


def test_the_broken_promise_of_seabed_mapping_and_its_cause(known: Page):
    promises = CompliancePage(known)
    promises.open(scope="tenant:%22Seabed Mapping%22")
    promises.count("Twice-kept", "broken").click()
    expect(known).to_have_url(re.compile("state=broken"))
    first = promises.matrix.get_by_role("row").nth(1)
    expect(first).to_contain_text(re.compile(r"copied (8\.\d+|9(\.\d+)?) h ago"))
    promises.look_at(first)
    cause = promises.rule("copy at another site, RPO 4 h")
    expect(cause).to_contain_text("see why it is not copied")
    cause.get_by_role("link").click()  # the volume that nothing came to
    expect(known.get_by_role("region", name="Who sees it", exact=True)).to_be_visible()
    known.go_back()
    promises.margin.get_by_role("link", name="its page").click()
    beside = known.get_by_role("region", name="Promises", exact=True)
    expect(beside).to_contain_text("copy at another site, RPO 4 h")
    beside.get_by_role("link", name="Twice-kept r1").click()
    expect(promises.rule("copy at another site")).to_contain_text("see why it is not copied")


def test_subjects_are_looked_at_by_one_rule_alone(known: Page):
    promises = CompliancePage(known)
    promises.open()
    # Nobody tells of its backup: by all rules it is unproven, its copy is there.
    row = promises.subject("cache-k0001")
    known.get_by_label("Judged").select_option(label="by copy")
    expect(known).to_have_url(re.compile("rule=copy"))
    expect(promises.matrix.get_by_role("columnheader", name="found")).to_be_visible()
    expect(promises.matrix.get_by_role("row").nth(1)).to_contain_text("copy at another site")
    expect(row).to_contain_text("copied")
    expect(row.get_by_role("img", name="met")).to_be_visible()
    promises.count("Marram-only", "broken").click()  # which has no such rule
    expect(promises.matrix.get_by_role("row").nth(1)).to_contain_text("lies or runs")
    expect(known).not_to_have_url(re.compile("rule="))


def test_a_revision_shows_what_it_would_do_and_settles(known: Page):
    promises = CompliancePage(known)
    promises.open()
    promises.choose("Scratch")
    promises.margin.get_by_role("button", name="revise it").click()
    promises.add_rule("a copy at another site, not older than")
    expect(promises.impact).to_contain_text(re.compile("would break: copy"))
    expect(promises.impact).to_contain_text("Where it could be kept")
    promises.margin.get_by_label("Why").fill("read by strangers")
    promises.margin.get_by_role("button", name="accept the revision").click()
    expect(promises.policy("Scratch")).to_contain_text("r2")
    expect(promises.count("Scratch", "settling")).to_be_visible()
    expect(promises.count("Scratch", "broken")).to_have_count(0)
    expect(promises.margin).to_contain_text("read by strangers")
    expect(promises.matrix).to_contain_text(re.compile(r"judged in \d+ min"))


def test_a_policy_is_drawn_up_promised_and_taken_back(known: Page):
    promises = CompliancePage(known)
    promises.open()
    known.get_by_role("button", name="draw one up").click()
    promises.margin.get_by_label("Name").fill("By the sea")
    promises.add_rule("sites at which it may lie and run, or may not")
    expect(promises.margin.get_by_role("alert").first).to_contain_text("name a site")
    promises.margin.get_by_label("Skerry").first.check()
    expect(promises.impact).to_contain_text("pools")
    promises.margin.get_by_role("button", name="draw it up").click()
    expect(promises.policy("By the sea")).to_contain_text("promised to nobody in sight")
    promises.choose("Scratch")
    row = promises.matrix.get_by_role("row").nth(1)
    row.get_by_role("checkbox").check()
    known.get_by_label("Promise it").first.select_option(label="By the sea")
    expect(promises.policy("By the sea")).to_contain_text("at Skerry")
    expect(promises.policy("By the sea")).not_to_contain_text("promised to nobody")
    known.get_by_role("button", name="undo").click()
    expect(promises.policy("By the sea")).to_contain_text("promised to nobody in sight")
    promises.choose("By the sea")
    promises.margin.get_by_role("button", name="clone it").click()
    expect(promises.margin.get_by_label("Skerry").first).to_be_checked()
    expect(promises.margin.get_by_role("button", name="draw it up")).to_be_disabled()
    promises.margin.get_by_role("button", name="leave it").click()
    promises.margin.get_by_role("button", name="retire it").click()
    known.get_by_role("dialog").get_by_role("button", name="retire it").click()
    expect(promises.policy("By the sea")).to_have_count(0)
