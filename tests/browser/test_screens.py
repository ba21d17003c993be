import csv
import re
from pathlib import Path

from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Stack
from tests.browser.pages.feeds import FeedsPage
from tests.browser.pages.going import go_to
from tests.browser.pages.place import WherePage
from tests.browser.pages.pool import PoolPage
from tests.browser.pages.sign_in import SignInPage
from tests.browser.pages.thing import ThingPage
from tests.browser.pages.today import TodayPage

PLOVER_1 = 4  # the fifth stand-in


def open_pool(page: Page, name: str) -> PoolPage:
    go_to(page, name)
    pool = PoolPage(page)
    pool.expect_open(name.replace(" ", " · "))
    return pool


def test_groups_stand_in_the_order_of_their_reach(signed_in: Page):
    headings = signed_in.get_by_role("table", name="What ends first").get_by_role(
        "heading", level=3
    )
    expect(headings.first).to_contain_text("Inside lead time")
    told = [text.split(",")[0].split("\n")[0] for text in headings.all_inner_texts()]
    order = ["Inside lead time", "Within 90 days", "Later", "No end in sight"]
    found = [next(name for name in order if text.startswith(name)) for text in told]
    assert found == [name for name in order if name in found]


def test_pools_without_an_end_are_shown_when_asked(signed_in: Page):
    today = TodayPage(signed_in)
    expect(today.row("heron-1 · deep-1")).to_have_count(0)
    expect(today.row("avocet-2 · deep-2")).to_be_visible()  # caution: shown unasked
    signed_in.get_by_role("button", name="show all").click()
    expect(today.row("heron-1 · deep-1")).to_be_visible()


def test_a_reason_names_the_jump_that_is_not_growth(signed_in: Page):
    row = TodayPage(signed_in).row("plover-1 · deep-2")
    expect(row).to_contain_text("in one step")
    expect(row).to_contain_text("TiB on")


def test_what_changed_leads_to_its_pool(signed_in: Page):
    changed = signed_in.get_by_role("complementary", name="What changed")
    expect(changed).to_contain_text("Feed dunlin-1 is failing")
    changed.get_by_role("link", name="plover-1 · deep-2").first.click()
    PoolPage(signed_in).expect_open("plover-1 · deep-2")


def test_the_list_is_exported_as_it_is_narrowed(signed_in: Page, tmp_path: Path):
    today = TodayPage(signed_in)
    today.narrow_to("class:Swift site:Skerry")
    expect(today.row("avocet")).to_have_count(0)
    with signed_in.expect_download() as waiting:
        signed_in.get_by_role("link", name="CSV").click()
    kept = tmp_path / "pools.csv"
    waiting.value.save_as(kept)
    rows = list(csv.DictReader(kept.read_text().splitlines()))
    assert rows[0]["name"] == "swift-2"
    assert {row["service_class"] for row in rows} == {"Swift"}
    assert {row["site_name"] for row in rows} == {"Skerry"}


def test_each_window_draws_and_stands_in_the_url(known: Page):
    pool = open_pool(known, "heron-1 swift-2")
    for window in ("7 d", "30 d", "1 y", "all"):
        pool.look_at(window)
        expect(known).to_have_url(re.compile(f"window={window.replace(' ', '')}"))
        known.reload()
        shown = known.get_by_role("radiogroup", name="Window")
        expect(shown.get_by_role("radio", name=window, exact=True)).to_be_checked()
        expect(pool.chart.locator("svg path").first).to_be_attached()


def test_the_chart_says_in_words_what_it_draws(known: Page):
    pool = open_pool(known, "heron-1 swift-2")
    expect(pool.chart).to_have_attribute("aria-label", re.compile("limit mark likely reached"))
    expect(pool.chart).to_contain_text("one step")
    expect(pool.chart).to_contain_text("lead time 45 d")


def test_every_figure_shows_its_working(known: Page):
    pool = open_pool(known, "heron-1 swift-2")
    for figure, told in {
        "used": "as the array counts them",
        "free": "Not all of it may be promised",
        "overcommit": "in percent of usable",
        "exposure": "filled what it was promised",
        "order by": "time it takes to buy",
    }.items():
        pool.figure(figure).click()
        expect(pool.margin).to_contain_text(told)


