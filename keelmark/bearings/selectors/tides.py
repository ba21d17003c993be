"""What the tide bar draws: what was used so far, and when marks will be crossed."""

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from keelmark.bearings.selectors.picture import Lately, drawn_of
from keelmark.bearings.selectors.views import View
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.figures import figure
from keelmark.core.forecast.sharing import summed
from keelmark.readings.selectors import series_of

PAST_DAYS = 400
STEP_DAYS = 5  # a bar of 1,200 px shows no more
MOST_TICKS = 120
_LINES: Lately[tuple[tuple[int, str], bytes], list[tuple[date, int]]] = Lately(32)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tick:
    """A thing that will likely stand at its limit mark on a day."""

    on: date
    id: int
    name: str
    state: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Tide:
    """What was used of the pools in sight, every few days, and the ticks to come."""

    now_on: date
    first_on: date
    line: list[tuple[date, int]]
    ticks: list[Tick]
    n_pools: int
    steps: list[date]  # on which a scenario changes something, or begins to hold something


def tide_of(view: View) -> Tide:
    """Return what the tide bar draws of the pools that a view shows now."""
    estate = view.reading.estate
    pools = estate.table("pool")
    # A pool that a cluster builds over volumes of other pools is counted with those.
    shown = view.shown_or_all("pool") & (pools.links["array"] != NOWHERE)
    rows = np.flatnonzero(shown)
    now_on = EPOCH + timedelta(days=estate.day)
    key = (estate.key, rows.tobytes())
    line = _LINES.get(key)
    if line is None:
        line = _LINES.keep(key, _line(pools.ids[rows].tolist(), now_on=now_on))
    return Tide(
        now_on=now_on,
        first_on=line[0][0] if line else now_on,
        line=line,
        ticks=_ticks(view, rows=rows),
        n_pools=len(rows),
        steps=_steps(view),
    )


def _steps(view: View) -> list[date]:
    if view.planned is None:
        days = {one.first_day for one in view.reading.estate.holds}
    else:
        days = {one.day for one in drawn_of(view.planned).compiled.plan.effects}
    return [EPOCH + timedelta(days=day) for day in sorted(days)]


def _line(ids: list[int], *, now_on: date) -> list[tuple[date, int]]:
    if not ids:
        return []
    first_on = now_on - timedelta(days=PAST_DAYS)
    series = series_of(ids, first_on=first_on, last_on=now_on)
    held = summed(series.used_bytes)
    is_read = ~np.isnan(series.used_bytes).all(axis=0)
    if not is_read.any():
        return []
    begin = int(is_read.argmax())
    days = range(len(held) - 1, begin - 1, -STEP_DAYS)
    return [(series.on(day), round(float(held[day]))) for day in reversed(days)]


def _ticks(view: View, *, rows: np.ndarray) -> list[Tick]:
    pools = view.reading.estate.table("pool")
    ends = pools.amounts("runway")
    states = figure(view.reading, kind="pool", name="state")
    known = rows[ends.is_known[rows]]
    first = known[np.argsort(ends.values[known], kind="stable")][:MOST_TICKS]
    arrays = view.reading.estate.table("array").names
    return [
        Tick(
            on=EPOCH + timedelta(days=int(ends.values[row])),
            id=int(pools.ids[row]),
            name=f"{arrays[pools.links['array'][row]]} · {pools.names[row]}",
            state=states.told(row) if isinstance(states, Words) else None,
        )
        for row in first.tolist()
    ]
