"""Promises at the large size: verdicts, tiers and lanes through the whole API.

    python -m bench.large 1 8 keep && python -m bench.promises [drop]

Works on the estate that bench.large kept: every VM is promised one of three policies, every disk
is in the tier that its policy names, and all of them were read in the last hour. Prints the first
read of each screen's part, before anything is in memory, and those that follow.
"""

import secrets
import sys
import time
from datetime import UTC, datetime, timedelta

import numpy as np

from bench.bearings import ROUNDS, asked, told
from bench.database import bench_database
from bench.sizes import size

STEP = timedelta(minutes=5)
N_STEPS = 9
STEPS_AT_ONCE = 3
DAYS = 7
N_KNOWN = size(10_000, tiny=5)  # disks with a history of busy hours
DAYS_KNOWN = 60
TIERS = (("Spring", 2_000, 8_000), ("Neap", 400, 1_500), ("Slack", 50, 300))
HARD = (
    ("survives", {"n_devices": 1}), ("backup", {"within_minutes": 2_880}),
    ("media", {"media": "ssd"}), ("encrypted", {"is_so": True}),
    ("provisioning", {"form": "thin"}), ("protocol", {"protocol": "block"}),
    ("sites", {"allowed": ["S0"], "forbidden": []}),
    ("overcommit", {"ceiling_percent": 150}), ("runway", {"least_days": 90}),
    ("snapshots", {"every_minutes": 1_440}),
)  # fmt: skip
READS = (
    ("policies with who keeps them", "/api/v1/compliance/policies"),
    ("verdicts of VMs, the worst", "/api/v1/compliance/verdicts/vm"),
    ("verdicts of VMs, met", "/api/v1/compliance/verdicts/vm?state=met"),
    ("tiers with who is held", "/api/v1/compliance/tiers"),
    ("lanes, the worst", "/api/v1/compliance/lanes"),
    ("lanes held", "/api/v1/compliance/lanes?state=held"),
    ("lanes by host", "/api/v1/compliance/lanes/by/host"),
    ("lanes by datastore", "/api/v1/compliance/lanes/by/datastore"),
    ("what volumes must offer", "/api/v1/compliance/offers/volume"),
    ("names nobody drew up", "/api/v1/compliance/names"),
    ("disks by verdict", "/api/v1/estate/rows/disk?scope=verdict:broken"),
    ("disks by how they are served", "/api/v1/estate/rows/disk?scope=io:held"),
    ("facets policy, tier, verdict", "/api/v1/estate/facets/disk?by=policy,tier,verdict"),
)  # fmt: skip


def main() -> None:
    with bench_database(is_kept="drop" not in sys.argv, is_fresh=False):
        _promise()
        _serve()
        _screens()
        _ahead()


def _promise() -> None:
    from django.contrib.auth.models import User

    from keelmark.access.models import Role
    from keelmark.access.services.people import ensure_person
    from keelmark.bearings.packs.building import build_revision
    from keelmark.compliance.models import Policy, Promise, Tier
    from keelmark.compliance.services.policies import Draft, draw_up
    from keelmark.compliance.services.tiers import TierDraft, draw_up_tier
    from keelmark.estate.models import Entity

    ensure_person(name="bench", password=secrets.token_urlsafe(), role=Role.PLANNER)
    actor = User.objects.get(username="bench")
    build_revision(now=datetime.now(UTC))
    if not Tier.objects.exists():
        for name, least, most in TIERS:
            draft = TierDraft(min_iops=least, max_iops=most, is_together=False, note="bench")
            draw_up_tier(actor=actor, name=name, draft=draft)
            rules = [{"kind": kind, "told": one} for kind, one in HARD]
            rules.append({"kind": "tier", "told": {"tier": name}})
            draw_up(actor=actor, name=f"as {name}", draft=Draft(rules=rules, note="bench"))
    if not Promise.objects.exists():
        policies = list(Policy.objects.order_by("pk"))
        vms = Entity.objects.filter(kind="vm").order_by("pk").values_list("pk", flat=True)
        Promise.objects.bulk_create(
            [
                Promise(
                    policy=policies[at % len(policies)], entity_id=pk, author=actor,
                    made_at=datetime.now(UTC) - timedelta(days=9),
                )
                for at, pk in enumerate(vms)
            ],
            batch_size=5_000,
        )  # fmt: skip
    print(f"{Promise.objects.count():,} promises of {len(HARD) + 1} rules each")


