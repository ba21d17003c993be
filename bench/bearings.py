"""The estate as columns at the large size: built, loaded, read at any day, sifted, listed.

    python -m bench.large 1 8 keep && python -m bench.bearings [drop]

Works on the estate that bench.large kept. Everything that fills is given an outlook first, so
that days to come are read as they are of a real one. Prints each time with the budget of the
design beside it, through the whole API where a screen reads it.
"""

import resource
import secrets
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import numpy as np

from bench.database import bench_database
from bench.sizes import size

ROUNDS = size(25, tiny=2)
KIB = 1024
# An outlook that grows a hundredth a month from what is there, its band widening.
GIVE_OUTLOOKS = """
INSERT INTO forecasts_keptforecast (entity_id, metric, kind, made_at, as_of, growth_per_day,
    unjudged_because, attention, attention_because, sort_on, last_amount, level, noise_variance,
    noise_memory, fan, ceiling, by_weekday, by_month_slot, findings, record, reason)
SELECT thing.id, 'used', thing.kind, now(), current_date, held / 3000, '', 'clear', '',
    current_date + 400, held, held, held * held * 1e-8, 0,
    (SELECT array_agg(held * (1 + step * share) ORDER BY share, knot)
     FROM unnest(ARRAY[0.5, 1, 1.6]) AS share,
          unnest(%(knots)s::float8[]) WITH ORDINALITY AS knots (days, knot),
          LATERAL (SELECT days / 3000 AS step) AS steps),
    NULL, '{}', '{}', '{}', '{}', '[]'
FROM estate_entity thing JOIN (
    SELECT entity_id, used_bytes::float8 AS held FROM estate_pool
    UNION ALL SELECT entity_id, used_bytes FROM estate_datastore
    UNION ALL SELECT entity_id, written_bytes FROM estate_volume
    UNION ALL SELECT entity_id, on_array_bytes FROM estate_virtualdisk
) AS books ON books.entity_id = thing.id
WHERE held IS NOT NULL
ON CONFLICT DO NOTHING
"""
SIFT = "vm.tenant:none size>=1GiB -thickness:thick"
READS = (
    ("strata, followed to a disk", "/api/v1/estate/strata"),
    ("strata by growth in 7 d", "/api/v1/estate/strata?height=grown&window=7"),
    ("list of pools", "/api/v1/estate/rows/pool?order=runway"),
    ("list of VMs, the largest", "/api/v1/estate/rows/vm?order=-used&columns=name,used,cluster"),
    ("list of disks, three terms", f"/api/v1/estate/rows/disk?scope={SIFT.replace('>', '%3E')}"),
    ("facets of VMs", "/api/v1/estate/facets/vm?by=power,cluster"),
    ("areas of VMs", "/api/v1/estate/area/vm?by=cluster,power"),
    ("coast", "/api/v1/estate/coast"),
    ("tide bar", "/api/v1/estate/tide"),
    ("completion", "/api/v1/estate/words?kind=vm&text=cluster:c-1"),
    ("jump", "/api/v1/estate/jump?text=vm-991"),
    ("jump, misspelt", "/api/v1/estate/jump?text=vvm-991x"),
)  # fmt: skip


def main() -> None:
    with bench_database(is_kept="drop" not in sys.argv, is_fresh=False):
        _outlooks()
        _revision()
        _readings()
        _screens()


def _outlooks() -> None:
    from django.db import connection

    from keelmark.core.forecast.mix import KNOTS_DAYS
    from keelmark.forecasts.models import KeptForecast

    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM forecasts_keptforecast WHERE metric = 'used'")
        cursor.execute(GIVE_OUTLOOKS, {"knots": list(KNOTS_DAYS)})
        cursor.execute("ANALYZE")
    print(f"{KeptForecast.objects.count():,} outlooks")


