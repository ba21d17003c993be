"""Takes five-minute means as a table: Parquet, a row a thing and day, a list a part.

Columns: `uid`, `day`, and any of the parts (`read_iops`, `latency_ms` …) as a list of up to 288
numbers, null where a step was not read. A day that is over is kept packed, as it comes.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pa_parquet
from django.db import transaction

from keelmark.core.arrays import Bools, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.estate.models import Alias
from keelmark.feeds.errors import EstateFileError
from keelmark.feeds.held import keep
from keelmark.feeds.models import Run, RunState
from keelmark.readings.partitions import first_step_on
from keelmark.readings.performance.coding import Steps
from keelmark.readings.performance.packing import take_packed
from keelmark.readings.rows import DAY_US, STEP_US, StepRows
from keelmark.readings.services import write_steps

KEYS = ("uid", "day")
ROWS_AT_ONCE = 500
MAX_PROBLEMS_KEPT = 200
N_TOLD = 5
LARGEST = 1e15


@dataclass(slots=True)
class _Account:
    """What was read, written and left out."""

    n_rows: int = 0
    n_readings: int = 0
    problems: list[str] = field(default_factory=list)
    unknown: set[str] = field(default_factory=set)
    n_past: int = 0

    def warnings(self) -> list[str]:
        told = self.problems[:MAX_PROBLEMS_KEPT]
        if len(self.problems) > MAX_PROBLEMS_KEPT:
            told.append(f"… and {len(self.problems) - MAX_PROBLEMS_KEPT} more bad rows")
        if self.n_past:
            told.append(f"{self.n_past} rows of days before the first that is kept were left out.")
        if self.unknown:
            names = ", ".join(sorted(self.unknown)[:N_TOLD])
            more = " …" if len(self.unknown) > N_TOLD else ""
            told.append(
                f"{len(self.unknown)} things that no feed had told of were left out: {names}{more}"
            )
        return told


def import_performance(path: Path, *, run: Run) -> Run:
    """Import a file; a bad row is told and left out, nothing else is lost by it.

    Each part of the file is written whole or not at all, and once however often it comes.
    Raise EstateFileError where it is no such table.
    """
    account = _Account()
    with _opened(path) as stored:
        n_rows = stored.metadata.num_rows
        for batch in _batches(stored):
            with transaction.atomic():
                _take(batch, account=account)
                account.n_rows += batch.num_rows
                run.n_read, run.n_readings = account.n_rows, account.n_readings
                run.bytes_done = (run.bytes_total or 0) * account.n_rows // max(n_rows, 1)
                run.warnings = account.warnings()
                keep(run, "n_read", "n_readings", "bytes_done", "warnings")
    run.state, run.ended_at = RunState.DONE, datetime.now(UTC)
    keep(run, "state", "ended_at")
    return run


def _opened(path: Path) -> pa_parquet.ParquetFile:
    try:
        stored = pa_parquet.ParquetFile(path)
    except (pa.ArrowException, OSError) as exc:
        raise EstateFileError(file=path.name, why="it is no Parquet file that can be read") from exc
    schema = stored.schema_arrow
    names = schema.names
    missing = [name for name in KEYS if name not in names]
    odd = [name for name in names if name not in (*KEYS, *PARTS)]
    if missing or odd or len(names) == len(KEYS):
        stored.close()
        told = f"it lacks {missing[0]}" if missing else (
            f"it has a column {odd[0]}, which nothing has" if odd else "it has no part of any"
        )  # fmt: skip
        raise EstateFileError(
            file=path.name, why=f"{told}; wanted are uid, day, {', '.join(PARTS)}"
        )
    for name in PARTS:
        if name in names and not _is_numbers(schema.field(name).type):
            stored.close()
            raise EstateFileError(file=path.name, why=f"its column {name} is no list of numbers")
    return stored


def _is_numbers(kind: Any) -> bool:  # Any: a type of Arrow
    is_list = pa.types.is_list(kind) or pa.types.is_large_list(kind)
    return is_list and (
        pa.types.is_floating(kind.value_type) or pa.types.is_integer(kind.value_type)
    )


def _batches(stored: pa_parquet.ParquetFile) -> Iterator[pa.RecordBatch]:
    # Group by group: asked for all at once, all of them would be decoded ahead.
    for group in range(stored.num_row_groups):
        yield from stored.iter_batches(ROWS_AT_ONCE, row_groups=[group], use_threads=False)


def _take(batch: pa.RecordBatch, *, account: _Account) -> None:
    uids = batch.column("uid").cast(pa.string()).to_pylist()
    on: list[date | None] = batch.column("day").cast(pa.date32()).to_pylist()
    ids = dict(
        Alias.objects.filter(uid__in={uid for uid in uids if uid}).values_list("uid", "entity_id")
    )
    steps, is_good = _steps(batch, account=account)
    account.unknown |= {uid for uid in uids if uid and uid not in ids}
    today = datetime.now(UTC).date()
    first_on = first_step_on(today)
    by_day: dict[date, list[int]] = {}
    for row, (uid, day) in enumerate(zip(uids, on, strict=True)):
        if not uid or day is None or day > today:
            fault = "no uid" if not uid else "no day" if day is None else f"{day} is not over yet"
            account.problems.append(f"row {account.n_rows + row + 1}: {fault}")
        elif day < first_on:
            account.n_past += 1
        elif is_good[row] and uid in ids:
            by_day.setdefault(day, []).append(row)
    for day, rows in by_day.items():
        at = {ids[str(uids[row])]: row for row in rows}  # of one told twice the last stands
        order = np.array(sorted(at), dtype=np.int64)
        told = steps[[at[pk] for pk in order.tolist()]]
        write = _write_rows if day == today else take_packed
        write(day, ids=order, steps=told)
        account.n_readings += int((~np.isnan(told)).any(axis=1).sum())


def _steps(batch: pa.RecordBatch, *, account: _Account) -> tuple[Steps, Bools]:
    """All steps (n_rows, n_parts, 288), and which rows can be used."""
    steps = np.full((batch.num_rows, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
    is_good = np.ones(batch.num_rows, dtype=np.bool_)
    for part, name in enumerate(PARTS):
        if name not in batch.schema.names:
            continue
        lists: Any = batch.column(name)  # Any: lists of whatever numbers, to its stubs
        lengths = lists.value_lengths().fill_null(0).to_numpy()
        values = lists.flatten().cast(pa.float64()).to_numpy(zero_copy_only=False)
        row = np.repeat(np.arange(batch.num_rows), lengths)
        at = np.arange(len(values)) - np.repeat(np.cumsum(lengths) - lengths, lengths)
        is_odd = (values < 0) | (values > LARGEST) | (at >= STEPS_A_DAY)
        for bad in np.unique(row[is_odd]).tolist():
            why = "more than 288 steps" if lengths[bad] > STEPS_A_DAY else "an amount out of range"
            account.problems.append(f"row {account.n_rows + bad + 1}, {name}: {why}")
            is_good[bad] = False
        is_fine = ~is_odd
        steps[row[is_fine], part, at[is_fine]] = values[is_fine]
    return steps, is_good


def _write_rows(day: date, *, ids: Int64s, steps: Steps) -> int:
    """A day that goes on is kept in rows, as what comes step by step is."""
    thing, at = np.nonzero((~np.isnan(steps)).any(axis=1))
    begin = (day - EPOCH).days * DAY_US
    return write_steps(
        StepRows(
            entity_id=ids[thing],
            at_us=begin + at.astype(np.int64) * STEP_US,
            means=steps[thing, :, at].T.astype(np.float64),
        )
    )
