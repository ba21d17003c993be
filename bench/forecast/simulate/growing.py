"""What makes it more, or less, from day to day."""

from dataclasses import dataclass

import numpy as np

from bench.forecast.simulate.draws import (
    Rng,
    chance,
    moments,
    ramp,
    recurring,
    shocks,
    some_time,
    wide,
)
from keelmark.core.arrays import Float64s, Int64s


@dataclass(frozen=True, slots=True)
class Pace:
    """So much a day, as fast as people happen to write: its logarithm wanders."""

    per_day: float
    wander: float
    memory_days: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Pace":
        sign = 1.0 if chance(rng, 0.85) else -1.0
        wander = 0.0 if chance(rng, 0.25) else wide(rng, 0.02, 1.2 if chance(rng, 0.5) else 0.4)
        return cls(sign * wide(rng, 1e-5, 4e-3), wander, wide(rng, 10, 400))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level)
        log = self.wander * recurring(rng.normal(0, 1, n), memory=np.exp(-1 / self.memory_days))
        return level + np.cumsum(self.per_day * np.exp(np.clip(log, -4, 3)))


@dataclass(frozen=True, slots=True)
class NewPaces:
    """From some day on it grows so many times as fast, or stops, until the next such day."""

    every_days: float
    breadth: float
    stops: float

    @classmethod
    def drawn(cls, rng: Rng) -> "NewPaces":
        return cls(wide(rng, 40, 700), rng.uniform(0.3, 1.6), rng.uniform(0, 0.5))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        factor = np.ones(len(level))
        for at in moments(rng, len(level), every=self.every_days, regularity=rng.uniform(0, 3)):
            now = 0.0 if chance(rng, self.stops) else float(np.exp(rng.normal(0, self.breadth)))
            factor[at:] = -now if chance(rng, 0.07) else now
        steps = np.diff(level, prepend=level[:1])
        grown_to: Float64s = level[0] + np.cumsum(steps * factor)
        return grown_to


@dataclass(frozen=True, slots=True)
class NewPace:
    """One other pace, for good: a customer won, a project ended."""

    at: float
    factor: float
    over_days: int

    @classmethod
    def drawn(cls, rng: Rng) -> "NewPace":
        factor = 0.0 if chance(rng, 0.2) else float(np.exp(rng.normal(0.8, 1.4)))
        factor = -factor if chance(rng, 0.08) else factor
        return cls(some_time(rng), factor, int(wide(rng, 1, 90)))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        share = ramp(len(level), at=int(self.at * len(level)), n=self.over_days)
        steps = np.diff(level, prepend=level[:1])
        grown_to: Float64s = level[0] + np.cumsum(steps * (1 + share * (self.factor - 1)))
        return grown_to


@dataclass(frozen=True, slots=True)
class Wander:
    """Written and deleted at will; it may be drawn back to where it was."""

    spread: float
    memory_days: float  # inf: never drawn back

    @classmethod
    def drawn(cls, rng: Rng) -> "Wander":
        memory = np.inf if chance(rng, 0.5) else wide(rng, 5, 400)
        return cls(wide(rng, 1e-4, 1e-2), memory)

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        shock = self.spread * shocks(rng, len(level))
        if chance(rng, 0.25):  # livelier and calmer times
            shock = shock * np.exp(recurring(rng.normal(0, 1, len(level)), memory=0.97))
        if np.isinf(self.memory_days):
            return level + np.cumsum(shock)
        held = recurring(shock, memory=np.exp(-1 / self.memory_days))
        grown_to: Float64s = level + held * np.sqrt(self.memory_days / 2)
        return grown_to


@dataclass(frozen=True, slots=True)
class InProportion:
    """What is there draws more: so many per mille a day."""

    rate: float
    wander: float

    @classmethod
    def drawn(cls, rng: Rng) -> "InProportion":
        sign = 1.0 if chance(rng, 0.88) else -1.0
        return cls(sign * wide(rng, 1e-4, 5e-3), wide(rng, 0.02, 1.0))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level)
        log = self.wander * recurring(rng.normal(0, 1, n), memory=0.98)
        grown = np.cumsum(self.rate * np.exp(np.clip(log, -3, 2)))
        # Counted from a day of the history, so that it neither begins at nothing nor explodes.
        grown_to: Float64s = level * np.exp(np.clip(grown - grown[int(0.3 * n)], -4, 4))
        return grown_to


