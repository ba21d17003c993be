"""A planner tries a plan, compares it, and looks at the estate as it would be."""

import re
from datetime import timedelta

from playwright.sync_api import Page, expect

from keelmark.access.clock import utc_today
from tests.browser.pages.place import WherePage
from tests.browser.pages.scenarios import ScenarioPage
from tests.browser.test_frame import faults


def test_an_intake_is_planned_with_room_made_for_it_and_compared_with_buying(known: Page):
    plan = ScenarioPage(known)
    plan.draw_up("Winter intake")
    form = plan.begin("Place VMs")
    form.get_by_label("Name", exact=True).fill("sonar-new")
    form.get_by_label("How many").fill("24")
    plan.pick(form, "On", "heron-1 steady-2")
    plan.pick(form, "Run by", "kelp")
    plan.put_in(form)
    expect(plan.move("Place 24 × sonar-new")).to_be_visible()
    expect(plan.runway("heron-1 · steady-2")).to_contain_text("used")
    form = plan.begin("Extend a pool")
    plan.pick(form, "Pool", "heron-1 swift-2")
    form.get_by_label("Usable bytes added").fill("60 TiB")
    form.get_by_label("Costs, if known").fill("61000")
    plan.put_in(form)
    expect(plan.runway("heron-1 · swift-2")).to_contain_text("+60.0 TiB size")
    expect(plan.line("Winter intake")).to_contain_text("61")
    # What was done last is taken back, and done again.
    known.get_by_role("button", name="undo").click()
    expect(plan.runway("heron-1 · swift-2")).to_have_count(0)
    known.get_by_role("button", name="redo").click()
    expect(plan.runway("heron-1 · swift-2")).to_be_visible()
    # Beside a copy that goes without the drives.
    known.get_by_role("button", name="copy").click()
    known.get_by_label("The other one is called").fill("No drives")
    known.get_by_role("button", name="copy it").click()
    plan.expect_open("No drives")
    plan.more("Extend heron-1", "switch it off")
    expect(plan.move("Extend heron-1")).to_contain_text("switched off")
    expect(plan.line("Winter intake")).to_contain_text("61")
    expect(plan.line("No drives").get_by_role("cell").last).to_contain_text(re.compile("^0"))


def test_a_move_that_cannot_be_says_why_and_stays(known: Page):
    plan = ScenarioPage(known)
    plan.draw_up("Empty heron")
    form = plan.begin("Retire a pool or array")
    form.get_by_role("button", name="put it in").click()
    expect(form).to_contain_text("Wanted.")
    plan.pick(form, "What", "heron-1 swift-2")
    plan.put_in(form)
    expect(plan.move("Retire heron-1 · swift-2")).to_contain_text(
        re.compile(r"cannot be: swift-2 holds \d+ volumes still")
    )
    expect(plan.line("Empty heron")).to_contain_text("1 left out")


def test_work_is_placed_where_it_keeps_most_and_the_estate_is_looked_at_with_it(known: Page):
    where = WherePage(known)
    where.open()
    where.want_class("Steady")
    best = where.candidates.first
    expect(best).to_contain_text("Steady")
    best.get_by_role("button", name=re.compile("^plan it")).click()
    plan = ScenarioPage(known)
    plan.expect_open("sonar-ingest")
    expect(plan.move("Place 24 × sonar-ingest")).to_be_visible()
    expect(known.get_by_text("it is here")).to_be_visible()
    known.get_by_role("link", name="Estate").click()
    expect(known).to_have_url(re.compile("/estate"))
    expect(known.get_by_role("button", name="as sonar-ingest · draft")).to_be_visible()
    known.goto(f"{known.url}&view=list&kind=vm&scope=sonar-ingest-24")
    expect(known.get_by_role("link", name="sonar-ingest-24")).to_be_visible()


def test_a_thing_is_put_into_a_scenario_from_its_page(signed_in: Page):
    signed_in.get_by_role("link", name="heron-1 · swift-2").first.click()
    signed_in.get_by_role("button", name="put into a scenario").click()
    box = signed_in.get_by_role("region", name="Put into a scenario")
    box.get_by_label("Into which scenario").select_option(label="a new scenario")
    box.get_by_role("button", name="Change growth").click()
    form = signed_in.get_by_role("form", name="Change growth")
    expect(form.get_by_role("button", name=re.compile("heron-1 · swift-2"))).to_be_visible()
    form.get_by_label("More, or fewer, a week").fill("-1 TiB")
    form.get_by_role("button", name="put it in").click()
    expect(ScenarioPage(signed_in).move("grows slower")).to_be_visible()


