"""The estate at any bearing: what planners ask of it, and that it holds what it shows."""

import re
from datetime import date, timedelta
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from keelmark.access.clock import utc_today
from tests.browser.conftest import Stack
from tests.browser.pages.estate import EstatePage
from tests.browser.pages.today import TodayPage


@pytest.fixture
def estate(known: Page) -> EstatePage:
    page = EstatePage(known)
    page.open()
    return page


def section(page: Page, name: str) -> Locator:
    return page.get_by_role("region", name=name, exact=True)


# --- what planners ask


def test_whose_growth_filled_the_pool_that_ends_first(signed_in: Page):
    TodayPage(signed_in).row("heron-1 · swift-2").get_by_role("link").click()
    eats = section(signed_in, "Who eats it")
    eats.get_by_role("radio", name="projects").check(force=True)
    eats.get_by_role("radio", name="90 d").check(force=True)
    eats.get_by_role("radio", name="grew most").check(force=True)
    expect(signed_in).to_have_url(re.compile("window_days=90"))
    expect(eats.get_by_role("listitem").first).to_contain_text("Tide Gauges: ")


def test_which_vms_lose_their_only_copy_with_an_array(signed_in: Page):
    TodayPage(signed_in).jump_to("heron-1")
    fails = section(signed_in, "If heron-1 fails")
    expect(fails).to_contain_text(re.compile(r"\d+ VMs of \d tenants\s+stop"))
    expect(fails).to_contain_text(re.compile("have a copy elsewhere, the oldest of"))
    told = re.search(r"([\d\u202f ]+) have none", fails.inner_text())
    assert told
    n = int("".join(c for c in told.group(1) if c.isdigit()))
    lost = fails.get_by_role("list", name="Without a copy").get_by_role("listitem")
    assert 0 < n == lost.count()
    carries = fails.get_by_role("list", name="Pools that carry on").get_by_role("listitem")
    expect(carries.first).to_contain_text("plannable")


def test_which_vm_holds_most_in_snapshots_and_what_its_oldest_would_free(estate: EstatePage):
    estate.open("?view=list&kind=vm&order=-snapshots")
    name = estate.names()[0]
    estate.page.get_by_role("link", name=name, exact=True).click()
    rows = section(estate.page, "Snapshots").get_by_role("row")
    oldest = rows.nth(1).get_by_role("cell")
    expect(oldest.nth(2)).to_have_text(re.compile(r"^[\d.]+ [GT]iB$"))
    expect(oldest.nth(3)).to_have_text(str(rows.count() - 2))  # all younger hang on it


def test_what_a_site_looked_like_and_what_it_will(estate: EstatePage):
    then = (utc_today() - timedelta(days=90)).isoformat()
    estate.narrow_to("site:Marram")
    now = estate.member("site", "Marram").get_attribute("title") or ""
    estate.look_at(then)
    expect(estate.page).to_have_url(re.compile(f"at={then}"))
    expect(estate.page.get_by_text("As it was read on")).to_be_visible()
    before = estate.member("site", "Marram").get_attribute("title") or ""
    march = date(utc_today().year + 1, 3, 1).isoformat()
    estate.open(f"?scope=site:Marram&at={march}&q=bad")
    expect(estate.page.get_by_text("each at its bad case")).to_be_visible()
    after = estate.member("site", "Marram").get_attribute("title") or ""

    def held(title: str) -> int:
        return int("".join(c for c in title.split(":")[1].split(";")[0] if c.isdigit()))

    assert held(before) < held(now) < held(after)


def test_where_there_is_room_and_ports_for_new_work(estate: EstatePage):
    estate.open("?view=list&kind=pool")
    estate.narrow_to("class:Steady plannable>22TB array.free_ports>=4")
    found = estate.names()
    assert found
    arrays = {row.get_by_role("cell").nth(2).inner_text() for row in estate.rows.all()[1:]}
    assert arrays <= {"heron-2", "avocet-2"}  # the second of each has ports to spare


