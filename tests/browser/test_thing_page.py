"""The pages of things: a span of the soundings, the disks of a VM, notes."""

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.pages.going import go_to


def opened(page: Page, name: str) -> None:
    go_to(page, name)
    expect(page.get_by_role("heading", name=name, exact=True).first).to_be_visible()


def test_a_span_of_the_soundings_is_drawn_by_keys_and_tells_who_grew_in_it(known: Page):
    known.goto("/pools/2")
    cursor = known.get_by_role("slider", name="Day of the soundings")
    cursor.press("PageDown")
    expect(cursor).to_have_attribute("aria-valuetext", re.compile("likely .* in 8 of 10 cases"))
    cursor.press("Home")
    for _ in range(10):
        cursor.press("Shift+ArrowRight")
    expect(known.get_by_text(re.compile(r", 10 d: [+−].* a day"))).to_be_visible()
    expect(known).to_have_url(re.compile(r"span=\d{4}-\d\d-\d\d\.\."))
    grew = known.get_by_text(re.compile(r"^[+−].* in 10 d since .* up to "))
    expect(grew).to_be_visible()
    cursor.press("Escape")
    expect(known).not_to_have_url(re.compile("span="))
    expect(grew).to_have_count(0)


def test_soundings_are_a_table_too(known: Page):
    known.goto("/pools/2")
    known.get_by_role("button", name="as a table").first.click()
    rows = known.get_by_role("region", name="Soundings").get_by_role("row")
    expect(rows.nth(0)).to_contain_text("1 in 10 above")
    expect(rows.nth(1)).to_contain_text("iB")
    known.get_by_role("button", name="as a chart").first.click()
    expect(rows).to_have_count(0)


def test_the_disks_of_a_vm_stand_with_measures_file_systems_and_tiers(known: Page):
    opened(known, "scene-s0030")
    disks = known.get_by_role("region", name="Disks, table").get_by_role("row")
    expect(disks.nth(1)).to_contain_text(re.compile(r"vda.*/\s+\d+ %"))
    expect(disks.nth(1)).to_contain_text(re.compile("Spring|Neap|Slack|Ebb|Tiles"))
    expect(disks.nth(1).get_by_role("img")).to_have_accessible_name(
        re.compile("inside, .* on the array, .* unshared, of ")
    )


def test_a_vm_whose_files_bear_another_name_says_so(known: Page):
    renamed = "mail-s0007"
    opened(known, renamed)
    expect(known.get_by_role("region", name="Disks", exact=True)).to_contain_text(
        re.compile("lies in trial-s0007-vda.qcow2")
    )


def test_a_note_is_written_changed_dropped_and_brought_back(known: Page):
    opened(known, "scene-s0030")
    known.get_by_role("main").focus()
    known.keyboard.press("n")
    typed = known.get_by_role("textbox", name="Note, in Markdown")
    typed.fill("moves in **March** <b onclick=alert(1)>x</b> [lead](javascript:alert(1))")
    known.get_by_role("button", name="keep it").click()
    note = known.get_by_role("article", name="Note of planner")
    expect(note.locator("strong")).to_have_text("March")
    expect(note.locator("b, a")).to_have_count(0)  # what is no Markdown stays words
    note.get_by_role("button", name="change").click()
    known.get_by_role("textbox", name="Note, changed").fill("moves in April")
    known.get_by_role("button", name="keep it").click()
    expect(note).to_contain_text("moves in April")
    expect(note).to_contain_text("changed")
    note.get_by_role("button", name="drop").click()
    expect(note).to_have_count(0)
    known.get_by_role("button", name="undo").click()
    expect(note).to_contain_text("moves in April")


def test_what_was_read_before_a_write_and_comes_after_it_hides_nothing(known: Page):
    held: list[Route] = []
    known.route(
        re.compile("/notes$"),
        lambda route: held.append(route) if not held else route.continue_(),
    )
    opened(known, "alert-k0085")
    add = known.get_by_role("button", name="write one")
    add.click()
    known.get_by_role("textbox", name="Note, in Markdown").fill("read it late")
    known.get_by_role("button", name="keep it").click()
    expect(add).to_be_visible()
    held[0].fulfill(json=[])  # asked before the note was there, answered after
    expect(known.get_by_role("article", name="Note of planner")).to_contain_text("late")
