"""Generated series of every situation a forecast must survive, known past and true future.

Levels are shares of usable. What is made here is written from what happens to storage, not
from what the engine assumes: steps last minutes, noise comes from deletes and snapshots, and
pace is never exactly constant.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s

N_KNOWN = 400
N_AHEAD = 365
N_DAYS = N_KNOWN + N_AHEAD
FIRST_DAY = 20_400  # days since 1970 of column 0, so that months mean something
Make = Callable[[np.random.Generator], Float64s]


@dataclass(frozen=True, slots=True, kw_only=True)
class Family:
    """One situation: how a series of it is made, and what spoils its readings."""

    make: Make
    spoil: Callable[[Float64s, np.random.Generator], Float64s] | None = None
    saturates: bool = False  # at a size that is known


def _noise(rng: np.random.Generator, size: float) -> Float64s:
    """Day-to-day noise that remembers a little of yesterday."""
    shocks = rng.normal(0, size, N_DAYS)
    for day in range(1, N_DAYS):
        shocks[day] += 0.4 * shocks[day - 1]
    return shocks


def _pace(rng: np.random.Generator, per_day: float, *, wander: float = 0.25) -> Float64s:
    """Cumulated growth whose pace wanders about its mean over months."""
    log_pace = np.cumsum(rng.normal(0, wander / np.sqrt(90), N_DAYS))
    return np.cumsum(per_day * np.exp(log_pace - log_pace.mean()))


def _level(rng: np.random.Generator) -> float:
    return float(rng.uniform(0.25, 0.55))


def steady(rng: np.random.Generator) -> Float64s:
    per_day = rng.uniform(0.0002, 0.0015)
    return _level(rng) + _pace(rng, per_day) + _noise(rng, rng.uniform(0.0005, 0.004))


def flat(rng: np.random.Generator) -> Float64s:
    return rng.uniform(0.5, 0.88) + _noise(rng, rng.uniform(0.0003, 0.004))


def shrinking(rng: np.random.Generator) -> Float64s:
    per_day = rng.uniform(0.0001, 0.0006)
    return 0.85 - _pace(rng, per_day) + _noise(rng, rng.uniform(0.0005, 0.003))


def migration(rng: np.random.Generator) -> Float64s:
    """A jump in the last months, over one to three days, and then the old pace."""
    used = steady(rng) * 0.8
    at, n = int(rng.integers(N_KNOWN - 150, N_KNOWN - 5)), int(rng.integers(1, 4))
    ramp = np.clip((np.arange(N_DAYS) - at + 1) / n, 0, 1)
    return used + rng.uniform(0.06, 0.2) * ramp


def clean_up(rng: np.random.Generator) -> Float64s:
    used = steady(rng) + 0.15
    at = int(rng.integers(N_KNOWN - 150, N_KNOWN - 5))
    used[at:] -= rng.uniform(0.06, 0.2)
    return used


def new_pace(rng: np.random.Generator) -> Float64s:
    """Another pace since one to five months: several times faster, or nearly none."""
    at = int(rng.integers(N_KNOWN - 150, N_KNOWN - 30))
    before = rng.uniform(0.0002, 0.0008)
    after = before * (rng.uniform(3, 6) if rng.random() < 0.7 else rng.uniform(0, 0.2))
    pace = np.where(np.arange(N_DAYS) < at, before, after)
    wander = np.exp(np.cumsum(rng.normal(0, 0.15 / np.sqrt(90), N_DAYS)))
    return _level(rng) + np.cumsum(pace * wander) + _noise(rng, rng.uniform(0.0005, 0.003))


def weekly(rng: np.random.Generator) -> Float64s:
    """Backups that pile up over the week and are thinned out on one day."""
    saw = np.arange(N_DAYS) % 7 / 7 * rng.uniform(0.01, 0.04)
    return steady(rng) + saw


def month_end(rng: np.random.Generator) -> Float64s:
    """A close of books that writes once a month and keeps what it wrote."""
    days = np.datetime64("1970-01-01") + FIRST_DAY + np.arange(N_DAYS)
    of_month = (days - days.astype("datetime64[M]")).astype(int)
    step = rng.uniform(0.008, 0.03)
    steps = np.where(of_month == 0, step * rng.uniform(0.8, 1.2, N_DAYS), 0.0)
    per_day = rng.uniform(0, 0.0003)
    return 0.2 + np.cumsum(steps) + _pace(rng, per_day) + _noise(rng, 0.001)


def batches(rng: np.random.Generator) -> Float64s:
    """Nothing for weeks, then a batch arrives."""
    every_days = rng.uniform(10, 30)
    arrives = rng.random(N_DAYS) < 1 / every_days
    sizes = rng.gamma(4, rng.uniform(0.01, 0.03) / 4, N_DAYS)
    return 0.2 + np.cumsum(arrives * sizes) + _noise(rng, rng.uniform(0.0002, 0.001))


def saturating(rng: np.random.Generator) -> Float64s:
    """A thin volume that fills up to its size and stays there."""
    size, half = rng.uniform(0.7, 0.95), rng.uniform(60, 200)
    grown = 1.05 * size * (1 - np.exp(-np.arange(N_DAYS) / half))
    return np.minimum(grown + np.abs(_noise(rng, 0.0008)), size)


def wandering(rng: np.random.Generator) -> Float64s:
    """Written and deleted at will: a random walk with a little drift."""
    steps = rng.normal(rng.uniform(0, 0.0006), rng.uniform(0.002, 0.005), N_DAYS)
    return np.clip(0.45 + np.cumsum(steps), 0.05, 1.5)


def young(rng: np.random.Generator) -> Float64s:
    used = steady(rng)
    used[: N_KNOWN - int(rng.integers(16, 60))] = np.nan
    return used


def campaigns(rng: np.random.Generator) -> Float64s:
    """Weeks of writing, weeks of rest: measuring campaigns."""
    pace, day = np.zeros(N_DAYS), -int(rng.integers(0, 60))
    per_day = rng.uniform(0.001, 0.004)
    while day < N_DAYS:
        n_busy, n_idle = int(rng.integers(14, 42)), int(rng.integers(21, 56))
        pace[max(day, 0) : max(day + n_busy, 0)] = per_day * rng.uniform(0.6, 1.4)
        day += n_busy + n_idle
    return 0.15 + np.cumsum(pace) + _noise(rng, rng.uniform(0.0005, 0.002))


def retention(rng: np.random.Generator) -> Float64s:
    """Copies kept for so many days: it fills for as long, then holds what is kept."""
    kept_days, begins = int(rng.integers(30, 120)), int(rng.integers(0, 200))
    written = rng.uniform(0.002, 0.006) * np.exp(np.arange(N_DAYS) * rng.uniform(0, 0.0015))
    written = written * rng.uniform(0.6, 1.4, N_DAYS)
    written[np.arange(N_DAYS) % 7 == int(rng.integers(0, 7))] *= rng.uniform(1, 3)  # a full copy
    written[:begins] = 0.0
    held = np.cumsum(written)
    held[kept_days:] -= held[:-kept_days]
    return 0.1 + held + _noise(rng, 0.0005)


def roll_out(rng: np.random.Generator) -> Float64s:
    """Users moved in over months: slow, fast, slow, and then their own steady growth."""
    middle, breadth = rng.uniform(N_KNOWN - 220, N_KNOWN + 60), rng.uniform(15, 60)
    moved = rng.uniform(0.1, 0.35) / (1 + np.exp(-(np.arange(N_DAYS) - middle) / breadth))
    used: Float64s = 0.2 + moved + _pace(rng, rng.uniform(0.0001, 0.0006)) + _noise(rng, 0.001)
    return used


def dirty(used: Float64s, rng: np.random.Generator) -> Float64s:
    """Days unread, single wild readings, a source that got stuck."""
    read = used.copy()
    known = read[:N_KNOWN]
    known[rng.random(N_KNOWN) < 0.06] = np.nan
    begin = int(rng.integers(50, N_KNOWN - 40))
    known[begin : begin + int(rng.integers(5, 20))] = np.nan
    for at in rng.integers(0, N_KNOWN - 2, 3):
        known[at] *= rng.choice([0.0, 0.3, 2.5])
    begin = int(rng.integers(50, N_KNOWN - 60))
    known[begin : begin + int(rng.integers(6, 15))] = known[begin]
    return read


FAMILIES: dict[str, Family] = {
    "steady": Family(make=steady),
    "flat": Family(make=flat),
    "shrinking": Family(make=shrinking),
    "migration": Family(make=migration),
    "clean-up": Family(make=clean_up),
    "new pace": Family(make=new_pace),
    "weekly": Family(make=weekly),
    "month-end": Family(make=month_end),
    "batches": Family(make=batches),
    "saturating": Family(make=saturating, saturates=True),
    "wandering": Family(make=wandering),
    "young": Family(make=young),
    "dirty": Family(make=steady, spoil=dirty),
    "dirty migration": Family(make=migration, spoil=dirty),
    "campaigns": Family(make=campaigns),  # was kept out until levels and rhythms were done
    "retention": Family(make=retention),
    "roll-out": Family(make=roll_out),
}


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Cases:
    """Known (n, 400) with NaN where unread, future (n, 365), one mark and perhaps one size each."""

    known: Float64s
    future: Float64s
    mark: Float64s
    ceiling: Float64s | None
    first_day: int | None


def cases_of(family: Family, *, n_series: int, seed: int) -> Cases:
    """Make series of one family; marks are drawn without a look at the future."""
    rng = np.random.default_rng(seed)
    rows, marks, sizes = [], [], []
    for _ in range(n_series):
        used = np.maximum(family.make(rng), 0.0)
        sizes.append(used.max())  # what saturates ends at its size
        last = float(used[N_KNOWN - 1])
        rows.append(family.spoil(used, rng) if family.spoil else used)
        marks.append(last + rng.uniform(0.01, 0.12))
    table = np.array(rows)
    return Cases(
        known=table[:, :N_KNOWN],
        future=table[:, N_KNOWN:],
        mark=np.array(marks),
        ceiling=np.array(sizes) if family.saturates else None,
        first_day=FIRST_DAY,
    )