def test_whose_a_volume_is_that_a_host_calls_free(signed_in: Page):
    TodayPage(signed_in).jump_to("dulse-4")
    device = section(signed_in, "Devices").get_by_role("row").filter(has_text="tide-gauge-01")
    device = device.filter(has_text="free")
    device.get_by_role("link").click()
    sees = section(signed_in, "Who sees it")
    expect(sees).to_contain_text("it belongs to datastore kelp-tide-gauge-01")
    expect(sees.get_by_role("row").filter(has_text="dulse-4")).to_contain_text("free")


# --- strata


def test_strata_are_walked_by_arrows_and_opened_by_enter(estate: EstatePage):
    first = estate.layer("site").get_by_role("option").first
    first.focus()
    estate.page.keyboard.press("ArrowDown")
    expect(estate.layer("site").get_by_role("option").nth(1)).to_have_attribute(
        "aria-selected", "true"
    )
    estate.page.keyboard.press("ArrowRight")
    expect(estate.page).to_have_url(re.compile(r"path=\d+(,|%2C)\d+"))
    expect(estate.margin).to_be_visible()
    estate.page.keyboard.press("Escape")
    expect(estate.page).to_have_url(re.compile(r"path=\d+$"))
    estate.page.keyboard.press("Enter")
    expect(estate.page).to_have_url(re.compile("/(things|pools)/"))
    estate.page.go_back()
    expect(estate.page).to_have_url(re.compile(r"path=\d+$"))


def test_alt_and_a_click_leave_out_and_back_takes_it_back(estate: EstatePage):
    estate.member("site", "Skerry").click(modifiers=["Alt"])
    expect(estate.member("site", "Skerry")).to_have_count(0)
    expect(estate.page.get_by_role("button", name="not site")).to_be_visible()
    estate.page.go_back()
    expect(estate.member("site", "Skerry")).to_be_visible()


@pytest.mark.parametrize("way", ["tenant to disk", "cluster to disk", "account to tier"])
def test_every_way_in_leads_to_its_end(estate: EstatePage, way: str):
    estate.page.get_by_role("radiogroup", name="Way in").get_by_role("radio", name=way).check(
        force=True
    )
    estate.settle()
    expect(estate.layer(way.split(" ")[0])).to_be_visible()
    last = estate.page.get_by_role("listbox").last
    expect(last).to_have_attribute("aria-label", re.compile("^(disk|bucket|, 0)"))


def test_the_sum_at_the_head_of_a_path_is_that_of_the_list(estate: EstatePage):
    title = estate.member("site", "Marram").get_attribute("title") or ""
    estate.open("?view=list&kind=pool&scope=site:Marram")
    foot = estate.foot.get_by_role("cell").nth(5).locator("span")
    assert (foot.get_attribute("title") or "").split(" B")[0] in title


# --- lists


def test_a_list_is_sorted_by_several_columns_and_the_address_keeps_it(estate: EstatePage):
    estate.open("?view=list&kind=pool")
    estate.sort_by("class")
    estate.sort_by("used", beside=True)
    expect(estate.page).to_have_url(re.compile("order=class(,|%2C)-used"))
    once = estate.names()
    estate.page.reload()
    assert estate.names() == once


def test_rows_are_chosen_by_x_and_added_up_by_the_server(estate: EstatePage):
    estate.open("?view=list&kind=pool&order=-used")
    estate.table.get_by_role("link").first.focus()
    estate.page.keyboard.press("x")
    expect(estate.foot).to_contain_text("1 chosen")
    estate.page.keyboard.press("ArrowDown")
    estate.page.keyboard.press("ArrowDown")
    estate.page.keyboard.press("Shift+X")
    expect(estate.foot).to_contain_text("3 chosen")
    estate.page.keyboard.press(" ")
    expect(estate.margin).to_be_visible()
    estate.page.get_by_role("button", name="choose none").click()
    expect(estate.foot).to_contain_text("60 in all")


