"""What is asked of a history before it is corrected: how unsure it is of itself, and its traits."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.forecast.mix import KNOTS_DAYS, Mix, days_stood_for
from keelmark.core.forecast.ways import WAYS, Readings

PRIOR_TRIALS = 1.5  # what the profile by horizon counts for beside tried forecasts
DISAGREEMENT_WEIGHT = 0.5  # of the ways' disagreement
STEP_DAYS = 30
STEP_WEIGHT = 0.2  # of the spread of 30-day steps
LEAST_UNIT = 2e-6  # of a series' largest level
STEPS_DAYS = (1, 7, 30, 90, 180)
YEAR_DAYS = 365
LATELY_DAYS = 56
STILL = 1e-6  # of the largest level: a day that changed less did not change
CLIP = 6.0
TINY = 1e-12


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Past:
    """A history as it is looked at: levels and shifts in shares of its own largest level.

    ``level``, ``trend`` and ``shift`` are (n_series, n_days), right-aligned, NaN before the
    first reading; ``by_week`` and ``by_month`` (n_series,) are the reach of the rhythms that
    were taken out of them.
    """

    level: Float64s
    trend: Float64s
    shift: Float64s
    readings: Readings
    by_week: Float64s
    by_month: Float64s


def unit_of(past: Past, *, mix: Mix, profile: Float64s) -> Float64s:
    """Return how unsure a history is of itself after each knot, (n_series, n_knots).

    Parameters
    ----------
    past : Past
    mix : Mix
    profile : (n_knots,) float64
        What the mix misses after each knot, in its mean miss a √day: counts where trials are few.
    """
    root = np.sqrt(np.array(KNOTS_DAYS, dtype=np.float64))
    steps = np.abs(np.diff(past.level, axis=1))
    known = ~np.isnan(steps)
    daily = np.where(known, steps, 0.0).sum(axis=1) / np.maximum(known.sum(axis=1), 1)
    typical = np.where(mix.n_trials > 0, mix.mixed_missed, daily)
    guess = np.maximum(typical[:, None] * root * profile, LEAST_UNIT)
    weight = mix.trials / days_stood_for()
    own = np.exp(
        (weight * np.log(np.maximum(mix.off, LEAST_UNIT)) + PRIOR_TRIALS * np.log(guess))
        / (weight + PRIOR_TRIALS)
    )
    spread = _Steps.of(past.level, days=STEP_DAYS).spread[:, None] * root / np.sqrt(STEP_DAYS)
    unit: Float64s = np.sqrt(
        own**2
        + (DISAGREEMENT_WEIGHT * _disagreement(mix)) ** 2
        + (STEP_WEIGHT * spread) ** 2
        + LEAST_UNIT**2
    )
    return unit


def _disagreement(mix: Mix) -> Float64s:
    off = mix.each - mix.middle
    spread: Float64s = np.sqrt(np.maximum(np.einsum("cs,csk->sk", mix.share, off**2), 0.0))
    return spread


def inputs_of(past: Past, *, mix: Mix, unit: Float64s) -> Float64s:
    """Return the traits of each history by knot, (n_series, n_knots, N_INPUTS), without units."""
    by_knot = [*_of_ways(mix, unit=unit), *_of_horizon(past, mix=mix, unit=unit)]
    by_knot += _of_steps(past, unit=unit)
    by_knot += _of_shifts(past, unit=unit)
    by_knot += _of_place(past, unit=unit)
    stacked = np.stack(np.broadcast_arrays(*by_knot), axis=-1)
    # Near nothing as it is, far off by its logarithm: what is wild does not drown the rest.
    inputs: Float64s = np.clip(np.arcsinh(np.nan_to_num(stacked)), -CLIP, CLIP)
    return inputs


def _of_ways(mix: Mix, *, unit: Float64s) -> list[Float64s]:
    """Where each way stands against the mix, and how its trials went against the best."""
    stands = (mix.each - mix.middle) / unit
    best = np.maximum(mix.missed.min(axis=0), TINY)
    worse = np.log(np.maximum(mix.missed, best) / best)
    return [*stands, *(row[:, None] for row in worse)]


def _of_horizon(past: Past, *, mix: Mix, unit: Float64s) -> list[Float64s]:
    knots = np.array(KNOTS_DAYS, dtype=np.float64)
    n_days = past.level.shape[1]
    span = np.maximum(n_days - past.readings.first_column, 1).astype(np.float64)[:, None]
    tried = mix.trials / days_stood_for()
    return [
        np.log(knots)[None, :] / 2,
        np.log(span) / 2,
        np.log(knots / span),
        np.minimum(knots / span, 3.0),
        np.log1p(mix.n_trials)[:, None],
        tried,
        mix.bias / unit,
        np.log(np.maximum(mix.off, TINY) / unit) * (tried > 0),
        np.log(unit) / 2,
        np.log((_disagreement(mix) + TINY) / unit) / 2,
        np.log((mix.mixed_missed[:, None] * np.sqrt(knots) + TINY) / unit) / 2,
    ]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Steps:
    """Changes over so many days, each (n_series,): mean, spread, largest up and down, skew."""

    mean: Float64s
    spread: Float64s
    up: Float64s
    down: Float64s
    skew: Float64s
    echo: Float64s  # how much a step tells of the next one that does not overlap it

    @classmethod
    def of(cls, level: Float64s, *, days: int) -> "_Steps":
        n_series, n_days = level.shape
        if n_days <= days:
            nothing = np.zeros(n_series)
            return cls(
                mean=nothing, spread=nothing, up=nothing, down=nothing, skew=nothing, echo=nothing
            )
        steps = level[:, days:] - level[:, :-days]
        is_known = ~np.isnan(steps)
        n = np.maximum(is_known.sum(axis=1), 1)
        known = np.where(is_known, steps, 0.0)
        mean = known.sum(axis=1) / n
        off = np.where(is_known, steps - mean[:, None], 0.0)
        square = off**2
        variance = square.sum(axis=1) / n
        spread = np.sqrt(variance)
        safe = np.maximum(variance, TINY)
        echo = np.zeros(n_series)
        if steps.shape[1] > days:
            echo = (off[:, days:] * off[:, :-days]).sum(axis=1) / np.maximum(n - days, 1) / safe
        return cls(
            mean=mean,
            spread=spread,
            up=_most(steps, is_known=is_known, sign=1.0),
            down=_most(steps, is_known=is_known, sign=-1.0),
            skew=(square * off).sum(axis=1) / n / safe**1.5,
            echo=np.clip(echo, -1.5, 1.5),
        )


def _most(steps: Float64s, *, is_known: Bools, sign: float) -> Float64s:
    """The largest step up or down of each series, 0 where none is known."""
    most = np.where(is_known, sign * steps, -np.inf).max(axis=1)
    return np.where(np.isinf(most), 0.0, sign * most)


def _of_steps(past: Past, *, unit: Float64s) -> list[Float64s]:
    knots = np.array(KNOTS_DAYS, dtype=np.float64)
    told: list[Float64s] = []
    for days in STEPS_DAYS:
        of = _Steps.of(past.level, days=days)
        spread = of.spread[:, None] * np.sqrt(knots / days)
        told += [
            of.mean[:, None] * knots / days / unit,
            np.log((spread + TINY) / unit) / 2,
            of.up[:, None] / unit,
            of.down[:, None] / unit,
            np.clip(of.skew, -5, 5)[:, None] / 2,
            of.echo[:, None] * 2,
        ]
    lately = _Steps.of(past.level[:, -LATELY_DAYS:], days=1).spread
    ever = _Steps.of(past.level, days=1).spread
    change = np.diff(past.level, axis=1, prepend=np.nan)  # one day has none
    is_known = ~np.isnan(change)
    is_still = np.abs(change) < STILL
    moved = (is_known & ~is_still)[:, ::-1]
    n_known = is_known.sum(axis=1)
    since = np.where(moved.any(axis=1), np.argmax(moved, axis=1), n_known)
    return [
        *told,
        np.log((lately + TINY) / (ever + TINY))[:, None],
        (is_still.sum(axis=1) / np.maximum(n_known, 1))[:, None] * 3,
        is_still[:, -28:].mean(axis=1)[:, None] * 3,
        np.log1p(since)[:, None],
    ]


def _of_shifts(past: Past, *, unit: Float64s) -> list[Float64s]:
    """Shifts up and down, as if they came on as they came; their number; how long ago."""
    knots = np.array(KNOTS_DAYS, dtype=np.float64)
    n_days = past.level.shape[1]
    span = np.maximum(n_days - past.readings.first_column, 1).astype(np.float64)[:, None]
    told: list[Float64s] = []
    for sign in (1.0, -1.0):
        of_sign = np.maximum(sign * past.shift, 0.0)
        is_shift: Bools = of_sign > 0
        n = is_shift.sum(axis=1)[:, None]
        total = of_sign.sum(axis=1)[:, None]
        largest = of_sign.max(axis=1)[:, None]
        last = np.argmax(is_shift[:, ::-1], axis=1)[:, None] * (n > 0)
        column = np.maximum(n_days - 1 - last, 0)
        then = np.take_along_axis(past.level, column, axis=1)
        told += [
            total * knots / span / unit,
            largest / unit,
            np.log1p(n),
            np.log1p(last / 10.0),
            (total - largest) / (total + TINY) * 2,
            np.minimum(last * n / span, 4.0),
            np.where(n > 0, past.level[:, -1:] - then, 0.0) / unit,
        ]
    return told


def _of_place(past: Past, *, unit: Float64s) -> list[Float64s]:
    """Where it stands in all it has been, and what a year ago came after."""
    is_unread = np.isnan(past.level[:, -1:])
    level = np.where(is_unread, 0.0, past.level)
    n_days = level.shape[1]
    last = level[:, -1:]
    highest, lowest = np.nanmax(level, axis=1)[:, None], np.nanmin(level, axis=1)[:, None]
    reach = highest - lowest
    since_high = (n_days - 1 - np.nanargmax(level, axis=1))[:, None]
    since_low = (n_days - 1 - np.nanargmin(level, axis=1))[:, None]
    span = np.maximum(n_days - past.readings.first_column, 1).astype(np.float64)[:, None]
    told = [
        last,
        (last - lowest) / (reach + TINY) * 2,
        np.log((reach + TINY) / unit) / 2,
        (highest - last) / unit,
        (last - lowest) / unit,
        since_high / span * 2,
        since_low / span * 2,
        np.log((past.by_week[:, None] + TINY) / unit).clip(-CLIP, CLIP) / 2,
        np.log((past.by_month[:, None] + TINY) / unit).clip(-CLIP, CLIP) / 2,
        last / unit / 10,
    ]
    return [*told, *_a_year_ago(level, unit=unit)]


def _a_year_ago(level: Float64s, *, unit: Float64s) -> list[Float64s]:
    n_series, n_days = level.shape
    came = np.full((n_series, len(KNOTS_DAYS)), np.nan)
    then = n_days - 1 - YEAR_DAYS
    if then >= 0:
        for column, ahead in enumerate(KNOTS_DAYS):
            if ahead <= YEAR_DAYS:
                came[:, column] = level[:, then + ahead] - level[:, then]
    return [came / unit, (~np.isnan(came)).astype(np.float64)]


NAMES = (
    *(f"stands: {way.name}" for way in WAYS),
    *(f"missed: {way.name}" for way in WAYS),
    "log horizon", "log history", "log horizon by history", "horizon by history", "trials",
    "trials here", "bias", "missed here", "unit", "disagreement", "missed a √day",
    *(
        f"{what} of {days} days"
        for days in STEPS_DAYS
        for what in ("drift", "spread", "most up", "most down", "skew", "echo")
    ),
    "lately livelier", "still", "still lately", "since it moved",
    *(
        f"{what} {way}"
        for way in ("up", "down")
        for what in (
            "shifts come on", "largest shift", "n shifts", "since a shift", "not one shift",
            "since by usual", "grown since",
        )
    ),
    "level", "place", "reach", "below its highest", "above its lowest", "since its highest",
    "since its lowest", "week", "month", "level in units", "a year ago", "knows a year ago",
)  # fmt: skip
N_INPUTS = len(NAMES)
