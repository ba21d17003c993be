"""What is told in words: reasons, workings, problems, sifts."""

from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rest_framework import exceptions, serializers
from rest_framework.test import APIRequestFactory

from keelmark.access.errors import FieldFault, FormError
from keelmark.access.problems import problem_of
from keelmark.core.attention import Attention
from keelmark.core.errors import RangeError
from keelmark.core.ledger import Ledger, order_by
from keelmark.core.units import TIB
from keelmark.forecasts.definitions.findings import NOTHING_FOUND
from keelmark.forecasts.pools.reasons import Leader, reason_of
from keelmark.forecasts.reading.workings import End, workings_of_end, workings_of_ledger

TODAY = date(2026, 11, 23)
READ_AT = datetime(2026, 11, 23, 8, tzinfo=UTC)
BOOKS = Ledger(usable_bytes=100 * TIB, used_bytes=70 * TIB, provisioned_bytes=130 * TIB)


def found(**seen):
    return {"findings": {**NOTHING_FOUND, **seen}}


def shift(days_ago, size):
    return {"on": (TODAY - timedelta(days=days_ago)).isoformat(), "amount": size}


def change(days_ago, before, after):
    return {
        "on": (TODAY - timedelta(days=days_ago)).isoformat(),
        "before_per_day": before,
        "after_per_day": after,
    }


def told(**changes):
    known = {
        "attention": Attention.CLEAR,
        "growth_bytes_per_day": 0.1 * TIB,
        "unjudged_because": "",
        "leader": None,
        "findings": NOTHING_FOUND,
        "today": TODAY,
        "read_at": READ_AT,
    }
    ledger = changes.pop("ledger", BOOKS)
    parts = reason_of(ledger, **(known | changes))
    return "".join(str(part.get("text", f"<{part.get('bytes')}>")) for part in parts)


@pytest.mark.parametrize(
    ("changes", "wanted"),
    [
        ({}, f"<{round(0.7 * TIB)}>/wk"),
        ({"growth_bytes_per_day": 0.005 * TIB}, f"<{round(0.005 * 30.4375 * TIB)}>/mo"),
        ({"growth_bytes_per_day": 0.001 * TIB}, "flat: nothing grows here"),
        ({"growth_bytes_per_day": -0.1 * TIB}, f"<{-round(0.7 * TIB)}>/wk"),
        ({"leader": Leader(name="seabed-1", share=0.61)},
         f"<{round(0.7 * TIB)}>/wk, 61 % of it seabed-1"),
        ({"leader": Leader(name="seabed-1", share=0.2)}, f"<{round(0.7 * TIB)}>/wk"),
        (found(shifts=[shift(9, 4 * TIB)]),
         f"<{round(0.7 * TIB)}>/wk; <{4 * TIB}> on 14 Nov in one step"),
        (found(shifts=[shift(9, -4 * TIB)]),
         f"<{round(0.7 * TIB)}>/wk; clean-up <{-4 * TIB}> on 14 Nov"),
        (found(shifts=[shift(99, 4 * TIB)]), f"<{round(0.7 * TIB)}>/wk"),
        (found(pace_changes=[change(60, TIB, 3 * TIB)]),
         f"<{round(0.7 * TIB)}>/wk; faster since 24 Sep"),
        (found(pace_changes=[change(60, TIB, 0)]), f"<{round(0.7 * TIB)}>/wk; slower since 24 Sep"),
        (found(pace_changes=[change(160, TIB, 0)]), f"<{round(0.7 * TIB)}>/wk"),
        (found(n_kin=9), f"<{round(0.7 * TIB)}>/wk; too young, paced by 9 of its kin"),
        ({"ledger": Ledger(usable_bytes=TIB, used_bytes=0, provisioned_bytes=2 * TIB),
          "growth_bytes_per_day": 0.0},
         "flat: nothing grows here; overcommit 200 %"),
        ({"growth_bytes_per_day": None, "unjudged_because": "only 3 days read"},
         "only 3 days read"),
        ({"attention": Attention.UNREAD, "read_at": READ_AT - timedelta(days=4)},
         "no reading for 4 d, judged on 19 Nov"),
        ({"attention": Attention.UNREAD, "unjudged_because": "no readings"}, "no readings"),
    ],
)  # fmt: skip
def test_a_reason_tells_the_most_telling_fact_first(changes, wanted):
    assert told(**changes) == wanted


def end(**changes):
    known = {
        "stands_at": BOOKS.used_bytes,
        "size": BOOKS.usable_bytes,
        "limit_percent": BOOKS.marks.limit_percent,
        "growth_per_day": TIB // 2,
        "unjudged_because": "",
        "limit": (TODAY + timedelta(days=30), TODAY + timedelta(days=40), None),
        "lead_time_days": 45,
        "unit": "bytes",
    }
    return End(**(known | changes))


def steps_of(figure, *, ledger=BOOKS, of=None):
    made = workings_of_ledger(ledger) + workings_of_end(of or end(), today=TODAY)
    working = next(w for w in made if w.figure == figure)
    return {step.label: step for step in working.steps}


