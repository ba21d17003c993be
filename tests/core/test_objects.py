"""Objects in buckets: which tiers take them, what an account's quota leaves, and what it costs."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.estate.reading import read
from keelmark.core.forecast import runway
from keelmark.core.placement.ground import SpaceColumns
from keelmark.core.placement.objects import ObjectGround, ObjectsAsked, answer_objects
from keelmark.core.placement.of_estate import object_ground_of
from keelmark.core.placement.ranking import Aim, Weights
from keelmark.core.prices import Prices, costs_of_objects
from keelmark.core.scenario.compiling import compiled
from keelmark.core.scenario.orders import steps_of
from keelmark.core.units import GIB, TIB
from tests.core.grounds import HORIZON
from tests.core.layered import ESTATE, LATER, after, dated, reading
from tests.core.outlooks import make_outlook

seeds = st.integers(0, 10_000)
PRICES = Prices(by_class={"hot": 30.0, "warm": 12.0})
COST_ALONE = Weights(**{**dict.fromkeys(Aim, 0), Aim.COST: 1})


def drawn(seed):
    """Some buckets in some accounts, one of them without a quota, one bucket of none."""
    rng = np.random.default_rng(seed)
    n = 3
    quota = rng.integers(5, 60, n) * TIB
    used = (quota * rng.uniform(0.1, 1.0, n)).astype(np.int64)
    accounts = SpaceColumns(
        used_bytes=used, reserved_bytes=np.zeros(n, dtype=np.int64), limit_bytes=quota * 9 // 10,
        is_read=np.ones(n, dtype=np.bool_), age_days=rng.integers(0, 4, n),
        outlook=make_outlook(
            used.astype(np.float64), growth=float(rng.uniform(0, 0.05)) * TIB,
            spread=float(rng.uniform(0.01, 0.2)) * TIB,
        ),
    )  # fmt: skip
    return ObjectGround(
        bucket=np.arange(5), account=np.array([0, 0, 1, 2, NOWHERE]), accounts=accounts,
        has_quota=np.array([True, True, False]), quota_bytes=quota, prices=PRICES,
    )  # fmt: skip


def asked(**facts):
    return ObjectsAsked(**({"first_bytes": TIB, "last_day": 200} | facts))


def placed(ground, wanted, weights=None):
    return answer_objects(ground, wanted, weights=weights or Weights(), horizon_days=HORIZON)


@settings(max_examples=25)
@given(seed=seeds, first=st.integers(1, 20), growth=st.integers(0, 40))
def test_what_takes_them_stays_below_its_limit_until_the_last_day(seed, first, growth):
    ground = drawn(seed)
    wanted = asked(first_bytes=first * TIB, growth_bytes_per_day=growth * GIB)
    told = placed(ground, wanted)
    assert {(one.bucket, one.tier) for one in told} == {
        (bucket, tier) for bucket in range(5) for tier in OBJECT_TIERS
    }
    for one in told:
        account = int(ground.account[one.bucket])
        if account in (2, NOWHERE):
            assert (one.has_quota, one.quota_bytes, one.rank is not None) == (False, None, True)
            continue
        accounts = ground.accounts
        age = int(accounts.age_days[account])
        since = np.arange(1, wanted.last_day + age + 1) - age
        way = runway(
            accounts.outlook.of_rows(np.array([account])),
            mark_bytes=accounts.limit_bytes[[account]], horizon_days=len(since),
            added_bytes=np.full((1, len(since)), wanted.held_on(np.array([wanted.last_day]))[0]),
        )  # fmt: skip
        is_kept = not way.early_days[0] <= wanted.last_day + age
        assert (one.rank is None) or is_kept
        if one.quota_bytes is not None and one.quota_bytes < -TIB / 10:
            assert one.rank is None


@settings(max_examples=20)
@given(seed=seeds)
def test_ranks_follow_cost_where_that_alone_counts_and_more_is_never_easier(seed):
    ground = drawn(seed)
    told = placed(ground, asked(), COST_ALONE)
    costs = [one.cost_a_month for one in told if one.rank is not None]
    known = [one for one in costs if one is not None]
    assert costs == [*known, *(None for _ in costs[len(known) :])]  # cold has no price: last
    assert known == sorted(known)
    assert [one.rank for one in told if one.rank] == list(range(1, len(costs) + 1))
    larger = placed(ground, asked(first_bytes=9 * TIB))
    fits = {(one.bucket, one.tier) for one in told if one.rank}
    assert {(one.bucket, one.tier) for one in larger if one.rank} <= fits


def test_tiers_that_are_not_asked_for_are_not_told():
    told = placed(drawn(3), asked(tiers=frozenset({"cold"})))
    assert {one.tier for one in told} == {"cold"}
    assert {one.cost_a_month for one in told} == {None}


@pytest.mark.parametrize(
    "change",
    [{"first_bytes": 0}, {"first_day": 201}, {"first_day": 0}, {"growth_bytes_per_day": -1},
     {"tiers": frozenset()}, {"tiers": frozenset({"tepid"})}],
)  # fmt: skip
def test_what_cannot_be_asked_for_is_refused(change):
    with pytest.raises(RangeError):
        asked(**change)


def test_buckets_of_the_estate_stand_on_the_quota_of_their_account():
    account = ESTATE.table("account")
    of_account = make_outlook(np.array([2.0 * TIB]), growth=0.001 * TIB)
    outlooks = {**ESTATE.outlooks, "account": replace(ESTATE.outlooks["bucket"], of=of_account)}
    estate = replace(ESTATE, outlooks=outlooks)
    ground = object_ground_of(read(estate, day=estate.day), prices=PRICES)
    assert (ground.bucket.tolist(), ground.account.tolist()) == ([0], [0])
    assert (ground.has_quota.tolist(), ground.quota_bytes.tolist()) == ([True], [6 * TIB])
    assert account.names[0] == "satellite"
    told = placed(ground, asked(last_day=30))
    assert [one.tier for one in told] == ["warm", "hot", "cold"]
    assert told[0].quota_bytes == pytest.approx(5.4 * TIB - 2 * TIB - TIB, rel=0.03)


def test_a_planned_put_is_held_by_its_bucket_its_account_and_its_tier():
    told = after(dated("place_objects"))
    now, then = read(ESTATE, day=LATER), reading(told, LATER)
    held = (LATER - told.told[0].day) * GIB + TIB
    for kind in ("bucket", "account"):
        more = then.books[kind].used.values[0] - now.books[kind].used.values[0]
        assert more == pytest.approx(held, abs=GIB)
    assert then.estate.table("bucket").amounts("hot").told(0) == 2 * TIB
    costs = costs_of_objects(then, PRICES, np.ones(1, dtype=np.bool_))
    used = float(then.books["bucket"].used.values[0]) / TIB
    assert costs["hot"] == pytest.approx(30 * used * 2 / 3)
    assert (costs["warm"], costs["cold"]) == (pytest.approx(12 * used / 3), None)


def test_a_put_beyond_the_quota_is_barred_until_the_quota_is_higher():
    big = dated("place_objects", first_bytes=5 * TIB)
    (told,) = compiled(ESTATE, [big]).told
    assert told.is_barred
    assert "quota of satellite lacks" in str(told.faults[0].says)
    higher = dated("set_quota", number=2, day=big.day - 1, of=98, quota_bytes=60 * TIB)
    assert not any(one.is_barred for one in compiled(ESTATE, [big, higher]).told)


def test_two_puts_into_one_tier_are_steps_that_add_up():
    first, second = steps_of(
        after(dated("place_objects"), dated("place_objects", number=2, day=LATER - 5))
    )
    assert (first.values["was_bytes"], second.values["was_bytes"]) == (TIB, 2 * TIB)
    assert first.title == ("Put objects into bucket passes, hot: ", TIB)
