"""The frame: reachable by everybody, at every width, and losing nothing that was typed."""

import gzip
import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from keelmark.config.state import PROJECT
from tests.browser.conftest import Stack
from tests.browser.pages.feeds import FeedsPage
from tests.browser.pages.place import WherePage
from tests.browser.pages.sign_in import SignInPage
from tests.browser.pages.today import TodayPage

AXE = (PROJECT / "web/node_modules/axe-core/axe.min.js").read_text()
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
ROUTES = [
    "/", "/?at=2027-03-01&q=bad", "/?at=2026-06-01",
    "/?scope=nowhere", "/try", "/try/several", "/try/objects",
    "/scenarios", "/allotments", "/prices",
    "/scenarios/999999/order", "/feeds", "/feeds?feed=new",
    "/feeds?feed=999999", "/feeds/findings", "/feeds/table", "/tokens", "/account", "/nothing",
    "/things/999999", "/compliance", "/compliance?draft=new",
    "/compliance?tier=1", "/compliance?tier=all&by=host", "/compliance?offers=volume",
    "/compliance?policy=2&revisions=all",
    "/estate", "/estate?view=list&kind=vm",
    "/estate?view=area&tint=state", "/estate?view=coast", "/estate?view=largest",
    "/estate?scope=nowhere", "/estate?view=list&scope=colour:red", "/estate?at=2027-03-01&q=bad",
]  # fmt: skip
# What passes is not carried over: a page of a thousand things that pass takes seconds to tell.
FAULTS = """async (runOnly) => {
  const told = await axe.run(document, { runOnly, resultTypes: ['violations'] });
  return told.violations.flatMap((one) =>
    one.nodes.map((node) => `${one.id}: ${node.html.slice(0, 120)}`));
}"""
CUT_OFF = """() => [...document.querySelectorAll('body *')].filter((one) => {
  const look = getComputedStyle(one);
  return !one.closest('.sr-only, [role=region][tabindex], svg') && one.clientWidth > 0
    && one.scrollWidth > one.clientWidth + 1 && look.textOverflow !== 'ellipsis'
    && (look.overflowX === 'auto' || look.overflowX === 'scroll' || one === document.body);
}).map((one) => `${one.tagName} ${one.className} ${one.scrollWidth - one.clientWidth}`)"""


ROUTES += ["pool", "thing", "scenario"]  # the pages of one, as they are found by following links
MAX_FIRST_BYTES = 180_000  # gzip; the budget of the design
COLLECTED_MS = 120_000
WIDTHS = (1024, 640)  # 640: 1280 px at 200 %


@pytest.fixture(scope="module")
def paths(visitor: Page) -> dict[str, str]:
    """The page of a pool, of a cluster and of a scenario, found by following links."""
    visitor.goto("/")
    pool = TodayPage(visitor).row("heron-1 · swift-2").get_by_role("link").get_attribute("href")
    thing = TodayPage(visitor).else_ends().get_by_role("link").first.get_attribute("href")
    where = WherePage(visitor)
    where.open()
    where.candidates.first.get_by_role("button", name=re.compile("^plan it")).click()
    expect(visitor.get_by_text("it is here")).to_be_visible()
    scenario = visitor.url.removeprefix(visitor.url.split("/scenarios")[0])
    return {"pool": str(pool), "thing": str(thing), "scenario": scenario}


@pytest.fixture(scope="module")
def visitor(browser: Browser, stack: Stack) -> Iterator[Page]:
    """A planner who goes from route to route, by day."""
    page = opened(browser, stack)
    yield page
    page.close()


def opened(browser: Browser, stack: Stack, *, who: str = "planner") -> Page:
    page = browser.new_page(base_url=stack.url, viewport={"width": 1280, "height": 800})
    SignInPage(page).try_to_sign_in(who, "spring-tide")
    expect(page.get_by_role("banner")).to_be_visible()
    page.evaluate("localStorage.setItem('keelmark.theme', 'day')")
    return page


def settled(page: Page) -> None:
    """Wait until nothing of the page is being read any more."""
    main = page.get_by_role("main")
    expect(main.get_by_role("heading", level=1)).to_have_count(1)
    expect(main.locator("[aria-busy=true]")).to_have_count(0)


def faults(page: Page, *, rules: list[str] = RULES) -> list[str]:
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE)
    told: list[str] = page.evaluate(FAULTS, rules)
    return told


