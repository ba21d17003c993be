import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.attention import Attention, attention_of
from keelmark.core.errors import RangeError
from keelmark.core.ledger import Ledger, total
from keelmark.core.marks import DEFAULT_MARKS, MARK_PAIRS, Marks, marks_in_order
from keelmark.core.units import TIB
from tests.core.strategies import amounts, ledgers

BOOKS = Ledger(
    usable_bytes=1000,
    used_bytes=620,
    provisioned_bytes=1300,
    reserved_bytes=150,
    logical_written_bytes=1550,
)


@pytest.mark.parametrize(
    ("figure", "wanted"),
    [
        ("free_bytes", 380),
        ("caution_bytes", 800),
        ("limit_bytes", 900),
        ("plannable_bytes", 130),  # 900 − 620 − 150
        ("overcommit_percent", 130.0),
        ("exposure_bytes", 300),
        ("reduction_ratio", 2.5),
    ],
)
def test_each_figure_is_what_the_definition_says(figure, wanted):
    assert getattr(BOOKS, figure) == wanted


@pytest.mark.parametrize("figure", ["overcommit_percent", "exposure_bytes", "reduction_ratio"])
def test_figures_without_a_reading_are_unknown_not_zero(figure):
    assert getattr(Ledger(usable_bytes=10, used_bytes=5), figure) is None


@pytest.mark.parametrize(
    ("demand_bytes", "top_up"),
    [(900, 0), (901, 2), (1800, 1000)],  # 901 / 0.9 rounds up to 1002
    ids=["at-the-limit", "one-past", "twice"],
)
def test_top_up_is_the_least_that_holds(demand_bytes, top_up):
    assert BOOKS.top_up_bytes(demand_bytes=demand_bytes) == top_up


@given(ledgers(), st.integers(0, 2**61))
def test_top_up_holds_and_one_byte_less_does_not(ledger, demand_bytes):
    added = ledger.top_up_bytes(demand_bytes=demand_bytes)
    limit = ledger.marks.limit_percent
    assert (ledger.usable_bytes + added) * limit // 100 >= demand_bytes
    if added:
        assert (ledger.usable_bytes + added - 1) * limit < demand_bytes * 100


@given(ledgers())
def test_free_and_used_make_usable(ledger):
    assert ledger.free_bytes + ledger.used_bytes == ledger.usable_bytes


@given(ledgers())
def test_plannable_is_never_negative_nor_more_than_free(ledger):
    assert 0 <= ledger.plannable_bytes <= max(ledger.free_bytes, 0)