def test_what_a_place_does_is_told_before_it_is_planned_as_it_is_after(known: Page):
    where = WherePage(known)
    known.goto("/try?count=4")
    best = where.candidates.first
    best.get_by_role("button", name=re.compile("^what it does")).click()
    effect = known.get_by_role("region", name="What it does", exact=True)
    line = effect.get_by_role("row", name=re.compile("^with it"))
    expect(line).to_be_visible()
    expect(effect.get_by_role("list", name="Runways that move")).to_contain_text("sonar-ingest")
    assert faults(known) == []
    told = line.get_by_role("cell").all_text_contents()
    best.get_by_role("button", name=re.compile("^plan it")).click()
    plan = ScenarioPage(known)
    plan.expect_open("sonar-ingest")
    known.goto(f"{known.url}&at={(utc_today() + timedelta(days=1)).isoformat()}")
    expect(plan.line("sonar-ingest").get_by_role("cell")).to_have_text(told)


def test_no_two_on_an_array_are_planned_as_they_go_and_taken_back_together(known: Page):
    known.goto("/try?count=3&apart=array")
    spread = known.get_by_text("Over several places 3 of them go")
    expect(spread).to_be_visible(timeout=60_000)  # the first question of a revision
    known.get_by_role("button", name="plan them so").click()
    plan = ScenarioPage(known)
    plan.expect_open("sonar-ingest")
    expect(plan.moves.get_by_text(re.compile("Place 1 × sonar-ingest-[123]"))).to_have_count(3)
    known.get_by_role("button", name="undo").click()
    expect(plan.moves.get_by_text("Place 1 ×")).to_have_count(0)


def test_one_pool_of_today_is_put_into_a_scenario_and_two_that_no_move_takes_say_so(known: Page):
    known.goto("/")
    put = known.get_by_role("button", name="put into a scenario")
    known.get_by_role("checkbox", name="choose row 2").check()
    expect(put).to_be_visible()
    known.get_by_role("checkbox", name="choose row 4").check()
    expect(known.get_by_text("no move takes these together: choose one")).to_be_visible()
    expect(put).to_have_count(0)
    known.get_by_role("button", name="choose none").click()
    expect(known.get_by_role("checkbox", checked=True)).to_have_count(0)


def test_what_was_found_is_put_into_a_scenario(known: Page):
    known.goto("/feeds/findings?kind=free-but-owned")
    table = known.get_by_role("table", name="Findings")
    for at in (1, 2):
        table.get_by_role("checkbox", name=f"choose row {at}").check()
    known.get_by_role("button", name="put into a scenario").click()
    box = known.get_by_role("region", name="Put into a scenario")
    box.get_by_label("Into which scenario").select_option(label="a new scenario")
    box.get_by_role("button", name="Free", exact=True).click()
    form = known.get_by_role("form", name="Free")
    form.get_by_role("button", name="put it in").click()
    # The very thing that was found: what looks free is not, and goes with nothing.
    expect(ScenarioPage(known).move("Free 2 volumes")).to_contain_text(
        re.compile("cannot be: .* carries pool samphire-shared: its data would be lost")
    )


def test_what_is_accepted_is_held_until_its_work_order_is_through(known: Page):
    plan = ScenarioPage(known)
    plan.draw_up("Deep intake")
    form = plan.begin("Place VMs")
    form.get_by_label("Name", exact=True).fill("sonar-deep")
    form.get_by_label("How many").fill("3")
    plan.pick(form, "On", "heron-1 deep-2")
    plan.pick(form, "Run by", "kelp")
    plan.put_in(form)
    expect(plan.accepting).to_contain_text(re.compile("Accepting holds .* [GT]iB from"))
    plan.accept()
    expect(plan.accepting).to_contain_text("accepted by planner")
    more = plan.move("Place 3 × sonar-deep").get_by_role("button", name=re.compile("^more of"))
    expect(more).to_have_count(0)
    # Whoever looks at the pool sees who holds what of it.
    plan.held.get_by_role("link", name="heron-1 · deep-2").click()
    holders = known.get_by_role("table", name="Held of it")
    expect(holders).to_contain_text("Deep intake")
    holders.get_by_role("link", name="Deep intake").click()
    plan.accepting.get_by_role("link", name="carry it out").click()
    known.get_by_role("button", name="make the work order").click()
    steps = known.get_by_role("table", name="Steps").get_by_role("row")
    expect(steps).to_have_count(1 + 4)
    expect(steps.nth(1)).to_contain_text("Create volume sonar-deep-v1 on heron-1 · deep-2")
    steps.nth(1).get_by_role("button", name="done", exact=True).click()
    expect(steps.nth(1)).to_contain_text("settling")
    assert faults(known) == []
    known.reload()
    expect(steps.nth(1)).to_contain_text("told by planner")
    for at in range(1, 5):
        steps.nth(at).get_by_role("button", name="leave it out").click()
        expect(steps.nth(at)).to_contain_text("left out")
    expect(known.get_by_text("nothing is held for it any more")).to_be_visible()
    known.get_by_role("heading", level=1).get_by_role("link").click()
    expect(plan.accepting).to_contain_text("nothing is held any more")


