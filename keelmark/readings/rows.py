"""Daily readings and five-minute means as columns, on their way into the database."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from datetime import UTC, date, datetime, time

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s, numbers
from keelmark.core.days import EPOCH
from keelmark.estate.documents import (
    BucketDocument,
    DatastoreDocument,
    PerformanceDocument,
    PoolDocument,
    ReadingsDocument,
    Thing,
    VirtualDiskDocument,
    VolumeDocument,
)
from keelmark.readings.binary import UNKNOWN, Column, amounts, days, moments, reals
from keelmark.readings.errors import RaggedReadingsError

DAY_US = 86_400_000_000
END_OF_DAY_US = DAY_US - 1_000_000  # a daily reading without a time stands for the day's end
STEP_US = 300_000_000
BYTES = (
    "used_bytes", "provisioned_bytes", "capacity_bytes", "inside_bytes", "unshared_bytes",
)  # fmt: skip
MEANS = (
    "read_iops", "write_iops", "read_bytes_per_second", "write_bytes_per_second", "latency_ms",
    "array_latency_ms", "network_latency_ms", "queue_latency_ms", "qos_latency_ms",
    "read_latency_ms", "write_latency_ms",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class DailyRows:
    """Rows of daily readings, every array (n_rows,) int64; days and µs count from 1970.

    An amount of UNKNOWN (−1) is one that was not read.
    """

    entity_id: Int64s
    day: Int64s
    used_bytes: Int64s
    provisioned_bytes: Int64s
    capacity_bytes: Int64s
    inside_bytes: Int64s
    unshared_bytes: Int64s
    datastore_id: Int64s
    read_at_us: Int64s

    def __len__(self) -> int:
        """Return the number of rows."""
        return len(self.entity_id)

    def taken(self, rows: Int64s | Bools) -> "DailyRows":
        """Return the chosen rows."""
        return DailyRows(**{f.name: getattr(self, f.name)[rows] for f in fields(self)})

    def columns(self) -> list[Column]:
        """Return the columns in the order of sql.DAILY_COLUMNS."""
        return [
            Column(values=self.entity_id, wire=">i8"),
            days(self.day),
            *(amounts(getattr(self, name)) for name in BYTES),
            amounts(self.datastore_id),
            moments(self.read_at_us),
        ]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class StepRows:
    """Rows of five-minute means: (n_rows,) int64 keys, (n_means, n_rows) float64, NaN unread."""

    entity_id: Int64s
    at_us: Int64s
    means: Float64s

    def __len__(self) -> int:
        """Return the number of rows."""
        return len(self.entity_id)

    def taken(self, rows: Int64s | Bools) -> "StepRows":
        """Return the chosen rows."""
        return StepRows(
            entity_id=self.entity_id[rows], at_us=self.at_us[rows], means=self.means[:, rows]
        )

    def columns(self) -> list[Column]:
        """Return the columns in the order of sql.STEP_COLUMNS."""
        return [
            Column(values=self.entity_id, wire=">i8"),
            moments(self.at_us),
            *(reals(mean) for mean in self.means),
        ]


def daily_rows(*, entity_id: Int64s, day: Int64s, read_at_us: Int64s, **known: Int64s) -> DailyRows:
    """Return rows in which what is not given is unknown."""
    unknown = np.full(len(entity_id), UNKNOWN, dtype=np.int64)
    named = {name: known.get(name, unknown) for name in (*BYTES, "datastore_id")}
    return DailyRows(entity_id=entity_id, day=day, read_at_us=read_at_us, **named)


def rows_of_readings(documents: list[ReadingsDocument], *, ids: dict[str, int]) -> DailyRows:
    """Return the rows of readings documents; raise RaggedReadingsError on unequal columns."""
    return end_to_end([_rows_of_one(d, entity_id=ids[d.uid]) for d in documents])


def end_to_end(parts: Sequence[DailyRows]) -> DailyRows:
    """Return the rows of all parts; of equals in time the later part's stand."""
    return DailyRows(
        **{
            f.name: np.concatenate([getattr(part, f.name) for part in parts])
            for f in fields(DailyRows)
        }
    )


def _rows_of_one(document: ReadingsDocument, *, entity_id: int) -> DailyRows:
    n_days = len(document.used_bytes)
    told = {name: getattr(document, name) for name in BYTES}
    for name, column in told.items():
        if column is not None and len(column) != n_days:
            raise RaggedReadingsError(
                uid=document.uid, column=name, n_wanted=n_days, n_found=len(column)
            )
    read = np.array([used is not None for used in document.used_bytes], dtype=np.bool_)
    first = (document.first_on - EPOCH).days
    day = (first + np.flatnonzero(read)).astype(np.int64)
    return daily_rows(
        entity_id=np.full(len(day), entity_id, dtype=np.int64),
        day=day,
        read_at_us=told_at_us(day),
        **{name: nullable(column)[read] for name, column in told.items() if column is not None},
    )