def test_an_unmapped_volume_is_told(known: Page):
    open_pool(known, "avocet-1 swift-1")
    expect(known.get_by_text("unmapped")).to_have_count(2)


def test_a_pool_that_is_not_there_says_so(known: Page, refusals: None):
    known.goto("/pools/999999")
    expect(known.get_by_role("alert")).to_contain_text("Pool 999999")


def test_an_address_that_is_none_offers_the_way_back(known: Page, refusals: None):
    known.goto("/nowhere")
    expect(known.get_by_role("heading", name="Nothing is at /nowhere")).to_be_visible()


def test_what_does_not_fit_anywhere_says_what_each_would_miss(known: Page):
    place = WherePage(known)
    place.open()
    place.ask(How_many_VMs="500")
    place.size("20 TiB")
    expect(known.get_by_text("No place of this scope takes all of it")).to_be_visible()
    known.get_by_role("button", name=re.compile("^all ")).click()
    new = place.candidate("heron-1 · swift-2").filter(has_text="new datastore")
    expect(new.first).to_contain_text("to promise −")


def test_a_tried_workload_stands_in_the_url(known: Page):
    place = WherePage(known)
    place.open()
    place.ask(How_many_VMs="7")
    place.size("3 TiB")
    place.want_class("Deep")
    expect(place.candidates.first).to_contain_text("Deep")
    best = place.candidates.first.get_by_role("link").inner_text()
    known.reload()
    expect(known.get_by_label("How many VMs")).to_have_value("7")
    expect(place.candidates.first).to_contain_text(best)


def test_a_paused_feed_cannot_be_collected_until_it_goes_on(known: Page):
    feeds = FeedsPage(known)
    feeds.open()
    feeds.choose("plover-1")
    margin = known.get_by_role("complementary", name="Feed")
    margin.get_by_role("button", name="pause").click()
    expect(feeds.feed("plover-1")).to_contain_text("paused")
    expect(feeds.collecting("plover-1")).to_be_disabled()
    margin.get_by_role("button", name="resume").click()
    feeds.wait_until_collected("plover-1")


def test_a_wrong_sign_in_is_told_at_the_feed_and_mended_there(known: Page):
    feeds = FeedsPage(known)
    feeds.open()
    feeds.choose("heron-2")
    margin = known.get_by_role("complementary", name="Feed")
    for password, told in (("high-water", "refuses the sign-in"), ("low-water", "good")):
        margin.get_by_label("Password").fill(password)
        margin.get_by_role("button", name="keep").click()
        expect(margin.get_by_text("Kept; it counts from the next run on.")).to_be_visible()
        expect(margin.get_by_label("Password")).to_have_value("")
        feeds.wait_until_collected("heron-2")
        feeds.collect_now("heron-2")
        expect(feeds.feed("heron-2")).to_contain_text(told, timeout=60_000)


def test_a_volume_larger_than_its_pool_is_a_warning_at_its_run(known: Page, stack: Stack):
    stack.tell_array(PLOVER_1, what="faults", kind="oversized", count=1)
    feeds = FeedsPage(known)
    feeds.open()
    feeds.choose("plover-1")
    feeds.wait_until_collected("plover-1")
    feeds.collect_now_and_wait("plover-1")
    warned = feeds.runs.filter(has_text="1 warning").first
    warned.get_by_text("1 warning").click()
    expect(warned).to_contain_text("its last good figure stays")


