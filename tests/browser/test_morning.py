import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Stack
from tests.browser.pages.feeds import FeedsPage
from tests.browser.pages.place import WherePage
from tests.browser.pages.pool import PoolPage
from tests.browser.pages.sign_in import SignInPage
from tests.browser.pages.today import TodayPage

TIB = 1024**4
HERON_1 = 0  # the first stand-in


def test_a_planner_finds_what_ends_first_reads_its_date_and_tries_a_workload(signed_in: Page):
    today = TodayPage(signed_in)
    urgent = today.rows.filter(has_text="heron-1 · swift-2")
    expect(today.rows.nth(0)).to_contain_text("avocet-2 · deep-1")
    expect(today.rows.nth(0)).to_contain_text("past limit")
    expect(today.rows.nth(1)).to_contain_text("heron-1 · swift-2")
    date = re.search(r"(Mon|Tue|Wed|Thu|Fri|Sat|Sun) \d+ \w{3}", urgent.inner_text())
    assert date
    urgent.get_by_role("link").click()
    pool = PoolPage(signed_in)
    pool.expect_open("heron-1 · swift-2")
    expect(pool.figure("ends, likely")).to_contain_text(date.group())
    expect(pool.margin).to_contain_text("line to reach")
    expect(pool.margin).to_contain_text(date.group())
    pool.figure("plannable").click()
    expect(pool.margin).to_contain_text("thick, not yet written")
    pool.look_at("1 y")
    expect(signed_in).to_have_url(re.compile("window=1y"))
    expect(pool.chart.locator("svg")).to_be_visible()

    signed_in.get_by_role("link", name="Scenarios").click()
    signed_in.get_by_role("link", name="where does work fit?").click()
    place = WherePage(signed_in)
    place.want_class("Swift")
    place.ask(How_many_VMs="3")
    place.size("2 TiB")
    first = place.candidates.first
    expect(first).to_contain_text("1")
    expect(first).to_contain_text("Swift")
    signed_in.get_by_role("button", name=re.compile("^all ")).click()
    expect(place.candidate("heron-1 · swift-2").first).to_contain_text("pool space −")
    expect(place.candidate("avocet-2 · deep-1").first).to_contain_text("class")


