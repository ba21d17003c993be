"""`keel forecast`: a CSV of daily readings in, exhaustion dates out; needs no database."""

import csv
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as pa_csv

from keelmark.cli.console import CommandError
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast import Forecast, Runway, forecast, paths, runway
from keelmark.core.units import MAX_BYTES, percent_of

COLUMNS = ("series", "date", "used_bytes", "capacity_bytes")
MAX_FAULTS_TOLD = 10
PATH_QUANTILES = (0.1, 0.5, 0.9)
EPOCH = date(1970, 1, 1)
TOP = 2.0**63


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Table:
    """Series as a matrix: names (n,), used (n, n_days) NaN where unread, last capacity (n,)."""

    names: list[str]
    first_on: date
    used_bytes: Float64s
    capacity_bytes: Int64s  # −1 where none is known
    last_column: Int64s


def forecast_file(
    path: Path, *, mark_percent: int, horizon_days: int, with_path: bool
) -> list[dict[str, Any]]:  # Any: JSON
    """Return an object for each series, in the order in which they first appear."""
    table = read_table(path)
    learnt = forecast(table.used_bytes, first_day=(table.first_on - EPOCH).days)
    capacity = np.maximum(table.capacity_bytes, 0)
    way = runway(learnt, mark_bytes=percent_of(capacity, mark_percent), horizon_days=horizon_days)
    results = [
        _object(table, learnt=learnt, way=way, index=index) for index in range(len(table.names))
    ]
    if with_path:
        _add_paths(results, table=table, learnt=learnt, horizon_days=horizon_days)
    return results


def read_table(path: Path) -> Table:
    """Return the file as a matrix; raise CommandError naming file, row and field."""
    try:
        columns = _columns(path)
    except (pa.ArrowInvalid, pa.ArrowKeyError, ValueError, OverflowError):
        raise CommandError(_faults_of(path)) from None
    names, series_at = np.unique(columns["series"], return_index=True)
    order = np.argsort(series_at)
    rank = np.empty(len(order), dtype=np.int64)
    rank[order] = np.arange(len(order))
    row = rank[np.searchsorted(names, columns["series"])]
    return _matrix(path, names=[str(n) for n in names[order]], row=row, columns=columns)


def _columns(path: Path) -> dict[str, Any]:  # Any: arrays of several types
    """Fast way for good files; anything odd raises and is looked at row by row."""
    try:
        table = _read_csv(path, amounts=pa.int64())
    except pa.ArrowInvalid:
        # Whole bytes written as 1.0 or 1e13, as tools with missing values do.
        table = _read_csv(path, amounts=pa.float64())
    used, capacity = (
        table[name].cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False).astype(np.float64)
        for name in ("used_bytes", "capacity_bytes")
    )
    for amounts in (used, capacity):
        known = amounts[~np.isnan(amounts)]
        is_whole = np.isfinite(known) & (known >= 0) & (known == np.floor(known))
        if not (is_whole & (known < TOP)).all():
            raise ValueError
    series = table["series"].to_numpy(zero_copy_only=False)
    if table.num_rows == 0 or table["date"].null_count or (series == "").any():
        raise ValueError
    return {
        "series": series.astype(str),
        "day": table["date"].cast(pa.int32()).to_numpy().astype(np.int64),
        "used": used,
        "is_capacity": ~np.isnan(capacity),
        "capacity": _whole(table["capacity_bytes"]),
    }


def _read_csv(path: Path, *, amounts: pa.DataType) -> pa.Table:
    return pa_csv.read_csv(
        path,
        convert_options=pa_csv.ConvertOptions(
            column_types={
                "series": pa.string(),
                "date": pa.date32(),
                "used_bytes": amounts,
                "capacity_bytes": amounts,
            },
            include_columns=list(COLUMNS),
            strings_can_be_null=False,
        ),
    )


def _whole(column: Any) -> Int64s:  # Any: a chunked array of either type
    """Bytes to the last one where they came as integers; 0 stands for unknown ones."""
    zero = pa.scalar(0, column.type)
    filled: Int64s = column.fill_null(zero).cast(pa.int64()).to_numpy()
    return filled


def _matrix(path: Path, *, names: list[str], row: Int64s, columns: dict[str, Any]) -> Table:
    first = int(columns["day"].min())
    column = columns["day"] - first
    n_days = int(column.max()) + 1
    used = np.full((len(names), n_days), np.nan)
    is_read = ~np.isnan(columns["used"])
    used[row[is_read], column[is_read]] = columns["used"][is_read]
    clash = used[row[is_read], column[is_read]] != columns["used"][is_read]
    if clash.any():
        raise CommandError(_faults_of(path))
    capacity = np.full(len(names), -1, dtype=np.int64)
    known = np.flatnonzero(columns["is_capacity"])
    by_day = known[np.argsort(columns["day"][known], kind="stable")]
    capacity[row[by_day]] = columns["capacity"][by_day]  # the last one holds
    last = np.where(~np.isnan(used), np.arange(n_days), -1).max(axis=1)
    return Table(
        names=names,
        first_on=EPOCH + timedelta(days=first),
        used_bytes=used,
        capacity_bytes=capacity,
        last_column=last.astype(np.int64),
    )


