"""Puts behaviours on top of each other: no families, only what may happen together."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from bench.forecast.simulate.draws import Rng, chance, wide
from bench.forecast.simulate.growing import (
    Bursts,
    InProportion,
    Kept,
    NewPace,
    NewPaces,
    Pace,
    RollOut,
    Wander,
)
from bench.forecast.simulate.happening import (
    CleanUps,
    HeldByHand,
    Move,
    Rebuilds,
    Spikes,
    Steps,
    Stopped,
)
from bench.forecast.simulate.reading import read
from bench.forecast.simulate.returning import Full, Grain, Month, Noise, Saw, Week, Year
from keelmark.core.arrays import Float64s, Int64s

FIRST_DAYS = (10_000, 21_000)  # since 1970
REACHES = (0.003, 0.7)  # of capacity, from the lowest to the highest of the past
REACH_SHARE = 0.7  # the others reach as far as their behaviours happen to
MAX_TIMES = 4.0  # of what was ever there; more is no future anyone plans for,
FOLD_TIMES = 1.5  # unless the past went up by as many times: more than this of that again
MOST_TIMES = 12.0  # ever
LEAST_SHARE = 0.05  # of the highest, that it is taken to have begun with


class Behaviour(Protocol):
    """Something that changes a level, given as shares of a capacity a day."""

    @classmethod
    def drawn(cls, rng: Rng) -> "Behaviour": ...

    def on(self, level: Float64s, *, days: Int64s, rng: Rng) -> Float64s: ...


# In the order in which they lie on top of each other, with how often each is there.
LAYERS: tuple[tuple[type[Behaviour], float], ...] = (
    (Pace, 0.7),
    (NewPace, 0.6),
    (Wander, 0.3),
    (Bursts, 0.12),
    (RollOut, 0.12),
    (Kept, 0.16),
    (InProportion, 0.15),
    (NewPaces, 0.11),
    (Steps, 0.25),
    (CleanUps, 0.2),
    (Rebuilds, 0.02),
    (HeldByHand, 0.13),
    (Move, 0.6),
    (Spikes, 0.05),
    (Saw, 0.1),
    (Month, 0.13),
    (Week, 0.25),
    (Year, 0.13),
    (Full, 0.05),
    (Noise, 0.8),
    (Stopped, 0.05),
    (Grain, 0.08),
)
PACE_SHARE = 0.55  # of what nothing else makes grow: it goes on at its pace
GROWS_SHARE = 0.8  # the others lie still but for what happens to them
OTHERS = range(2, 7)  # of the layers, that make anything grow by themselves
LIVELY = (0.15, 1.4)  # the same share of all of them is there in a calm or a lively history
SOURCE_LAYERS = 12  # those that each of several sources has for itself


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class History:
    """Readings (n_known,) NaN where unread, what comes (n_ahead,), and the first day's number."""

    known: Float64s
    future: Float64s
    capacity: float
    first_day: int


def history(rng: Rng, *, n_known: int, n_ahead: int, without: str = "") -> History:
    """Return one history at random, anything on top of anything but one behaviour by name."""
    while True:
        made = _made(rng, n_known=n_known, n_ahead=n_ahead, without=without)
        if made is not None:
            return made


def _made(rng: Rng, *, n_known: int, n_ahead: int, without: str) -> History | None:
    n = n_known + n_ahead
    first_day = int(rng.integers(*FIRST_DAYS))
    days = first_day + np.arange(n)
    level = np.zeros(n)
    n_sources = 1 if chance(rng, 0.75) else int(rng.integers(2, 7))
    lively = rng.uniform(*LIVELY)
    of_source, of_all = (
        tuple((one, 0.0 if one.__name__ == without else share) for one, share in layers)
        for layers in (LAYERS[:SOURCE_LAYERS], LAYERS[SOURCE_LAYERS:])
    )
    for _ in range(n_sources):
        source = np.full(n, wide(rng, 0.01, 0.6) / n_sources)
        level = level + _laid(source, of_source, lively=lively, days=days, rng=rng)
    level = _laid(level, of_all, lively=lively, days=days, rng=rng)
    if chance(rng, REACH_SHARE):
        level = level * wide(rng, *REACHES) / max(float(np.ptp(level[:n_known])), 1e-9)
        level = level + wide(rng, 0.05, 0.9) - float(level[0])
    lowest = float(level.min())
    if lowest < 0:  # what is there already is enough for what is taken away, mostly
        level = np.maximum(level, 0.0) if chance(rng, 0.2) else level - lowest * rng.uniform(1, 2)
    known, future = level[:n_known], level[n_known:]
    highest = float(known.max())
    if highest <= 0 or not np.isfinite(level).all():
        return None
    # Judged by its own past: else what grows in proportion would be known to end early.
    fold = float(known[-1]) / max(float(known[0]), LEAST_SHARE * highest)
    again = FOLD_TIMES * max(fold, 1.0) ** (n_ahead / n_known)
    if future.max() > max(MAX_TIMES, min(again, MOST_TIMES)) * highest:
        return None
    last = float(known[-1])
    return History(
        known=read(known, rng=rng),
        future=future,
        capacity=max(last, 0.3 * highest) / rng.uniform(0.35, 0.95),
        first_day=first_day,
    )


def _laid(
    level: Float64s,
    layers: tuple[tuple[type[Behaviour], float], ...],
    *,
    lively: float,
    days: Int64s,
    rng: Rng,
) -> Float64s:
    grows = -1
    if layers[0][0] is LAYERS[0][0]:
        grows = 0 if chance(rng, PACE_SHARE) else int(rng.choice(OTHERS))
    for at, (behaviour, share) in enumerate(layers):
        if share and (chance(rng, lively * share) or (at == grows and chance(rng, GROWS_SHARE))):
            level = behaviour.drawn(rng).on(level, days=days, rng=rng)
    return level