def test_several_workloads_are_read_placed_together_and_planned(known: Page):
    where = WherePage(known)
    where.open()
    known.get_by_role("link", name="several at once").click()
    rows = known.get_by_role("table", name="Workloads").get_by_role("row")
    table = known.get_by_label("Rows of a table, or an OVF descriptor")
    table.fill("name\tVMs\tdisks\nsonar-many\t6\t1.2 TiB\nchart\tmany\t1 TiB")
    expect(known.get_by_role("alert")).to_contain_text("row 3, vms: a whole number")
    expect(rows).to_have_count(1 + 1)
    expect(rows.nth(1)).to_contain_text("sonar-many")
    expect(known.get_by_text("6 of 6 VMs find a place")).to_be_visible()
    assert faults(known) == []
    known.get_by_role("button", name="plan what finds a place").click()
    plan = ScenarioPage(known)
    plan.expect_open("Intake of 6 VMs")
    expect(plan.move("Place 6 × sonar-many")).to_be_visible()


def test_more_of_a_vm_is_asked_for_as_its_kin_are(known: Page):
    where = WherePage(known)
    where.open()
    like = known.get_by_role("combobox", name="More like")
    like.fill("sonar-d0003")
    found = known.get_by_role("listbox", name="More like, found")
    found.get_by_role("option").first.click()
    expect(known.get_by_text(re.compile("Learnt of \\d+ VMs alike"))).to_be_visible()
    expect(known.get_by_label("Called")).to_have_value("sonar-dnew")
    # Of what was recorded of it, I/O comes some minutes later.
    expect(known.get_by_label("disk 2, growth a week")).not_to_have_value("")


def test_one_more_datastore_tells_how_many_vms_and_how_long_it_brings(known: Page):
    plan = ScenarioPage(known)
    plan.draw_up("One more datastore")
    form = plan.begin("Make a datastore")
    plan.pick(form, "On pool", "plover-1 deep-6")
    plan.pick(form, "For cluster", "samphire")
    form.get_by_label("Name", exact=True).fill("samphire-more")
    form.get_by_label("Size").fill("40 TiB")
    plan.put_in(form)
    known.get_by_role("button", name=re.compile("^at ")).first.wait_for()
    berths = plan.line("One more datastore").get_by_role("cell").first
    expect(plan.runway("samphire").first).to_be_visible()
    known.keyboard.press("]")  # to the day on which it comes
    expect(berths).to_contain_text("better")


def test_a_datastore_that_is_too_small_is_extended_with_what_comes_onto_it(known: Page):
    known.goto("/try?count=24")
    where = WherePage(known)
    known.get_by_text("datastores there are").click()
    row = where.candidates.filter(has_text="extended by").first
    name = row.get_by_role("rowheader").get_by_role("link").inner_text()
    row.get_by_role("button", name=re.compile("^plan it")).click()
    plan = ScenarioPage(known)
    expect(plan.moves).to_contain_text(f"Extend {name}")
    expect(plan.moves).to_contain_text(re.compile(f"Place 24 × .*on {re.escape(name)}"))
    expect(plan.moves).not_to_contain_text("lacks")
    expect(plan.runway(name)).to_contain_text("size")


def test_what_is_dragged_onto_the_moves_is_put_into_one_of_them(known: Page):
    known.goto("/scenarios/1")
    plan = ScenarioPage(known)
    row = plan.runways.get_by_role("listitem").filter(has_text="pool ·").first
    name = row.get_by_role("link").inner_text()
    row.drag_to(plan.moves.last)
    asked = known.get_by_role("region", name="What is to be done with it")
    expect(asked).to_contain_text(name)
    asked.get_by_role("button", name="Extend a pool").click()
    form = known.get_by_role("form", name="Extend a pool")
    expect(form).to_contain_text(name)
    form.get_by_role("button", name="leave it").click()
    expect(form).to_have_count(0)