def test_a_long_list_is_read_to_its_end_and_taken_along(estate: EstatePage, tmp_path: Path):
    estate.open("?view=list&kind=vm&order=name")
    estate.table.get_by_role("link").first.focus()
    rows = int(estate.table.get_attribute("aria-rowcount") or 0)
    assert rows > 1800
    last = estate.page.locator(f'[aria-rowindex="{rows}"]')
    for _ in range(60):  # page by page, as fast as the machine is
        estate.page.keyboard.press("End")
        estate.page.wait_for_timeout(250)
        if last.is_visible():
            break
    expect(last).to_be_visible()
    estate.page.get_by_role("button", name="take along").click()
    with estate.page.expect_download() as waiting:
        estate.page.get_by_role("link", name="as CSV").click()
    kept = tmp_path / "vms.csv"
    waiting.value.save_as(kept)
    assert len(kept.read_text().splitlines()) == rows


def test_a_cell_narrows_and_a_width_is_kept(estate: EstatePage):
    estate.open("?view=list&kind=pool")
    estate.page.get_by_role("button", name="heron-1", exact=True).first.click()
    expect(estate.page).to_have_url(re.compile("scope=array(:|%3A)heron-1"))
    head = estate.page.get_by_role("columnheader", name="class")
    before = head.bounding_box()
    head.get_by_role("button").focus()
    estate.page.keyboard.press("Alt+ArrowRight")
    estate.page.keyboard.press("Alt+ArrowRight")
    estate.page.reload()
    estate.settle()
    after = head.bounding_box()
    assert before
    assert after
    assert after["width"] == pytest.approx(before["width"] + 24, abs=3)


# --- the bearing


def test_a_sift_is_completed_and_a_fault_is_pointed_at(estate: EstatePage):
    estate.sift.fill("cla")
    expect(estate.page.get_by_role("option", name="class:")).to_be_visible()
    estate.sift.press("ArrowDown")
    estate.sift.press("Enter")
    expect(estate.sift).to_have_value("class:")
    estate.sift.press_sequentially("ste")
    words = estate.page.get_by_role("listbox", name="What may come next")
    words.get_by_role("option", name="Steady").click()
    estate.sift.press("Enter")
    expect(estate.page.get_by_role("button", name="class Steady")).to_be_visible()
    estate.sift.fill("fre>22TB heron")
    expect(estate.page.get_by_role("alert")).to_contain_text("pools have no fre; try free")


def test_the_tide_bar_is_moved_by_keys_and_t_is_today(estate: EstatePage):
    estate.tide.focus()
    estate.page.keyboard.press("PageDown")
    then = (utc_today() - timedelta(days=30)).isoformat()
    expect(estate.page).to_have_url(re.compile(f"at={then}"))
    expect(estate.tide).to_have_attribute("aria-valuetext", re.compile("as it was read"))
    estate.page.keyboard.press("Home")
    expect(estate.page).not_to_have_url(re.compile(f"at={then}"))
    estate.page.keyboard.press("t")
    expect(estate.page).not_to_have_url(re.compile("at="))


def test_a_bearing_holds_over_screens_and_back_keeps_the_place(estate: EstatePage):
    estate.narrow_to("class:Steady")
    estate.draw_as("list")
    estate.page.get_by_role("link", name="Today").click()
    expect(estate.page.get_by_role("button", name="class Steady")).to_be_visible()
    expect(estate.page.get_by_role("heading", name="What ends first")).to_be_visible()
    estate.page.go_back()
    expect(estate.page).to_have_url(re.compile("view=list"))
    estate.page.get_by_role("main").focus()
    estate.page.keyboard.press("Escape")
    expect(estate.page).not_to_have_url(re.compile("scope="))


