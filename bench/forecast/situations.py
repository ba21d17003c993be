"""Situations in which planners are, each drawn widely, with what else may happen on top of it.

Written for judging alone, apart from what the forecast is trained on. All were looked at since:
what was never looked at is in unseen.py.
"""

import numpy as np

from bench.forecast.families import N_DAYS, N_KNOWN, Family, dirty
from keelmark.core.arrays import Float64s

Rng = np.random.Generator


def _coloured(rng: Rng, size: float) -> Float64s:
    """Noise that keeps anything from none to most of yesterday."""
    keeps, shock = rng.uniform(0, 0.9), rng.normal(0, size, N_DAYS)
    for day in range(1, N_DAYS):
        shock[day] += keeps * shock[day - 1]
    return shock


def _grown(rng: Rng, low: float, high: float) -> Float64s:
    """Growth of low to high a day in all, whose pace breathes over months."""
    breath = np.cumsum(rng.normal(0, 0.03, N_DAYS))
    pace = np.exp(breath - breath.mean())
    return np.cumsum(pace / pace.mean()) * rng.uniform(low, high)


def _besides(rng: Rng, used: Float64s) -> Float64s:
    """What else happens: a rare step, a week, noise, a copy that is deleted again."""
    for _ in range(rng.poisson(0.8)):
        used[int(rng.integers(0, N_DAYS)) :] += rng.normal(0, 0.03)
    if rng.random() < 0.3:
        used += rng.uniform(0.001, 0.015) * np.roll(np.arange(7) / 7, 3)[np.arange(N_DAYS) % 7]
    if rng.random() < 0.15:
        at = int(rng.integers(0, N_DAYS - 20))
        used[at : at + int(rng.integers(2, 20))] += rng.uniform(0.01, 0.1)
    used += _coloured(rng, float(np.exp(rng.uniform(np.log(1e-4), np.log(5e-3)))))
    return np.maximum(used, 0.0)


def cleaned_up_every_few_months(rng: Rng) -> Float64s:
    """Filled slowly; every two to four months much of it goes, and a part is kept."""
    used = rng.uniform(0.15, 0.5) + _grown(rng, 0.0004, 0.003)
    every, kept = rng.uniform(60, 120), rng.uniform(0.1, 0.7)
    day, since = rng.uniform(0, every), 0
    while day < N_DAYS:
        at = int(day)
        used[at:] -= (1 - kept * rng.uniform(0.6, 1.4)) * (used[at] - used[since])
        since, day = at, day + every * rng.uniform(0.75, 1.25)
    return _besides(rng, used)


def migrated_then_slow(rng: Rng) -> Float64s:
    """One move in, 20 to 200 days ago; before and after it grows slowly."""
    used = rng.uniform(0.2, 0.5) + _grown(rng, 0.00003, 0.0006)
    at = N_KNOWN - int(rng.integers(20, 200))
    used[at:] += rng.uniform(0.04, 0.25)
    return _besides(rng, used)


def uneven_steps(rng: Rng) -> Float64s:
    """Steps of unlike size every three to six weeks, and nearly nothing between them."""
    used = np.full(N_DAYS, rng.uniform(0.15, 0.4)) + _grown(rng, 0.0, 0.0001)
    day, every, mean = rng.uniform(0, 40), rng.uniform(21, 42), rng.uniform(0.008, 0.04)
    while day < N_DAYS:
        used[int(day) :] += mean * rng.gamma(1.5, 1 / 1.5)
        day += every * rng.uniform(0.6, 1.4)
    return _besides(rng, used)


def held_by_someone(rng: Rng) -> Float64s:
    """Growth that someone takes away again, every time it stands too high for them."""
    inflow = np.diff(_grown(rng, 0.0003, 0.004), prepend=0.0) * rng.uniform(0.3, 1.7, N_DAYS)
    wanted, loose = rng.uniform(0.4, 0.8), rng.uniform(0.01, 0.08)
    level, used = wanted - rng.uniform(0, loose), np.empty(N_DAYS)
    for day in range(N_DAYS):
        level += inflow[day]
        if level > wanted + rng.normal(0, 0.003):
            level -= loose * rng.uniform(0.5, 1.5)
        used[day] = level
    return _besides(rng, used)


def idle_then_bursts(rng: Rng) -> Float64s:
    """Weeks of nothing, then days of writing."""
    pace, day = np.zeros(N_DAYS), rng.uniform(0, 50)
    idle, busy, amount = rng.uniform(14, 60), rng.uniform(2, 9), rng.uniform(0.008, 0.06)
    while day < N_DAYS:
        n_busy = max(1, round(busy * rng.uniform(0.5, 1.5)))
        pace[int(day) : int(day) + n_busy] += amount / n_busy * rng.uniform(0.4, 1.8)
        day += n_busy + rng.exponential(idle)
    return _besides(rng, rng.uniform(0.15, 0.4) + np.cumsum(pace))


