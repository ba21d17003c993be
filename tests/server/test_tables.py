from datetime import timedelta
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pa_parquet
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from openpyxl import Workbook

from keelmark.core.units import GIB, TIB
from keelmark.estate.models import Entity, Project, Protocol
from keelmark.feeds.errors import TableError
from keelmark.feeds.held import begin
from keelmark.feeds.models import Mapping, Run, RunState
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.running import carry_out, import_sheet
from keelmark.feeds.services.schedule import queue_run
from keelmark.feeds.table_import import check_table, mapping_of, write_table
from keelmark.feeds.tables.guessing import guess, guess_kind
from keelmark.feeds.tables.source import batches_of, first_rows, header_of
from keelmark.readings.models import DailyReading

CSV = "pool;Day;Used (GiB);Capacity (GiB)\nswift-1;20.11.2026;1.024,5;2.048\n"
ROWS = [("swift-1", "2026-11-20", 5, 10), ("swift-1", "2026-11-21", 6, 10)]
READINGS = {
    "kind": "readings",
    "of_kind": "pool",
    "columns": {
        "name": {"column": "pool"},
        "day": {"column": "day"},
        "used_bytes": {"column": "used", "unit": "GiB"},
        "capacity_bytes": {"column": "capacity", "unit": "GiB"},
    },
}


@pytest.fixture(autouse=True)
def inbox(settings, tmp_path):
    settings.FEED_FOLDERS = str(tmp_path / "inbox")
    Path(settings.FEED_FOLDERS).mkdir()
    return tmp_path / "inbox"


def as_csv(path, rows=ROWS):
    lines = ["pool,day,used,capacity", *(",".join(map(str, row)) for row in rows)]
    path.write_text("\n".join(lines) + "\n")
    return path


def as_xlsx(path, rows=ROWS):
    book = Workbook()
    for row in [("pool", "day", "used", "capacity"), *rows]:
        book.active.append(row)
    book.save(path)
    return path


def as_parquet(path, rows=ROWS):
    columns = list(zip(*rows, strict=True))
    table = pa.table(dict(zip(("pool", "day", "used", "capacity"), columns, strict=True)))
    pa_parquet.write_table(table, path)
    return path


WRITERS = {"a.csv": as_csv, "a.xlsx": as_xlsx, "a.parquet": as_parquet}


@pytest.mark.parametrize("name", WRITERS)
def test_every_form_of_table_reads_the_same(tmp_path, name):
    path = WRITERS[name](tmp_path / name)
    assert header_of(path) == ["pool", "day", "used", "capacity"]
    assert first_rows(path, n_rows=1) == [
        {"pool": "swift-1", "day": "2026-11-20", "used": "5", "capacity": "10"}
    ]


def test_columns_units_dates_and_decimal_commas_are_guessed(tmp_path):
    path = tmp_path / "a.csv"
    path.write_text(CSV)
    rows = first_rows(path, n_rows=5)
    told = guess(header_of(path), rows=rows, kind=guess_kind(header_of(path), rows=rows))
    assert told.kind == "readings"
    assert told.decimal_comma
    filled = {name: (c.column, c.unit) for name, c in told.columns.items()}
    assert filled == {
        "name": ("pool", ""), "day": ("Day", "%d.%m.%Y"), "used_bytes": ("Used (GiB)", "GiB"),
        "capacity_bytes": ("Capacity (GiB)", "GiB"),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("header", "kind"),
    [
        (["name", "uid", "tenant", "quota (TiB)"], "project"),
        (["volume", "wwn", "pool", "size (GB)", "written (GB)"], "volume"),
        (["VM", "cluster", "vCPUs", "memory (GiB)", "power"], "vm"),
    ],
)
def test_what_a_row_is_is_guessed_by_what_the_columns_fill(header, kind):
    assert guess_kind(header, rows=[]) == kind