@dataclass(frozen=True, slots=True)
class Bursts:
    """Nothing for a time, then a time of writing: campaigns, projects, loads."""

    idle_days: float
    busy_days: float
    per_day: float
    is_kept: bool

    @classmethod
    def drawn(cls, rng: Rng) -> "Bursts":
        busy = wide(rng, 1, 30)
        return cls(wide(rng, 4, 120), busy, wide(rng, 2e-3, 0.15) / busy, chance(rng, 0.8))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level)
        pace = np.zeros(n)
        regularity, breadth = rng.uniform(0, 6), rng.uniform(0, 0.9)
        shape = 1 + regularity
        day = -rng.uniform(0, self.idle_days)
        while day < n:
            day += max(1.0, rng.gamma(shape, self.idle_days / shape))
            last = day + max(1.0, rng.gamma(shape, self.busy_days / shape))
            per_day = self.per_day * np.exp(rng.normal(0, breadth))
            if last > 0:
                pace[max(int(day), 0) : int(np.ceil(last))] += per_day
                if not self.is_kept:  # and as much is taken away when it is over
                    away = slice(max(int(np.ceil(last)), 0), int(np.ceil(last + self.busy_days)))
                    pace[away] -= per_day * rng.uniform(0.4, 1.0)
            day = last
        pace *= np.exp(rng.normal(0, 0.3, n))
        return level + np.cumsum(pace)


@dataclass(frozen=True, slots=True)
class Kept:
    """Copies and logs that are kept for so many days: what comes in less what runs out."""

    n_days: int
    holds: float
    trend: float
    begins: float  # share of the time at which it is switched on; below 0: long ago

    @classmethod
    def drawn(cls, rng: Rng) -> "Kept":
        return cls(
            int(wide(rng, 5, 400)), wide(rng, 0.01, 0.8), rng.normal(0, 0.001),
            rng.uniform(0, 0.6) if chance(rng, 0.3) else -1.0,
        )  # fmt: skip

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level) + self.n_days
        log = self.trend * np.arange(n) + wide(rng, 0.02, 0.8) * shocks(rng, n)
        log += wide(rng, 0.01, 0.5) * recurring(rng.normal(0, 1, n), memory=0.99)
        if chance(rng, 0.4):
            log += np.cumsum(rng.normal(0, wide(rng, 1e-3, 0.04), n))
            log -= log[int(0.4 * n)]
        written = np.exp(np.clip(log, -4, 4))
        if chance(rng, 0.5):  # a full copy a week
            written[int(rng.integers(0, 7)) :: 7] *= wide(rng, 1.5, 30)
        if chance(rng, 0.4):
            for at in moments(rng, n, every=wide(rng, 60, 500), regularity=1.0):
                written[at:] *= np.exp(rng.normal(0, 0.6))
        written *= self.holds / (written.mean() * self.n_days)
        if self.begins >= 0:
            written[: self.n_days + int(self.begins * len(level))] = 0.0
        held = np.cumsum(written)
        held[self.n_days :] = held[self.n_days :] - held[: -self.n_days]
        grown_to: Float64s = level + held[self.n_days :]
        return grown_to


@dataclass(frozen=True, slots=True)
class RollOut:
    """Users or data moved in over months: slow, fast, slow; or fast and ever slower."""

    amount: float
    middle: float
    breadth_days: float
    is_s_shaped: bool

    @classmethod
    def drawn(cls, rng: Rng) -> "RollOut":
        sign = 1.0 if chance(rng, 0.8) else -1.0
        return cls(
            sign * wide(rng, 0.02, 0.7), rng.uniform(-0.2, 0.9), wide(rng, 5, 300), chance(rng, 0.6)
        )

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        since = (np.arange(len(level)) - self.middle * len(level)) / self.breadth_days
        if self.is_s_shaped:
            moved = 1 / (1 + np.exp(-np.clip(since, -50, 50)))
        else:
            moved = 1 - np.exp(-np.clip(since, 0, 50))
        grown_to: Float64s = level + self.amount * moved
        return grown_to
