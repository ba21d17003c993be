"""What is said of a history: ways mixed, corrected by what was learnt, and shifts taken as once."""

from dataclasses import dataclass, replace

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.forecast.clean import CleanSeries
from keelmark.core.forecast.fan import Fan
from keelmark.core.forecast.inputs import LEAST_UNIT, Past, inputs_of, unit_of
from keelmark.core.forecast.learnt import Learnt, corrected
from keelmark.core.forecast.mix import KNOTS_DAYS, mixed
from keelmark.core.forecast.noise import noise_of
from keelmark.core.forecast.rhythm import Rhythm, learn_rhythm
from keelmark.core.forecast.robust import zeroed
from keelmark.core.forecast.straight import straight_of
from keelmark.core.forecast.ways import Readings

GROWTH_DAYS = 28  # what is told as growth a day is the mean of as many days ahead
GROWTH_KNOT = KNOTS_DAYS.index(GROWTH_DAYS)
EXACT_UNIT = 2 * LEAST_UNIT
BEATEN_UNITS = 0.25  # as far off all ways a middle may be
EVENT_DAYS = 7  # shifts no farther apart are one event
ALWAYS_SHARES = (0.0, 0.9, 0.5)  # by the number of events, of a history without them


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Told:
    """What ways and networks say, in shares of each series' largest level.

    ``share`` (N_WAYS, n_series) is how much each way counts, ``learnt`` (n_series,) what was
    learnt on top of them after GROWTH_DAYS, ``always_share`` (n_series,) how much of it all is
    said of the history as if its shifts had always been there, ``line_share`` how much of a line
    that never bent.
    """

    level: Float64s
    fan: Fan
    share: Float64s
    learnt: Float64s
    is_unlike: Bools
    always_share: Float64s
    line_share: Float64s


def past_of(
    readings: CleanSeries, *, scale: Float64s, last_day: Int64s, has_calendar: bool
) -> tuple[Past, Rhythm]:
    """Return what is looked at, in shares of each series' largest level, and its rhythm."""
    trend = readings.trend_bytes / scale[:, None]
    rhythm = learn_rhythm(trend, last_day=last_day, has_calendar=has_calendar)
    returning = rhythm.on(np.arange(1 - trend.shape[1], 1))
    level = readings.level_bytes / scale[:, None] - returning
    trend = trend - returning
    past = Past(
        level=level,
        trend=trend,
        shift=zeroed(readings.shift_bytes + readings.jump_bytes) / scale[:, None],
        readings=Readings.of(level, trend=trend, first_column=readings.first_column),
        by_week=np.ptp(rhythm.by_weekday, axis=1),
        by_month=np.ptp(rhythm.by_month_slot, axis=1),
    )
    return past, rhythm


def told_of(past: Past, *, by: Learnt) -> Told:
    """Return what ways say of histories, and what was learnt says on top."""
    mix = mixed(past.readings)
    unit = unit_of(past, mix=mix, profile=by.profile)
    correction = corrected(inputs_of(past, mix=mix, unit=unit), by=by)
    # Nothing wild comes off the beaten track: the middle stays near what some way says.
    lowest = mix.each.min(axis=0) - BEATEN_UNITS * unit
    highest = mix.each.max(axis=0) + BEATEN_UNITS * unit
    middle = np.clip(mix.middle + correction.shift * unit, lowest, highest)
    # What was never off by more than rounding needs no correction.
    middle = np.where(unit <= EXACT_UNIT, mix.middle, middle)
    noise = noise_of(past.trend)
    line = straight_of(past.readings.without, noise=noise)
    told = np.stack(
        [middle - correction.down * unit, middle, middle + correction.up * unit], axis=1
    )
    share = line.share[:, None, None]
    told = (1 - share) * told + share * line.fan
    return Told(
        level=mix.level,
        fan=Fan(
            low=told[:, 0],
            middle=told[:, 1],
            high=told[:, 2],
            noise_variance=noise.variance,
            memory=noise.memory,
        ),
        share=mix.share,
        learnt=told[:, 1, GROWTH_KNOT] - mix.middle[:, GROWTH_KNOT],
        is_unlike=correction.is_unlike,
        always_share=np.zeros(len(middle)),
        line_share=line.share,
    )


def with_what_happened_once(
    told: Told,
    *,
    readings: CleanSeries,
    scale: Float64s,
    last_day: Int64s,
    has_calendar: bool,
    by: Learnt,
) -> Told:
    """Return the same, counting for most what would be said if a single shift had always been.

    Parameters
    ----------
    told : Told
        Of histories as they are.
    readings : CleanSeries
        What it was told of.
    scale, last_day : (n_series,)
        The largest level of each in bytes, and the day of its last reading.
    has_calendar : bool
        Whether days are those of a calendar.
    by : Learnt
        What was learnt.

    Notes
    -----
    The average of the quantiles of both, by ALWAYS_SHARES: what happened once in all that is
    known hardly tells of the future; what happened three times is a habit.
    """
    events = _n_events(readings.shift_bytes != 0)
    rows = np.flatnonzero((events > 0) & (events < len(ALWAYS_SHARES)))
    if len(rows) == 0:
        return told
    trend = readings.trend_bytes[rows]
    without = CleanSeries(
        level_bytes=trend,
        trend_bytes=trend,
        shift_bytes=np.zeros_like(trend),
        jump_bytes=readings.jump_bytes[rows],
        repairs=readings.repairs[rows],
        first_column=readings.first_column[rows],
        last_column=readings.last_column[rows],
        n_stuck_days=readings.n_stuck_days[rows],
    )
    own = np.maximum(zeroed(trend).max(axis=1), 1.0)
    past, _ = past_of(without, scale=own, last_day=last_day[rows], has_calendar=has_calendar)
    always = told_of(past, by=by)
    share = np.array(ALWAYS_SHARES)[events[rows]]
    size = own / scale[rows]

    def both(one: Float64s, other: Float64s) -> Float64s:
        """Of amounts (n_series, …) of all and (n_rows, …) of those without."""
        blended = one.copy()
        across = (slice(None), *(None,) * (one.ndim - 1))
        blended[rows] = (1 - share[across]) * one[rows] + (share * size)[across] * other
        return blended

    shares = told.share.copy()
    shares[:, rows] = (1 - share) * told.share[:, rows] + share * always.share
    always_share = told.always_share.copy()
    always_share[rows] = share
    return replace(
        told,
        fan=replace(
            told.fan,
            low=both(told.fan.low, always.fan.low),
            middle=both(told.fan.middle, always.fan.middle),
            high=both(told.fan.high, always.fan.high),
        ),
        share=shares,
        learnt=both(told.learnt, always.learnt),
        always_share=always_share,
        line_share=both(told.line_share, always.line_share / size),
    )


def _n_events(is_shift: Bools) -> Int64s:
    """How often something shifted; what went on for days is one event."""
    lately = np.zeros_like(is_shift)
    for days in range(1, EVENT_DAYS + 1):
        lately[:, days:] |= is_shift[:, :-days]
    count: Int64s = (is_shift & ~lately).sum(axis=1)
    return count
