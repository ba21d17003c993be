"""Many workloads together: within all limits, as good as all ways tried, never above the bound."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.assigning import assign
from keelmark.core.placement.bound import Bounding, simple_bound
from keelmark.core.placement.greedy import fill, place_greedily, swap
from keelmark.core.placement.question import Left, Limit, Question

N_GROUPS = 2


def question_of(seed, *, n_workloads, n_places, n_units=1, tightness=1.0):
    """Pools on arrays, whose rooms hold about so much of all that is asked for."""
    rng = np.random.default_rng(seed)
    worth = 1 + 0.25 * rng.random((n_workloads, n_places))
    worth[rng.random(worth.shape) < 0.15] = -np.inf
    units = rng.integers(1, n_units + 1, n_workloads)
    bytes_of, iops = rng.integers(1, 9, n_workloads), rng.integers(0, 5, n_workloads)
    array = rng.integers(NOWHERE, 2, n_places)

    def room(of, n):
        whole = tightness * float((of * units).sum())
        return np.round(whole * rng.dirichlet(np.ones(n) * 3) * 1.0)

    return Question(
        worth=worth,
        units=units,
        limits=(
            Limit(name="space", room=room(bytes_of, n_places), demand=bytes_of.astype(float),
                  at=np.arange(n_places)),
            Limit(name="iops", room=room(iops, 2), demand=iops.astype(float), at=array),
            Limit(name="quota", room=room(bytes_of, 2), demand=bytes_of.astype(float),
                  of=rng.integers(NOWHERE, 2, n_workloads)),
        ),
        apart=np.where(rng.random(n_workloads) < 0.3, 0, NOWHERE),
        groups=(rng.integers(0, N_GROUPS, n_places),),
    )  # fmt: skip


questions = st.builds(
    question_of, st.integers(0, 2**32 - 1), n_workloads=st.integers(1, 4),
    n_places=st.integers(1, 3), n_units=st.integers(1, 2),
    tightness=st.sampled_from([0.4, 0.8, 1.5, 4.0]),
)  # fmt: skip


def is_within(question, counts):
    """Whether units (n_workloads, n_places) keep every limit, worked out one by one."""
    if (counts.sum(axis=1) > question.units).any():
        return False
    if (counts[~np.isfinite(question.worth)] > 0).any():
        return False
    for limit in question.limits:
        taken = np.zeros(len(limit.room))
        for (w, p), n in np.ndenumerate(counts):
            row = limit.at[p] if limit.at is not None else limit.of[w]
            if row != NOWHERE:
                taken[row] += n * limit.demand[w]
        if (taken > np.maximum(limit.room, 0) + 1e-6).any():
            return False
    for w in np.flatnonzero(question.apart != NOWHERE):
        for group in range(N_GROUPS):
            if counts[w, question.groups[0] == group].sum() > 1:
                return False
    return True


def worth_of(question, counts):
    return float((np.where(np.isfinite(question.worth), question.worth, 0) * counts).sum())


def best_by_trying_all(question):
    """The most that any way of placing is worth."""
    ways = []
    for units in question.units:
        each = itertools.product(range(units + 1), repeat=question.n_places)
        ways.append([one for one in each if sum(one) <= units])
    tried = (np.array(one) for one in itertools.product(*ways))
    return max(worth_of(question, one) for one in tried if is_within(question, one))


def counts_of(question, placed):
    counts = np.zeros(question.worth.shape, dtype=np.int64)
    np.add.at(counts, (placed.workload, placed.place), placed.n_units)
    return counts


@given(question=questions)
def test_few_are_placed_as_well_as_any_way_that_there_is(question):
    told = assign(question)
    counts = counts_of(question, told.placed)
    assert is_within(question, counts)
    assert told.placed.worth == pytest.approx(worth_of(question, counts))
    assert told.placed.worth == pytest.approx(best_by_trying_all(question), rel=2.5e-3)
    assert told.bound >= told.placed.worth - 1e-6


@given(question=questions)
def test_no_way_is_worth_more_than_the_bound_and_none_placed_is_past_a_limit(question):
    left = Left(question)
    place_greedily(left)
    greedy = left.placed
    best = best_by_trying_all(question)
    told = Bounding(question, near=greedy)
    assert greedy.worth - 1e-6 <= best <= simple_bound(question) + 1e-6
    while not told.is_done:
        told.go_on()
        assert best <= told.bound + 1e-6
        filled = Left(question)
        fill(filled, above=told.above)
        assert is_within(question, counts_of(question, filled.placed))
    swap(left)
    assert is_within(question, counts_of(question, left.placed))
    assert greedy.worth - 1e-6 <= left.placed.worth <= best + 1e-6
    for limit, room in zip(question.limits, left.rooms, strict=True):
        taken = np.zeros(len(limit.room))
        for (w, p), n in np.ndenumerate(counts_of(question, left.placed)):
            row = limit.at[p] if limit.at is not None else limit.of[w]
            taken[row] += n * limit.demand[w] if row != NOWHERE else 0
        np.testing.assert_allclose(room, limit.room - taken)


@pytest.mark.parametrize("tightness", [0.5, 0.9, 1.2])
@pytest.mark.parametrize("seed", [1, 2])
def test_many_are_placed_near_the_bound(seed, tightness):
    question = question_of(seed, n_workloads=80, n_places=30, n_units=3, tightness=tightness)
    told = assign(question)
    assert is_within(question, counts_of(question, told.placed))
    assert 0 <= told.gap <= 0.12  # few rooms of few units: whole ones leave something over


@given(question=questions)
def test_more_room_is_never_worse(question):
    more = Question(
        worth=question.worth, units=question.units, apart=question.apart, groups=question.groups,
        limits=tuple(
            Limit(name=one.name, room=one.room + 3, demand=one.demand, at=one.at, of=one.of)
            for one in question.limits
        ),
    )  # fmt: skip
    assert assign(more).placed.worth >= assign(question).placed.worth * (1 - 2.5e-3)


def test_nothing_to_place_is_placed_nowhere():
    question = Question(
        worth=np.zeros((0, 3)), units=np.zeros(0, dtype=np.int64), limits=(),
        apart=np.zeros(0, dtype=np.int64),
    )  # fmt: skip
    told = assign(question)
    assert (len(told.placed.workload), told.gap, told.is_exact) == (0, 0, True)


@pytest.mark.parametrize("n_workloads", [1, 60])
@pytest.mark.parametrize("n_places", [0, 2])
def test_where_nothing_may_go_nothing_is_placed(n_workloads, n_places):
    question = Question(
        worth=np.full((n_workloads, n_places), -np.inf),
        units=np.ones(n_workloads, dtype=np.int64), limits=(),
        apart=np.full(n_workloads, NOWHERE),
    )  # fmt: skip
    told = assign(question)
    assert (len(told.placed.workload), told.bound, told.gap) == (0, 0, 0)


@pytest.mark.parametrize(
    ("change", "error"),
    [
        ({"units": np.ones(3, dtype=np.int64)}, ShapeError),
        ({"units": np.zeros(2, dtype=np.int64)}, RangeError),
        ({"worth": np.zeros((2, 2))}, RangeError),
        ({"limits": (Limit(name="space", room=np.ones(2), demand=np.ones(2)),)}, RangeError),
        ({"limits": (Limit(name="space", room=np.ones(2), demand=-np.ones(2),
                           at=np.arange(2)),)}, RangeError),
        ({"limits": (Limit(name="space", room=np.ones(2), demand=np.ones(2),
                           at=np.arange(3)),)}, ShapeError),
    ],
)  # fmt: skip
def test_what_does_not_belong_together_is_refused(change, error):
    known = {
        "worth": np.ones((2, 2)), "units": np.ones(2, dtype=np.int64), "limits": (),
        "apart": np.full(2, NOWHERE),
    }  # fmt: skip
    with pytest.raises(error):
        Question(**(known | change))