def _faults_of(path: Path) -> str:
    """Read the file again slowly and say what is wrong where."""
    faults: list[str] = []
    seen: dict[tuple[str, str], tuple[str, int]] = {}
    n_rows = 0
    try:
        with path.open(encoding="utf-8-sig", newline="") as file:
            reader = csv.DictReader(file)
            missing = [c for c in COLUMNS if c not in (reader.fieldnames or [])]
            if missing:
                return f"{path.name}: no column {', '.join(missing)}; want {','.join(COLUMNS)}."
            for record in reader:
                n_rows += 1
                faults += _faults_of_row(record, line=reader.line_num, seen=seen)
    except (OSError, UnicodeDecodeError, csv.Error) as exc:
        return f"{path.name}: {exc}"
    if n_rows == 0:
        return f"{path.name}: no rows under the header."
    told = "\n  ".join(faults[:MAX_FAULTS_TOLD]) or "it cannot be read as CSV"
    more = len(faults) - MAX_FAULTS_TOLD
    return f"{path.name}: {told}" + (f"\n  … and {more} more" if more > 0 else "")


def _faults_of_row(
    record: dict[str, Any], *, line: int, seen: dict[tuple[str, str], tuple[str, int]]
) -> list[str]:
    faults = []
    if not record["series"]:
        faults.append(f"line {line}, series: empty")
    try:
        date.fromisoformat(record["date"] or "")
    except ValueError:
        faults.append(f"line {line}, date: “{record['date']}” is no ISO date")
    for name in ("used_bytes", "capacity_bytes"):
        fault = _fault_of_amount((record[name] or "").strip())
        if fault:
            faults.append(f"line {line}, {name}: {fault}")
    key, used = (record["series"], record["date"]), (record["used_bytes"] or "").strip()
    if used and seen.setdefault(key, (used, line))[0] != used:
        first = seen[key]
        faults.append(
            f"line {line}, used_bytes: {used}, but line {first[1]} says {first[0]} for that day"
        )
    return faults


def _fault_of_amount(told: str) -> str:
    if told in ("", "nan", "NaN"):
        return ""
    try:
        amount = Decimal(told)
    except InvalidOperation:
        return f"“{told}” is no whole number of bytes from 0 on"
    if not amount.is_finite() or amount < 0 or amount != int(amount):
        return f"“{told}” is no whole number of bytes from 0 on"
    return f"{told} is above 2^63 − 1" if amount > MAX_BYTES else ""


def _object(table: Table, *, learnt: Forecast, way: Runway, index: int) -> dict[str, Any]:
    last = int(table.last_column[index])
    as_of = table.first_on + timedelta(days=last) if last >= 0 else None
    growth = float(learnt.growth_bytes_per_day[index])
    reason = learnt.reasons[index]
    if table.capacity_bytes[index] < 0:
        reason = "; ".join(filter(None, [reason, "no capacity known"]))
    days = (way.early_days[index], way.likely_days[index], way.late_days[index])
    is_known = table.capacity_bytes[index] >= 0
    told: dict[str, Any] = {
        "series": table.names[index],
        "as_of": as_of.isoformat() if as_of else None,
        "growth_bytes_per_day": round(growth) if np.isfinite(growth) else None,
        "exhaustion": {
            name: _date(float(day), as_of=as_of) if is_known else None
            for name, day in zip(("early", "likely", "late"), days, strict=True)
        },
    }
    if reason:
        told["reason"] = reason
    return told


def _date(days: float, *, as_of: date | None) -> str | None:
    if as_of is None or not np.isfinite(days):
        return None
    return (as_of + timedelta(days=int(days))).isoformat()


def _add_paths(
    results: list[dict[str, Any]], *, table: Table, learnt: Forecast, horizon_days: int
) -> None:
    fans = paths(learnt, horizon_days=horizon_days, quantiles=PATH_QUANTILES)
    for index, told in enumerate(results):
        if not learnt.is_judged[index]:
            told["path"] = None
            continue
        start = table.first_on + timedelta(days=int(table.last_column[index]) + 1)
        fan = np.rint(fans[index]).astype(np.int64).tolist()
        told["path"] = {
            "dates": [(start + timedelta(days=d)).isoformat() for d in range(horizon_days)],
            **dict(zip(("p10", "p50", "p90"), fan, strict=True)),
        }
