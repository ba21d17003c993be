"""How much may be added until a day, proven by the dates themselves."""

from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from keelmark.core.forecast import runway
from keelmark.core.forecast.noise import MEMORIES
from keelmark.core.forecast.reaching import SHARP_SHARE, TOGETHER, Reaching
from keelmark.core.forecast.room import N_HALVINGS, additions_of, room_until
from keelmark.core.units import TIB
from tests.core.outlooks import make_outlook

HORIZON = 730
N_SERIES = 12
seeds = st.integers(0, 100_000)


def drawn(seed, *, is_planned=False):
    """Futures of every sort: they grow, fall or stand, are sure or not, and have rhythms."""
    rng = np.random.default_rng(seed)
    used = rng.uniform(1, 90, N_SERIES) * TIB
    plain = make_outlook(used, growth=0.0, spread=0.0)
    growth = rng.uniform(-0.05, 0.3, N_SERIES)[:, None] * TIB
    spread = (10.0 ** rng.uniform(-4, 0.3, N_SERIES))[:, None] * TIB
    knots = plain.fan.middle.shape[1]
    days = np.arange(1, knots + 1)[None, :] ** 1.6
    middle = used[:, None] + growth * days
    wide = spread * days ** rng.uniform(0.3, 0.9)
    fan = replace(
        plain.fan, middle=middle, low=middle - wide, high=middle + wide * rng.uniform(0.3, 2),
        noise_variance=(spread[:, 0] * rng.uniform(0, 2, N_SERIES)) ** 2,
        memory=rng.integers(0, len(MEMORIES), N_SERIES),
    )  # fmt: skip
    by_weekday = rng.normal(0, 0.2, (N_SERIES, 7)) * spread * (rng.random(N_SERIES) < 0.4)[:, None]
    of = replace(
        plain, fan=fan, rhythm=replace(plain.rhythm, by_weekday=by_weekday),
        is_judged=rng.random(N_SERIES) < 0.9,
    )  # fmt: skip
    marks = (used * rng.uniform(0.9, 3, N_SERIES)).astype(np.int64)
    days = rng.integers(1, HORIZON, N_SERIES)
    planned = None
    if is_planned:
        begins = rng.integers(0, HORIZON, N_SERIES)[:, None]
        more = rng.uniform(-0.2, 0.4, N_SERIES)[:, None] * used[:, None]
        planned = np.where(np.arange(HORIZON)[None, :] >= begins, more, 0.0)
    return of, marks, days, planned


def early(of, marks, added, *, planned):
    lower = (marks - added).astype(np.int64)
    return runway(of, mark_bytes=lower, horizon_days=HORIZON, added_bytes=planned).early_days


def room_of(seed, *, is_planned):
    of, marks, days, planned = drawn(seed, is_planned=is_planned)
    told = room_until(
        of, mark_bytes=marks, days=days, horizon_days=HORIZON, planned_bytes=planned
    )  # fmt: skip
    return of, marks, days, planned, told


@settings(max_examples=15)
@given(seed=seeds, is_planned=st.booleans())
def test_many_together_are_told_as_each_alone_and_kept_paths_as_new_ones(seed, is_planned):
    of, marks, _, planned = drawn(seed, is_planned=is_planned)
    rows = np.random.default_rng(seed).integers(0, N_SERIES, 2 * TOGETHER + 40)
    more = None if planned is None else planned[rows]
    alone = early(of, marks, 0, planned=planned)
    together = early(of.of_rows(rows), marks[rows], 0, planned=more)
    assert np.array_equal(together, alone[rows], equal_nan=True)
    kept = Reaching(of, horizon_days=HORIZON, added_bytes=planned, are_paths_kept=True)
    for lower in (0, TIB, 40 * TIB, 0):
        (way,) = kept.runways(marks[None, :] - lower)
        wanted = early(of, marks, lower, planned=planned)
        assert np.array_equal(way.early_days, wanted, equal_nan=True)


@settings(max_examples=40)
@given(seed=seeds, is_planned=st.booleans())
def test_what_may_be_added_keeps_the_date_and_a_step_more_does_not(seed, is_planned):
    of, marks, days, planned, told = room_of(seed, is_planned=is_planned)
    known = of.is_judged
    assert not np.isnan(told[known]).any()
    room = np.where(known, told, 0.0)
    assert (early(of, marks, room, planned=planned) > days)[known].all()
    # Dates are told to whole days, by two ways that meet: what is over may be held again above.
    span = (marks if planned is None else marks + np.ptp(planned, axis=1)) + np.maximum(-room, 0.0)
    step = span / 2**N_HALVINGS + 2
    is_over = np.any(
        [early(of, marks, room + share * step, planned=planned) <= days
         for share in (0.25, 0.5, 0.75, 1.0)], axis=0,
    )  # fmt: skip
    most = marks - of.last_bytes - (0 if planned is None else planned.min(axis=1).clip(max=0))
    assert (is_over | (room + step >= most))[known].all()


@settings(max_examples=20)
@given(seed=seeds)
def test_later_days_leave_less_and_higher_marks_leave_more(seed):
    of, marks, days, _ = drawn(seed)
    told = room_until(of, mark_bytes=marks, days=days, horizon_days=HORIZON)
    near = 0.01 * marks  # two ways to a date meet within that
    later = room_until(of, mark_bytes=marks, days=np.minimum(days + 60, HORIZON - 1),
                       horizon_days=HORIZON)  # fmt: skip
    known = of.is_judged
    assert (later <= told + near)[known].all()
    higher = room_until(of, mark_bytes=marks + 5 * TIB, days=days, horizon_days=HORIZON)
    step = (5 * TIB + np.abs(np.nan_to_num(told))) / 2**N_HALVINGS
    assert (higher - told >= 5 * TIB - near - step)[known].all()


def test_of_nothing_judged_there_is_no_room_to_tell():
    of, marks, days, _ = drawn(3)
    of = replace(
        of, is_judged=np.zeros(N_SERIES, dtype=np.bool_), last_bytes=of.last_bytes * np.nan
    )
    told = room_until(of, mark_bytes=marks, days=days, horizon_days=HORIZON)
    assert np.isnan(told).all()


@settings(max_examples=15)
@given(seed=seeds)
def test_dates_between_two_additions_are_the_sooner_ones(seed):
    of, marks, _, _ = drawn(seed)
    most = np.maximum(marks - of.last_bytes, 0.0)
    told = additions_of(of, mark_bytes=marks, least=0 * most, most=most, horizon_days=HORIZON)
    share = np.random.default_rng(seed).uniform(0, 1, (5, N_SERIES))
    found = told.early_after(share * most)
    exact = np.stack([early(of, marks, one * most, planned=None) for one in share])
    known = ~np.isnan(found)
    assert known[:, of.is_judged].all()
    # Where early and late are near each other its date is told by the day, else by blocks.
    assert (found[known] <= exact[known] * (1 + SHARP_SHARE)).all()