@pytest.mark.parametrize("name", WRITERS)
def test_readings_of_a_table_are_exact_bytes(make_pool, tmp_path, name):
    pool_id = make_pool("swift-1", age=timedelta(days=200))
    path = WRITERS[name](tmp_path / name)
    feed = ensure_feed(name="sheets", protocol=Protocol.TABLE, addresses=[])
    run = queue_run(feed)
    begin(run)
    write_table(path, mapping=mapping_of(READINGS), feed=feed, run=run)
    rows = DailyReading.objects.filter(entity_id=pool_id, day__gte="2026-11-20")
    assert list(rows.values_list("used_bytes", "capacity_bytes")) == [
        (5 * GIB, 10 * GIB), (6 * GIB, 10 * GIB),
    ]  # fmt: skip
    assert (run.state, run.n_readings) == (RunState.DONE, 2)


def test_every_bad_cell_is_told_with_its_row_and_column_before_anything_is_written(
    make_pool, tmp_path
):
    make_pool("swift-1")
    path = as_csv(
        tmp_path / "a.csv",
        [*ROWS, ("nowhere", "2026-11-20", 1, 1), ("swift-1", "20.11.", 1, 1),
         ("swift-1", "2026-11-22", "many", 1), ("swift-1", "2026-11-23", -1, 1),
         ("", "2026-11-23", 1, 1)],
    )  # fmt: skip
    before = DailyReading.objects.count()
    checked = check_table(path, mapping=mapping_of(READINGS))
    assert (checked.n_rows, checked.n_good, checked.n_problems) == (7, 2, 5)
    assert sorted(checked.problems) == [
        "row 3, pool: no pool is called nowhere",
        "row 4, day: 20.11. is no date like 2026-11-23",
        "row 5, used: many is no number",
        "row 6, used: -1 is not between 0 and 2^63 − 1 bytes",
        "row 7, pool: is empty",
    ]
    assert DailyReading.objects.count() == before


def test_a_name_that_two_things_have_needs_a_uid(make_pool, tmp_path):
    make_pool("swift-1")
    make_pool("swift-1", array="heron-2")
    checked = check_table(as_csv(tmp_path / "a.csv"), mapping=mapping_of(READINGS))
    assert "2 of kind pool are called swift-1; give its uid" in checked.problems[0]
    uid = Entity.objects.filter(kind="pool").first().uid
    rows = [(uid, *row[1:]) for row in ROWS]
    assert check_table(as_csv(tmp_path / "b.csv", rows), mapping=mapping_of(READINGS)).n_good == 2


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"columns": {"name": {"column": "pool"}}}, "no column is given for day, used_bytes"),
        ({"columns": {"colour": {"column": "x"}}}, "has no colour"),
    ],
)
def test_a_mapping_that_lacks_something_is_told(change, told):
    with pytest.raises(TableError, match=told):
        mapping_of(READINGS | change)


QUOTAS = "name,uid,tenant,quota (TiB)\nTide Gauges: alerts,id.p/alerts,Tide Gauges,80\n"


def send(api, content, name="quotas.csv"):
    file = SimpleUploadedFile(name, content.encode())
    return api.client.post("/api/v1/sheets", {"file": file})


def test_a_sent_table_is_looked_into_checked_kept_and_brought_in(api, db):
    tenants = send(api, "name,uid\nTide Gauges,id.t/gauges\n", "tenants.csv").json()
    mapping = tenants["mapping"] | {"kind": "tenant"}
    run = api.send("POST", f"/sheets/{tenants['key']}/import", mapping=mapping).json()
    import_sheet(run_id=run["id"], key=tenants["key"], told=mapping)

    sheet = send(api, QUOTAS).json()
    assert sheet["mapping"]["kind"] == "project"
    assert sheet["rows"][0]["quota (TiB)"] == "80"
    checked = api.send("POST", f"/sheets/{sheet['key']}/check", **sheet["mapping"]).json()
    assert (checked["n_good"], checked["problems"]) == (1, [])
    kept = api.send(
        "POST", "/mappings", name="quotas", header=sheet["header"], mapping=sheet["mapping"]
    )
    assert kept.status_code == 201
    assert send(api, QUOTAS).json()["mapping_name"] == "quotas"
    asked = api.send("POST", f"/sheets/{sheet['key']}/import", mapping=sheet["mapping"])
    assert asked.status_code == 202
    run = import_sheet(run_id=asked.json()["id"], key=sheet["key"], told=sheet["mapping"])
    assert (run.state, run.n_new) == (RunState.DONE, {"project": 1})
    project = Project.objects.get()
    assert (project.quota_bytes, project.tenant.entity.name) == (80 * TIB, "Tide Gauges")