def test_signing_out_leaves_nothing_to_see(page: Page, refusals: None):
    SignInPage(page).sign_in("planner", "spring-tide")
    page.get_by_role("button", name="planner").click()
    page.get_by_role("button", name="sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    page.goto("/feeds")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()


def test_a_session_that_ended_elsewhere_leads_to_the_sign_in(signed_in: Page, refusals: None):
    signed_in.context.clear_cookies()
    TodayPage(signed_in).narrow_to("heron")
    expect(signed_in.get_by_role("dialog", name="Your session has ended")).to_be_visible()


def test_the_margin_tells_what_the_readings_show_and_how_right_we_were(known: Page):
    pool = open_pool(known, "heron-2 steady-1")
    expect(pool.margin).to_contain_text("grows by steps: 13 seen")
    expect(pool.margin).to_contain_text(re.compile("about every 3[01] days"))
    expect(pool.margin).to_contain_text("comes back with the month")
    expect(pool.margin).to_contain_text(re.compile(r"in the 80 % band\s*\d+ % of 18\d days"))
    expect(pool.margin).to_contain_text(re.compile(r"30 d ahead, off by\s*[\d.]+ [GT]iB"))


def test_a_change_of_pace_is_told_in_the_reason_the_margin_and_the_chart(known: Page):
    pool = open_pool(known, "heron-1 swift-2")
    expect(pool.margin).to_contain_text("faster since")
    expect(pool.chart).to_contain_text("faster since")
    expect(pool.margin).to_contain_text("volumes grew or arrived")


def test_faster_growth_moves_the_dates_and_stands_in_the_address(known: Page):
    pool = open_pool(known, "plover-1 deep-2")
    pool.grow("×2")
    note = known.get_by_text("If it grew 2 times as fast:")
    expect(note).to_be_visible()
    expect(known).to_have_url(re.compile("growth=2"))
    known.reload()
    expect(note).to_be_visible()
    pool.grow("as it grows")
    expect(note).to_have_count(0)


def test_a_pools_own_marks_are_refused_out_of_order_kept_and_given_back(
    known: Page, refusals: None
):
    pool = open_pool(known, "avocet-1 deep-1")
    pool.open_marks()
    expect(pool.margin).to_contain_text("90, default")
    pool.keep_mark("limit, %", "70")
    expect(pool.margin.get_by_role("alert")).to_contain_text(
        "Caution mark 80 % is not below limit mark 70 %"
    )
    pool.keep_mark("limit, %", "85")
    expect(pool.margin).to_contain_text("85, own")
    expect(pool.margin).to_contain_text("× 85 %")
    known.get_by_role("button", name="put away").click()
    pool.keep_mark("limit, %", "")
    expect(pool.margin).to_contain_text("90, default")
    known.get_by_role("button", name="undo").click()
    expect(known.get_by_text("Taken back: Marks kept")).to_be_visible()
    expect(pool.margin).to_contain_text("85, own")
    pool.keep_mark("limit, %", "")
    expect(pool.margin).to_contain_text("90, default")


def test_marks_of_a_class_are_set_where_one_of_its_pools_is_looked_at(known: Page):
    pool = open_pool(known, "avocet-1 deep-1")
    pool.open_marks()
    pool.set_marks_of("class Deep")
    pool.keep_mark("overcommit caution, %", "140")
    expect(pool.margin).to_contain_text("140, class Deep")
    pool.keep_mark("overcommit caution, %", "")
    expect(pool.margin).to_contain_text("150, default")


def test_what_is_typed_while_marks_are_kept_stays_to_be_kept(known: Page):
    held: list[Route] = []
    pool = open_pool(known, "avocet-1 deep-1")
    pool.open_marks()
    known.route("**/api/v1/marks/*", lambda route: held.append(route), times=1)
    pool.keep_mark("lead time, d", "61")
    pool.margin.get_by_label("caution, %", exact=True).fill("71")
    held[0].continue_()
    expect(pool.margin).to_contain_text("61, own")
    pool.keep_mark("lead time, d", "")
    expect(pool.margin).to_contain_text("71, own")
    expect(pool.margin).not_to_contain_text("61, own")
    pool.keep_mark("caution, %", "")
    expect(pool.margin).not_to_contain_text("71, own")


def test_what_ends_first_may_be_no_space_at_all(known: Page):
    pool = open_pool(known, "plover-1 deep-2")
    first, second = pool.ends_first().nth(0), pool.ends_first().nth(1)
    expect(first).to_contain_text("I/O in the busy hours")
    expect(first).to_contain_text(re.compile(r"\d\d % of its limit"))
    expect(second).to_contain_text("deep-2")
    expect(second).to_contain_text("space")


def test_today_tells_what_else_ends_and_leads_to_what_ends_there(signed_in: Page):
    today = TodayPage(signed_in)
    first = today.else_ends().get_by_role("link").first
    expect(first).to_contain_text("plover-1")
    expect(first).to_contain_text("I/O in the busy hours")
    expect(today.else_ends()).to_contain_text("kelp")
    first.click()
    thing = ThingPage(signed_in)
    thing.expect_open("plover-1")
    expect(signed_in).to_have_url(re.compile("metric=iops"))
    expect(thing.chart).to_have_attribute("aria-label", re.compile("I/O in the busy hours.*IOPS"))


def test_a_cluster_is_followed_from_its_cpu_to_the_disk_that_grew(signed_in: Page):
    today = TodayPage(signed_in)
    today.else_ends().get_by_role("link").filter(has_text="kelp").first.click()
    thing = ThingPage(signed_in)
    thing.expect_open("kelp")
    expect(thing.margin).to_contain_text(re.compile(r"left to the line\s*[\d\u202f]+ CPUs"))
    expect(thing.berths).to_contain_text("now")
    expect(thing.berths).to_contain_text("the median of the last 90 days")
    thing.ends_first.filter(has_text="space").get_by_role("link").click()
    expect(thing.chart).to_have_attribute("aria-label", re.compile("space: .*TiB"))
    store = thing.who_grew.get_by_role("link").first
    name = store.inner_text()
    store.click()
    thing.expect_open(name)
    disk = thing.who_grew.get_by_role("link").first
    disk_name = disk.inner_text()
    disk.click()
    thing.expect_open(disk_name)
    signed_in.go_back()
    thing.expect_open(name)


def test_each_resource_of_a_thing_has_its_address_and_window(known: Page):
    open_pool(known, "plover-1 deep-2").ends_first().first.get_by_role("link").click()
    thing = ThingPage(known)
    thing.expect_open("plover-1")
    thing.look_at("1 y")
    expect(known).to_have_url(re.compile("window=1y"))
    expect(thing.shown).to_contain_text("I/O in the busy hours")
    known.reload()
    thing.expect_open("plover-1")
    expect(thing.window("1 y")).to_be_checked()


def test_a_volume_of_a_pool_leads_to_its_own_page(known: Page):
    open_pool(known, "heron-1 swift-2")
    known.get_by_role("link", name="tide-gauge-01").first.click()
    thing = ThingPage(known)
    thing.expect_open("tide-gauge-01")
    expect(thing.ends_first.filter(has_text="space · pool")).to_contain_text("heron-1 · swift-2")
    expect(thing.margin).to_contain_text("left to the line")


def test_who_made_it_grow_names_the_days_it_counts(known: Page):
    open_pool(known, "heron-1 swift-2")
    known.get_by_role("link", name="tide-gauge-01").first.click()
    thing = ThingPage(known)
    thing.expect_open("tide-gauge-01")
    thing.look_at("all")
    expect(known.get_by_text(re.compile("in 365 d since"))).to_be_visible()


def test_a_thing_that_is_not_there_says_so(known: Page, refusals: None):
    known.goto("/things/987654")
    expect(known.get_by_role("alert")).to_contain_text("No thing 987654 is known")


def test_today_tells_how_good_its_dates_have_been(signed_in: Page):
    record = signed_in.get_by_role("region", name="How good were we")
    expect(record).to_contain_text(re.compile(r"\d+ pools of the estate, at the median"))
    expect(record).to_contain_text(re.compile(r"in the 80 % band\s*\d+ % of [\d,.\s]+ days"))
    expect(record).to_contain_text(re.compile(r"90 d ahead, off by\s*[\d.]+ %"))


def test_what_is_read_anew_is_drawn_into_the_chart_that_stands(known: Page):
    pool = open_pool(known, "plover-1 deep-2")
    drawing = pool.chart.locator("svg")
    drawing.evaluate("svg => svg.setAttribute('data-seen', 'yes')")
    pool.grow("×3")
    expect(known.get_by_text("If it grew 3 times as fast:")).to_be_visible()
    expect(drawing).to_have_attribute("data-seen", "yes")
