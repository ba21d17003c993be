"""What some days show of disks and their tiers, beside plain loops."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from keelmark.core.errors import ShapeError
from keelmark.core.performance import STEPS_A_DAY
from keelmark.core.qos import Tier
from keelmark.core.qos.found import (
    FITS_SHARE,
    WORTH_SHARE,
    Found,
    found_of,
    tally_of,
    worth_a_forecast,
)

TIERS = [
    Tier(name="Spring", min_iops=2_000, max_iops=8_000),
    Tier(name="Slack", min_iops=50, max_iops=300),
    Tier(name="Tiles", min_iops=100, max_iops=600, is_together=True),
]
NONE = -1
N_DISKS, N_STEPS = 4, 36
amounts = st.one_of(st.just(np.nan), st.floats(0, 10_000, width=32))
steps = arrays(np.float64, (N_DISKS, N_STEPS), elements=amounts)
waits = arrays(np.float64, (N_DISKS, N_STEPS), elements=st.sampled_from([0.0, 2.0, 900.0, np.nan]))
limits = arrays(np.float64, (N_DISKS,), elements=st.one_of(st.just(np.nan), st.floats(1, 9_000)))


def day(done, *, qos=0.0, queue=0.0, least=np.nan, most=np.nan, n_steps=STEPS_A_DAY):
    """One disk that does the same all day."""
    told = np.full((1, n_steps), float(done))
    return tally_of(
        told, qos_ms=np.full_like(told, qos), queue_ms=np.full_like(told, queue),
        min_iops=np.array([least]), max_iops=np.array([most]),
    )  # fmt: skip


def kinds(*days, tier):
    told = found_of(days, tiers=TIERS, tier=np.array([tier]))
    return {kind for at, kind in enumerate(Found) if told.is_found[at, 0]}, told


def often(steps):
    """In how many steps it is so in two of the last three."""
    return sum(len({at, at - 1, at - 2} & set(steps)) >= 2 for at in range(N_STEPS))


@given(steps, waits, waits, limits, limits)
def test_a_day_is_counted_as_step_by_step(done, qos, queue, least, most):
    told = tally_of(done, qos_ms=qos, queue_ms=queue, min_iops=least, max_iops=most)
    for row in range(N_DISKS):
        read = [at for at in range(N_STEPS) if not np.isnan(done[row, at])]
        held = [
            at
            for at in read
            if qos[row, at] > 0 or (not np.isnan(most[row]) and done[row, at] >= 0.97 * most[row])
        ]
        starved = [
            at
            for at in read
            if done[row, at] < least[row] and done[row, at] * queue[row, at] / 1000 >= 1
        ]
        assert (told.n_read[row], told.n_held[row]) == (len(read), often(held))
        assert told.n_starved[row] == often(starved)
        busiest = max((done[row, at] for at in read), default=np.nan)
        np.testing.assert_equal(told.most_iops[row], busiest)


@given(steps, limits, st.floats(1, 4))
def test_a_higher_limit_holds_nobody_more(done, most, times):
    nothing = np.zeros_like(done)
    told = [
        tally_of(done, qos_ms=nothing, queue_ms=nothing, min_iops=most, max_iops=one).n_held
        for one in (most, most * times)
    ]
    assert (told[1] <= told[0]).all()


@given(steps, waits, st.permutations(range(N_DISKS)), st.integers(1, 3))
def test_neither_order_nor_days_without_readings_change_what_is_found(done, qos, order, n_days):
    tier = np.array([0, 1, 2, NONE])
    least, most = np.array([2_000.0, 50, 0, 0]), np.array([8_000.0, 300, 600, np.nan])
    wide = np.tile(done, STEPS_A_DAY // N_STEPS)
    long = np.tile(qos, STEPS_A_DAY // N_STEPS)
    days = [
        tally_of(wide, qos_ms=long, queue_ms=long, min_iops=least, max_iops=most)
        for _ in range(n_days)
    ]
    told = found_of(days, tiers=TIERS, tier=tier)
    unread = np.full_like(wide, np.nan)
    empty = tally_of(unread, qos_ms=unread, queue_ms=unread, min_iops=least, max_iops=most)
    more = found_of([*days, empty], tiers=TIERS, tier=tier)
    np.testing.assert_array_equal(told.is_found, more.is_found)
    np.testing.assert_allclose(told.held_hours, more.held_hours)
    at = np.array(order)
    turned = [
        tally_of(wide[at], qos_ms=long[at], queue_ms=long[at], min_iops=least[at],
                 max_iops=most[at])
    ] * n_days  # fmt: skip
    np.testing.assert_array_equal(
        found_of(turned, tiers=TIERS, tier=tier[at]).is_found, told.is_found[:, at]
    )


@pytest.mark.parametrize(
    ("done", "told", "tier", "wanted"),
    [
        (300, {"most": 300.0}, 1, {Found.HELD_LONG}),
        (200, {"most": 300.0}, 1, set()),
        (20, {"most": 300.0, "qos": 5.0}, 1, {Found.HELD_LONG}),
        (40, {"least": 50.0, "queue": 100.0}, 1, {Found.STARVED_OFTEN}),
        (40, {"least": 50.0, "queue": 10.0}, 1, set()),  # nothing stands in line
        (301, {}, NONE, {Found.BUSY_UNTIERED}),
        (300, {}, NONE, set()),
        (200, {}, 0, {Found.LIMIT_LAX}),
        (250, {}, 0, set()),  # a tenth, but Slack would leave too little above it
        (200, {"least": 2_000.0, "queue": 10.0}, 0, {Found.STARVED_OFTEN}),  # kept from more
        (10, {}, 1, set()),  # no lower tier
        (10, {}, 2, set()),  # its limit is not its own
        (np.nan, {}, 0, set()),
    ],
)
def test_what_is_found_of_a_disk(done, told, tier, wanted):
    assert kinds(*[day(done, **told)] * 2, tier=tier)[0] == wanted


def test_of_half_a_day_no_limit_is_said_to_be_too_wide_and_of_less_nobody_held():
    assert kinds(day(200), tier=0)[0] == set()
    few = day(300, most=300.0, n_steps=STEPS_A_DAY // 2 - 1)
    assert kinds(few, tier=1)[0] == set()
    assert kinds(day(300, most=300.0, n_steps=STEPS_A_DAY // 2), tier=1)[0] == {Found.HELD_LONG}


@pytest.mark.parametrize(("done", "fits"), [(FITS_SHARE * 300, 1), (241, 0), (6_401, NONE)])
def test_a_tier_fits_where_a_fifth_is_left(done, fits):
    assert kinds(day(done), tier=NONE)[1].fits.tolist() == [fits]


def test_without_days_or_tiers_nothing_is_found():
    for days, tiers in (([], TIERS), ([day(9_000)], [])):
        told = found_of(days, tiers=tiers, tier=np.array([NONE]))
        assert not told.is_found.any()
        assert told.fits.tolist() == [NONE]


def test_shapes_that_do_not_fit_are_refused():
    with pytest.raises(ShapeError):
        tally_of(
            np.zeros((2, 3)), qos_ms=np.zeros((2, 2)), queue_ms=np.zeros((2, 3)),
            min_iops=np.zeros(2), max_iops=np.zeros(2),
        )  # fmt: skip


@pytest.mark.parametrize(
    ("most", "tier", "is_worth"),
    [
        (WORTH_SHARE * 300, 1, True),
        (WORTH_SHARE * 300 - 1, 1, False),
        (7_000, 0, True),
        (7_000, 2, False),  # what is shared is nobody's own
        (7_000, NONE, False),
        (np.nan, 1, False),
    ],
)
def test_who_is_far_from_a_maximum_of_its_own_is_not_forecast(most, tier, is_worth):
    told = worth_a_forecast(np.array([most]), tiers=TIERS, tier=np.array([tier]))
    assert told.tolist() == [is_worth]


def test_who_outgrows_its_tier_is_found_by_what_is_forecast():
    tier = np.array([1, 1])
    told = found_of([], tiers=TIERS, tier=tier, outgrows=np.array([False, True]))
    assert told.is_found[list(Found).index(Found.OUTGROWS)].tolist() == [False, True]
    assert told.is_found.sum() == 1