def _revision() -> None:
    from django.db.models import Sum
    from django.db.models.functions import Length

    from keelmark.bearings.models import Pack, Revision
    from keelmark.bearings.packs.building import build_revision
    from keelmark.bearings.selectors.picture import newest_estate

    Revision.objects.all().delete()
    before = _peak_mib()
    built = _timed(lambda: build_revision(now=datetime.now(UTC)))
    again = _timed(lambda: build_revision(now=datetime.now(UTC)))
    held = Pack.objects.aggregate(n=Sum(Length("content")))["n"] or 0
    print(f"revision built in {built:.1f} s, nothing changed {again:.1f} s, {held / 2**20:.0f} MiB")
    print(f"  peak of the process {before:.0f} -> {_peak_mib():.0f} MiB")
    loaded = _timed(newest_estate)
    estate = newest_estate()
    n = sum(len(table) for table in estate.tables.values())
    print(f"{n:,} things loaded in {loaded:.2f} s (budget about 1)")


def _readings() -> None:
    from keelmark.bearings.selectors.past import past_of
    from keelmark.bearings.selectors.picture import newest_estate
    from keelmark.core.estate.reading import read
    from keelmark.core.sift import parse, sifted

    estate = newest_estate()
    seen = {kind: np.ones(len(one), dtype=np.bool_) for kind, one in estate.tables.items()}
    now = _middle(lambda: read(estate, day=estate.day))
    likely = _middle(lambda: read(estate, day=estate.day + 90))
    bad = _middle(lambda: read(estate, day=estate.day + 91, quantile=0.9))
    first = _timed(lambda: past_of(estate, day=estate.day - 5))
    past = _middle(
        lambda: read(estate, day=estate.day - 5, past=past_of(estate, day=estate.day - 5))
    )
    reading, node = read(estate, day=estate.day), parse(SIFT)
    sift = _middle(lambda: sifted(reading, node=node, kind="disk", seen=seen))
    print(f"read now {now:.0f} ms, in 90 d {likely:.0f}, at the bad case {bad:.0f} (budget 300)")
    print(f"  a day that was: first {1000 * first:.0f} ms, packed {past:.0f} (budget 300)")
    print(f"sift of three terms over {len(estate.table('disk')):,} disks: {sift:.0f} ms")


def _screens() -> None:
    from django.test import Client

    from keelmark.access.models import Role
    from keelmark.access.services.people import ensure_person
    from keelmark.bearings.selectors.picture import newest_estate

    client = Client(HTTP_HOST="127.0.0.1")
    secret = secrets.token_urlsafe()
    client.force_login(ensure_person(name="bench", password=secret, role=Role.PLANNER))
    print(f"{'main read of a screen':34} {'first':>7} {'p50':>6} {'p95':>6} ms (budget 150)")
    for name, path in READS:
        told(name, [asked(client, path) for _ in range(ROUNDS)])
    today = datetime.now(UTC).date()
    took = []
    for back in range(1, ROUNDS + 1):
        q = "bad" if back % 2 else "likely"
        at = f"at={(today + timedelta(days=7 * back)).isoformat()}&q={q}"
        took.append(
            asked(client, f"/api/v1/estate/rows/vm?order=-used&{at}")
            + asked(client, f"/api/v1/estate/facets/vm?by=power,cluster&{at}")
        )
    told("another day: totals, list, facets", took)
    table = newest_estate().table("pool")
    told("a pool with all around it", [
        asked(client, f"/api/v1/estate/things/{pk}") for pk in table.ids[:ROUNDS].tolist()
    ])  # fmt: skip
    print(f"peak of the process {_peak_mib():.0f} MiB")


def told(name: str, took: list[float]) -> None:
    rest = sorted(took[1:]) or took
    p95 = rest[min(len(rest) - 1, int(0.95 * len(rest)))]
    print(f"{name:34} {took[0]:7.0f} {rest[len(rest) // 2]:6.0f} {p95:6.0f}")


def asked(client: object, path: str) -> float:
    begun = time.perf_counter()
    answer = client.get(path)  # type: ignore[attr-defined]  # Django's, imported late
    took = 1000 * (time.perf_counter() - begun)
    if answer.status_code != 200:
        sys.exit(f"{path}: {answer.status_code} {answer.content[:200]!r}")
    return took


def _timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _middle(work: Callable[[], object]) -> float:
    return 1000 * float(np.median([_timed(work) for _ in range(max(3, ROUNDS // 5))]))


def _peak_mib() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / KIB


if __name__ == "__main__":
    main()
