"""An intake from the plan to the last proof: carried out at an array, a worker killed in it.

It is the last of all: the estate has more VMs afterwards than others reckon with.
"""

import os
import re
import signal

from playwright.sync_api import Page, expect

from keelmark.access.clock import utc_today
from tests.browser.conftest import Stack
from tests.browser.pages.feeds import FeedsPage
from tests.browser.pages.scenarios import OrderPage, ScenarioPage
from tests.browser.test_frame import faults

HERON_1 = 0
GIB = 1024**3
RECOVERY_MS = 180_000  # a dead worker's job is given up after 30 s, and taken up again
N_VMS = 24


def test_an_intake_is_carried_out_with_a_worker_killed_in_the_middle(operating: Page, stack: Stack):
    plan, order = ScenarioPage(operating), OrderPage(operating)
    plan.draw_up("Sonar intake")
    form = plan.begin("Place VMs")
    form.get_by_label("Name", exact=True).fill("sonar-ingest")
    form.get_by_label("How many").fill(str(N_VMS))
    plan.pick(form, "On", "heron-1 deep-2")
    plan.pick(form, "Run by", "kelp")
    plan.on_day(form, utc_today())
    plan.put_in(form)
    plan.accept()
    expect(plan.held).to_contain_text("heron-1 · deep-2")
    plan.accepting.get_by_role("link", name="carry it out").click()
    operating.get_by_role("button", name="make the work order").click()
    expect(order.step(1)).to_contain_text("Create volume sonar-ingest-v1 on heron-1 · deep-2")
    (told,) = re.findall(r"([\d,]+) bytes", order.step(1).inner_text())
    size = int(told.replace(",", ""))

    stack.tell_array(HERON_1, what="faults", kind="slow-task", delay_seconds=20, count=1)
    order.carry_out()
    expect(order.status).to_contain_text("the array is at it", timeout=RECOVERY_MS)
    workers = stack.processes("keelmark.cli work")
    assert workers
    for pid in workers:
        os.kill(pid, signal.SIGKILL)
    expect(order.step(2)).to_contain_text("verified", timeout=RECOVERY_MS)
    expect(order.step(1)).to_contain_text("verified")
    expect(order.step(1)).to_contain_text("told by deckhand")
    expect(order.step(2)).to_contain_text("mapped to all hosts of the cluster")
    assert faults(operating) == []

    # The rest is done by hand; what is read then proves it.
    expect(order.status).to_contain_text("Step 3: it is done by hand", timeout=RECOVERY_MS)
    stack.tell_array(
        HERON_1, what="hands", cluster="kelp", datastore="sonar-ingest", volume="sonar-ingest-v1",
        names=[f"sonar-ingest-{n}" for n in range(1, N_VMS + 1)], n_cpus=4,
        memory_bytes=16 * GIB, disk_bytes=size // N_VMS // 2, written=0.4,
    )  # fmt: skip
    operating.wait_for_timeout(8_000)  # until the hosts tell of it
    order_url = operating.url
    feeds = FeedsPage(operating)
    feeds.open()
    feeds.wait_until_collected("kelp")
    feeds.choose("kelp")
    feeds.collect_now_and_wait("kelp")
    operating.goto(order_url)
    expect(operating.get_by_text("nothing is held for it any more")).to_be_visible(
        timeout=RECOVERY_MS
    )
    for at in range(1, 5):
        expect(order.step(at)).to_contain_text("verified")
    expect(order.step(4)).to_contain_text(f"{N_VMS} of {N_VMS} are read in the cluster")
    operating.get_by_role("heading", level=1).get_by_role("link").click()
    expect(plan.accepting).to_contain_text("nothing is held any more")
    expect(plan.held).to_have_count(0)


def test_who_plans_sees_it_move_and_carries_nothing_out(signed_in: Page):
    plan, order = ScenarioPage(signed_in), OrderPage(signed_in)
    plan.draw_up("Watched intake")
    form = plan.begin("Place VMs")
    form.get_by_label("Name", exact=True).fill("sonar-watched")
    form.get_by_label("How many").fill("2")
    plan.pick(form, "On", "heron-1 deep-2")
    plan.pick(form, "Run by", "kelp")
    plan.put_in(form)
    plan.accept()
    plan.accepting.get_by_role("link", name="carry it out").click()
    signed_in.get_by_role("button", name="make the work order").click()
    expect(order.step(3)).to_contain_text("by hand: nothing of this is written from here")
    expect(order.step(2)).to_contain_text("from here: the volume has to be read first")
    expect(order.region.get_by_role("button")).to_have_count(0)
    expect(order.step(1).get_by_role("button", name="carry it out")).to_have_count(0)
    signed_in.get_by_role("button", name="take it back").click()
    expect(signed_in.get_by_role("button", name="make the work order")).to_be_visible()
    signed_in.get_by_role("heading", level=1).get_by_role("link").click()
    plan.accepting.get_by_role("button", name="give it up").click()
    expect(plan.accepting.get_by_role("button", name="accept, hold the space")).to_be_visible()
