"""What bytes cost, and cost as something that a placement keeps."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keelmark.core.errors import RangeError
from keelmark.core.estate.reading import read
from keelmark.core.placement.answer import answer
from keelmark.core.placement.hurdles import hurdles_of
from keelmark.core.placement.ranking import Aim, Weights, left_by, scores
from keelmark.core.prices import NO_PRICES, Basis, Prices, costs_of_pools
from keelmark.core.units import TIB
from tests.core.estates import TODAY, make_estate
from tests.core.grounds import HORIZON, drawn_workload, ground_of, workload_of

seeds = st.integers(0, 10_000)
COST_ALONE = Weights(**{**dict.fromkeys(Aim, 0), Aim.COST: 1})
CHEAP_DEEP = Prices(by_class={"Swift": 40.0, "Deep": 10.0})


def pools(**of):
    told = {"Swift": (10 * TIB, 30 * TIB), "Deep": (7 * TIB, 20 * TIB), "Odd": (TIB, TIB)} | of
    return make_estate(
        array=[{"id": 10}],
        pool=[
            {"id": at, "array": 10, "size": 50 * TIB, "used": used, "promised": promised,
             "class": name}
            for at, (name, (used, promised)) in enumerate(told.items(), start=20)
        ],
    )  # fmt: skip


@pytest.mark.parametrize(
    ("basis", "wanted"), [(Basis.WRITTEN, [400.0, 70.0]), (Basis.PROMISED, [1200.0, 200.0])]
)
def test_pools_cost_what_their_bytes_cost_and_nothing_is_guessed(basis, wanted):
    told = costs_of_pools(read(pools(), day=TODAY), replace(CHEAP_DEEP, basis=basis))
    assert told.a_month.tolist()[:2] == wanted
    assert np.isnan(told.a_month[2])
    assert told.is_priced.tolist() == [True, True, False]
    everywhere = np.ones(3, dtype=np.bool_)
    assert told.total(everywhere) == sum(wanted)
    assert told.total(np.array([False, False, True])) is None
    assert costs_of_pools(read(pools(), day=TODAY), NO_PRICES).total(everywhere) is None


@given(
    prices=st.lists(st.floats(0, 1e6), min_size=3, max_size=3),
    used=st.lists(st.integers(0, 40), min_size=3, max_size=3),
    factor=st.integers(1, 9),
)
def test_costs_add_up_over_pools_and_grow_with_their_prices(prices, used, factor):
    estate = pools(
        **{name: (n * TIB, n * TIB) for name, n in zip(("Swift", "Deep", "Odd"), used, strict=True)}
    )
    by_class = dict(zip(("Swift", "Deep", "Odd"), prices, strict=True))
    told = costs_of_pools(read(estate, day=TODAY), Prices(by_class=by_class))
    parts = [told.total(np.arange(3) == at) for at in range(3)]
    whole = told.total(np.ones(3, dtype=np.bool_))
    assert whole == pytest.approx(sum(parts))
    dearer = Prices(by_class={name: factor * price for name, price in by_class.items()})
    more = costs_of_pools(read(estate, day=TODAY), dearer).total(np.ones(3, dtype=np.bool_))
    assert more == pytest.approx(factor * whole)


@pytest.mark.parametrize("price", [-1.0, float("nan"), float("inf")])
def test_what_is_no_price_is_refused(price):
    with pytest.raises(RangeError):
        Prices(by_class={"Swift": price})


@settings(max_examples=20)
@given(seed=seeds, of=seeds, swift=st.floats(0.5, 90), deep=st.floats(0.5, 90))
def test_where_cost_alone_counts_nothing_dearer_comes_first(seed, of, swift, deep):
    ground = replace(ground_of(seed), prices=Prices(by_class={"Swift": swift, "Deep": deep}))
    told = answer(ground, drawn_workload(of), weights=COST_ALONE, horizon_days=HORIZON)
    costs = [one.cost_a_month for one in told.candidates if one.rank is not None]
    assert None not in costs
    assert (np.diff(costs) >= -1e-9 * max(costs, default=0)).all()


@settings(max_examples=20)
@given(seed=seeds, of=seeds)
def test_a_place_without_a_price_keeps_nothing_of_it(seed, of):
    ground = replace(ground_of(seed), prices=Prices(by_class={"Deep": 10.0}))
    hurdles = hurdles_of(ground, [drawn_workload(of)], horizon_days=HORIZON)
    left = left_by(ground, hurdles, horizon_days=HORIZON)
    score = scores(left, COST_ALONE, horizon_days=HORIZON)[0]
    is_deep = np.array([one == "Deep" for one in ground.pools.service_class])[ground.pool]
    assert (score[is_deep] == 1).all()
    assert (score[~is_deep] == 0).all()


@settings(max_examples=20)
@given(seed=seeds, of=seeds)
def test_without_any_price_cost_moves_no_rank(seed, of):
    ground, workload = ground_of(seed), drawn_workload(of)
    with_it, without = (
        answer(ground, workload, weights=Weights(cost=cost), horizon_days=HORIZON)
        for cost in (1.0, 0.0)
    )
    assert with_it.candidates == without.candidates
    alone = answer(ground, workload, weights=COST_ALONE, horizon_days=HORIZON)
    assert alone.n_fitting == with_it.n_fitting


@pytest.mark.parametrize(("basis", "cost"), [
    (Basis.PROMISED, 9_103 / 1024 * 40.0),  # of eight TiB at the limit mark of a new datastore
    (Basis.WRITTEN, 4 * 40.0),
])  # fmt: skip
def test_work_costs_what_all_of_it_is_promised_or_will_have_written(basis, cost):
    prices = Prices(by_class={"Swift": 40.0, "Deep": 40.0}, basis=basis)
    told = answer(
        replace(ground_of(5), prices=prices), workload_of(), weights=Weights(), horizon_days=HORIZON
    )
    assert {one.cost_a_month for one in told.candidates} == {cost}
