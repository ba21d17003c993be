"""More situations, written after the others had been looked at and judged once a training.

What is measured here says how it does on what it was not made for; whoever changes the forecast
after looking at it writes others.
"""

import numpy as np

from bench.forecast.families import N_DAYS, N_KNOWN, Family, dirty
from keelmark.core.arrays import Float64s

Rng = np.random.Generator
DAYS = np.arange(N_DAYS)


def _fuzz(rng: Rng, used: Float64s) -> Float64s:
    """Readings that tremble, now and then a small step, never below nothing."""
    for _ in range(rng.poisson(0.5)):
        used[int(rng.integers(0, N_DAYS)) :] += rng.normal(0, 0.02)
    tremble = rng.normal(0, np.exp(rng.uniform(np.log(5e-5), np.log(4e-3))), N_DAYS)
    return np.maximum(used + tremble, 0.0)


def never_bends(rng: Rng) -> Float64s:
    """A line, and nothing else ever happens."""
    noise = rng.normal(0, rng.uniform(0.0, 0.002), N_DAYS)
    return rng.uniform(0.2, 0.5) + rng.uniform(0.0002, 0.002) * DAYS + noise


def faster_for_weeks(rng: Rng) -> Float64s:
    """Slow for long, and for five to twelve weeks several times as fast; some of it ends again."""
    slow = rng.uniform(0.0001, 0.0006)
    begun = N_KNOWN - int(rng.integers(35, 85))
    ends = N_KNOWN + int(rng.integers(10, 300)) if rng.random() < 0.35 else N_DAYS
    is_fast = (begun <= DAYS) & (ends > DAYS)
    pace = slow * np.where(is_fast, rng.uniform(2, 8), 1.0) * rng.uniform(0.6, 1.4, N_DAYS)
    return _fuzz(rng, rng.uniform(0.2, 0.5) + np.cumsum(pace))


def one_of_two_leaves(rng: Rng) -> Float64s:
    """Two tenants grow; one of them is moved out within weeks, or will be."""
    used = np.full(N_DAYS, 0.1)
    leaves, n_weeks = int(rng.integers(60, N_DAYS)), int(rng.integers(1, 9))
    for is_leaving in (False, True):
        own = rng.uniform(0.08, 0.3) + np.cumsum(
            rng.uniform(0.0001, 0.001) * rng.gamma(2, 0.5, N_DAYS)
        )
        if is_leaving:
            own = own * np.clip(1 - (DAYS - leaves) / (7 * n_weeks), 0.0, 1.0)
        used = used + own
    return _fuzz(rng, used)


def kept_longer(rng: Rng) -> Float64s:
    """Copies kept for so long, and from some day on for longer: it rises until that is full."""
    before, after = int(rng.integers(7, 60)), int(rng.integers(60, 250))
    change = int(rng.integers(150, N_KNOWN + 60))
    written = rng.gamma(4, 0.25, N_DAYS + after) * np.exp(
        rng.normal(0, 3e-4) * np.arange(N_DAYS + after)
    )
    held = np.empty(N_DAYS)
    for day in range(N_DAYS):
        kept = before if day < change else min(after, before + day - change)
        held[day] = written[day + after - kept : day + after].sum()
    return _fuzz(rng, 0.15 + held * rng.uniform(0.05, 0.15) / before)


def never_reclaimed(rng: Rng) -> Float64s:
    """What is deleted stays taken until someone reclaims it, quarterly or when they think of it."""
    live, dead = rng.uniform(0.15, 0.4), 0.0
    grows, churns = rng.uniform(0.0, 0.0008), rng.uniform(0.0003, 0.003)
    every = rng.uniform(50, 140)
    next_day, used = rng.uniform(0, every), np.empty(N_DAYS)
    for day in range(N_DAYS):
        live += grows * rng.uniform(0, 2)
        dead += churns * rng.uniform(0, 2)
        if day >= next_day:
            dead *= rng.uniform(0.0, 0.4)
            next_day += every * rng.uniform(0.6, 1.4)
        used[day] = live + dead
    return _fuzz(rng, used)


