"""A planner allots, and a tenant's own operator provisions out of it, never beyond."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import People
from tests.browser.pages.allotments import AllotmentsPage
from tests.browser.pages.place import WherePage
from tests.browser.test_frame import faults

MADE_MS = 180_000
MINE = "deep-4"  # what the demo allots to Tide Gauges, on plover-1


@pytest.fixture
def tidewaiter(people: People, complaints: list[str]) -> Iterator[Page]:
    """Signed in as the operator of Tide Gauges."""
    with people.opened("tidewaiter", heard=complaints) as page:
        yield page


def test_a_tenant_makes_a_volume_of_its_own_and_gives_it_back(
    tidewaiter: Page, complaints: list[str]
):
    expect(tidewaiter.get_by_role("link", name="Scenarios", exact=True)).to_have_count(0)
    tidewaiter.get_by_role("link", name="Allotments", exact=True).click()
    own = AllotmentsPage(tidewaiter)
    expect(tidewaiter.get_by_role("table", name=re.compile("Seabed"))).to_have_count(0)
    own.choose("Tide Gauges", MINE)
    own.make("gauge-log", "9 TiB")
    expect(own.making).to_contain_text("more than the 8.00 TiB left")
    own.make("gauge-log", "2 TiB")
    expect(own.of("Tide Gauges", MINE)).to_contain_text("6.00 TiB")
    drawn = own.drawn("gauge-log")
    expect(drawn).to_contain_text("mapped to all hosts of the cluster", timeout=MADE_MS)
    expect(drawn).to_contain_text("made by those who look after the cluster")
    assert faults(tidewaiter) == []
    own.give_back("gauge-log", volume="gauge-log-v1")
    expect(own.margin).to_contain_text("Nothing was made of it yet.", timeout=MADE_MS)
    expect(own.of("Tide Gauges", MINE)).to_contain_text("8.00 TiB")
    assert complaints == []


def test_a_planner_allots_changes_and_ends_it(known: Page, refusals: None):
    page = AllotmentsPage(known)
    page.open()
    form = page.margin.get_by_role("form", name="Allot")
    form.get_by_role("button", name="allot").click()
    expect(form).to_contain_text("Say whose it is.")
    form.get_by_role("combobox", name="Of pool").fill("heron-1 deep-2")
    found = form.get_by_role("listbox", name="Of pool, found")
    found.get_by_role("option").first.click()
    form.get_by_label("For tenant").select_option("Public Web")
    form.get_by_label("Bytes").fill("900 TiB")
    form.get_by_role("button", name="allot").click()
    expect(form).to_contain_text("fewer than that")
    form.get_by_label("Bytes").fill("5 TiB")
    form.get_by_role("button", name="allot").click()
    row = page.of("Public Web", "deep-2")
    expect(row).to_contain_text("5.00 TiB")
    page.margin.get_by_label("Allotted").fill("6 TiB")
    page.margin.get_by_role("button", name="change").click()
    expect(row).to_contain_text("6.00 TiB")
    known.goto("/pools/" + pool_of(known))
    expect(known.get_by_role("table", name="Held of it")).to_contain_text("Public Web")
    page.open()
    page.choose("Public Web", "deep-2")
    page.margin.get_by_role("button", name="end it").click()
    expect(row).to_have_count(0)


def test_new_work_is_looked_for_in_allotments_alone(known: Page):
    known.goto("/try?count=1&tenant=Tide+Gauges&fromAllotment=yes")
    where = WherePage(known)
    mine = where.candidates.filter(has=known.get_by_role("button", name=re.compile("^plan it")))
    expect(mine).to_have_count(2)  # of all places those that are allotted alone
    expect(mine.filter(has_text=MINE)).to_contain_text("allotment")
    expect(where.candidates.last).to_contain_text("none here")
    expect(known.get_by_label("out of its allotments alone")).to_be_checked()
    mine.first.get_by_role("button", name=re.compile("^plan it")).click()
    expect(known.get_by_role("list", name="Moves")).to_contain_text(
        "out of the allotment of Tide Gauges"
    )


def pool_of(page: Page) -> str:
    told = page.request.get("/api/v1/allotments").json()
    return str(next(one["pool"]["id"] for one in told if one["tenant"]["name"] == "Public Web"))
