"""One table with a row a thing and day: guessed, checked, brought in, and a date from it."""

import sys
from datetime import UTC, datetime, timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from procrastinate.contrib.django.models import ProcrastinateJob

from keelmark.core.units import TIB
from keelmark.estate.documents import ArrayDocument, PoolDocument
from keelmark.estate.models import Entity, Pool, Volume
from keelmark.feeds import table_import
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.services.running import import_sheet
from keelmark.feeds.services.schedule import sweep_lost
from keelmark.feeds.services.tables import sheet_of
from keelmark.feeds.table_import import check_table, mapping_of
from keelmark.feeds.tables.guessing import guess_kind, guess_of_kind
from keelmark.forecasts.making.pools import refresh
from keelmark.readings.models import DailyReading
from tests.server.conftest import NOW, TODAY

HEADER = "Pool,Array,Day,Used (TiB),Size (TiB),Class"
N_DAYS = 120
POOLS = [("swift-1", "tern-1", "Swift", 0.2), ("swift-1", "tern-2", "Swift", 0.1),
         ("deep-1", "tern-1", "Deep", 0.0), ("Süd", "tern-1", "", 0.05),
         ("Söd", "tern-1", "", 0.05)]  # fmt: skip


def table(pools=POOLS, *, n_days=N_DAYS, header=HEADER):
    lines = [header]
    for back in range(n_days, 0, -1):
        day = TODAY - timedelta(days=back)
        for name, array, klass, growth in pools:
            lines.append(f"{name},{array},{day},{60 + growth * (n_days - back):.2f},100,{klass}")
    return "\n".join(lines).encode()


@pytest.fixture
def sent(api, settings, tmp_path):
    settings.SENT_FOLDER = str(tmp_path / "sheets")

    def send(body):
        answer = api.client.post("/api/v1/sheets", {"file": SimpleUploadedFile("a.csv", body)})
        assert answer.status_code == 201, answer.content
        return answer.json()

    return send


def bring(api, sheet, mapping=None):
    asked = {"mapping": mapping or sheet["mapping"]}
    run = api.send("POST", f"/sheets/{sheet['key']}/import", **asked)
    assert run.status_code == 202, run.content
    return import_sheet(run_id=run.json()["id"], key=sheet["key"], told=asked["mapping"])


def test_a_table_of_pools_by_day_is_sent_in_one_go_and_gives_dates(api, sent):
    sheet = sent(table())
    mapping = sheet["mapping"]
    assert (mapping["kind"], mapping["of_kind"], mapping["makes_things"]) == (
        "readings", "pool", True,
    )  # fmt: skip
    assert {field: told["column"] for field, told in mapping["columns"].items()} == {
        "name": "Pool", "array_uid": "Array", "day": "Day", "used_bytes": "Used (TiB)",
        "capacity_bytes": "Size (TiB)", "service_class": "Class",
    }  # fmt: skip
    checked = api.send("POST", f"/sheets/{sheet['key']}/check", **mapping).json()
    assert (checked["n_good"], checked["n_problems"], checked["n_made"]) == (N_DAYS * 5, 0, 5)
    assert not Pool.objects.exists()
    run = bring(api, sheet)
    assert (run.state, run.n_readings, run.n_new) == ("done", N_DAYS * 5, {"array": 2, "pool": 5})
    assert refresh(now=NOW) == 5
    first = api.get("/pools").json()["results"][0]
    assert (first["array_name"], first["name"], first["service_class"]) == (
        "tern-1", "swift-1", "Swift",
    )  # fmt: skip
    assert [feed["state"] for feed in api.get("/feeds").json()] == ["fresh"]  # by hand, not paused
    # 60 + 0.2 a day: 6.2 TiB left to the limit, 31 days
    assert first["used_bytes"] == round(83.8 * TIB)
    assert first["limit"]["likely_on"] is not None


def test_sending_it_again_or_more_of_it_doubles_nothing(api, sent):
    bring(api, sent(table()))
    told = bring(api, sent(table()))
    assert (told.n_new, told.n_readings) == ({}, 0)
    more = table([(n, a, c, g + 0.01) for n, a, c, g in POOLS])
    assert bring(api, sent(more)).n_new == {}
    assert Pool.objects.count() == 5
    newest = Pool.objects.get(entity__name="deep-1")
    assert newest.used_bytes == round((60 + 0.01 * (N_DAYS - 1)) * TIB)


@pytest.mark.parametrize(("days_old", "is_unread"), [(20, False), (40, True)])
def test_a_table_sent_once_a_month_is_read_for_that_long(api, sent, days_old, is_unread):
    rows = table().decode().splitlines()
    newest = (TODAY - timedelta(days=days_old)).isoformat()
    body = "\n".join(row for row in rows if row == HEADER or row.split(",")[2] <= newest)
    bring(api, sent(body.encode()))
    refresh(now=NOW)
    states = {pool["attention"] for pool in api.get("/pools").json()["results"]}
    assert ("unread" in states) is is_unread


def test_what_was_set_of_the_feed_of_sent_tables_stays(api, sent):
    bring(api, sent(table()))
    Feed.objects.update(allowed_age_hours=7)
    bring(api, sent(table()))
    assert Feed.objects.get().allowed_age_hours == 7


