import json
import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import Stack
from tests.browser.pages.feeds import FeedsPage

SHEET = """name;uid;tenant;quota (TiB)
Seabed Mapping: charts;id.project/seabed/charts;Seabed Mapping;520,5
Seabed Mapping: wrecks;id.project/seabed/wrecks;Nobody;10
"""


def test_every_protocol_tells_of_its_kinds(known: Page):
    feeds = FeedsPage(known)
    feeds.open()
    for name, protocol in (
        ("kelp", "libvirt"), ("objects", "S3"), ("records", "estate files"), ("heron-1", "Redfish"),
    ):  # fmt: skip
        expect(feeds.feed(name)).to_contain_text(protocol)
        expect(feeds.feed(name)).to_contain_text(re.compile("good .* ago|reading|writing|waiting"))
    expect(feeds.feed("kelp")).to_contain_text("860")  # its VMs
    # While it is being collected it tells how far that is instead.
    expect(feeds.feed("samphire")).to_contain_text("Host samphire-2 left out", timeout=180_000)
    expect(feeds.feed("counters")).to_contain_text("readings and facts of what others tell of")


def test_findings_say_why_they_matter_and_narrow_by_kind(known: Page):
    feeds = FeedsPage(known)
    feeds.open()
    feeds.look_at("What was found")
    rows = known.get_by_role("table", name="Findings").get_by_role("row")
    lost = rows.filter(has_text="Mirror side lost")
    expect(lost).to_contain_text("the next fault loses data")
    expect(rows.filter(has_text="mirror side B has lost")).to_contain_text("samphire-shared")
    unmanaged = rows.filter(has_text="a host that no feed manages")
    expect(unmanaged.first).to_contain_text("feed0001")
    known.get_by_role("radio", name=re.compile("Looks free, is owned")).check(force=True)
    expect(lost).to_have_count(0)
    expect(known.get_by_text("do not give it away").first).to_be_visible()
    expect(known).to_have_url(re.compile("kind=free-but-owned"))


def test_a_table_is_mapped_checked_and_brought_in(known: Page):
    feeds = FeedsPage(known)
    feeds.open()
    feeds.look_at("Send a table")
    known.locator("input[type=file]").set_input_files(
        {"name": "quotas.csv", "mimeType": "text/csv", "buffer": SHEET.encode()}
    )
    expect(known.get_by_label("what a row is")).to_have_value("project")
    expect(known.get_by_label("quota (TiB) fills")).to_have_value("quota_bytes")
    expect(known.get_by_label("unit of quota (TiB)")).to_have_value("TiB")
    known.get_by_role("button", name="check every row").click()
    fault = known.get_by_role("listitem").filter(has_text="no tenant is called Nobody")
    expect(fault).to_contain_text("row 2")
    expect(known.get_by_role("button", name="bring it in")).to_be_disabled()
    known.get_by_text("bring in the good rows").click()
    known.get_by_role("button", name="bring it in").click()
    expect(known.get_by_text("Brought in: 1 row,")).to_be_visible(timeout=60_000)


def test_a_feed_is_added_tried_and_dropped(known: Page, stack: Stack, refusals: None):
    feeds = FeedsPage(known)
    feeds.open()
    known.get_by_role("button", name="add a feed").click()
    margin = known.get_by_role("complementary", name="Feed")
    margin.get_by_label("Name", exact=True).fill("second eye")
    margin.get_by_label("Addresses").fill("http://169.254.169.254/")
    margin.get_by_role("button", name="add it").click()
    expect(margin.get_by_text("outside the networks").first).to_be_visible()
    port = stack.state["standins_port"] + 4
    margin.get_by_label("Addresses").fill(f"http://127.0.0.1:{port}")
    margin.get_by_label("Sign-in").fill("planner-ro")
    margin.get_by_label("Password").fill("low-water")
    margin.get_by_role("button", name="add it").click()
    expect(feeds.feed("second eye")).to_be_visible()
    margin.get_by_role("button", name="pause").click()
    margin.get_by_role("button", name="try it").click()
    trial = feeds.runs.filter(has_text="a trial, nothing written").first
    expect(trial).to_contain_text("documents", timeout=60_000)
    margin.get_by_role("button", name="drop").click()
    known.get_by_role("button", name="drop it").click()
    expect(feeds.feed("second eye")).to_have_count(0)


def test_the_chain_below_a_vm_is_told_at_the_command_line(stack: Stack):
    from pathlib import Path

    hosts = Path(stack.folder) / "demo" / "hosts" / "kelp-1.xml"
    name = re.search(r"<name>([a-z]+-k\d+)</name>", hosts.read_text())
    assert name
    told = json.loads(stack.keel("trace", name.group(1), "--json"))
    kinds = []
    while told["below"]:
        told = told["below"][0]
        kinds.append(told["kind"])
    assert kinds == ["disk", "datastore", "volume", "pool", "drives"]
    assert re.fullmatch(r"drive-\d{4} … drive-\d{4}", told["note"])