def _serve() -> None:
    """The last steps of every disk as a recorder sends them, and a week of days that are over."""
    from django.db import connection

    from keelmark.bearings.selectors.picture import newest_estate
    from keelmark.compliance.models import DayServed
    from keelmark.compliance.selectors.found import packed
    from keelmark.compliance.services.lately import pack_lately
    from keelmark.core.performance import PARTS, STEPS_A_DAY
    from keelmark.core.qos.found import Tally
    from keelmark.readings.rows import StepRows, microseconds
    from keelmark.readings.services import write_steps

    ids = np.sort(newest_estate().table("disk").ids)
    rng = np.random.default_rng(3)
    end = datetime.fromtimestamp(int(time.time()) // 300 * 300, tz=UTC)
    begun = time.perf_counter()
    level = rng.lognormal(4, 1.2, len(ids))
    for back in range(N_STEPS, 0, -STEPS_AT_ONCE):
        at_us = np.array(
            [microseconds(end - (back - n) * STEP) for n in range(STEPS_AT_ONCE)], dtype=np.int64
        )
        means = rng.gamma(4, 0.25, (len(PARTS), len(ids) * STEPS_AT_ONCE))
        means[:2] *= np.repeat(level, STEPS_AT_ONCE) / 2
        write_steps(
            StepRows(
                entity_id=np.repeat(ids, STEPS_AT_ONCE), at_us=np.tile(at_us, len(ids)),
                means=means,
            )
        )  # fmt: skip
    print(f"{len(ids) * N_STEPS:,} five-minute means in {time.perf_counter() - begun:.0f} s")
    for back in range(1, DAYS + 1):
        tally = Tally(
            n_read=np.full(len(ids), STEPS_A_DAY), n_held=rng.poisson(2, len(ids)),
            n_starved=rng.poisson(0.2, len(ids)), most_iops=level * rng.gamma(4, 0.5, len(ids)),
        )  # fmt: skip
        DayServed.objects.update_or_create(
            day=end.date() - timedelta(days=back),
            defaults={"made_at": end, "n_steps": 1, "content": packed(ids, tally)},
        )
    with connection.cursor() as cursor:
        cursor.execute("VACUUM ANALYZE")
    begun = time.perf_counter()
    pack_lately(now=datetime.now(UTC))
    print(f"the newest steps packed by a worker in {time.perf_counter() - begun:.1f} s")


def _screens() -> None:
    from django.contrib.auth.models import User
    from django.test import Client

    client = Client(HTTP_HOST="127.0.0.1")
    client.force_login(User.objects.get(username="bench"))
    print(f"{'main read of a screen':34} {'first':>7} {'p50':>6} {'p95':>6} ms (budget 150)")
    for name, path in READS:
        told(name, [asked(client, path) for _ in range(ROUNDS)])


def _ahead() -> None:
    """Who outgrows its tier, where the newest disks alone have a history of busy hours."""
    from keelmark.bearings.selectors.picture import newest_estate
    from keelmark.compliance.models import LookAhead
    from keelmark.compliance.services.outgrowing import look_ahead
    from keelmark.readings.models import Measure, MeasureReading

    ids = newest_estate().table("disk").ids[-N_KNOWN:].tolist()
    today = datetime.now(UTC).date()
    MeasureReading.objects.bulk_create(
        [
            MeasureReading(entity_id=pk, measure=Measure.IOPS, day=today - timedelta(days=back),
                           amount=1_000 - back, is_reckoned=True, read_at=datetime.now(UTC))
            for pk in ids
            for back in range(1, DAYS_KNOWN + 1)
        ],
        ignore_conflicts=True, batch_size=10_000,
    )  # fmt: skip
    LookAhead.objects.all().delete()
    begun = time.perf_counter()
    look_ahead(now=datetime.now(UTC))
    kept = LookAhead.objects.get()
    print(f"looked ahead for {kept.n_asked:,} disks, {kept.n_told:,} of them with a history, in "
          f"{time.perf_counter() - begun:.1f} s")  # fmt: skip


if __name__ == "__main__":
    main()
