"""What happens at once: moves, loads, clean-ups, copies that come and go."""

from dataclasses import dataclass

import numpy as np

from bench.forecast.simulate.draws import Rng, chance, moments, ramp, some_time, wide
from keelmark.core.arrays import Float64s, Int64s


@dataclass(frozen=True, slots=True)
class Steps:
    """Batches, new workloads, deletions: of like or unlike size, by the clock or at will."""

    every_days: float
    regularity: float
    mean: float
    breadth: float
    up_share: float
    n_days: int
    return_share: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Steps":
        return cls(
            every_days=wide(rng, 3, 200),
            regularity=wide(rng, 0.05, 60) if chance(rng, 0.6) else 0.0,
            mean=wide(rng, 2e-3, 0.12),
            breadth=rng.uniform(0, 1.2),
            up_share=1.0 if chance(rng, 0.45) else rng.uniform(0.2, 1.0),
            n_days=int(wide(rng, 1, 12)),
            return_share=rng.uniform(0, 1) if chance(rng, 0.15) else 0.0,
        )

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level)
        pace = np.zeros(n)
        for at in moments(rng, n, every=self.every_days, regularity=self.regularity):
            size = self.mean * float(np.exp(rng.normal(0, self.breadth)))
            size *= 1.0 if chance(rng, self.up_share) else -1.0
            over = int(rng.integers(1, self.n_days + 1))
            pace[at : at + over] += size / over
            if chance(rng, self.return_share):
                back = at + over + int(wide(rng, 2, 90))
                pace[back : back + 2] -= size / 2
        return level + np.cumsum(pace)


@dataclass(frozen=True, slots=True)
class Move:
    """One migration in or out, once in all the time."""

    amount: float
    at: float
    n_days: int

    @classmethod
    def drawn(cls, rng: Rng) -> "Move":
        sign = 1.0 if chance(rng, 0.65) else -1.0
        return cls(sign * wide(rng, 0.01, 0.6), some_time(rng), int(wide(rng, 1, 25)))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        return level + self.amount * ramp(len(level), at=int(self.at * len(level)), n=self.n_days)


@dataclass(frozen=True, slots=True)
class CleanUps:
    """Now and then what has come since the last time is thinned out, and a part is kept."""

    every_days: float
    regularity: float
    kept_share: float
    breadth: float
    n_days: int

    @classmethod
    def drawn(cls, rng: Rng) -> "CleanUps":
        return cls(
            wide(rng, 6, 260), wide(rng, 0.3, 40), rng.uniform(0, 0.95), rng.uniform(0, 0.35),
            int(wide(rng, 1, 10)),
        )  # fmt: skip

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level)
        steps = np.diff(level, prepend=level[:1])
        since = 0
        for at in moments(rng, n, every=self.every_days, regularity=self.regularity):
            grown = max(0.0, float(steps[since:at].sum()))
            kept = float(np.clip(self.kept_share + rng.normal(0, self.breadth), 0, 1.05))
            steps[at : at + self.n_days] -= grown * (1 - kept) / self.n_days
            since = min(at + self.n_days, n)
        left: Float64s = level[0] + np.cumsum(steps)
        return left


@dataclass(frozen=True, slots=True)
class HeldByHand:
    """Someone looks now and then and frees space where it stands above what they want."""

    above: float
    below: float
    looks_days: float
    new_target_days: float

    @classmethod
    def drawn(cls, rng: Rng) -> "HeldByHand":
        return cls(
            wide(rng, 0.005, 0.2), wide(rng, 0.005, 0.2), wide(rng, 1, 30), wide(rng, 100, 3000)
        )

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        n = len(level)
        target = float(np.quantile(level, rng.uniform(0.1, 0.7)))
        taken, held = 0.0, np.empty(n)
        looks = iter(sorted(set(moments(rng, n, every=self.looks_days, regularity=2.0))))
        next_look = next(looks, n)
        for day in range(n):
            if rng.random() < 1 / self.new_target_days:
                target += rng.normal(0, 0.15)
            if day == next_look:
                next_look = next(looks, n)
                if level[day] - taken > target + self.above:
                    taken = level[day] - target + self.below * rng.uniform(0, 1)
            held[day] = level[day] - taken
        return held


@dataclass(frozen=True, slots=True)
class Spikes:
    """Something large lies there for some days and is gone: a dump, a restore, a copy."""

    every_days: float
    amount: float
    stays_days: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Spikes":
        return cls(wide(rng, 15, 400), wide(rng, 0.005, 0.4), wide(rng, 1, 30))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        there = level.copy()
        for at in moments(rng, len(level), every=self.every_days, regularity=0.5):
            stays = int(max(1, rng.exponential(self.stays_days)))
            there[at : at + stays] += self.amount * float(np.exp(rng.normal(0, 0.6)))
        return there


@dataclass(frozen=True, slots=True)
class Stopped:
    """Nobody writes to it any more: not a byte changes from some day on."""

    at: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Stopped":
        return cls(some_time(rng))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        still = level.copy()
        still[int(self.at * len(level)) :] = level[int(self.at * len(level))]
        return still


@dataclass(frozen=True, slots=True)
class Rebuilds:
    """Emptied and begun anew, once in a long time."""

    every_days: float
    left_share: float

    @classmethod
    def drawn(cls, rng: Rng) -> "Rebuilds":
        return cls(wide(rng, 150, 1500), rng.uniform(0, 0.5))

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s:
        steps = np.diff(level, prepend=0.0)
        for at in moments(rng, len(level), every=self.every_days, regularity=1.0):
            stood = float(steps[:at].sum())
            steps[at] -= max(0.0, stood) * (1 - self.left_share)
        return np.cumsum(steps)
