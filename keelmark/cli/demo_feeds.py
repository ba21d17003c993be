"""The demo's feeds: one of every protocol, each with its stand-in or its real partner."""

import subprocess
import sys
from datetime import UTC, datetime, timedelta

from keelmark.access.clock import utc_today
from keelmark.cli.folders import hosts_folder, inbox_folder
from keelmark.config.state import PROJECT

STANDIN_USER, STANDIN_PASSWORD = "planner-ro", "low-water"  # a stand-in's
WRITER, WRITER_PASSWORD = "limits-rw", "high-water"  # who may set limits of its volumes
READ_ONLY = "dunlin-1"  # its keepers gave nobody an account that may set anything
ARRAYS = {
    "demo": ("heron-1", "heron-2", "avocet-1", "avocet-2", "plover-1", "dunlin-1"),
    "small": ("heron-1", "avocet-2", "dunlin-1"),
}
CLUSTERS = {
    "demo": (("kelp", "Skerry", 4), ("dulse", "Marram", 4), ("samphire", "Holmgate", 4)),
    "small": (("kelp", "Skerry", 2),),
}
COUNTER_RULES = [  # volumes, pools and ports are counted by the arrays themselves
    {"metric": f"vm_{metric}_total", "fills": fills, "label": "vm", "form": "uuid"}
    for metric, fills in (
        ("reads", "read_ops"), ("writes", "write_ops"), ("busy_seconds", "busy_seconds"),
    )
]  # fmt: skip
IO_METRICS = (
    ("reads", "read_ops"), ("writes", "write_ops"), ("read_bytes", "read_bytes"),
    ("written_bytes", "write_bytes"),
)  # fmt: skip
DISK_RULES = [
    {"metric": f"{of}_{metric}_total", "fills": fills, "label": of}
    for of, metrics in (
        ("disk", (*IO_METRICS, *((f"{part}_seconds", f"{part}_seconds")
                                 for part in ("busy", "array", "network", "queue", "qos",
                                              "read", "write")))),
        ("drive", IO_METRICS),
    )
    for metric, fills in metrics
]  # fmt: skip
QUOTA_SHEET = """name;uid;tenant;quota (TiB)
Seabed Mapping: wrecks;id.project/seabed/wrecks;Seabed Mapping;42,5
Tide Gauges: drills;id.project/tide-gauge/drills;Tide Gauges;12
"""
QUOTA_COLUMNS = {
    "name": {"column": "name"},
    "uid": {"column": "uid"},
    "tenant_uid": {"column": "tenant"},
    "quota_bytes": {"column": "quota (TiB)", "unit": "TiB"},
}
FEED_MINUTES = 5


def make_feeds(*, first_port: int, size: str) -> None:
    """Make a feed of every protocol, each with its stand-in or its real partner."""
    from keelmark.estate.models import Protocol
    from keelmark.feeds.models import Mapping
    from keelmark.feeds.services.feeds import ensure_feed

    arrays = ARRAYS[size]
    for offset, name in enumerate(arrays):
        ensure_feed(
            name=name,
            addresses=[f"http://127.0.0.1:{first_port + offset}"],
            every_minutes=FEED_MINUTES,
            user=STANDIN_USER,
            password=STANDIN_PASSWORD,
            writer_user="" if name == READ_ONLY else WRITER,
            writer_password="" if name == READ_ONLY else WRITER_PASSWORD,
        )
    for name, site, n_hosts in CLUSTERS[size]:
        ensure_feed(
            name=name,
            protocol=Protocol.LIBVIRT,
            addresses=[f"test://{hosts_folder()}/{name}-{n + 1}.xml" for n in range(n_hosts)],
            options={"cluster": name, "site": site},
            every_minutes=FEED_MINUTES,
        )
    ensure_feed(
        name="counters",
        protocol=Protocol.OPENMETRICS,
        addresses=[f"http://127.0.0.1:{first_port + len(arrays)}/metrics"],
        options={"rules": COUNTER_RULES},
        every_minutes=1,
    )
    ensure_feed(
        name="disk counters",
        protocol=Protocol.OPENMETRICS,
        addresses=[f"http://127.0.0.1:{first_port + len(arrays)}/disks"],
        options={"rules": DISK_RULES},
        every_minutes=FEED_MINUTES,
    )
    ensure_feed(
        name="objects",
        protocol=Protocol.S3,
        addresses=[f"http://127.0.0.1:{first_port + len(arrays) + 1}"],
        options={"account": "satellite", "site": "Skerry", "relist_hours": 1},
        every_minutes=60,
        user=STANDIN_USER,
        password=STANDIN_PASSWORD,
    )
    ensure_feed(
        name="records",
        protocol=Protocol.FILE,
        addresses=[],
        options={"folder": "records"},
        every_minutes=FEED_MINUTES,
    )
    ensure_feed(
        name="change desk",
        protocol=Protocol.PUSH,
        addresses=[],
        options={"of_others": ["events"]},
    )
    mapping, _ = Mapping.objects.update_or_create(
        name="project quotas",
        defaults={
            "kind": "project",
            "columns": QUOTA_COLUMNS,
            "header": QUOTA_SHEET.split("\n", 1)[0].split(";"),
            "decimal_comma": True,
            "made_at": datetime.now(UTC),
        },
    )
    ensure_feed(
        name="quota sheets",
        protocol=Protocol.TABLE,
        addresses=[],
        options={"folder": "quotas", "mapping_id": mapping.pk},
        every_minutes=FEED_MINUTES,
    )


def send_quotas() -> None:
    """Put a sheet into the folder that its feed watches; its tenants are known by now."""
    from keelmark.feeds.models import Feed
    from keelmark.feeds.services.schedule import queue_run

    sheet = inbox_folder() / "quotas" / "quotas.csv"
    sheet.write_text(QUOTA_SHEET, encoding="utf-8")
    queue_run(Feed.objects.get(name="quota sheets"))


def push_changes(*, person: str) -> None:
    """Send what the change desk did, as its own program would: documents with a key."""
    from keelmark.access.selectors import person_named
    from keelmark.estate.documents import EventDocument, Header, to_line
    from keelmark.estate.selectors import known_things
    from keelmark.feeds.models import Feed
    from keelmark.feeds.services.pushing import take_push

    moved = known_things().filter(kind="vm").order_by("name")[:5]
    now = datetime.now(UTC).replace(microsecond=0)
    lines = [Header(format="keelmark-estate", version=1, source="change desk")] + [
        EventDocument(
            uid=f"id.change/{now:%Y%m%d}/{number}",
            of_uid=vm.uid,
            at=now - timedelta(hours=3 + number),
            what="moved",
            by="m.terne",
        )
        for number, vm in enumerate(moved)
    ]
    take_push(
        actor=person_named(person),
        feed_id=Feed.objects.get(name="change desk").pk,
        key=f"changes of {now:%Y-%m-%d %H:%M:%S}",
        body=b"\n".join(to_line(line) for line in lines),
    )


def record_performance(*, size: str, anchor: str) -> None:
    """Have the hosts' recorder write the last two weeks of every disk; nobody waits for it."""
    path = inbox_folder() / "records" / f"disks-{utc_today().isoformat()}.parquet"
    if path.exists():
        return
    for before in path.parent.glob("disks-*.parquet"):
        before.unlink()
    subprocess.Popen(  # noqa: S603  # our own module
        ["/usr/bin/nice", sys.executable, "-m", "standins", "performance", "--size", size,
         "--anchor", anchor, "--out", str(path)],
        cwd=PROJECT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
    )  # fmt: skip