@pytest.mark.parametrize("route", ROUTES)
def test_a_route_is_reachable_by_everybody_day_and_night_at_every_width(
    visitor: Page, paths: dict[str, str], route: str
):
    visitor.set_viewport_size({"width": 1280, "height": 800})
    visitor.goto(paths.get(route, route))
    settled(visitor)
    visitor.wait_for_timeout(300)  # charts draw themselves
    assert faults(visitor) == []
    visitor.evaluate("document.documentElement.dataset.theme = 'night'")  # only colours change
    assert faults(visitor, rules=["color-contrast"]) == []
    for width in WIDTHS:
        visitor.set_viewport_size({"width": width, "height": 600})
        visitor.wait_for_timeout(100)  # what watches its own size draws again
        assert visitor.evaluate(CUT_OFF) == [], width


def test_people_and_dialogs_are_reachable_by_everybody(browser: Browser, stack: Stack):
    page = opened(browser, stack, who="keeper")
    page.goto("/people")
    page.get_by_role("button", name="add a person").click()
    assert faults(page) == []
    page.get_by_role("button", name="preferences").click()
    assert faults(page) == []
    page.close()


def test_a_skip_link_leads_past_the_frame(known: Page):
    known.goto("/")
    expect(known.get_by_role("heading", name="What ends first")).to_be_visible()
    known.keyboard.press("Tab")
    skip = known.get_by_role("link", name="to what this page tells")
    expect(skip).to_be_focused()
    known.keyboard.press("Enter")
    expect(known.get_by_role("main")).to_be_focused()


def test_a_form_is_not_slid_away_by_a_feed_that_begins_to_fail(known: Page):
    feeds = FeedsPage(known)
    feeds.open()
    margin = known.get_by_role("complementary", name="Feed")
    expect(margin).to_contain_text("dunlin-1 is failing", timeout=60_000)
    expect(margin.get_by_role("textbox")).to_have_count(0)
    margin.get_by_role("button", name="look after it").click()
    expect(margin.get_by_label("Name", exact=True)).to_have_value("dunlin-1")


def test_an_address_of_no_feed_shows_no_other(known: Page):
    known.goto("/feeds?feed=999999")
    margin = known.get_by_role("complementary", name="Feed")
    expect(margin).to_contain_text("No such feed")


def test_an_address_that_is_no_number_is_no_pool(known: Page, refusals: None):
    for path in ("/pools/abc", "/things/-1"):
        known.goto(path)
        expect(known.get_by_role("heading", name=f"Nothing is at {path}")).to_be_visible()


@pytest.mark.parametrize("label", ["How many VMs", "Must last until"])
def test_a_field_can_be_emptied(known: Page, label: str):
    place = WherePage(known)
    place.open()
    known.get_by_label(label).fill("")
    expect(known.get_by_label(label)).to_have_value("")
    expect(known.get_by_text("Mend the marked fields")).to_be_visible()
    known.reload()
    expect(known.get_by_label(label)).to_have_value("")


def test_esc_in_a_form_or_menu_widens_nothing(known: Page):
    known.goto("/feeds?scope=site:Skerry&feed=new")
    name = known.get_by_role("complementary", name="Feed").get_by_label("Name", exact=True)
    name.fill("half typed")
    name.press("Escape")
    expect(known).to_have_url(re.compile("scope=site"))
    expect(name).to_have_value("half typed")
    menu = known.get_by_role("button", name="preferences")
    menu.click()
    known.keyboard.press("Escape")
    expect(menu).to_be_focused()
    expect(menu).to_have_attribute("aria-expanded", "false")
    expect(known).to_have_url(re.compile("scope=site"))


def test_back_takes_a_narrowing_back_and_keeps_the_place(known: Page):
    today = TodayPage(known)
    today.open()
    known.get_by_role("button", name="show all").click()
    known.get_by_role("button", name="Skerry").click()
    expect(known).to_have_url(re.compile("scope=site"))
    known.go_back()
    expect(known).not_to_have_url(re.compile("scope=site"))
    expect(known.get_by_role("button", name="hide those")).to_be_visible()
    # Of rows that are drawn as they come into sight, the last is another at each moment.
    href = str(today.rows.last.get_by_role("link").get_attribute("href"))
    last = known.locator(f"a[href='{href}']")
    last.scroll_into_view_if_needed()
    last.click()
    expect(known).to_have_url(re.compile("/pools/"))
    known.go_back()
    expect(known.locator(f"a[href='{href}']")).to_be_focused()
    expect(known.locator(f"a[href='{href}']")).to_be_in_viewport()