def test_a_name_that_is_not_known_is_an_offer_to_make_it_where_others_are(api, sent, make_pool):
    make_pool("deep-1", array="tern-1")
    sheet = sent(table())
    assert sheet["mapping"]["makes_things"] is False
    told = api.send("POST", f"/sheets/{sheet['key']}/check", **sheet["mapping"]).json()
    (alike,) = told["alike"]
    assert (alike["n_rows"], alike["can_make"]) == (N_DAYS * 4, True)
    assert alike["says"] == "Pool: no pool is called swift-1, Süd, Söd"
    assert alike["rows"][0] == 1
    making = {**sheet["mapping"], "makes_things": True}
    told = api.send("POST", f"/sheets/{sheet['key']}/check", **making).json()
    assert (told["n_problems"], told["n_made"]) == (0, 4)
    run = bring(api, sheet, making)
    assert run.n_new["pool"] == 4
    assert Entity.objects.filter(kind="array", name="tern-1").count() == 1  # that of the feed


def test_many_alike_faults_are_one_line(api, sent):
    pools = [(f"pool-{n}", "tern-1", "", 0.1) for n in range(8)]
    header = HEADER.replace("Pool", "Thing")
    sheet = sent(table(pools, header=header))
    mapping = {**sheet["mapping"], "of_kind": ""}
    mapping["columns"] = {
        name: told for name, told in mapping["columns"].items()
        if name in ("day", "used_bytes", "capacity_bytes")
    } | {"name": {"column": "Thing", "unit": ""}}  # fmt: skip
    told = api.send("POST", f"/sheets/{sheet['key']}/check", **mapping).json()
    (alike,) = told["alike"]
    assert alike["n_rows"] == told["n_problems"] == N_DAYS * 8
    assert alike["says"] == "Thing: no thing is called pool-0, pool-1, pool-2 … (8 names)"


def test_a_new_pool_without_a_size_is_refused_in_words(api, sent):
    sheet = sent(table())
    columns = {n: c for n, c in sheet["mapping"]["columns"].items() if n != "capacity_bytes"}
    told = api.send(
        "POST", f"/sheets/{sheet['key']}/check", **{**sheet["mapping"], "columns": columns}
    ).json()
    assert "no row tells its size" in told["alike"][0]["says"]


def test_volumes_by_day_are_made_in_pools_that_are_known(api, sent, tmp_path):
    import_documents(
        [
            ArrayDocument(uid="serial.t", name="tern-1", read_at=NOW),
            PoolDocument(uid="uuid.p", name="swift-1", array_uid="serial.t", usable_bytes=TIB,
                         used_bytes=0, read_at=NOW),
        ],
        into=Imported(),
    )  # fmt: skip
    lines = ["Volume,Pool,Day,Used (GiB),Size (GiB)"]
    for back in (3, 2, 1):
        lines += [f"v{n},swift-1,{TODAY - timedelta(days=back)},{n},10" for n in (1, 2)]
    sheet = sent("\n".join(lines).encode())
    assert sheet["mapping"]["of_kind"] == "volume"
    assert bring(api, sheet).n_new == {"volume": 2}
    assert Volume.objects.filter(pool__entity__name="swift-1").count() == 2
    assert DailyReading.objects.filter(entity__kind="volume").count() == 6


@pytest.mark.parametrize(
    ("header", "kind", "of_kind"),
    [
        (["Pool", "Array", "Day", "Used", "Size"], "readings", "pool"),
        (["datastore", "date", "used GiB"], "readings", "datastore"),
        (["VM", "day", "used"], "readings", "vm"),
        (["object", "sampled", "consumed"], "readings", ""),
    ],
)
def test_rows_of_a_day_are_told_by_names_that_come_again(header, kind, of_kind):
    names = dict(zip(header, ["a"] * len(header), strict=True))
    day = next(c for c in header if c.lower() in ("day", "date", "sampled"))
    rows = [{**names, day: f"2026-11-0{n}"} for n in (1, 2)]
    assert guess_kind(header, rows=rows) == kind
    assert guess_of_kind(header, rows=rows) == of_kind
    assert guess_kind(header, rows=rows[:1]) != "" or kind


def test_a_mapping_that_lacks_something_says_it_with_its_article(tmp_path):
    from keelmark.feeds.errors import TableError

    told = {"kind": "array", "columns": {"nothing": {"column": "x"}}}
    with pytest.raises(TableError, match="an array has no nothing"):
        mapping_of(told)
    assert check_table is not None


def test_a_sent_table_whose_worker_died_is_written_by_the_next(api, sent, monkeypatch):
    sheet = sent(table())
    monkeypatch.setattr(table_import, "note_past", lambda *_, **__: sys.exit())
    with pytest.raises(SystemExit):
        bring(api, sheet)
    monkeypatch.undo()
    run = Run.objects.get()
    assert (run.state, run.n_readings) == (RunState.RUNNING, 0)
    assert sweep_lost(now=datetime.now(UTC) + timedelta(minutes=1)) == 1
    job = ProcrastinateJob.objects.filter(args__run_id=run.pk).latest("pk")
    assert import_sheet(**job.args).state == RunState.DONE
    assert Pool.objects.count() == len(POOLS)


def test_a_sent_table_that_is_gone_ends_in_words(api, sent):
    sheet = sent(table())
    asked = api.send("POST", f"/sheets/{sheet['key']}/import", mapping=sheet["mapping"])
    sheet_of(sheet["key"]).unlink()
    run = import_sheet(run_id=asked.json()["id"], key=sheet["key"], told=sheet["mapping"])
    assert run.state == RunState.FAILED
    assert run.problem == "The table: it is not here any more; send it again."
