"""What comes back: with the week, the month, the year, and noise of many colours."""

from dataclasses import dataclass

import numpy as np

from bench.forecast.simulate.draws import Rng, chance, moments, recurring, shocks, wide
from keelmark.core.arrays import Float64s, Int64s

YEAR_DAYS = 365.25


@dataclass(frozen=True, slots=True)
class Week:
    """A shape of seven days: a saw, a day of full copies, or anything."""

    amount: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Week":
        return cls(wide(rng, 3e-4, 0.08))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        kind = rng.random()
        if kind < 0.4:
            shape = np.roll(np.arange(7) / 6, int(rng.integers(0, 7)))
        elif kind < 0.7:
            shape = np.roll((np.arange(7) < rng.integers(1, 4)).astype(float), rng.integers(0, 7))
        else:
            shape = rng.normal(0, 0.5, 7)
        unsteady = np.exp(rng.uniform(0, 0.3) * rng.normal(0, 1, len(level)))
        return level + self.amount * shape[days % 7] * unsteady


@dataclass(frozen=True, slots=True)
class Month:
    """A close of books: written on a day of the month, kept for days, or for good."""

    amount: float
    on_day: int
    stays_days: int  # 0: for good

    @classmethod
    def drawn(cls, rng: Rng) -> "Month":
        stays = 0 if chance(rng, 0.45) else int(rng.integers(1, 28))
        return cls(wide(rng, 1e-3, 0.06), int(rng.choice([0, 0, 14, 27, *range(28)])), stays)

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        dates = days.astype("datetime64[D]")
        of_month = (dates - dates.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64)
        starts = np.flatnonzero(of_month == self.on_day)
        pace = np.zeros(len(level))
        for at in starts:
            size = self.amount * float(np.exp(rng.normal(0, 0.25)))
            pace[at] += size
            if self.stays_days and at + self.stays_days < len(pace):
                pace[at + self.stays_days] -= size
        return level + np.cumsum(pace)


@dataclass(frozen=True, slots=True)
class Year:
    """Seasons."""

    amount: float
    second: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Year":
        return cls(wide(rng, 3e-3, 0.2), rng.uniform(0, 0.6))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        turn = 2 * np.pi * days / YEAR_DAYS
        one, two = rng.uniform(0, 2 * np.pi, 2)
        seasons: Float64s = level + self.amount * (
            np.sin(turn + one) + self.second * np.sin(2 * turn + two)
        )
        return seasons


@dataclass(frozen=True, slots=True)
class Saw:
    """Snapshots or logs that pile up and are purged, at a period of their own."""

    every_days: float
    amount: float
    regularity: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Saw":
        return cls(wide(rng, 2, 90), wide(rng, 1e-3, 0.15), wide(rng, 0.5, 200))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level)
        since = np.arange(n, dtype=np.float64)
        for at in moments(rng, n, every=self.every_days, regularity=self.regularity):
            since[at:] = np.arange(n - at)
        return level + self.amount * since / self.every_days


@dataclass(frozen=True, slots=True)
class Noise:
    """Of any colour and tail; it may be in proportion to what is there."""

    spread: float
    memory: float
    is_in_proportion: bool

    @classmethod
    def drawn(cls, rng: Rng) -> "Noise":
        memory = 0.0 if chance(rng, 0.35) else float(rng.uniform(0, 0.97))
        return cls(wide(rng, 1e-5, 2.5e-2), memory, chance(rng, 0.2))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        noise = self.spread * recurring(shocks(rng, len(level)), memory=self.memory)
        return level + (noise * np.abs(level) * 2 if self.is_in_proportion else noise)


@dataclass(frozen=True, slots=True)
class Grain:
    """Told in round numbers, or only now and then."""

    step: float
    every_days: int

    @classmethod
    def drawn(cls, rng: Rng) -> "Grain":
        is_slow = chance(rng, 0.3)
        return cls(wide(rng, 1e-4, 0.02), int(wide(rng, 2, 30)) if is_slow else 1)

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        told = level[np.arange(len(level)) // self.every_days * self.every_days]
        return np.round(told / self.step) * self.step


@dataclass(frozen=True, slots=True)
class Full:
    """It ends at its size."""

    at: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Full":
        return cls(rng.uniform(0.4, 1.0))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        size = float(level.min() + self.at * (level.max() - level.min()))
        return np.minimum(level, size)
