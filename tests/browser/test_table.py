"""One table for all lists: sorted by the server, walked by keys, its columns chosen."""

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.pages.feeds import FeedsPage
from tests.browser.pages.going import go_to


@pytest.fixture
def volumes(known: Page) -> Locator:
    go_to(known, "heron-1 swift-2")
    table = known.get_by_role("table", name="Volumes")
    expect(table.get_by_role("row")).to_have_count(13)  # with its head
    return table


def names(table: Locator) -> list[str]:
    return table.get_by_role("link").all_inner_texts()


@pytest.mark.parametrize("column", ["name", "size"])
def test_a_list_is_sorted_either_way_and_the_address_keeps_it(
    known: Page, volumes: Locator, column: str
):
    head = volumes.get_by_role("columnheader", name=column, exact=True)
    expect(head).not_to_have_attribute("aria-sort", re.compile("."))
    head.get_by_role("button").click()
    expect(head).to_have_attribute("aria-sort", re.compile("cending"))
    expect(volumes).to_have_attribute("aria-busy", "false")
    expect(known).to_have_url(re.compile(f"volumes=-?{column}"))
    once, before = names(volumes), head.get_attribute("aria-sort") or ""
    head.get_by_role("button").click()
    expect(head).not_to_have_attribute("aria-sort", before)
    expect(volumes).to_have_attribute("aria-busy", "false")
    assert names(volumes) == once[::-1]
    known.reload()
    expect(volumes.get_by_role("link").first).to_have_text(once[-1])


def test_rows_are_walked_by_keys(known: Page, volumes: Locator):
    expect(volumes.get_by_role("link")).to_have_count(12)
    links = volumes.get_by_role("link")
    known.get_by_role("region", name="Volumes", exact=True).focus()
    for key, at in (("ArrowDown", 0), ("ArrowDown", 1), ("End", 11), ("ArrowUp", 10), ("Home", 0)):
        known.keyboard.press(key)
        expect(links.nth(at)).to_be_focused()
    name = links.first.inner_text()
    known.keyboard.press("Enter")
    expect(known.get_by_role("heading", name=name, exact=True)).to_be_visible()


def test_columns_put_away_stay_away(known: Page, volumes: Locator):
    known.get_by_role("button", name="columns of Volumes").click()
    known.get_by_role("checkbox", name="30 days").uncheck()
    known.keyboard.press("Escape")
    expect(known.get_by_role("checkbox", name="30 days")).to_be_hidden()
    known.reload()
    expect(volumes.get_by_role("columnheader", name="written", exact=True)).to_be_visible()
    expect(volumes.get_by_role("columnheader", name="30 days")).to_have_count(0)


def test_every_key_is_told_by_one(signed_in: Page):
    expect(signed_in.get_by_role("heading", name="What ends first")).to_be_visible()
    signed_in.keyboard.press("?")
    sheet = signed_in.get_by_role("dialog", name="Keys")
    expect(sheet).to_contain_text("widens what is shown by one step")
    expect(sheet).to_contain_text("jump to anything")
    signed_in.keyboard.press("Escape")
    expect(sheet).to_be_hidden()
    signed_in.keyboard.press("/")
    box = signed_in.get_by_role("combobox", name="Jump to anything")
    expect(box).to_be_focused()
    box.press_sequentially("?")
    expect(box).to_have_value("?")
    expect(sheet).to_be_hidden()


def test_a_pause_is_taken_back_where_it_is_told(known: Page):
    known.goto("/feeds")
    FeedsPage(known).choose("plover-1")
    margin = known.get_by_role("complementary", name="Feed")
    margin.get_by_role("button", name="pause").click()
    expect(known.get_by_text("plover-1 is paused.")).to_be_visible()
    known.get_by_role("button", name="undo").last.click()
    expect(known.get_by_text("Taken back: plover-1 is paused.")).to_be_visible()
    expect(margin.get_by_role("button", name="pause")).to_be_visible()
