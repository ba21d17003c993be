"""What a scenario does: which runways move, what ends first, what is promised beyond what is."""

from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Amounts
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.reading import Reading
from keelmark.core.forecast import MAX_HORIZON_DAYS, Runway, runway
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.effects import (
    AddAmount,
    Born,
    Course,
    OfRow,
    Retire,
    SetAmount,
)
from keelmark.core.scenario.plan import Plan
from keelmark.core.units import percent_of

HORIZON_DAYS: Final = 730  # as far as forecasts are made
ENDING: Final = ("pool", "datastore")  # kinds of which one ends first


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Ends:
    """Runways to the limit marks of one kind, counted from today, (n,) each.

    ``is_touched`` are those that a plan changes; ``after`` is ``before`` for all others. What is
    not there at the end of the plan ends never.
    """

    kind: str
    before: Runway
    after: Runway
    is_touched: Bools
    order_days: Float64s  # early after, less the lead time


def ends_of(told: Compiled, *, kind: str, now: Reading) -> Ends:
    """Return how a scenario moves the runways of a kind.

    Parameters
    ----------
    told : Compiled
        On the revision of the reading.
    kind : str
        ``pool`` or ``datastore``.
    now : Reading
        Of today, with or without rows for what is born.

    Notes
    -----
    The first passage of the same outlook through the same mark, with the plan's courses added to
    every day; a limit mark that rises by so much is the same as bytes that are fewer by so much.
    """
    estate = told.estate
    n = len(estate.table(kind))
    of_kind = [one for one in told.plan.effects if one.kind == kind and isinstance(one, OfRow)]
    rows = np.array(sorted({one.row for one in of_kind}), dtype=np.int64)
    is_touched = np.zeros(n, dtype=np.bool_)
    is_touched[rows] = True
    before = _told_before(now, kind=kind, n=n)
    after = _after(told, kind=kind, rows=rows, before=before)
    retired = [one.row for one in of_kind if isinstance(one, Retire)]
    gone = np.isin(rows, retired)
    never = np.full(len(rows), np.inf)
    after_rows = Runway(
        early_days=np.where(gone, never, after.early_days),
        likely_days=np.where(gone, never, after.likely_days),
        late_days=np.where(gone, never, after.late_days),
        chance_within=np.where(gone, 0.0, after.chance_within),
    )
    whole = _with(before, rows, after_rows)
    lead = estate.marks[kind].lead_time_days
    return Ends(
        kind=kind, before=before, after=whole, is_touched=is_touched,
        order_days=whole.early_days - lead,
    )  # fmt: skip


def _told_before(now: Reading, *, kind: str, n: int) -> Runway:
    """The dates that everything else tells, of today's revision."""
    table, day = now.estate.table(kind), now.estate.day

    def days(name: str) -> Float64s:
        told = table.amounts(name)
        out = np.full(n, np.inf)
        out[: len(table)] = np.where(told.is_known, np.maximum(told.values - day, 0), np.inf)
        return out

    books = now.books[kind]
    is_read = np.zeros(n, dtype=np.bool_)
    is_read[: len(table)] = books.used.is_known & books.size.is_known
    unread = np.where(is_read, 0.0, np.nan)
    return Runway(
        early_days=days("early") + unread, likely_days=days("runway") + unread,
        late_days=days("late") + unread, chance_within=np.full(n, np.nan),
    )  # fmt: skip


