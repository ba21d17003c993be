"""Cells of tables: what each text becomes, and how it is refused."""

from datetime import UTC, date, datetime
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.units import GIB, TIB
from keelmark.estate.models import Kind
from keelmark.feeds.tables.mapping import (
    DATE_FORMATS,
    UNITS,
    Column,
    FieldChoice,
    RowMapper,
    TableMapping,
    cell_reader,
    fields_of,
    read_bytes,
    read_date,
)

READ_AT = datetime(2026, 11, 23, 6, tzinfo=UTC)


def reader(form, *, unit="", decimal_comma=False, choices=()):
    choice = FieldChoice(name="x", form=form, is_required=False, choices=choices)
    return cell_reader(choice, column=Column(column="x", unit=unit), decimal_comma=decimal_comma)


@pytest.mark.parametrize(
    ("text", "unit", "decimal_comma", "wanted"),
    [
        ("5", "GiB", False, 5 * GIB),
        ("1.5", "TiB", False, 3 * TIB // 2),
        ("1,5", "TiB", True, 3 * TIB // 2),
        ("1.024,5", "B", True, 1024),
        ("1,024", "kB", False, 1_024_000),
        ("1 024", "", False, 1024),
        ("1\u202f024\u00a0000", "B", False, 1_024_000),
        ("0", "PiB", False, 0),
        ("9223372036854775807", "B", False, 2**63 - 1),
    ],
)
def test_bytes_are_exact_in_every_unit_and_manner_of_writing(text, unit, decimal_comma, wanted):
    assert read_bytes(text, unit=unit, decimal_comma=decimal_comma) == wanted


@given(st.integers(0, 2**40), st.sampled_from(["kB", "MB", "KiB", "MiB"]))
def test_whole_amounts_come_back_to_the_byte(amount, unit):
    found = read_bytes(str(amount), unit=unit, decimal_comma=False)
    assert found == amount * UNITS[unit]


@given(st.decimals(0, 10**6, places=3))
def test_both_decimal_marks_read_the_same(amount):
    plain = read_bytes(str(amount), unit="GiB", decimal_comma=False)
    comma = read_bytes(str(amount).replace(".", ","), unit="GiB", decimal_comma=True)
    assert plain == comma == int((Decimal(amount) * GIB).to_integral_value())


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("many", "no number"),
        ("1.2.3", "no number"),
        ("nan", "no number"),
        ("Infinity", "no number"),
        ("-1", "not between 0 and"),
        ("9223372036854775808", "not between 0 and"),
        ("", "no number"),
    ],
)
def test_what_is_no_amount_of_bytes_is_refused_in_words(text, why):
    with pytest.raises(ValueError, match=why):
        read_bytes(text, unit="B", decimal_comma=False)


@pytest.mark.parametrize("form", DATE_FORMATS)
def test_a_day_is_read_in_each_form_and_in_no_other(form):
    day = date(2026, 11, 23)
    assert read_date(day.strftime(form), form=form) == day
    with pytest.raises(ValueError, match="is no date like"):
        read_date("yesterday", form=form)


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("2026-11-23T06:00:00+01:00", "2026-11-23T06:00:00+01:00"),
        ("2026-11-23 06:00", "2026-11-23T06:00:00+00:00"),
        ("2026-11-23", "2026-11-23T00:00:00+00:00"),
    ],
)
def test_a_moment_without_its_offset_is_utc(text, wanted):
    assert reader("moment")(text).isoformat() == wanted


def test_a_moment_may_be_a_day_in_the_columns_own_form():
    assert reader("moment", unit="%d.%m.%Y")("23.11.2026") == datetime(2026, 11, 23, tzinfo=UTC)
    with pytest.raises(ValueError, match="is no date like"):
        reader("moment")("noon")


@pytest.mark.parametrize(
    ("text", "wanted"), [("Yes", True), ("1", True), ("on", True), ("NO", False), ("off ", False)]
)
def test_truths_are_said_in_many_words(text, wanted):
    assert reader("truth")(text) is wanted


@pytest.mark.parametrize(
    ("form", "text", "why"),
    [
        ("truth", "perhaps", "neither yes nor no"),
        ("count", "1.5", "no whole number"),
        ("count", "-3", "no whole number"),
        ("choice", "lukewarm", "none of hot, warm"),
    ],
)
def test_a_bad_cell_says_what_would_be_right(form, text, why):
    with pytest.raises(ValueError, match=why):
        reader(form, choices=("hot", "warm"))(text)


def test_choices_are_found_whatever_their_case():
    assert reader("choice", choices=("hot", "in-use"))(" In-Use ") == "in-use"
    assert reader("count", decimal_comma=True)("1.024") == 1024


def test_every_kind_says_what_its_columns_may_fill():
    forms = {"text", "bytes", "count", "truth", "date", "moment", "reference", "choice"}
    for kind in (*Kind.values, "readings"):
        if kind == Kind.SITE:
            continue  # sites are named by what stands in them
        fields = fields_of(kind)
        assert {f.form for f in fields} <= forms, kind
        assert "name" in {f.name for f in fields}, kind
        assert all(f.choices for f in fields if f.form == "choice"), kind
        assert len({f.name for f in fields}) == len(fields), kind


def mapper(kind, **columns):
    mapping = TableMapping(
        kind=kind, columns={name: Column(column=column) for name, column in columns.items()}
    )

    def reference(_, text):
        if text == "nobody":
            raise ValueError("nothing is called nobody")
        return f"id.{text}"

    return RowMapper(mapping, read_at=READ_AT, reference=reference)


def test_rows_become_documents_and_bad_ones_problems_with_their_number():
    rows = [
        {"VM": "sonar-1", "CPUs": "4", "on": "on", "of": "charts"},
        {"VM": "sonar-2", "CPUs": "four", "on": "asleep", "of": "nobody"},
        {"VM": "", "CPUs": None, "on": " ", "of": ""},
        {"VM": None, "CPUs": "2", "on": None, "of": None},
    ]
    told = mapper("vm", name="VM", n_cpus="CPUs", power="on", project_uid="of").mapped(
        rows, first_row=10
    )
    (document,) = told.documents
    assert (document.name, document.n_cpus, document.power) == ("sonar-1", 4, "on")
    assert (document.uid, document.project_uid) == ("id.vm/sonar-1", "id.charts")
    assert document.read_at == READ_AT
    problems = [str(fault) for fault in told.faults]
    assert [problem for problem in problems if problem.startswith("row 11")] == [
        "row 11, CPUs: four is no number",
        "row 11, on: asleep is none of on, off, suspended",
        "row 11, of: nothing is called nobody",
    ]
    assert any(problem.startswith("row 13") for problem in problems)  # it has no name
    assert not any(problem.startswith("row 12") for problem in problems)  # an empty row