def test_a_sifting_is_kept_and_dropped_with_a_way_back(estate: EstatePage):
    estate.narrow_to("class:Steady")
    estate.page.get_by_role("button", name="kept siftings").click()
    box = section(estate.page, "Kept siftings")
    box.get_by_label("Keep").fill("steady ones")
    box.get_by_role("button", name="keep", exact=True).click()
    expect(box.get_by_role("button", name="steady ones class:Steady")).to_be_visible()
    box.get_by_role("button", name="drop steady ones").click()
    expect(box).to_contain_text("None is kept yet")
    estate.page.get_by_role("button", name="undo").click()  # a click elsewhere closes the box
    estate.page.get_by_role("button", name="kept siftings").click()
    expect(box.get_by_role("button", name="steady ones class:Steady")).to_be_visible()
    box.get_by_role("button", name="drop steady ones").click()


@pytest.mark.parametrize(
    ("typed", "heading"),
    [("web-k0156", "web-k0156"), ("hern-2", "heron-2"), ("Coast", "Estate")],
)
def test_the_jump_box_finds_things_and_screens(signed_in: Page, typed: str, heading: str):
    signed_in.keyboard.press("/")
    signed_in.keyboard.type(typed)
    expect(
        signed_in.get_by_role("listbox", name="Found").get_by_role("option").first
    ).to_contain_text(heading if heading != "Estate" else typed)
    signed_in.keyboard.press("Enter")
    expect(signed_in.get_by_role("heading", name=heading, exact=True).first).to_be_attached()


def test_areas_and_the_coast_narrow_what_is_clicked(estate: EstatePage):
    estate.draw_as("area")
    estate.page.get_by_role("button", name=re.compile("^Swift ")).first.click()
    expect(estate.page.get_by_role("button", name="class Swift")).to_be_visible()
    estate.draw_as("coast")
    site = estate.page.get_by_role("group", name="Sites on the coast").get_by_role("button").first
    name = str(site.locator("text").first.text_content())
    site.press("Enter")
    expect(estate.page.get_by_role("button", name=f"site {name}")).to_be_visible()


def test_a_screen_without_an_answer_says_so(estate: EstatePage, stack: Stack):
    estate.open("?scope=nothing-of-that-name")
    expect(estate.page.get_by_text("Nothing lies within this scope")).to_be_visible()
    estate.open("?view=list&kind=vm&scope=nothing-of-that-name")
    expect(estate.page.get_by_text("Nothing of this kind lies within")).to_be_visible()


def test_a_refused_scope_is_told_in_its_place(estate: EstatePage, refusals: None):
    estate.page.goto("/estate?view=list&scope=colour:red")
    expect(estate.page.get_by_role("alert").first).to_contain_text("pools have no colour")


def test_today_is_read_at_another_day_too(known: Page):
    known.goto("/?at=2027-03-01&q=bad")
    told = known.get_by_role("table", name="How the pools stand")
    expect(told.get_by_role("heading", level=3).first).to_have_text("Past the limit mark")
    expect(told.locator("[data-row]").first).to_contain_text("since ")
    crossed = known.get_by_role("complementary", name="Crossed by then")
    expect(crossed.get_by_role("link").first).to_be_visible()
    known.get_by_role("main").focus()
    known.keyboard.press("t")
    expect(known.get_by_role("heading", name="What ends first")).to_be_visible()


def test_a_pool_is_looked_at_beside_the_list_of_today(signed_in: Page):
    today = TodayPage(signed_in)
    row = today.row("heron-1 · steady-1")
    row.get_by_role("link").focus()
    signed_in.keyboard.press("Space")
    beside = signed_in.get_by_role("complementary", name="What is chosen")
    expect(beside.get_by_role("heading", name="steady-1", exact=True)).to_be_visible()
    signed_in.keyboard.press("x")
    expect(row).to_have_attribute("aria-selected", "true")
    beside.get_by_role("button", name="put it away").click()
    expect(signed_in.get_by_role("complementary", name="What changed")).to_be_visible()