def _after(told: Compiled, *, kind: str, rows: Int64s, before: Runway) -> Runway:
    """First passages of what is touched, days from today."""
    estate = told.estate
    outlooks = estate.outlooks.get(kind)
    if outlooks is None or len(rows) == 0:
        return _of_rows(before, rows)
    of = outlooks.of.of_rows(rows)
    ages = np.maximum(estate.day - outlooks.as_of[rows], 0)
    horizon = min(HORIZON_DAYS + int(ages.max(initial=0)), MAX_HORIZON_DAYS)
    sizes, added = changes_of(told.plan, estate, kind=kind, rows=rows, horizon_days=HORIZON_DAYS)
    limit_percent = estate.marks[kind].limit_percent[rows]
    first = percent_of(np.maximum(sizes[:, 0], 0), limit_percent)
    marks = percent_of(
        np.maximum(sizes, 0).ravel(), np.repeat(limit_percent, sizes.shape[1])
    ).reshape(sizes.shape)
    risen = (marks - first[:, None]).astype(np.float64)
    # From each one's own last reading: a pool last read days ago starts there.
    since = np.arange(horizon)[None, :] + 1 - ages[:, None]
    at = np.clip(since, 0, HORIZON_DAYS)
    shifted = np.take_along_axis(added - risen, at, axis=1)
    way = runway(of, mark_bytes=first, horizon_days=horizon, added_bytes=shifted)

    def from_today(days: Float64s) -> Float64s:
        return np.where(np.isnan(days), np.nan, np.maximum(days - ages, 0.0))

    return Runway(
        early_days=from_today(way.early_days), likely_days=from_today(way.likely_days),
        late_days=from_today(way.late_days), chance_within=way.chance_within,
    )  # fmt: skip


def changes_of(
    plan: Plan, estate: Estate, *, kind: str, rows: Int64s, horizon_days: int
) -> tuple[Int64s, Float64s]:
    """Return what a plan makes of sizes, and what it adds, on each day from today on.

    Returns
    -------
    (n_rows, horizon_days + 1) int64 and float64
        Bytes at the end of each day; a size that nobody knows is 0.
    """
    n_days = horizon_days + 1
    place = {row: at for at, row in enumerate(rows.tolist())}
    added = np.zeros((len(rows), n_days))
    days = np.arange(n_days)
    now = estate.table(kind).amounts("size").of_rows(rows)
    sizes = np.repeat(np.where(now.is_known, now.values, 0)[:, None], n_days, axis=1)
    for one in plan.effects:
        at = place.get(one.row, NOWHERE) if one.kind == kind and isinstance(one, OfRow) else NOWHERE
        if at == NOWHERE:
            continue
        begin = one.day - estate.day
        if isinstance(one, Course):
            since = days - begin
            told = np.minimum(one.first_bytes + since * one.bytes_per_day, one.most_bytes)
            added[at] += np.where(since >= 0, -told if one.is_less else told, 0.0)
        elif isinstance(one, AddAmount) and one.column == "size":
            sizes[at, begin:] += one.amount if now.is_known[at] else 0
        elif isinstance(one, SetAmount) and one.column == "size":
            sizes[at, begin:] = one.amount or 0
        elif isinstance(one, Born):
            sizes[at, begin:] = one.amounts.get("size", 0)
    return sizes, added


def _of_rows(way: Runway, rows: Int64s) -> Runway:
    return Runway(
        early_days=way.early_days[rows], likely_days=way.likely_days[rows],
        late_days=way.late_days[rows], chance_within=way.chance_within[rows],
    )  # fmt: skip


def _with(way: Runway, rows: Int64s, other: Runway) -> Runway:
    told = {}
    for name in ("early_days", "likely_days", "late_days", "chance_within"):
        column = getattr(way, name).copy()
        column[rows] = getattr(other, name)
        told[name] = column
    return replace(way, **told)


def exposed(reading: Reading, *, of: Bools | None = None) -> int:
    """Return the bytes that are missing if every consumer of a pool filled what it was promised."""
    missing = reading.books["pool"].exposure
    is_in = reading.is_there["pool"] & missing.is_known
    return int(missing.values[is_in if of is None else is_in & of].sum())


def past_limit(reading: Reading, *, kind: str) -> Bools:
    """Return which of a kind stand past their limit mark on the day."""
    books, marks = reading.books[kind], reading.estate.marks[kind]
    told: Bools = reading.is_there[kind] & books.past(marks.limit_percent)
    return told


def first_end(ends: Ends, *, of: Bools) -> tuple[int, float, float] | None:
    """Return the row that is likely to end first of some, before and after; None if none does."""
    days = np.where(of & ~np.isnan(ends.after.likely_days), ends.after.likely_days, np.inf)
    if not np.isfinite(days).any():
        return None
    row = int(np.argmin(days))
    return row, float(ends.before.likely_days[row]), float(days[row])


def known_sum(told: Amounts, *, of: Bools) -> int:
    """Return the sum of what is known of some."""
    return int(told.values[of & told.is_known].sum())
