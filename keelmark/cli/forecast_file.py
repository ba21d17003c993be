"""`keel forecast`: a file of series in, dates out, whoever the estate belongs to."""

from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from keelmark.cli.series_file import Tell
from keelmark.cli.series_store import SeriesStore, Table
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH, date_after
from keelmark.core.forecast import Forecast, Runway, forecast, paths, runway
from keelmark.core.units import percent_of

PATH_QUANTILES = (0.1, 0.5, 0.9)
Told = dict[str, Any]  # Any: JSON


def forecast_file(
    path: Path,
    *,
    mark_percent: int,
    horizon_days: int,
    with_path: bool,
    tell: Tell = lambda what, done, of: None,
) -> Iterator[Told]:
    """Yield an object for each series, in the order in which they first appear.

    ``tell`` is called with what is done, how much of it and of how much.
    """
    with SeriesStore(path, tell=tell) as store:
        n_done = 0
        for table in store.tables():
            told: dict[int, Told] = {}
            for rows in table.alike():
                some = _forecast(
                    table, rows=rows, mark_percent=mark_percent, horizon_days=horizon_days,
                    with_path=with_path,
                )  # fmt: skip
                told |= dict(zip(rows.tolist(), some, strict=True))
                n_done += len(rows)
                tell("forecasting", n_done, len(store))
            yield from (told[row] for row in range(len(table.names)))


def _forecast(
    table: Table, *, rows: Int64s, mark_percent: int, horizon_days: int, with_path: bool
) -> list[Told]:
    used, first_day = table.laid_out(rows)
    learnt = forecast(used, first_day=first_day)
    capacity = np.maximum(table.capacity_bytes[rows], 0)
    way = runway(learnt, mark_bytes=percent_of(capacity, mark_percent), horizon_days=horizon_days)
    told = [
        _object(table, row=row, learnt=learnt, way=way, index=index)
        for index, row in enumerate(rows.tolist())
    ]
    if with_path:
        fans = paths(learnt, horizon_days=horizon_days, quantiles=PATH_QUANTILES)
        for index, row in enumerate(rows.tolist()):
            is_judged = bool(learnt.is_judged[index])
            told[index]["path"] = (
                _path(fans[index], last=table.last_day(row)) if is_judged else None
            )
    return told


def _object(table: Table, *, row: int, learnt: Forecast, way: Runway, index: int) -> Told:
    last = table.last_day(row)
    as_of = None if last is None else EPOCH + timedelta(days=last)
    growth = float(learnt.growth_bytes_per_day[index])
    reason = learnt.reasons[index]
    is_known = table.capacity_bytes[row] >= 0
    if not is_known:
        reason = "; ".join(filter(None, [reason, "no capacity known"]))
    days = (way.early_days[index], way.likely_days[index], way.late_days[index])
    told: Told = {
        "series": table.names[row],
        "as_of": as_of.isoformat() if as_of else None,
        "growth_bytes_per_day": round(growth) if np.isfinite(growth) else None,
        "exhaustion": {
            name: _iso(date_after(as_of, days=float(day))) if is_known else None
            for name, day in zip(("early", "likely", "late"), days, strict=True)
        },
    }
    if reason:
        told["reason"] = reason
    return told


def _iso(on: date | None) -> str | None:
    return on.isoformat() if on else None


def _path(fan: Float64s, *, last: int | None) -> Told:
    start = EPOCH + timedelta(days=(last or 0) + 1)
    whole = np.rint(fan).astype(np.int64).tolist()
    return {
        "dates": [(start + timedelta(days=day)).isoformat() for day in range(fan.shape[1])],
        **dict(zip(("p10", "p50", "p90"), whole, strict=True)),
    }
