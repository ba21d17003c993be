"""Counters to five-minute means: resets are seen, gaps stay gaps."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import ShapeError

STEP_US = 300_000_000
STEP_SECONDS = 300.0
MAX_GAP_STEPS = 3  # over a longer silence, a mean would hide what happened in it


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Counters:
    """The last samples of counters, each (n_series,).

    ``at_us`` counts microseconds since 1970; ``boundary_value`` is what the counter stood at
    when the step of its sample began, NaN where that is not known.
    """

    at_us: Int64s
    value: Float64s
    boundary_value: Float64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Rates:
    """Means of whole steps: entry i is the step that begins at ``at_us[i]`` of ``series[i]``."""

    series: Int64s
    at_us: Int64s
    per_second: Float64s
    after: Counters
    n_resets: int


def first_samples(*, at_us: Int64s, value: Float64s) -> Counters:
    """Return counters that are met for the first time.

    Parameters
    ----------
    at_us : (n_series,) int64
        When they were read, microseconds since 1970.
    value : (n_series,) float64
        What they stood at.

    Returns
    -------
    Counters
        Their boundary is known only where the sample stands on one.
    """
    is_on = at_us % STEP_US == 0
    return Counters(at_us=at_us, value=value, boundary_value=np.where(is_on, value, np.nan))


def rates(before: Counters, *, at_us: Int64s, value: Float64s) -> Rates:
    """Return the means of the five-minute steps that ended between two samples.

    A counter is taken to run evenly from one sample to the next, so its value at each
    boundary is interpolated and a step's mean is the difference of its two boundaries over
    its length. A counter that is lower than before was reset: the steps that the reset
    touches are left out, and so are those of a silence of more than three steps.

    Parameters
    ----------
    before : Counters
        The samples before.
    at_us : (n_series,) int64
        When the new samples were read.
    value : (n_series,) float64
        The new samples.

    Returns
    -------
    Rates
        Whole steps only; a sample that is not younger than the one before changes nothing.

    Raises
    ------
    ShapeError
        If the arrays differ in length.
    """
    _check(before, at_us=at_us, value=value)
    is_younger = at_us > before.at_us
    is_reset = is_younger & (value < before.value)
    gap_us = at_us - before.at_us
    is_usable = is_younger & ~is_reset & (gap_us <= MAX_GAP_STEPS * STEP_US)
    slope = (value - before.value) / np.where(is_usable, gap_us, 1)
    first = before.at_us // STEP_US * STEP_US
    known = before.boundary_value.copy()
    series, steps, means = [], [], []
    for ahead in range(1, MAX_GAP_STEPS + 2):
        boundary = first + ahead * STEP_US
        is_due = is_usable & (boundary <= at_us)
        at_boundary = before.value + slope * (boundary - before.at_us)
        mean = (at_boundary - known) / STEP_SECONDS
        is_told = is_due & np.isfinite(mean)
        series.append(np.flatnonzero(is_told))
        steps.append(boundary[is_told] - STEP_US)
        means.append(mean[is_told])
        known = np.where(is_due, at_boundary, known)
    fresh = first_samples(at_us=at_us, value=value)
    return Rates(
        series=np.concatenate(series),
        at_us=np.concatenate(steps),
        per_second=np.concatenate(means),
        after=Counters(
            at_us=np.where(is_younger, at_us, before.at_us),
            value=np.where(is_younger, value, before.value),
            boundary_value=np.where(
                is_usable, known, np.where(is_younger, fresh.boundary_value, known)
            ),
        ),
        n_resets=int(is_reset.sum()),
    )


def _check(before: Counters, *, at_us: Int64s, value: Float64s) -> None:
    n_series = len(before.at_us)
    for argument, found in (("at_us", at_us), ("value", value)):
        if found.shape != (n_series,):
            raise ShapeError(argument=argument, wanted=f"({n_series},)", found=found.shape)
