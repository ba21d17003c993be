"""Builds a revision: the estate as it stands, as columns, kept in the database."""

from datetime import datetime
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
import structlog
from django.db import connection, transaction
from django.db.models import CharField, QuerySet
from django.db.models.functions import Cast

from keelmark.bearings.models import Pack, Revision
from keelmark.bearings.packs.packing import OUTLOOK, PAIR, digest_of, packed
from keelmark.bearings.packs.sources import (
    LAYOUT,
    PAIR_SOURCES,
    SOURCES,
    column_names,
    pairs_of,
    rows_of,
)
from keelmark.core.estate.kinds import KINDS, Measure
from keelmark.forecasts.models import KeptForecast, Metric
from keelmark.readings.columnar import Told, Types, columns_of

log = structlog.get_logger()
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
    tables = {kind: _table_of(kind) for kind in SOURCES}
    tables |= {f"{PAIR}.{name}": _pairs(name) for name in PAIR_SOURCES}
    tables |= {f"{kind}.{OUTLOOK}": _outlooks(kind) for kind in SOURCES}
    packs = [_kept(name, table=table, now=now) for name, table in tables.items()]
    before = Revision.objects.first()
    if (
        before is not None
        and (before.day, before.layout) == (now.date(), LAYOUT)
        and set(before.packs.values_list("pk", flat=True)) == {pack.pk for pack in packs}
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


def _kept(name: str, *, table: pa.Table, now: datetime) -> Pack:
    content = packed(table)
    digest = digest_of(content, name=name)
    pack, _ = Pack.objects.get_or_create(
        digest=digest, defaults={"kind": name, "made_at": now, "content": content}
    )
    return pack


def _table_of(kind: str) -> pa.Table:
    query = rows_of(kind)
    return columns_of(query, types={name: _type(kind, name) for name in column_names(query)})


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


def _pairs(name: str) -> pa.Table:
    return columns_of(pairs_of(name), types={"left": pa.int64(), "right": pa.int64()})


def _outlooks(kind: str) -> pa.Table:
    """What is kept of the futures of a kind's used bytes, and how each stands."""
    types: Types = {
        "id": pa.int64(), "attention": pa.string(), "as_of": pa.date32(),
        "noise_memory": pa.int64(),
        **dict.fromkeys(_DATES, pa.date32()), **dict.fromkeys(_NUMBERS, pa.float64()),
        **dict.fromkeys(_LISTS, pa.string()),
    }  # fmt: skip
    table = columns_of(_forecasts(kind, names=list(types)), types=types)
    for name in _LISTS:
        at = table.column_names.index(name)
        table = table.set_column(at, name, _numbers(table.column(name)))
    return table


def _forecasts(kind: str, *, names: list[str]) -> "QuerySet[KeptForecast, tuple[object, ...]]":
    paths = [f"c_{n}" if n in _LISTS else "entity_id" if n == "id" else n for n in names]
    return (
        KeptForecast.objects.filter(kind=kind, metric=Metric.USED)
        .annotate(**{f"c_{name}": Cast(name, CharField()) for name in _LISTS})
        .order_by("entity_id")
        .values_list(*paths)
    )


def _numbers(told: Told) -> "pa.Array[Any]":
    """Lists of numbers of what the database writes as text: {1,2}."""
    bare = pc.utf8_trim(told.combine_chunks(), characters="{}")
    parts = pc.split_pattern(bare, ",")
    values = parts.flatten()
    is_empty = pc.equal(values, pa.scalar(""))
    numbers = pc.if_else(is_empty, None, values).cast(pa.float64())
    return pa.ListArray.from_arrays(parts.offsets, numbers)
