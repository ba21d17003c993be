"""Writes what the hosts recorded of their disks: a row a disk and day, as Parquet."""

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pa_parquet

from standins.demand import STEPS_A_DAY, Demand, Floats
from standins.estate import DAY_SECONDS, Estate

DAYS = 13  # before today
GROUP_ROWS = 1000
DIGITS = 3  # as a recorder writes them


def write_performance(estate: Estate, *, path: Path, now: datetime) -> int:
    """Write the last days and today up to now; return how many rows."""
    demand = Demand(estate)
    today = int(np.floor(estate.day_of(now))) + 1  # of the day that goes on
    n_today = int(estate.day_of(now) % 1 * DAY_SECONDS) // 300
    n_rows, unfinished = 0, path.with_suffix(".part")
    with pa_parquet.ParquetWriter(unfinished, _SCHEMA, compression="zstd") as file:
        for day in range(today - DAYS, today + 1):
            n_steps = n_today if day == today else STEPS_A_DAY
            for table in _tables(demand, day=day, n_steps=n_steps):
                file.write_table(table)
                n_rows += table.num_rows
    unfinished.rename(path)  # whole or not there
    return n_rows


_PARTS = (
    "read_iops", "write_iops", "read_bytes_per_second", "write_bytes_per_second", "latency_ms",
    "array_latency_ms", "network_latency_ms", "queue_latency_ms", "qos_latency_ms",
    "read_latency_ms", "write_latency_ms",
)  # fmt: skip
_TYPES: dict[str, Any] = {  # Any: types of Arrow have no base that their stubs know
    "uid": pa.string(), "day": pa.date32(), **dict.fromkeys(_PARTS, pa.list_(pa.float32())),
}  # fmt: skip
_SCHEMA = pa.schema(_TYPES)


def _tables(demand: Demand, *, day: int, n_steps: int) -> Iterator[pa.Table]:
    steps = demand.day(day)
    read_bytes, write_bytes = demand.sizes
    waits = (steps.array_ms, steps.network_ms, steps.queue_ms, steps.qos_ms)
    parts = (
        steps.reads, steps.writes, steps.reads * read_bytes, steps.writes * write_bytes,
        steps.latency_ms, *waits, steps.read_ms, steps.write_ms,
    )  # fmt: skip
    on = datetime(*demand.estate.on(day).timetuple()[:3], tzinfo=UTC).date()
    for begin in range(0, len(demand.disks), GROUP_ROWS):
        some = demand.disks[begin : begin + GROUP_ROWS]
        columns = [_lists(_short(p[begin : begin + GROUP_ROWS, :n_steps])) for p in parts]
        yield pa.table([[d.uid for d in some], [on] * len(some), *columns], schema=_SCHEMA)


def _lists(values: Floats) -> Any:  # Any: lists, to its stubs
    n_rows, n_steps = values.shape
    offsets = np.arange(n_rows + 1, dtype=np.int32) * n_steps
    return pa.ListArray.from_arrays(offsets, pa.array(values.reshape(-1), type=pa.float32()))


def _short(values: Floats) -> Floats:
    """To so many digits."""
    with np.errstate(divide="ignore"):
        power = np.floor(np.log10(np.abs(values)))
    scale = np.where(np.isfinite(power), 10.0 ** (DIGITS - 1 - power), 1)
    short: Floats = (np.round(values * scale) / scale).astype(np.float32)
    return short