def in_proportion(rng: Rng) -> Float64s:
    """What is there draws more: doubled in a year, or in four months."""
    rate = np.log(2) / rng.uniform(120, 500)
    log = np.cumsum(rate + rng.normal(0, rng.uniform(0, 0.004), N_DAYS))
    return _besides(rng, rng.uniform(0.15, 0.6) * np.exp(log - log[N_KNOWN - 1]))


def kept_copies(rng: Rng) -> Float64s:
    """Copies kept for weeks or months while what is copied changes."""
    kept_days = int(rng.integers(14, 180))
    log = np.cumsum(rng.normal(rng.uniform(-0.001, 0.002), 0.02, N_DAYS + kept_days))
    written = np.exp(log) * rng.uniform(0.5, 1.5, N_DAYS + kept_days)
    held = np.convolve(written, np.ones(kept_days), mode="valid")[:N_DAYS]
    return _besides(rng, 0.1 + rng.uniform(0.1, 0.6) * held / held[N_KNOWN - 1])


def another_pace(rng: Rng) -> Float64s:
    """Another pace since three weeks to half a year."""
    before, after = np.exp(rng.uniform(np.log(5e-5), np.log(2e-3), 2))
    at = N_KNOWN - int(rng.integers(21, 180))
    pace = np.where(np.arange(N_DAYS) < at, before, after) * rng.uniform(0.3, 1.7, N_DAYS)
    return _besides(rng, rng.uniform(0.15, 0.5) + np.cumsum(pace))


def seasons(rng: Rng) -> Float64s:
    """A year with its seasons on slow growth."""
    turn = 2 * np.pi * (np.arange(N_DAYS) / 365.25 + rng.uniform())
    wave = np.sin(turn) + rng.uniform(0, 0.5) * np.sin(2 * turn + rng.uniform(0, 6))
    slow = 0.4 + _grown(rng, 0.0, 0.0008)
    return _besides(rng, slow + rng.uniform(0.01, 0.12) * wave)


def written_and_deleted(rng: Rng) -> Float64s:
    """A walk that is drawn back to its mean, soon or late."""
    back, spread = 1 / np.exp(rng.uniform(np.log(10), np.log(500))), rng.uniform(0.001, 0.006)
    off, used = 0.0, np.empty(N_DAYS)
    for day in range(N_DAYS):
        off += -back * off + rng.normal(0, spread)
        used[day] = off
    return _besides(rng, rng.uniform(0.35, 0.7) + used + _grown(rng, 0.0, 0.0003))


def slowing_down(rng: Rng) -> Float64s:
    """Fast at first, ever slower: what is moved in comes to its end."""
    half = rng.uniform(40, 400)
    grown = 1 - np.exp(-(np.arange(N_DAYS) + rng.uniform(0, 200)) / half)
    return _besides(rng, rng.uniform(0.1, 0.3) + rng.uniform(0.1, 0.6) * grown)


def closes_of_books(rng: Rng) -> Float64s:
    """So much at every end of a month, and now and then an old one is taken away."""
    used = rng.uniform(0.2, 0.4) + _grown(rng, 0.0, 0.0003)
    size, kept = rng.uniform(0.005, 0.03), int(rng.integers(2, 30))
    for month, at in enumerate(range(int(rng.integers(0, 30)), N_DAYS, 30)):
        used[at:] += size * rng.uniform(0.8, 1.2)
        if month >= kept:
            used[at:] -= size * rng.uniform(0.7, 1.1)
    return _besides(rng, used)


SITUATIONS: dict[str, Family] = {
    "cleaned every few months": Family(make=cleaned_up_every_few_months),
    "migrated, then slow": Family(make=migrated_then_slow),
    "uneven steps": Family(make=uneven_steps),
    "held by someone": Family(make=held_by_someone),
    "idle, then bursts": Family(make=idle_then_bursts),
    "in proportion": Family(make=in_proportion),
    "kept copies": Family(make=kept_copies),
    "another pace": Family(make=another_pace),
    "seasons": Family(make=seasons),
    "written and deleted": Family(make=written_and_deleted),
    "slowing down": Family(make=slowing_down),
    "closes of books": Family(make=closes_of_books),
    "uneven steps, dirty": Family(make=uneven_steps, spoil=dirty),
    "migrated, dirty": Family(make=migrated_then_slow, spoil=dirty),
}
