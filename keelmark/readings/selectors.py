"""Reads series of daily readings as arrays."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
from django.db import connection
from django.db.models import Max

from keelmark.core.arrays import Float64s, Int64s
from keelmark.readings import sql
from keelmark.readings.binary import known_amounts
from keelmark.readings.models import Measure, MeasureReading


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Series:
    """Daily used (or promised) and capacity bytes, (n_series, n_days) float64, NaN where unread.

    Rows are in the order of ``entity_ids``; column 0 is ``first_on``. float64 is exact below
    8 PiB; the ledger never reads these.
    """

    entity_ids: Int64s
    first_on: date
    used_bytes: Float64s
    capacity_bytes: Float64s

    def on(self, column: int) -> date:
        """Return the date of a column."""
        return self.first_on + timedelta(days=column)

    def of_rows(self, rows: Int64s) -> "Series":
        """Return some of them."""
        return Series(
            entity_ids=self.entity_ids[rows],
            first_on=self.first_on,
            used_bytes=self.used_bytes[rows],
            capacity_bytes=self.capacity_bytes[rows],
        )


def series_of(
    entity_ids: list[int], *, first_on: date, last_on: date, amount: str = "used_bytes"
) -> Series:
    """Return the readings of entities that were found for their reader, both days included.

    The amount is used_bytes or provisioned_bytes.
    """
    n_days = (last_on - first_on).days + 1
    ids = np.array(sorted(entity_ids), dtype=np.int64)
    used = np.full((len(ids), n_days), np.nan)
    capacity = np.full((len(ids), n_days), np.nan)
    with connection.cursor() as cursor:
        cursor.execute(
            sql.READ_SERIES[amount],
            {"entity_ids": ids.tolist(), "first_on": first_on, "last_on": last_on},
        )
        table = cursor.fetchall()
    for row, (_, columns, used_bytes, capacity_bytes) in zip(
        np.searchsorted(ids, [entity_id for entity_id, *_ in table]), table, strict=True
    ):
        at = np.frombuffer(columns, dtype=">i4")
        used[row, at] = known_amounts(used_bytes)
        capacity[row, at] = known_amounts(capacity_bytes)
    return Series(entity_ids=ids, first_on=first_on, used_bytes=used, capacity_bytes=capacity)


@dataclass(frozen=True, slots=True, kw_only=True)
class Newest:
    """The newest amount of a measure and when it was read."""

    amount: int
    read_at: datetime


def newest_of(measure: Measure, *, entity_ids: list[int], since: date) -> dict[int, Newest]:
    """Return the newest amount of each entity that has one since a day."""
    with connection.cursor() as cursor:
        cursor.execute(
            sql.NEWEST_MEASURES,
            {"entity_ids": entity_ids, "measure": str(measure), "first_on": since},
        )
        return {
            entity_id: Newest(amount=amount, read_at=read_at)
            for entity_id, amount, read_at in cursor.fetchall()
        }


def measured(measure: Measure, *, entity_ids: list[int], first_on: date, last_on: date) -> Series:
    """Return a measure's days, both ends included, as a series whose amounts are its own."""
    ids = np.array(sorted(entity_ids), dtype=np.int64)
    amounts = np.full((len(ids), (last_on - first_on).days + 1), np.nan)
    with connection.cursor() as cursor:
        cursor.execute(
            sql.READ_MEASURES,
            {
                "entity_ids": ids.tolist(),
                "measure": str(measure),
                "first_on": first_on,
                "last_on": last_on,
            },
        )
        for entity_id, columns, told in cursor.fetchall():
            row = int(np.searchsorted(ids, entity_id))
            amounts[row, np.frombuffer(columns, dtype=">i4")] = np.frombuffer(told, dtype=">i8")
    return Series(
        entity_ids=ids,
        first_on=first_on,
        used_bytes=amounts,
        capacity_bytes=np.full(amounts.shape, np.nan),
    )


def most_of_days(entity_ids: Int64s, *, measure: Measure, since: date) -> dict[int, float]:
    """Return the most of a daily measure of each thing since a day."""
    told = MeasureReading.objects.filter(
        entity_id__in=entity_ids.tolist(), measure=measure, day__gte=since
    )
    return {
        one["entity_id"]: float(one["most"])
        for one in told.values("entity_id").annotate(most=Max("amount"))
    }