def test_a_session_that_ends_keeps_what_was_typed(known: Page, refusals: None):
    known.goto("/feeds?feed=new")
    margin = known.get_by_role("complementary", name="Feed")
    margin.get_by_label("Name", exact=True).fill("half typed")
    known.context.clear_cookies(name="keel")
    dialog = known.get_by_role("dialog", name="Your session has ended")
    expect(dialog).to_be_visible(timeout=30_000)
    dialog.get_by_label("Password").fill("spring-tide")
    dialog.get_by_role("button", name="Sign in").click()
    expect(dialog).to_have_count(0)
    expect(margin.get_by_label("Name", exact=True)).to_have_value("half typed")


def test_a_sign_out_that_fails_does_not_look_done(signed_in: Page, refusals: None):
    signed_in.route("**/api/v1/session", lambda route: route.abort())
    signed_in.get_by_role("button", name="preferences").click()
    signed_in.get_by_role("button", name="sign out").click()
    expect(signed_in.get_by_role("alert")).to_contain_text("You are still signed in")


def test_a_refused_trial_and_pause_say_so(known: Page, refusals: None):
    known.goto("/feeds")
    FeedsPage(known).choose("plover-1")
    margin = known.get_by_role("complementary", name="Feed")
    refusal = {"title": "Too often", "detail": "That was asked too often.", "status": 429}
    for path, button in (("**/trial", "try it"), ("**/api/v1/feeds/*", "pause")):
        known.route(path, lambda route: route.fulfill(status=429, json=refusal))
        wanted = margin.get_by_role("button", name=button)
        expect(wanted).to_be_enabled(timeout=COLLECTED_MS)  # not while the feed is being read
        wanted.click()
        expect(margin.get_by_role("alert").first).to_contain_text("asked too often")
        known.unroute(path)


def test_alt_enter_leaves_a_slice_out(known: Page):
    TodayPage(known).open()
    known.get_by_role("button", name="Skerry").focus()
    known.keyboard.press("Alt+Enter")
    expect(known).to_have_url(re.compile("scope=-site"))


def test_feeds_and_findings_follow_the_scope(known: Page):
    known.goto("/feeds?scope=site:Marram")
    expect(known.get_by_role("group", name="feed avocet-2")).to_be_visible()
    expect(known.get_by_role("group", name="feed heron-1")).to_have_count(0)
    known.goto("/feeds?state=failing")
    expect(known.get_by_role("group", name=re.compile("^feed "))).to_have_count(1)
    known.goto("/feeds/findings?scope=nowhere")
    expect(known.get_by_text("Nothing here in this scope")).to_be_visible()
    known.goto("/?scope=nowhere")
    changed = known.get_by_role("complementary", name="What changed")
    expect(changed).to_contain_text("Nothing changed in this scope")


def test_two_who_set_marks_are_told(browser: Browser, stack: Stack, paths: dict[str, str]):
    pages = [opened(browser, stack) for _ in range(2)]
    for page in pages:
        page.goto(paths["pool"])
        page.get_by_role("complementary", name="Working").get_by_text("Marks", exact=True).click()
        page.get_by_label("lead time, d").fill("44" if page is pages[0] else "46")
    keeps = [page.get_by_role("button", name="keep the marks") for page in pages]
    keeps[0].click()
    expect(pages[0].get_by_text("Marks kept").first).to_be_visible()
    keeps[1].click()
    expect(pages[1].get_by_role("alert")).to_contain_text("lead time, d 44")
    pages[1].get_by_role("button", name="put mine in its place").click()
    expect(pages[1].get_by_text("Marks kept").first).to_be_visible()
    pages[1].get_by_label("lead time, d").fill("")
    keeps[1].click()
    margin = pages[1].get_by_role("complementary", name="Working")
    expect(margin.get_by_text("46, own")).to_have_count(0)
    expect(margin).to_contain_text("45, ")
    for page in pages:
        page.close()


def test_the_first_route_loads_no_more_script_than_its_budget(page: Page, stack: Stack):
    held: dict[str, int] = {}

    def weigh(answer):
        if answer.url.endswith(".js"):
            held[answer.url] = len(gzip.compress(answer.body()))

    page.on("response", weigh)
    page.goto(stack.url)
    page.wait_for_load_state("networkidle")
    assert held
    assert sum(held.values()) <= MAX_FIRST_BYTES, sorted(held.items(), key=lambda one: -one[1])[:5]