@given(st.lists(st.tuples(amounts, amounts), min_size=1, max_size=3))
def test_total_adds_up_and_an_unknown_part_makes_it_unknown(parts):
    small = [(usable // 4, used // 4) for usable, used in parts]
    ledgers_of = [Ledger(usable_bytes=u, used_bytes=s, provisioned_bytes=u) for u, s in small]
    whole = total(ledgers_of)
    assert whole.free_bytes == sum(part.free_bytes for part in ledgers_of)
    assert whole.provisioned_bytes == sum(u for u, _ in small)
    unknown = Ledger(usable_bytes=1, used_bytes=1)
    assert total([*ledgers_of, unknown]).provisioned_bytes is None


@pytest.mark.parametrize(
    ("caution", "limit"),
    [(90, 80), (80, 80), (0, 50), (80, 101)],
)
def test_marks_out_of_order_are_refused(caution, limit):
    with pytest.raises(RangeError, match="caution"):
        Marks(caution_percent=caution, limit_percent=limit)


@pytest.mark.parametrize("amount", [-1, 2**63])
def test_impossible_amounts_are_refused_by_name(amount):
    with pytest.raises(RangeError, match="used_bytes"):
        Ledger(usable_bytes=10, used_bytes=amount)


@pytest.mark.parametrize(
    ("used", "early", "likely", "is_unread", "wanted"),
    [
        (900, 1.0, 1.0, True, Attention.UNREAD),
        (900, None, None, False, Attention.OVER),
        (500, 44.0, 100.0, False, Attention.URGENT),
        (800, 50.0, 13.0, False, Attention.URGENT),
        (800, 50.0, 14.0, False, Attention.CAUTION),
        (500, 45.0, 89.0, False, Attention.CAUTION),
        (500, 45.0, 90.0, False, Attention.CLEAR),
        (500, float("inf"), float("inf"), False, Attention.CLEAR),
    ],
)
def test_attention_takes_the_first_rule_that_holds(used, early, likely, is_unread, wanted):
    ledger = Ledger(usable_bytes=1000, used_bytes=used)
    judged = attention_of(ledger.fill, early_days=early, likely_days=likely, is_unread=is_unread)
    assert judged.attention is wanted
    assert judged.because


def test_overcommit_past_its_caution_asks_for_a_look():
    ledger = Ledger(usable_bytes=1000, used_bytes=10, provisioned_bytes=1501)
    judged = attention_of(ledger.fill, early_days=None, likely_days=None)
    assert judged.attention is Attention.CAUTION
    assert "150 %" in judged.because


WEIGHT = {"unread": 0, "clear": 0, "caution": 1, "urgent": 2, "over": 3}


@pytest.mark.parametrize(
    ("used_percent", "likely_days", "stood", "wanted"),
    [
        (79.5, 500, None, "clear"),
        (79.5, 500, "caution", "caution"),  # within 1 % of usable under its mark
        (78.9, 500, "caution", "clear"),
        (50, 95, "caution", "caution"),  # 90 d enter, 99 d leave
        (50, 101, "caution", "clear"),
        (89.5, 500, "over", "over"),
        (88.9, 500, "over", "caution"),
        (79.5, 500, "unread", "clear"),
        (91, 500, "clear", "over"),  # a heavier state is taken at once
    ],
)
def test_a_state_is_left_later_than_it_is_entered(used_percent, likely_days, stood, wanted):
    ledger = Ledger(usable_bytes=1000 * TIB, used_bytes=round(used_percent * 10 * TIB))
    judged = attention_of(
        ledger.fill, early_days=likely_days, likely_days=likely_days,
        stood=Attention(stood) if stood else None,
    )  # fmt: skip
    assert judged.attention == wanted


def test_a_state_is_held_at_what_it_was_and_no_heavier():
    ledger = Ledger(usable_bytes=100, used_bytes=0)
    judged = attention_of(ledger.fill, early_days=45, likely_days=90, stood=Attention.CAUTION)
    assert judged.attention is Attention.CAUTION  # a tenth nearer it would be urgent


@given(ledgers(), st.floats(0, 900), st.floats(0, 900), st.sampled_from(list(Attention)))
def test_what_stood_never_makes_a_state_lighter_and_never_heavier_than_it_was(
    ledger, first, second, stood
):
    days = {"early_days": min(first, second), "likely_days": max(first, second)}
    plain = attention_of(ledger.fill, **days)
    judged = attention_of(ledger.fill, **days, stood=stood)
    assert WEIGHT[judged.attention] >= WEIGHT[plain.attention]
    assert WEIGHT[judged.attention] <= max(WEIGHT[plain.attention], WEIGHT[stood])


@given(
    st.fixed_dictionaries(
        {},
        optional={
            "caution_percent": st.integers(1, 99),
            "limit_percent": st.integers(2, 100),
            "overcommit_caution_percent": st.integers(1, 999),
            "overcommit_limit_percent": st.integers(2, 1000),
            "lead_time_days": st.integers(0, 400),
        },
    )
)
def test_marks_of_several_levels_are_always_in_order_and_limits_stand(told):
    marks = marks_in_order(**told)
    for caution, limit in MARK_PAIRS:
        assert 0 < getattr(marks, caution) < getattr(marks, limit)
        assert getattr(marks, limit) == told.get(limit, DEFAULT_MARKS[limit])
        wanted = told.get(caution, DEFAULT_MARKS[caution])
        assert getattr(marks, caution) == min(wanted, getattr(marks, limit) - 1)
    assert marks.lead_time_days == told.get("lead_time_days", 45)


def test_marks_that_no_limit_can_be_are_refused():
    with pytest.raises(RangeError):
        marks_in_order(limit_percent=101)


def test_a_judgement_speaks_of_what_it_judges():
    ledger = Ledger(usable_bytes=100, used_bytes=85)
    days = {"early_days": None, "likely_days": None}
    assert attention_of(ledger.fill, **days).because == "used is past the caution mark"
    told = attention_of(ledger.fill, **days, word="promised CPU")
    assert told.because == "promised CPU is past the caution mark"
