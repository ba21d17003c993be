"""What is sent as a table: its size, what it unpacks to, what cannot be read, its trials."""

import cProfile
import io
import zipfile

import pyarrow as pa
import pyarrow.parquet as pa_parquet
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from openpyxl import Workbook

from keelmark.access.models import AuditEntry
from keelmark.estate.documents import (
    to_line,
)
from keelmark.estate.models import Protocol
from keelmark.feeds.errors import TableError
from keelmark.feeds.models import Feed, Run
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.running import carry_out
from keelmark.feeds.services.schedule import ask_collection
from keelmark.feeds.tables import limits
from keelmark.feeds.tables.guessing import guess_kind
from keelmark.feeds.tables.mapping import read_bytes
from keelmark.feeds.tables.source import batches_of, header_of
from tests.server.test_joining import array, pool, volume
from tests.server.test_nothing_lost import HEADER, counts


@pytest.fixture
def sent(settings, tmp_path):
    settings.SENT_FOLDER = str(tmp_path / "sheets")
    settings.FEED_FOLDERS = str(tmp_path / "inbox")
    (tmp_path / "inbox").mkdir()
    return tmp_path


def wide_csv(path, n):
    path.write_text(",".join(f"c{at}" for at in range(n)) + "\n" + ",".join("1" * n) + "\n")
    return path


@pytest.mark.parametrize("n", [limits.MAX_COLUMNS + 1, 10_000])
@pytest.mark.parametrize("kind", ["csv", "parquet"])
def test_a_table_of_too_many_columns_is_refused_by_its_head(sent, n, kind):
    path = wide_csv(sent / "a.csv", n)
    if kind == "parquet":
        path = sent / "a.parquet"
        pa_parquet.write_table(pa.table({f"c{at}": [1] for at in range(n)}), path)
    watch = cProfile.Profile()
    with pytest.raises(TableError, match="columns"):
        watch.runcall(header_of, path)
    assert sum(entry.callcount for entry in watch.getstats()) < 500 + 2 * n


def test_guessing_takes_no_more_calls_a_column_the_more_there_are():
    def calls(n):
        header = [f"used bytes of pool {at}" for at in range(n)]
        watch = cProfile.Profile()
        watch.runcall(guess_kind, header, rows=[dict.fromkeys(header, "1")])
        return sum(entry.callcount for entry in watch.getstats())

    assert calls(400) < 1.1 * (400 / 50) * calls(50)


def test_a_cell_far_out_fills_no_memory(sent):
    import resource

    book = Workbook(write_only=True)
    sheet = book.create_sheet()
    sheet.append(["name", "day"])
    for _ in range(200):
        sheet.append(["x"] + [None] * 16_382 + ["far"])
    book.save(sent / "far.xlsx")
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    rows = sum(batch.num_rows for batch in batches_of(sent / "far.xlsx"))
    assert rows == 200
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 100 << 10  # KiB


def test_a_workbook_that_unpacks_to_too_much_is_refused_before_it_is(sent, monkeypatch):
    monkeypatch.setattr("keelmark.feeds.tables.source.MAX_SHARED_TEXT_BYTES", 1 << 20)
    with zipfile.ZipFile(sent / "bomb.xlsx", "w", zipfile.ZIP_DEFLATED) as parts:
        parts.writestr("xl/sharedStrings.xml", b"0" * (50 << 20))
    with pytest.raises(TableError, match="unpacked it is"):
        header_of(sent / "bomb.xlsx")


@pytest.mark.parametrize(("limit", "told"), [("MAX_CELLS", "cells"), ("seconds", "takes over")])
def test_cells_and_seconds_are_counted(sent, monkeypatch, limit, told):
    path = sent / "a.csv"
    path.write_text("name,day\n" + "x,1\n" * 1000)
    if limit == "MAX_CELLS":
        monkeypatch.setattr(limits, "MAX_CELLS", 1000)
    with pytest.raises(TableError, match=told):
        list(batches_of(path, seconds=-1 if limit == "seconds" else 60))


def broken_parquet() -> bytes:
    out = io.BytesIO()
    pa_parquet.write_table(pa.table({"name": ["x"] * 5000}), out)
    body = bytearray(out.getvalue())
    body[20:200] = b"\xff" * 180
    return bytes(body)


def broken_workbook() -> bytes:
    out = io.BytesIO()
    book = Workbook()
    book.create_sheet("first", 0).append(["name"])
    book.save(out)
    with zipfile.ZipFile(out) as parts, io.BytesIO() as other:
        with zipfile.ZipFile(other, "w") as broken:
            for part in parts.infolist():
                body = parts.read(part)
                cut = body[: len(body) // 2] if "sheet1" in part.filename else body
                broken.writestr(part.filename, cut)
        return other.getvalue()


@pytest.mark.parametrize(
    ("name", "body"),
    [
        ("a.parquet", broken_parquet()),
        ("a.xlsx", broken_workbook()),
        ("a.csv", b'"open\nx\n'),
        ("a.csv", b"name,day\n\xff\xfe,1\n"),
        ("a.csv", b"name,name\nx,y\n"),
        ("a.csv", b"name\n" + b"x,y,z\n" * 3),
        ("a.csv", b"\x00\x00\n"),
    ],
)
def test_a_broken_table_is_refused_with_its_reason(api, sent, name, body):
    told = api.client.post("/api/v1/sheets", {"file": SimpleUploadedFile(name, body)})
    assert told.status_code == 422, told.content
    assert told.json()["type"] == "/problems/table"


@pytest.mark.parametrize("text", ["1e999999999", "1e-999999999", "Infinity", "NaN", "9" * 5000])
def test_an_amount_past_all_bounds_is_a_bad_cell(text):
    with pytest.raises(ValueError, match=r"digits|number|between"):
        read_bytes(text, unit="PiB", decimal_comma=False)


def test_a_trial_of_a_folder_writes_nothing(api, planner, sent):
    folder = sent / "inbox" / "records"
    folder.mkdir()
    lines = [HEADER, *(to_line(d) for d in (array(), pool(), volume()))]
    (folder / "day.ndjson").write_bytes(b"\n".join(lines))
    feed = ensure_feed(name="records", protocol=Protocol.FILE, addresses=[],
                       options={"folder": "records"})  # fmt: skip
    before = (counts(), AuditEntry.objects.count(), Feed.objects.get().last_good_at)
    asked = ask_collection(actor=planner, feed_id=feed.pk, is_trial=True)
    run = carry_out(run_id=asked.pk)
    assert (run.state, run.n_new["pool"], run.source) == ("done", 1, "day.ndjson")
    after = (counts(), AuditEntry.objects.count() - 1, Feed.objects.get().last_good_at)
    assert after == before  # but for the entry that says who tried
    assert Run.objects.count() == 1
    kept = carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
    assert kept.n_new["pool"] == 1
