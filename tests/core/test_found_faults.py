"""Each fault that was found by reading and trying stays away."""

import json

import numpy as np
import pytest

from keelmark.core.attention import Attention, attention_of
from keelmark.core.errors import RangeError
from keelmark.core.forecast import forecast, paths, reconcile, record_of, runway
from keelmark.core.ledger import Ledger
from keelmark.core.units import EIB, TIB, percent_of

FIRST_DAY = 20_400


def test_what_was_empty_for_long_and_then_fills_leaves_no_infinity():
    used = np.zeros((2, 400))
    used[0, 130:] = 0.5 * TIB * np.arange(270)
    used[1, 270:] = 0.5 * TIB * np.arange(130)
    learnt, record = forecast(used, first_day=FIRST_DAY), record_of(used, is_one_kind=True)
    assert np.isfinite([learnt.fan.low, learnt.fan.middle, learnt.fan.high]).all()
    told = [record.misses, record.error_bytes, record.bias_bytes]
    json.dumps([np.nan_to_num(part, nan=0.0).tolist() for part in told], allow_nan=False)
    assert np.isfinite(list(record.widening.values())).all()


def test_one_series_of_nonsense_spoils_no_other():
    used = np.full((2, 100), 5.0) * TIB
    used[1] = np.linspace(1e200, 1e300, 100)
    alone = forecast(used[:1])
    learnt = forecast(used)
    assert learnt.is_judged.tolist() == [True, False]
    assert "too large" in learnt.reasons[1]
    np.testing.assert_allclose(
        learnt.growth_bytes_per_day[0], alone.growth_bytes_per_day[0], atol=1
    )


def test_a_months_rhythm_moves_the_date_and_its_chance_alike():
    days = np.arange(400)
    dates = (FIRST_DAY + days).astype("datetime64[D]")
    of_month = (dates - dates.astype("datetime64[M]").astype("datetime64[D]")).astype(int)
    rng = np.random.default_rng(2)
    used = (50 + 4.0 * (of_month >= 27) + rng.normal(0, 0.05, 400))[None, :] * TIB
    learnt = forecast(used, first_day=FIRST_DAY)
    assert learnt.rhythm.by_month_slot.any()
    way = runway(learnt, mark_bytes=np.array([int(52.5 * TIB)]), horizon_days=365)
    assert way.likely_days[0] <= 31
    assert way.chance_within[0] >= 0.9
    high = paths(learnt, horizon_days=40, quantiles=(0.5,))[0, 0].max()
    assert high > 52.5 * TIB


@pytest.mark.parametrize("n_batches", [2, 3, 5])
def test_few_large_batches_are_growth_too(n_batches):
    used = np.full((1, 400), 20.0)
    every = 180 // n_batches
    for batch in range(400 // every):
        used[0, 399 - every // 2 - batch * every :] += 1.5
    learnt = forecast(used * TIB)
    ahead = paths(learnt, horizon_days=180, quantiles=(0.5,))[0, 0, -1] / TIB - used[0, -1]
    assert ahead == pytest.approx(1.5 * 180 / every, rel=0.45)


def test_what_was_never_read_is_unread_whatever_its_kin_do():
    used = np.full((9, 200), np.nan)
    used[1:] = 10 * TIB + 0.01 * TIB * np.arange(200)
    learnt = forecast(used, kin=np.zeros(9, dtype=np.int64))
    assert not learnt.is_judged[0]
    assert (learnt.reasons[0], learnt.n_kin[0]) == ("no readings", 0)
    way = runway(learnt, mark_bytes=np.full(9, 12 * TIB), horizon_days=100)
    assert np.isnan(way.likely_days[0])


def test_no_part_is_made_less_than_nothing():
    parts = np.array([[1.0], [50.0]])
    told = reconcile(
        parts, whole_bytes=np.array([10.0]), parts_variance=np.array([[400.0], [1.0]]),
        whole_variance=np.array([1.0]),
    )  # fmt: skip
    assert (told.parts_bytes >= 0).all()
    assert told.parts_bytes.sum() == told.whole_bytes[0]


@pytest.mark.parametrize("percent", [90, 200, 1000])
@pytest.mark.parametrize("n_bytes", [2**62, 5 * EIB, 2**53 + 1], ids=["2^62", "5 EiB", "2^53+1"])
def test_a_percentage_is_exact_or_refused(n_bytes, percent):
    exact = n_bytes * percent // 100
    assert percent_of(n_bytes, percent) == exact
    if exact < 2**63:
        assert percent_of(np.array([n_bytes]), percent)[0] == exact
    else:
        with pytest.raises(RangeError, match="2\\^63"):
            percent_of(np.array([n_bytes]), percent)


@pytest.mark.parametrize(
    ("used", "attention"), [(0, Attention.CLEAR), (1, Attention.OVER)], ids=["empty", "a-byte"]
)
def test_what_has_no_size_and_holds_nothing_is_past_no_mark(used, attention):
    ledger = Ledger(usable_bytes=0, used_bytes=used)
    assert attention_of(ledger.fill, early_days=0.0, likely_days=0.0).attention == attention


def test_a_backtest_knows_no_size_of_later():
    used = 10 * TIB + 0.05 * TIB * np.arange(300)[None, :]
    sizes = np.where(np.arange(300) < 280, 22.5, 60.0)[None, :] * TIB
    record = record_of(used, ceiling_bytes=sizes)
    for back, ceiling in ((30, 22.5), (7, 60.0)):
        assert record.earlier[back].ceiling_bytes[0] == ceiling * TIB


@pytest.mark.parametrize("n_days", [1, 2, 3, 13])
@pytest.mark.parametrize("amount", [np.nan, 0.0, 5.0 * TIB])
def test_the_shortest_histories_are_unjudged_and_say_why(n_days, amount):
    used = np.full((2, n_days), amount)
    learnt = forecast(used, first_day=20_000)
    assert not learnt.is_judged.any()
    n_read = 0 if np.isnan(amount) else n_days
    told = (
        f"only {n_read} day{'s' if n_read > 1 else ''} read, 14 needed" if n_read else "no readings"
    )
    assert learnt.reasons == (told, told)
    assert np.isnan(paths(learnt, horizon_days=9, quantiles=(0.5,))).all()
    assert record_of(used, first_day=20_000).n_tried.sum() == 0
