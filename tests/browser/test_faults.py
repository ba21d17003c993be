import os
import signal

from playwright.sync_api import Page, expect

from tests.browser.conftest import Stack
from tests.browser.pages.feeds import FeedsPage
from tests.browser.pages.today import TodayPage

AVOCET_1 = 2  # the third stand-in
RECOVERY_MS = 90_000


def test_a_database_restarted_under_an_open_page_is_told_and_waited_for(
    signed_in: Page, stack: Stack, refusals: None
):
    today = TodayPage(signed_in)
    expect(today.row("heron-1 · swift-2")).to_be_visible()
    outage = signed_in.get_by_role("status").filter(has_text="database does not answer")
    folder = stack.state["database_folder"]
    stack.keel("database", "stop")
    try:
        today.narrow_to("heron")
        expect(outage).to_be_visible()
        expect(today.row("heron-1 · swift-2")).to_be_visible()  # the last good state stays
    finally:
        stack.keel("database", "start")
    assert stack.state["database_folder"] == folder
    expect(today.row("avocet-2 · deep-1")).to_have_count(0, timeout=RECOVERY_MS)
    expect(outage).to_have_count(0, timeout=RECOVERY_MS)
    signed_in.reload()  # what was asked in the outage may still be refused now
    expect(today.row("heron-1 · swift-2")).to_be_visible(timeout=RECOVERY_MS)
    tide = signed_in.get_by_role("slider", name="Day looked at")
    expect(tide).to_be_visible(timeout=RECOVERY_MS)
    stack.wait_until_it_answers(signed_in)  # each of its processes, for whoever comes next


def test_a_worker_killed_in_mid_collection_is_replaced_and_the_run_done_again(
    known: Page, stack: Stack
):
    feeds = FeedsPage(known)
    feeds.open()
    feeds.choose("avocet-1")
    feeds.wait_until_collected("avocet-1")  # as quickly as it can, before it is slowed
    stack.tell_array(AVOCET_1, what="faults", kind="slow", delay_seconds=1.5, count=400)
    feeds.collect_now("avocet-1")
    expect(feeds.feed("avocet-1").get_by_role("status")).to_contain_text(
        "reading", timeout=RECOVERY_MS
    )
    workers = stack.processes("keelmark.cli work")
    assert workers
    for pid in workers:
        os.kill(pid, signal.SIGKILL)
    stack.tell_array(AVOCET_1, what="faults", kind="none")
    interrupted = feeds.runs.filter(has_text="interrupted").first
    expect(interrupted).to_contain_text("last good state stands", timeout=RECOVERY_MS)
    expect(feeds.newest_run()).to_contain_text("done", timeout=RECOVERY_MS)
    assert set(stack.processes("keelmark.cli work")).isdisjoint(workers)
