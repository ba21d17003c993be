"""Daily measures beside the bytes that a thing holds: snapshots, tiers, CPU, memory, I/O."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

import numpy as np
from django.db import connection, transaction

from keelmark.core.days import EPOCH
from keelmark.estate.documents import (
    BucketDocument,
    MeasuresDocument,
    PoolDocument,
    Thing,
    VolumeDocument,
)
from keelmark.readings import sql
from keelmark.readings.models import Measure
from keelmark.readings.rows import DAY_US, microseconds, told_at_us

BATCH_ROWS = 50_000


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasureRow:
    """One amount of one day; days and µs count from 1970."""

    entity_id: int
    measure: Measure
    day: int
    amount: int
    read_at_us: int


def rows_of_measures(
    documents: Sequence[MeasuresDocument], *, ids: dict[str, int]
) -> list[MeasureRow]:
    """Return the days that measures documents tell; a null is no row."""
    rows = []
    for document in documents:
        first = (document.first_on - EPOCH).days
        days = np.arange(first, first + len(document.amounts), dtype=np.int64)
        read_at_us = told_at_us(days).tolist()
        rows += [
            MeasureRow(
                entity_id=ids[document.uid],
                measure=Measure(document.measure),
                day=day,
                amount=amount,
                read_at_us=read_at_us[day - first],
            )
            for day, amount in enumerate(document.amounts, start=first)
            if amount is not None
        ]
    return rows


def measures_carried(documents: Sequence[Thing], *, ids: dict[str, int]) -> list[MeasureRow]:
    """Return the measures that inventory documents carry."""
    rows = []
    for document in documents:
        at_us = microseconds(document.read_at)
        rows += [
            MeasureRow(
                entity_id=ids[document.uid],
                measure=measure,
                day=at_us // DAY_US,
                amount=amount,
                read_at_us=at_us,
            )
            for measure, amount in _told_by(document).items()
        ]
    return rows


def _told_by(document: Thing) -> dict[Measure, int]:
    match document:
        case PoolDocument() | VolumeDocument() if document.snapshot_bytes is not None:
            return {Measure.SNAPSHOTS: document.snapshot_bytes}
        case BucketDocument() if document.shares is not None:
            by_tier: dict[Measure, int] = defaultdict(int)
            for share in document.shares:
                by_tier[Measure(f"objects_{share.tier}")] += share.n_bytes
            return by_tier
    return {}


@transaction.atomic
def write_measures(rows: Sequence[MeasureRow]) -> int:
    """Write what sources told and return how many days are new or read otherwise than known.

    The youngest telling of a day stands, and any before what was only reckoned.
    """
    if not rows:
        return 0
    last = {(row.entity_id, row.measure, row.day): row for row in _by_age(rows)}
    chosen = sorted(last.values(), key=lambda row: (row.entity_id, row.measure, row.day))
    n_written = 0
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)
        for begin in range(0, len(chosen), BATCH_ROWS):
            batch = chosen[begin : begin + BATCH_ROWS]
            cursor.execute(
                sql.WRITE_MEASURES,
                {
                    "entity_ids": [row.entity_id for row in batch],
                    "measures": [str(row.measure) for row in batch],
                    "days": [EPOCH + timedelta(days=row.day) for row in batch],
                    "amounts": [row.amount for row in batch],
                    "read_at_us": [row.read_at_us for row in batch],
                },
            )
            n_written += cursor.rowcount
    return n_written


def _by_age(rows: Sequence[MeasureRow]) -> list[MeasureRow]:
    return sorted(rows, key=lambda row: row.read_at_us)