def terms_of_a_school(rng: Rng) -> Float64s:
    """Two terms of writing a year, breaks between, and a clean-up in summer."""
    begins = rng.integers(0, 365)
    of_year = (DAYS + begins) % 365
    writes = (of_year < 110) | ((of_year > 150) & (of_year < 260))
    used = rng.uniform(0.2, 0.4) + np.cumsum(
        writes * rng.uniform(0.0005, 0.002) * rng.gamma(2, 0.5, N_DAYS)
    )
    for day in np.flatnonzero(of_year == 290).tolist():
        used[day:] -= rng.uniform(0.2, 0.9) * (used[day] - used[max(day - 290, 0)])
    return _fuzz(rng, used)


def machines_come_and_go(rng: Rng) -> Float64s:
    """VMs arrive at some rate, each fills up ever more slowly and lives for a time."""
    used, every = np.full(N_DAYS, rng.uniform(0.05, 0.2)), rng.uniform(2, 20)
    stays, size = rng.uniform(100, 900), rng.uniform(0.005, 0.03)
    day = -1.5 * stays
    while day < N_DAYS:
        day += rng.exponential(every)
        age = DAYS - day
        is_there = (age >= 0) & (age < rng.exponential(stays))
        used = used + is_there * size * rng.gamma(2, 0.5) * (
            1 - 0.6 * np.exp(-np.maximum(age, 0) / 60)
        )
    return _fuzz(rng, used / max(used[:N_KNOWN].max(), 0.8))


def reduced_otherwise(rng: Rng) -> Float64s:
    """The data grows steadily; its reduction drifts, and steps with what comes."""
    data = rng.uniform(0.3, 0.8) + np.cumsum(
        rng.uniform(0.0002, 0.0015) * rng.gamma(3, 1 / 3, N_DAYS)
    )
    factor = np.log(rng.uniform(0.4, 0.9)) + np.cumsum(rng.normal(0, 0.0015, N_DAYS))
    for _ in range(rng.poisson(1.0)):
        factor[int(rng.integers(0, N_DAYS)) :] += rng.normal(0, 0.05)
    return _fuzz(rng, data * np.exp(factor))


def nearly_still(rng: Rng) -> Float64s:
    """Hardly anything is ever written, and rarely a little."""
    changes = np.where(
        rng.random(N_DAYS) < rng.uniform(0.005, 0.08), rng.normal(0, 0.002, N_DAYS), 0.0
    )
    return np.maximum(rng.uniform(0.3, 0.9) + np.cumsum(changes), 0.0)


def quarterly_loads(rng: Rng) -> Float64s:
    """Like loads every quarter, and now and then the oldest year is put away."""
    used = np.full(N_DAYS, rng.uniform(0.2, 0.5)) + rng.uniform(0, 0.0003) * DAYS
    size = rng.uniform(0.01, 0.06)
    for at in range(int(rng.integers(0, 91)), N_DAYS, 91):
        used[at:] += size * rng.uniform(0.8, 1.2)
    if rng.random() < 0.4:
        used[int(rng.integers(0, N_DAYS)) :] -= size * rng.uniform(1, 4)
    return _fuzz(rng, used)


UNSEEN: dict[str, Family] = {
    "never bends": Family(make=never_bends),
    "faster for weeks": Family(make=faster_for_weeks),
    "one of two leaves": Family(make=one_of_two_leaves),
    "kept longer": Family(make=kept_longer),
    "never reclaimed": Family(make=never_reclaimed),
    "terms of a school": Family(make=terms_of_a_school),
    "machines come and go": Family(make=machines_come_and_go),
    "reduced otherwise": Family(make=reduced_otherwise),
    "nearly still": Family(make=nearly_still),
    "quarterly loads": Family(make=quarterly_loads),
    "never reclaimed, dirty": Family(make=never_reclaimed, spoil=dirty),
    "reduced otherwise, dirty": Family(make=reduced_otherwise, spoil=dirty),
}
