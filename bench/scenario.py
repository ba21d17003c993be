"""A scenario of forty moves on the large estate: compiled, read at another day, its dates.

    python -m bench.scenario

Prints what compiling forty moves takes, reading the estate with them at a day to come, beside the
same day without them, the new dates of all that they touch, and four scenarios after another.
"""

import time
from collections.abc import Callable

import numpy as np

from bench.sizes import size
from keelmark.core.arrays import Int64s
from keelmark.core.estate.books import nearest_marks
from keelmark.core.estate.columns import NOWHERE, Amounts, Pairs, Table, Words
from keelmark.core.estate.estate import Estate, Outlooks
from keelmark.core.estate.kinds import KINDS
from keelmark.core.estate.reading import read
from keelmark.core.scenario.compiling import Compiled, Dated, compiled
from keelmark.core.scenario.moves import move_of
from keelmark.core.scenario.outcome import ended
from keelmark.core.scenario.plan import read_with
from keelmark.core.units import GIB, TIB
from tests.core.estates import TODAY
from tests.core.outlooks import make_outlook

N_DISKS = size(250_000, tiny=2_000)
N = {
    "site": 3, "array": 40, "pool": max(N_DISKS // 125, 40), "volume": N_DISKS // 40,
    "datastore": N_DISKS // 50, "cluster": 40, "host": 800, "tenant": 200, "project": 1_000,
    "vm": N_DISKS * 2 // 5, "disk": N_DISKS,
}  # fmt: skip
# By kind: (size, share that is used) of one.
BOOKS = {
    "pool": (400 * TIB, 0.6), "volume": (60 * TIB, 0.5), "datastore": (60 * TIB, 0.5),
    "disk": (TIB, 0.5),
}  # fmt: skip
N_MOVES = 40
ROUNDS = size(5, tiny=1)
DAY = TODAY + 120


def large_estate() -> Estate:
    """Everything of one size, linked evenly."""
    first, firsts = 1, {}
    for kind in KINDS:
        firsts[kind] = first
        first += N.get(kind, 0)
    tables = {kind: _table(kind, first=firsts[kind]) for kind in KINDS}
    stores, volumes = np.arange(N["datastore"]), np.arange(N["datastore"]) % N["volume"]
    nothing = Pairs(left=np.zeros(0, dtype=np.int64), right=np.zeros(0, dtype=np.int64))
    outlooks = {}
    for kind in BOOKS:
        used = tables[kind].amounts("used").values
        of = make_outlook(used.astype(np.float64), growth=0.0002 * used.mean(), spread=GIB)
        outlooks[kind] = Outlooks(of=of, as_of=np.full(N[kind], TODAY))
    return Estate(
        revision=1, day=TODAY, tables=tables,
        pairs={"extents": Pairs(left=stores, right=volumes), "backings": nothing,
               "replicas": nothing, "seen_by": _seen_by_its_cluster(tables)},
        marks={kind: nearest_marks(n=N.get(kind, 0)) for kind in KINDS}, outlooks=outlooks,
    )  # fmt: skip


def _seen_by_its_cluster(tables: dict[str, Table]) -> Pairs:
    """Every datastore beside all hosts of its cluster."""
    hosts = tables["host"].inverse("cluster")
    seeing = [hosts.of(cluster) for cluster in tables["datastore"].links["cluster"].tolist()]
    left = np.repeat(np.arange(len(seeing)), [len(one) for one in seeing])
    return Pairs(left=left, right=np.concatenate(seeing))


def _table(kind: str, *, first: int) -> Table:
    n = N.get(kind, 0)
    whole, share = BOOKS.get(kind, (0, 0.0))

    def told(amount: float) -> Amounts:
        return Amounts(
            values=np.full(n, int(amount), dtype=np.int64), is_known=np.ones(n, dtype=np.bool_)
        )

    unknown = Amounts(values=np.zeros(n, dtype=np.int64), is_known=np.zeros(n, dtype=np.bool_))
    columns: dict[str, Amounts | Words] = {"seen": told(0), "retired": unknown, "quota": unknown}
    if whole:
        columns |= {
            "size": told(whole), "used": told(whole * share), "promised": told(whole),
            "reserved": told(0), "early": unknown, "runway": unknown, "late": unknown,
        }  # fmt: skip
    if kind == "array":
        columns |= {"sustains": told(400_000), "free_ports": told(8)}
    if kind == "port":
        columns |= {"up": told(1), "speed": told(32e9)}
    if kind == "vm":
        columns |= {"cpus": told(8), "memory": told(32 * GIB)}
    if kind == "host":
        columns |= {"cpus": told(360), "memory": told(8 * TIB)}
    links: dict[str, Int64s] = {}
    for name, target in (*KINDS[kind].links, ("site", "site"), ("tenant", "tenant")):
        of = N.get(target, 0)
        links[name] = np.arange(n) % of if of else np.full(n, NOWHERE)
    return Table(
        kind=kind, ids=np.arange(first, first + n),
        names=tuple(f"{kind}-{at}" for at in range(n)), links=links, columns=columns,
    )  # fmt: skip


def forty_moves(estate: Estate) -> list[Dated]:
    """Intakes, migrations, reclaims and top-ups in turn."""
    ids = {kind: estate.table(kind).ids.tolist() for kind in N}
    disk = {"size_bytes": TIB, "written_percent": 40, "bytes_a_week": 7 * GIB}
    told = []
    for at in range(N_MOVES):
        pool, store = ids["pool"][at], ids["datastore"][at]
        kind, fields = (
            ("place", {"name": f"n{at}", "n_vms": 24, "disks": [disk, disk], "to": pool,
                       "cluster": ids["cluster"][at % 40]}),
            ("migrate", {"what": ids["vm"][at * 9 : at * 9 + 9], "to": store}),
            ("free", {"what": ids["vm"][1_000 + at * 5 : 1_005 + at * 5]
                      if len(ids["vm"]) > 2_000 else [ids["vm"][400 + at]]}),
            ("extend_pool", {"pool": pool, "added_bytes": 60 * TIB}),
        )[at % 4]  # fmt: skip
        told.append(Dated(number=at + 1, day=TODAY + 5 + at, move=move_of(kind, fields)))
    return told


def main() -> None:
    estate = large_estate()
    moves = forty_moves(estate)
    now = read(estate, day=TODAY)
    told, made = _timed(lambda: compiled(estate, moves))
    barred = sum(one.is_barred for one in told.told)
    print(f"{N}; {N_MOVES} moves, {len(told.plan.effects):,} effects, {barred} barred")
    print(f"  compiled: {made:.0f} ms (budget 200)")
    (ready, _), dated = _timed(lambda: ended(told, now=now))
    print(f"  new dates of all it touches: {dated:.0f} ms")
    _, plain = _timed(lambda: read(estate, day=DAY, quantile=0.9))
    _, took = _timed(lambda: read_with(ready.estate, ready.plan, day=DAY, quantile=0.9))
    print(f"  read with it at another day: {took:.0f} ms (budget 300), without {plain:.0f} ms")

    def four() -> list[Compiled]:
        return [
            ended(compiled(estate, moves[: 10 * n]), now=now)[0] for n in (1, 2, 3, 4)
        ]  # fmt: skip

    plans, first = _timed(four)
    _, again = _timed(
        lambda: [read_with(one.estate, one.plan, day=DAY, quantile=0.9) for one in plans]
    )
    print(f"  four compared: {first + again:.0f} ms at first, {again:.0f} ms at another day "
          "(budget 1,000)")  # fmt: skip


def _timed(work: Callable[[], object]) -> tuple:  # type: ignore[type-arg]
    took = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        told = work()
        took.append(1000 * (time.perf_counter() - begun))
    return told, float(np.median(took))


if __name__ == "__main__":
    main()
