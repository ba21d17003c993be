"""Reads and writes on the pages of things; by now the recorder's two weeks are brought in."""

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.pages.going import go_to

TRIES, TRY_MS = 50, 8000  # the recorder's file is brought in some minutes after the start


def opened(page: Page, name: str) -> Locator:
    go_to(page, name)
    expect(page.get_by_role("heading", name=name, exact=True).first).to_be_visible()
    return page.get_by_role("region", name="Reads and writes", exact=True)


def wait_for(page: Page, region: Locator, *, text: str) -> None:
    for _ in range(TRIES):
        try:
            expect(region).to_contain_text(text, timeout=TRY_MS)
        except AssertionError:
            page.reload()
        else:
            return
    expect(region).to_contain_text(text)


@pytest.fixture
def vm(signed_in: Page) -> Locator:
    region = opened(signed_in, "scene-s0030")
    wait_for(signed_in, region, text="3 disks added up, means of 5 min")
    return region


def test_a_vm_tells_its_waits_in_parts_and_the_cursor_walks_by_keys(vm: Locator):
    cursor = vm.get_by_role("slider", name="Reads and writes over time")
    cursor.press("Home")
    first = str(cursor.get_attribute("aria-valuetext"))
    assert re.search(
        r"reads and .* writes a second, .* ms, of a read .*, of a write .*, "
        "array .*, held back by its limit",
        first,
    )
    cursor.press("ArrowRight")
    expect(cursor).not_to_have_attribute("aria-valuetext", first)


def test_v_shows_the_figures_of_a_chart_and_the_chart_again(signed_in: Page, vm: Locator):
    signed_in.get_by_role("main").focus()
    signed_in.keyboard.press("v")
    table = vm.get_by_role("table")
    expect(table.get_by_role("row").nth(200)).to_contain_text("UTC")
    signed_in.keyboard.press("v")
    expect(table).to_have_count(0)


def test_who_reads_and_writes_most_on_a_cluster_is_followed(known: Page):
    region = opened(known, "samphire")
    busiest = region.get_by_role("list", name="Who reads and writes most").get_by_role("listitem")
    wait_for(known, region, text="Who reads and writes most")
    expect(busiest).to_have_count(12)
    region.get_by_role("radio", name="projects").check(force=True)
    expect(known).to_have_url(re.compile("io_by=project"))
    expect(busiest.first).to_contain_text(": ")  # a project is told with its tenant
    name = busiest.first.get_by_role("link").inner_text()
    busiest.first.get_by_role("link").click()
    expect(known.get_by_role("heading", name=name, exact=True).first).to_be_visible()