def test_a_bad_row_refuses_the_whole_table_unless_it_is_left_out(api, db):
    sheet = send(api, QUOTAS).json()  # its tenant is not known
    path = f"/sheets/{sheet['key']}/import"
    refused = api.send("POST", path, mapping=sheet["mapping"])
    assert (refused.status_code, Run.objects.count()) == (422, 0)
    assert "no tenant is called Tide Gauges" in refused.json()["detail"]
    assert api.send("POST", path, mapping=sheet["mapping"], skips_bad=True).status_code == 202


@pytest.mark.parametrize("key", ["../../etc/passwd", "x" * 20 + "--a.csv", "....--a.csv"])
def test_a_key_names_nothing_but_sent_tables(api, key):
    assert api.get(f"/sheets/{key}").status_code in (404, 422)


def test_a_watched_folder_brings_each_new_file_once(make_pool, inbox, settings):
    make_pool("swift-1")
    (inbox / "in").mkdir()
    as_csv(inbox / "in" / "1.csv")
    as_csv(inbox / "in" / "2.csv", [("swift-1", "2026-11-22", 7, 10)])
    saved = Mapping.objects.create(
        name="m", kind="readings", of_kind="pool", columns=READINGS["columns"],
        header=["pool", "day", "used", "capacity"], made_at="2026-11-23T00:00Z",
    )  # fmt: skip
    feed = ensure_feed(name="sheets", protocol=Protocol.TABLE, addresses=[],
                       options={"folder": "in", "mapping_id": saved.pk})  # fmt: skip
    carry_out(run_id=queue_run(feed).pk)
    while (live := Run.objects.filter(feed=feed, state=RunState.QUEUED).first()) is not None:
        carry_out(run_id=live.pk)
    done = Run.objects.filter(feed=feed, state=RunState.DONE)
    assert sorted(done.values_list("source", flat=True)) == ["1.csv", "2.csv"]
    again = carry_out(run_id=queue_run(feed).pk)
    assert (again.state, again.source) == (RunState.DONE, "sheets: no new file")


def test_a_file_that_failed_is_tried_again_after_the_others(make_pool, inbox):
    (inbox / "in").mkdir()
    as_csv(inbox / "in" / "1.csv", [("swift-9", "2026-11-22", 7, 10)])
    as_csv(inbox / "in" / "2.csv")
    make_pool("swift-1")
    saved = Mapping.objects.create(
        name="m", kind="readings", of_kind="pool", columns=READINGS["columns"],
        header=["pool", "day", "used", "capacity"], made_at="2026-11-23T00:00Z",
    )  # fmt: skip
    feed = ensure_feed(name="sheets", protocol=Protocol.TABLE, addresses=[],
                       options={"folder": "in", "mapping_id": saved.pk})  # fmt: skip
    ends = [carry_out(run_id=queue_run(feed).pk) for _ in range(2)]
    assert [(r.source, r.state) for r in ends] == [("1.csv", "failed"), ("2.csv", "done")]
    assert not Run.objects.filter(state=RunState.QUEUED).exists()
    make_pool("swift-9")
    again = carry_out(run_id=queue_run(feed).pk)
    assert (again.source, again.state) == ("1.csv", RunState.DONE)


def test_a_folder_outside_the_inbox_is_refused(db):
    feed = ensure_feed(name="s", protocol=Protocol.TABLE, addresses=[],
                       options={"folder": "../.."})  # fmt: skip
    run = carry_out(run_id=queue_run(feed).pk)
    assert run.state == RunState.FAILED
    assert "must name a folder inside" in run.problem


def test_a_long_table_is_read_in_pieces(make_pool, tmp_path):
    make_pool("swift-1")
    path = tmp_path / "long.csv"
    with path.open("w") as file:
        file.write("pool,day,used,capacity\n")
        for number in range(600_000):
            file.write(f"swift-1,20{17 + number % 9:02d}-11-20,{number},1000000\n")
    sizes = [batch.num_rows for batch in batches_of(path)]
    assert sum(sizes) == 600_000
    assert max(sizes) < 400_000
    assert check_table(path, mapping=mapping_of(READINGS)).n_good == 600_000
