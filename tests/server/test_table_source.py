"""CSV, XLSX and Parquet are opened alike, and what cannot be read is told in words."""

from datetime import date, datetime

import pyarrow as pa
import pyarrow.parquet as pa_parquet
import pytest
from openpyxl import Workbook

from keelmark.feeds.errors import TableError
from keelmark.feeds.tables.source import batches_of, first_rows, header_of

AT = datetime(2026, 11, 20, 6, 30)  # noqa: DTZ001  # a sheet knows no zone


def workbook(path, *rows):
    book = Workbook()
    for row in rows:
        book.active.append(row)
    book.save(path)
    return path


def rows_of(path):
    return [row for batch in batches_of(path) for row in batch.to_pylist()]


def test_a_column_without_a_name_moves_none_of_those_beside_it(tmp_path):
    """A note in an unnamed column must never be read as the bytes of the next."""
    path = workbook(
        tmp_path / "a.xlsx", ("pool", None, "used", " "), ("swift-1", "see below", 5, "x")
    )
    assert header_of(path) == ["pool", "used"]
    assert rows_of(path) == [{"pool": "swift-1", "used": "5"}]


@pytest.mark.parametrize("kind", ["xlsx", "parquet", "csv"])
def test_two_columns_of_one_name_are_refused(tmp_path, kind):
    path = tmp_path / f"a.{kind}"
    if kind == "xlsx":
        workbook(path, ("pool", "used", "used"), ("swift-1", 1, 2))
    elif kind == "csv":
        path.write_text("pool,used,used\nswift-1,1,2\n")
    else:
        columns = [pa.array(["swift-1"]), pa.array([1]), pa.array([2])]
        pa_parquet.write_table(pa.Table.from_arrays(columns, names=["pool", "used", "used"]), path)
    with pytest.raises(TableError, match="two columns are called used"):
        rows_of(path)


def test_cells_become_the_text_that_a_sheet_would_show(tmp_path):
    path = workbook(
        tmp_path / "a.xlsx",
        ("day", "at", "whole", "part", "big", "empty", "spaced"),
        (date(2026, 11, 20), AT, 5.0, 1.5, 79228162514264, None, " a "),
    )
    assert rows_of(path) == [
        {
            "day": "2026-11-20", "at": "2026-11-20T06:30:00", "whole": "5", "part": "1.5",
            "big": "79228162514264", "empty": None, "spaced": "a",
        }
    ]  # fmt: skip


def test_a_row_shorter_than_the_header_is_empty_there(tmp_path):
    path = workbook(tmp_path / "a.xlsx", ("pool", "used"), ("swift-1",))
    assert rows_of(path) == [{"pool": "swift-1", "used": None}]


@pytest.mark.parametrize(
    ("name", "body", "told"),
    [
        ("a.txt", b"pool,used\n", "no .csv, .xlsx or .parquet"),
        ("a.xlsx", b"no workbook", "no readable workbook"),
        ("a.parquet", b"no table at all", "Parquet"),
        ("a.parquet", b"PAR1", "smaller than"),
        ("a.csv", b"", "it is empty"),
        ("a.csv", b"pool,used\nswift-1\n", "Expected 2 columns, got 1"),
        ("a.csv", b"pool,used\nswift-1,2,3\n", "Expected 2 columns, got 3"),
        ("a.csv", b"pool,used\nsk\xe4r,5\n", "UTF8"),
    ],
)
def test_what_cannot_be_read_is_named_with_its_file(tmp_path, name, body, told):
    path = tmp_path / name
    path.write_bytes(body)
    with pytest.raises(TableError, match=told) as caught:
        rows_of(path)
    assert name in str(caught.value)


def test_a_sheet_of_nothing_has_no_columns_and_one_of_a_header_no_rows(tmp_path):
    with pytest.raises(TableError, match="names no columns"):
        rows_of(workbook(tmp_path / "a.xlsx", (None, None)))
    lonely = workbook(tmp_path / "b.xlsx", ("pool", "used"))
    assert first_rows(lonely, n_rows=3) == []
    with pytest.raises(TableError, match="no rows"):
        header_of(lonely)


@pytest.mark.parametrize("mark", [",", ";", "\t", "|"])
def test_the_delimiter_is_the_one_that_the_header_has_most_of(tmp_path, mark):
    path = tmp_path / "a.csv"
    path.write_text(f"pool{mark}used{mark}day\nswift, 1{mark}5{mark}2026-11-20\n".replace(
        "swift, 1", "swift 1"
    ))  # fmt: skip
    assert header_of(path) == ["pool", "used", "day"]
    assert rows_of(path) == [{"pool": "swift 1", "used": "5", "day": "2026-11-20"}]


def test_quoted_line_ends_stay_in_their_cell(tmp_path):
    path = tmp_path / "a.csv"
    path.write_text('pool,note\nswift-1,"two\nlines"\n')
    assert rows_of(path) == [{"pool": "swift-1", "note": "two\nlines"}]
