"""Small estates of plain rows, and random ones, for tests of columns and siftings."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from hypothesis import strategies as st

from keelmark.core.estate.books import nearest_marks
from keelmark.core.estate.columns import (
    NOWHERE,
    Column,
    Pairs,
    Table,
    amounts,
    words,
)
from keelmark.core.estate.estate import Estate, Past, PastAmounts
from keelmark.core.estate.kinds import KINDS, PAIRS, Measure

Row = dict[str, Any]
TODAY = 20_000  # days since 1970
_PLAIN = ("seen", "retired", "quota", "reserved")


def make_estate(
    *, pairs: dict[str, Sequence[tuple[int, int]]] | None = None, **rows: Sequence[Row]
) -> Estate:
    """An estate of rows by kind; links and pairs name ids, and need not lead anywhere."""
    by_kind = {kind: sorted(rows.get(kind, ()), key=lambda row: row["id"]) for kind in KINDS}
    ids = {kind: [row["id"] for row in told] for kind, told in by_kind.items()}
    return Estate(
        revision=1,
        day=TODAY,
        tables={kind: _table(kind, told, ids=ids) for kind, told in by_kind.items()},
        pairs={
            name: _pairs((pairs or {}).get(name, ()), upper=ids[upper], lower=ids[lower])
            for name, (upper, lower) in PAIRS.items()
        },
        marks={kind: nearest_marks(n=len(told)) for kind, told in by_kind.items()},
    )


def _table(kind: str, told: list[Row], *, ids: dict[str, list[int]]) -> Table:
    columns: dict[str, Column] = {}
    for field in KINDS[kind].fields:
        if field.name not in ("name", "seen"):
            column = [row.get(field.name) for row in told]
            columns[field.name] = (
                words(column) if field.measure is Measure.TEXT else amounts(column)
            )
    for name in _PLAIN:
        without = {"seen": 0, "reserved": 0}.get(name)
        columns[name] = amounts([row.get(name, without) for row in told])
    return Table(
        kind=kind,
        ids=np.array(ids[kind], dtype=np.int64),
        names=tuple(row.get("name", f"{kind}-{row['id']}") for row in told),
        links={
            name: np.array([_at(row.get(name), among=ids[target]) for row in told], dtype=np.int64)
            for name, target in (*KINDS[kind].links, ("site", "site"), ("tenant", "tenant"))
        },
        columns=columns,
    )


def _at(entity_id: int | None, *, among: list[int]) -> int:
    return among.index(entity_id) if entity_id in among else NOWHERE


def _pairs(told: Sequence[tuple[int, int]], *, upper: list[int], lower: list[int]) -> Pairs:
    known = [
        (upper.index(a), lower.index(b))
        for a, b in dict.fromkeys(told) if a in upper and b in lower
    ]  # fmt: skip
    return Pairs(
        left=np.array([a for a, _ in known], dtype=np.int64),
        right=np.array([b for _, b in known], dtype=np.int64),
    )


def everything(estate: Estate) -> dict[str, np.ndarray]:
    """A reader who sees all."""
    return {kind: np.ones(len(table), dtype=np.bool_) for kind, table in estate.tables.items()}


def past_of(estate: Estate, *, day: int, **used: Sequence[int | None]) -> Past:
    """What was read by a day; kinds that are not named were not read."""
    told = {}
    for kind in ("pool", "volume", "datastore", "disk", "bucket"):
        n = len(estate.table(kind))
        nothing = amounts([None] * n)
        read = amounts(used[kind]) if kind in used else nothing
        told[kind] = PastAmounts(used=read, size=nothing, promised=nothing)
    return Past(day=day, amounts=told)


_SIZES = st.none() | st.integers(0, 2**55)


@st.composite
def estates(draw: st.DrawFn) -> Estate:
    """A few things of each kind that matters, linked at random, some ends loose."""
    counter = iter(range(1, 1000))

    def some(most: int, **columns: st.SearchStrategy[Any]) -> list[Row]:
        n = draw(st.integers(0, most))
        return [
            {"id": next(counter), **{name: draw(one) for name, one in columns.items()}}
            for _ in range(n)
        ]

    def one_of(rows: list[Row]) -> st.SearchStrategy[int | None]:
        return st.sampled_from([row["id"] for row in rows]) | st.none() if rows else st.none()

    site, tenant = some(2), some(2)
    array = some(3, site=one_of(site))
    pool = some(
        4, array=one_of(array), site=one_of(site), size=st.integers(0, 2**55), used=_SIZES,
        promised=_SIZES, **{"class": st.sampled_from(["Swift", "Deep", None])},
    )  # fmt: skip
    volume = some(5, pool=one_of(pool), size=st.integers(0, 2**55), used=_SIZES)
    cluster = some(2, site=one_of(site))
    host = some(2, cluster=one_of(cluster))
    store = some(4, cluster=one_of(cluster), size=_SIZES, used=_SIZES, promised=_SIZES)
    project = some(3, tenant=one_of(tenant), quota=_SIZES)
    vm = some(
        4, host=one_of(host), cluster=one_of(cluster), project=one_of(project),
        tenant=one_of(tenant), power=st.sampled_from(["on", "off"]),
        retired=st.none() | st.integers(TODAY - 50, TODAY - 1), seen=st.integers(0, TODAY),
    )  # fmt: skip
    disk = some(
        6, vm=one_of(vm), datastore=one_of(store), tenant=one_of(tenant),
        size=st.integers(0, 2**50), used=_SIZES,
    )  # fmt: skip
    links: dict[str, Sequence[tuple[int, int]]] = {
        "extents": _some_pairs(draw, store, volume),
        "backings": [],
    }
    return make_estate(
        pairs=links, site=site, tenant=tenant, array=array, pool=pool, volume=volume,
        cluster=cluster, host=host, datastore=store, project=project, vm=vm, disk=disk,
    )  # fmt: skip


def _some_pairs(draw: st.DrawFn, upper: list[Row], lower: list[Row]) -> list[tuple[int, int]]:
    if not upper or not lower:
        return []
    pair = st.tuples(
        st.sampled_from([row["id"] for row in upper]), st.sampled_from([row["id"] for row in lower])
    )
    return draw(st.lists(pair, max_size=6, unique=True))
