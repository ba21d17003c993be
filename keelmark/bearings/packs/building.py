"""Builds a revision: the estate as it stands, as columns, kept in the database."""

from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
import structlog
from django.db import connection, transaction
from django.db.models import CharField
from django.db.models.functions import Cast

from keelmark.bearings.models import Pack, Revision
from keelmark.bearings.packs.packing import OUTLOOK, PAIR, digest_of, packed
from keelmark.bearings.packs.sources import (
    LAYOUT,
    PAIR_SOURCES,
    SOURCES,
    Rows,
    column_names,
    pairs_of,
    rows_of,
)
from keelmark.core.estate.kinds import KINDS, Measure
from keelmark.forecasts.models import KeptForecast, Metric
from keelmark.readings.columnar import Told, Types, columns_told

log = structlog.get_logger()
PACKS_AT_ONCE = 8  # some are tens of megabytes
KEPT_REVISIONS = 3  # a process may still read the one before while it loads the newest
TAKE_TURN = "SELECT pg_advisory_xact_lock(hashtext('keelmark.bearings'))"  # one build at once
_LISTS = ("fan", "by_weekday", "by_month_slot")
_DATES = tuple(
    f"{mark}_{which}_on" for mark in ("caution", "limit") for which in ("early", "likely", "late")
)
_NUMBERS = (
    "growth_per_day", "last_amount", "level", "noise_variance", "ceiling",
)  # fmt: skip


@transaction.atomic
def build_revision(*, now: datetime) -> Revision | None:
    """Keep the estate as it stands as a new revision; None where nothing is otherwise.

    Tables that did not change keep their packs.
    """
    with connection.cursor() as cursor:
        cursor.execute(TAKE_TURN)
    tables = {kind: _rows(kind).told() for kind in SOURCES}
    tables |= {f"{PAIR}.{name}": _pairs(name).told() for name in PAIR_SOURCES}
    tables |= {f"{kind}.{OUTLOOK}": _outlooks(kind) for kind in SOURCES}
    packs = _kept(tables, now=now)
    before = Revision.objects.first()
    if (
        before is not None
        and (before.day, before.layout) == (now.date(), LAYOUT)
        and set(before.packs.values_list("pk", flat=True)) == packs
    ):
        return None
    revision = Revision.objects.create(made_at=now, day=now.date(), layout=LAYOUT)
    revision.packs.set(packs)
    old = Revision.objects.values_list("pk", flat=True)[KEPT_REVISIONS:]
    Revision.objects.filter(pk__in=list(old)).delete()
    Pack.objects.filter(revisions=None).delete()
    log.info(
        "revision_built", revision_id=revision.pk, n_rows=sum(len(one) for one in tables.values())
    )
    return revision


def _kept(tables: dict[str, pa.Table], *, now: datetime) -> set[int]:
    """The packs of all tables; what is kept already is not read again."""
    told = {}
    for name, table in tables.items():
        content = packed(table)
        told[digest_of(content, name=name)] = name, content
    has = set(Pack.objects.filter(digest__in=told).values_list("digest", flat=True))
    Pack.objects.bulk_create(
        (
            Pack(digest=digest, kind=name, made_at=now, content=content)
            for digest, (name, content) in told.items()
            if digest not in has
        ),
        batch_size=PACKS_AT_ONCE,
    )
    return set(Pack.objects.filter(digest__in=told).values_list("pk", flat=True))


@dataclass(frozen=True, slots=True, kw_only=True)
class _Asked:
    """A statement that is the same at every build, and the types of its columns."""

    sql: str
    params: tuple[object, ...]
    types: Types

    def told(self) -> pa.Table:
        return columns_told(self.sql, params=self.params, types=self.types)


def _asked(query: Rows, *, types: Types) -> _Asked:
    sql, params = query.query.sql_with_params()
    return _Asked(sql=sql, params=params, types=types)


@cache
def _rows(kind: str) -> _Asked:
    query = rows_of(kind)
    return _asked(query, types={name: _type(kind, name) for name in column_names(query)})


@cache
def _pairs(name: str) -> _Asked:
    return _asked(pairs_of(name), types={"left": pa.int64(), "right": pa.int64()})


def _type(kind: str, name: str) -> Any:  # Any: a type of Arrow
    if name == "named":
        return pa.string()
    if name in ("seen", "retired", "read"):
        return pa.date32()
    if not name.startswith("its_"):
        return pa.int64()
    field = KINDS[kind].field(name.removeprefix("its_"))
    if field is None:
        return pa.int64()
    return _TYPES.get(field.measure, pa.int64())


_TYPES = {
    Measure.TEXT: pa.string(),
    Measure.FLAG: pa.bool_(),
    Measure.SINCE: pa.date32(),
    Measure.UNTIL: pa.date32(),
}


@cache
def _futures(kind: str) -> _Asked:
    types: Types = {
        "id": pa.int64(), "attention": pa.string(), "as_of": pa.date32(),
        "noise_memory": pa.int64(),
        **dict.fromkeys(_DATES, pa.date32()), **dict.fromkeys(_NUMBERS, pa.float64()),
        **dict.fromkeys(_LISTS, pa.string()),
    }  # fmt: skip
    paths = [f"c_{n}" if n in _LISTS else "entity_id" if n == "id" else n for n in types]
    query = (
        KeptForecast.objects.filter(kind=kind, metric=Metric.USED)
        .annotate(**{f"c_{name}": Cast(name, CharField()) for name in _LISTS})
        .order_by("entity_id")
        .values_list(*paths)
    )
    return _asked(query, types=types)


def _outlooks(kind: str) -> pa.Table:
    """What is kept of the futures of a kind's used bytes, and how each stands."""
    table = _futures(kind).told()
    for name in _LISTS:
        at = table.column_names.index(name)
        table = table.set_column(at, name, _numbers(table.column(name)))
    return table


def _numbers(told: Told) -> "pa.Array[Any]":
    """Lists of numbers of what the database writes as text: {1,2}."""
    if len(told) == 0:
        return pa.array([], type=pa.list_(pa.float64()))
    bare = pc.utf8_trim(told.combine_chunks(), characters="{}")
    parts = pc.split_pattern(bare, ",")
    values = parts.flatten()
    is_empty = pc.equal(values, pa.scalar(""))
    numbers = pc.if_else(is_empty, None, values).cast(pa.float64())
    return pa.ListArray.from_arrays(parts.offsets, numbers)
