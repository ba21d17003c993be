"""Where what must move would go: never more than there is room for, and everything if there is."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import ShapeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.fitting import fitted, least_seconds

amounts = st.integers(0, 60)


@st.composite
def cases(draw):
    n_arrays = draw(st.integers(1, 3))
    pools = draw(
        st.lists(st.tuples(amounts, st.integers(-1, n_arrays - 1)), min_size=1, max_size=5)
    )
    things = draw(st.lists(st.tuples(st.integers(1, 40), st.integers(0, 9)), max_size=12))
    rooms = draw(st.lists(st.one_of(st.just(np.nan), st.integers(0, 40)), min_size=n_arrays,
                          max_size=n_arrays))  # fmt: skip
    return things, pools, np.array(rooms, dtype=np.float64)


def run(things, pools, rooms):
    return fitted(
        np.array([size for size, _ in things], dtype=np.int64),
        iops=np.array([ask for _, ask in things], dtype=np.float64),
        room_bytes=np.array([room for room, _ in pools], dtype=np.int64),
        array=np.array([array for _, array in pools], dtype=np.int64),
        room_iops=rooms,
    )


@given(cases())
def test_nothing_is_filled_beyond_its_room_and_what_is_left_fits_nowhere(case):
    things, pools, rooms = case
    told = run(*case)
    left = [room for room, _ in pools]
    asked = dict.fromkeys(range(-1, len(rooms)), 0)
    for (size, ask), pool in zip(things, told.tolist(), strict=True):
        if pool != NOWHERE:
            left[pool] -= size
            asked[pools[pool][1]] += ask
    assert min(left) >= 0
    over = {at for at in range(len(rooms)) if asked[at] > rooms[at]}
    assert over == set()
    for (size, ask), pool in zip(things, told.tolist(), strict=True):
        if pool == NOWHERE:
            for room, (_, array) in zip(left, pools, strict=True):
                is_slow = array >= 0 and asked[array] + ask > rooms[array]
                assert size > room or is_slow


@given(cases())
def test_all_fit_where_one_pool_could_take_them_all(case):
    things, _, _ = case
    whole = sum(size for size, _ in things)
    told = run(things, [(whole + 1, -1), (0, -1)], np.array([0.0]))
    assert (told == 0).all()


@pytest.mark.parametrize(("room_iops", "where"), [(np.nan, 0), (10.0, 0), (4.0, 1)])
def test_operations_of_an_array_bound_what_goes_there(room_iops, where):
    told = run([(10, 5)], [(100, 0), (50, 1)], np.array([room_iops, np.nan]))
    assert told.tolist() == [where]


def test_what_does_not_fit_each_other_is_refused():
    two, one = np.ones(2, dtype=np.int64), np.ones(1, dtype=np.int64)
    with pytest.raises(ShapeError):
        fitted(two, iops=np.ones(1), room_bytes=one, array=one, room_iops=np.ones(1))
    with pytest.raises(ShapeError):
        fitted(two, iops=np.ones(2), room_bytes=one, array=two, room_iops=np.ones(1))


@given(
    st.lists(st.tuples(st.integers(1, 90), st.integers(0, 2), st.integers(0, 2)), min_size=1),
    st.lists(st.floats(0.5, 9), min_size=3, max_size=3),
)
def test_a_move_takes_as_long_as_its_busiest_array(things, spare):
    def run(spare):
        return least_seconds(
            np.array([size for size, _, _ in things]),
            source=np.array([source for _, source, _ in things]),
            target=np.array([target for _, _, target in things]),
            spare=np.array(spare),
        )

    by_array = [
        sum(size * ((source == at) + (target == at)) for size, source, target in things)
        for at in range(3)
    ]
    assert run(spare) == pytest.approx(
        max(n / left for n, left in zip(by_array, spare, strict=True))
    )
    busiest = int(np.argmax(by_array))
    assert run([np.nan if at == busiest else left for at, left in enumerate(spare)]) is None
    assert run([0.0 if at == busiest else left for at, left in enumerate(spare)]) == np.inf


def test_of_what_lies_nowhere_nobody_knows_how_long_it_takes():
    one = np.ones(1, dtype=np.int64)
    assert least_seconds(one, source=-one, target=one, spare=np.ones(2)) is None
    assert least_seconds(one[:0], source=one[:0], target=one[:0], spare=np.ones(2)) is None