def test_collect_now_changes_the_figure_to_the_byte(signed_in: Page, stack: Stack):
    TodayPage(signed_in).jump_to("heron-1 swift-1")
    pool = PoolPage(signed_in)
    pool.expect_open("heron-1 · swift-1")
    before = pool.exact_used_bytes()
    shown_before = pool.figure("used").get_attribute("title") or ""
    stack.tell_array(HERON_1, what="write", pool="swift-1", volume="tide-gauge-01", bytes=TIB // 4)
    signed_in.get_by_role("link", name="Feeds", exact=True).click()
    feeds = FeedsPage(signed_in)
    feeds.choose("heron-1")
    expect(feeds.newest_run()).to_contain_text("heron-1")
    feeds.wait_until_collected("heron-1")
    feeds.collect_now_and_wait("heron-1")
    expect(feeds.newest_run()).to_contain_text("read anew")
    TodayPage(signed_in).jump_to("heron-1 swift-1")
    pool.expect_open("heron-1 · swift-1")
    expect(pool.figure("used")).not_to_have_attribute("title", shown_before)
    grown = pool.exact_used_bytes() - before
    assert abs(grown - TIB // 4) < TIB // 100  # beside what the hour itself brings or takes


def test_narrowing_stands_in_the_url_and_escape_widens(signed_in: Page):
    today = TodayPage(signed_in)
    today.pick_slice("Site", "Skerry")
    expect(signed_in).to_have_url(re.compile(r"scope=site(%3A|:)Skerry"))
    expect(today.row("avocet-2")).to_have_count(0)
    today.pick_slice("Class", "Swift", leave_out=True)
    expect(today.row("heron-1 · swift-2")).to_have_count(0)
    expect(today.row("heron-1 · steady-1")).to_be_visible()
    signed_in.reload()
    expect(today.row("heron-1 · steady-1")).to_be_visible()
    expect(today.row("avocet-2")).to_have_count(0)
    signed_in.keyboard.press("Escape")
    expect(today.row("heron-1 · swift-2")).to_be_visible()
    signed_in.keyboard.press("Escape")
    expect(today.row("avocet-2 · deep-1")).to_be_visible()


def test_typing_narrows_and_words_with_a_key_become_chips(signed_in: Page):
    today = TodayPage(signed_in)
    today.sift.fill("plover")
    expect(today.row("heron-1")).to_have_count(0)
    expect(today.row("plover-1 · deep-2")).to_be_visible()
    today.narrow_to("plover class:Deep")
    expect(signed_in.get_by_role("button", name="class Deep")).to_be_visible()
    expect(today.row("plover-1 · steady-2")).to_have_count(0)


def test_an_empty_scope_says_so_and_offers_the_way_back(signed_in: Page):
    today = TodayPage(signed_in)
    today.narrow_to("cormorant")
    expect(signed_in.get_by_text("No pool lies in this scope.")).to_be_visible()
    signed_in.get_by_role("button", name="widen it by one step").click()
    expect(today.row("heron-1 · swift-2")).to_be_visible()


def test_a_sift_that_cannot_be_read_is_told(signed_in: Page, refusals: None):
    TodayPage(signed_in).narrow_to("colour:blue")
    expect(signed_in.get_by_role("alert")).to_contain_text("pools have no colour")
    signed_in.wait_for_load_state("networkidle")
    expect(signed_in.get_by_role("alert")).to_have_count(1)
    expect(signed_in.get_by_text("promises broken")).to_have_count(0)


def test_a_wrong_password_is_told_and_the_name_stays(page: Page, refusals: None):
    SignInPage(page).try_to_sign_in("planner", "neap")
    expect(page.get_by_role("alert")).to_contain_text("No person with this name and password")
    expect(page.get_by_label("Name")).to_have_value("planner")


def test_a_failing_feed_says_why_and_its_pools_are_unread(known: Page):
    feeds = FeedsPage(known)
    feeds.open()
    expect(feeds.feed("dunlin-1")).to_contain_text("answered 503")
    TodayPage(known).jump_to("dunlin-1 swift-1")
    PoolPage(known).expect_open("dunlin-1 · swift-1")
    expect(PoolPage(known).margin).to_contain_text("unread")


def test_night_and_units_are_kept_over_a_reload(signed_in: Page):
    signed_in.get_by_role("button", name="planner").click()
    signed_in.get_by_role("radio", name="night").check(force=True)
    signed_in.get_by_role("radio", name="TB, 1000").check(force=True)
    signed_in.reload()
    expect(signed_in.locator("html")).to_have_attribute("data-theme", "night")
    row = TodayPage(signed_in).row("heron-1 · swift-2")
    expect(row).to_contain_text("90.2 TB")
    expect(row).not_to_contain_text("TiB")


def test_rows_are_walked_with_arrows_and_opened_with_enter(signed_in: Page):
    rows = TodayPage(signed_in).rows.get_by_role("link")
    rows.first.focus()
    signed_in.keyboard.press("ArrowDown")
    expect(rows.nth(1)).to_be_focused()
    signed_in.keyboard.press("Enter")
    PoolPage(signed_in).expect_open("heron-1 · swift-2")


@pytest.mark.parametrize(
    ("label", "text", "told"),
    [
        ("disk 1, size", "many", "Disk 1: its size"),
        ("How many VMs", "0", "from 1 on"),
        ("disk 1, written at first, %", "120", "0 to 100"),
    ],
)
def test_a_wrong_field_is_marked_and_nothing_typed_is_lost(
    known: Page, label: str, text: str, told: str
):
    WherePage(known).open()
    field = known.get_by_label(label)
    field.fill(text)
    expect(known.get_by_text(told)).to_be_visible()
    expect(field).to_have_value(text)