def told_at_us(day: Int64s) -> Int64s:
    """Return when readings without a time count as read: at the end of their day.

    Of a day that goes on at its beginning, since it must not silence what is read later on it.
    """
    is_over = (day + 1) * DAY_US <= microseconds(datetime.now(UTC))
    return np.where(is_over, day * DAY_US + END_OF_DAY_US, day * DAY_US)


def nullable(known: Sequence[int | None]) -> Int64s:
    """Return amounts with UNKNOWN where there are none."""
    return np.array([UNKNOWN if amount is None else amount for amount in known], dtype=np.int64)


def rows_of_inventory(documents: Sequence[Thing], *, ids: dict[str, int]) -> DailyRows:
    """Return the readings that inventory documents carry; without any bytes, none."""
    told = [(ids[d.uid], microseconds(d.read_at), _books_of(d)) for d in documents]
    known = [one for one in told if any(one[2].get(name) is not None for name in CARRIED)]
    read_at_us = np.array([at for _, at, _ in known], dtype=np.int64)
    columns = {name: nullable([_amount(books, name) for *_, books in known]) for name in BYTES}
    stores = [ids.get(str(books.get("datastore_uid"))) for *_, books in known]
    return daily_rows(
        entity_id=np.array([pk for pk, *_ in known], dtype=np.int64),
        day=read_at_us // DAY_US,
        read_at_us=read_at_us,
        datastore_id=nullable(stores),
        **columns,
    )


CARRIED = ("used_bytes", "inside_bytes")
Books = dict[str, int | str | None]


def _amount(books: Books, name: str) -> int | None:
    told = books.get(name)
    return told if isinstance(told, int) else None


def _books_of(document: Thing) -> Books:
    """What one document says of its thing's bytes."""
    match document:
        case PoolDocument():
            return {
                "used_bytes": document.used_bytes,
                "provisioned_bytes": document.provisioned_bytes,
                "capacity_bytes": document.usable_bytes,
            }
        case VolumeDocument():
            return _sized(document.written_bytes, size_bytes=document.size_bytes)
        case DatastoreDocument():
            return {
                "used_bytes": document.used_bytes,
                "provisioned_bytes": document.provisioned_bytes,
                "capacity_bytes": document.size_bytes,
            }
        case VirtualDiskDocument():
            return _sized(document.on_array_bytes, size_bytes=document.size_bytes) | {
                "inside_bytes": document.inside_bytes,
                "unshared_bytes": document.unshared_bytes,
                "datastore_uid": document.datastore_uid,
            }
        case BucketDocument():
            return {"used_bytes": document.used_bytes}
    return {}


def _sized(used_bytes: int | None, *, size_bytes: int) -> Books:
    return {
        "used_bytes": used_bytes,
        "provisioned_bytes": size_bytes,
        "capacity_bytes": size_bytes,
    }


def rows_of_performance(
    documents: Sequence[PerformanceDocument], *, ids: dict[str, int]
) -> StepRows:
    """Return the five-minute means of performance documents, each at its step's beginning."""
    entity, at, means = [], [], []
    for document in documents:
        n_steps = len(document.read_iops)
        first = microseconds(document.first_at) // STEP_US * STEP_US
        entity.append(np.full(n_steps, ids[document.uid], dtype=np.int64))
        at.append(first + np.arange(n_steps, dtype=np.int64) * STEP_US)
        means.append(np.array([_floats(getattr(document, m), n=n_steps) for m in MEANS]))
    rows = StepRows(
        entity_id=np.concatenate(entity),
        at_us=np.concatenate(at),
        means=np.concatenate(means, axis=1),
    )
    is_read: Bools = np.asarray(~np.isnan(rows.means).all(axis=0))
    return rows.taken(is_read)


def _floats(told: list[float | None] | None, *, n: int) -> Float64s:
    if told is None:
        return np.full(n, np.nan)
    return numbers(told)


def last_of_each(rows: DailyRows) -> DailyRows:
    """One row an entity and day: the youngest; rows come out in key order."""
    order = np.lexsort((rows.read_at_us, rows.day, rows.entity_id))
    ordered = rows.taken(order)
    is_last = np.ones(len(ordered), dtype=np.bool_)
    is_last[:-1] = (ordered.entity_id[1:] != ordered.entity_id[:-1]) | (
        ordered.day[1:] != ordered.day[:-1]
    )
    return ordered.taken(is_last)


def date_of(day: int) -> date:
    """Return the date of a day since 1970."""
    return date.fromordinal(EPOCH.toordinal() + day)


def microseconds(moment: datetime) -> int:
    """Return microseconds since 1970."""
    since = moment.astimezone(UTC) - datetime.combine(EPOCH, time(), tzinfo=UTC)
    return (since.days * 86_400 + since.seconds) * 1_000_000 + since.microseconds