@pytest.mark.parametrize(
    ("figure", "label", "amount"),
    [
        ("free", "free", 30 * TIB),
        ("plannable", "plannable", 20 * TIB),
        ("exposure", "exposure", 30 * TIB),
        ("ends", "left to the line", 20 * TIB),
        ("ends", "growth a week", 7 * (TIB // 2)),
    ],
)
def test_the_last_line_of_a_working_is_the_figure(figure, label, amount):
    assert steps_of(figure)[label].amount == amount


def test_each_working_adds_up():
    for figure in ("free", "exposure"):
        *parts, result = steps_of(figure).values()
        total = sum(-p.amount if p.sign == "−" else p.amount for p in parts)
        assert total == result.amount


def test_dates_of_a_working_are_dates_and_open_ends_say_so():
    steps = steps_of("ends")
    assert steps["at that pace alone"].text == "40 d"
    assert (steps["likely, even chance"].on, steps["likely, even chance"].text) == (
        TODAY + timedelta(days=40),
        "40 d",
    )
    assert (steps["late, 9 in 10"].on, steps["late, 9 in 10"].text) == (None, "beyond 2 y")


def test_a_plannable_that_would_be_negative_shows_what_is_missing():
    ledger = Ledger(usable_bytes=100 * TIB, used_bytes=85 * TIB, reserved_bytes=10 * TIB)
    steps = steps_of("plannable", ledger=ledger)
    assert steps["would leave"].amount == -5 * TIB
    assert steps["plannable"].amount == 0


@pytest.mark.parametrize("figure", ["overcommit", "exposure"])
def test_an_unknown_promise_has_no_arithmetic(figure):
    assert steps_of(figure, ledger=Ledger(usable_bytes=TIB, used_bytes=0)) == {}


def test_what_has_no_size_has_a_pace_and_no_end():
    (working,) = workings_of_end(end(size=None, limit_percent=None), today=TODAY)
    assert working.title == "nothing ends it"
    assert [step.label for step in working.steps] == ["stands at", "growth a week"]


@given(stands=st.integers(0, 1 << 50), size=st.integers(1, 1 << 50), percent=st.integers(1, 99))
def test_either_way_back_from_past_the_limit_leads_just_to_it(stands, size, percent):
    past = end(stands_at=stands, size=size, limit_percent=percent)
    steps = {step.label: step.amount for step in workings_of_end(past, today=TODAY)[0].steps}
    is_past = stands >= size * percent // 100
    assert ("back by freeing" in steps) == is_past
    if is_past:
        added = steps["or by adding to size"]
        assert stands - steps["back by freeing"] == size * percent // 100
        assert stands <= (size + added) * percent // 100
        assert added == 0 or stands > (size + added - 1) * percent // 100


def test_an_unjudged_pool_tells_why_in_its_working():
    unjudged = end(growth_per_day=None, unjudged_because="only 3 days read")
    assert steps_of("ends", of=unjudged)["growth"].text == "only 3 days read"


@pytest.mark.parametrize(
    ("early_on", "wanted"),
    [(TODAY + timedelta(days=60), TODAY + timedelta(days=15)), (None, None)],
)
def test_the_order_by_date_is_early_less_lead_time(early_on, wanted):
    made = end(limit=(early_on, None, None))
    assert order_by(early_on, lead_time_days=45) == wanted
    text = steps_of("order_by", of=made)["order by"]
    assert (text.on, text.text) == (wanted, "" if wanted else "nothing to order")


class Inner(serializers.Serializer[None]):
    size = serializers.IntegerField(min_value=1)


class Outer(serializers.Serializer[None]):
    name = serializers.CharField()
    parts = Inner(many=True)


def problem(exc):
    request = APIRequestFactory().get("/api/v1/x")
    return problem_of(exc, {"request": request})


def test_nested_faults_point_at_their_fields():
    form = Outer(data={"parts": [{"size": 3}, {"size": 0}]})
    with pytest.raises(exceptions.ValidationError) as caught:
        form.is_valid(raise_exception=True)
    told = problem(caught.value).data
    assert told["status"] == 400
    assert {fault["pointer"] for fault in told["errors"]} == {"#/name", "#/parts/1/size"}


@pytest.mark.parametrize(
    ("exc", "status", "kind"),
    [
        (exceptions.NotFound(), 404, "not-found"),
        (exceptions.MethodNotAllowed("PUT"), 405, "method-not-allowed"),
        (exceptions.ParseError(), 400, "parse-error"),
        (exceptions.UnsupportedMediaType("x/y"), 415, "unsupported-media-type"),
        (exceptions.NotAuthenticated(), 401, "not-authenticated"),
        (RangeError(argument="a", found=1, wanted="2"), 422, "out-of-range"),
        (FormError("no", faults=(FieldFault(pointer="#/a", code="c", detail="d"),)), 400,
         "wrong-form"),
    ],
)  # fmt: skip
def test_every_refusal_has_the_same_shape(exc, status, kind):
    answer = problem(exc)
    assert answer.status_code == status
    assert answer.data["type"] == f"/problems/{kind}"
    assert set(answer.data) >= {"title", "status", "detail", "instance"}


def test_waiting_for_the_throttle_says_how_long():
    assert problem(exceptions.Throttled(wait=12))["Retry-After"] == "13"


def test_a_fault_of_ours_is_not_dressed_up_as_a_refusal():
    assert problem(ZeroDivisionError()) is None
