"""Doors 4, 6, 8, 9, 12 and 13: what is sent, its days, its bounds, and two who write at once."""

import json
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta

import pytest
from django.db import connection

from keelmark.access.models import AuditEntry, Role
from keelmark.access.services.people import ensure_person
from keelmark.core.units import TIB
from keelmark.estate.documents import (
    AboutDocument,
    CountersDocument,
    EventDocument,
    MeasuresDocument,
    PerformanceDocument,
    ReadingsDocument,
    to_line,
)
from keelmark.estate.models import Entity, Pool, Protocol, ServiceClass
from keelmark.feeds.models import Run
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.running import carry_out
from keelmark.readings.models import DailyReading
from keelmark.readings.partitions import DAILY, MEASURES, keep_partitions
from tests.server.conftest import NOW, TODAY, signed_in
from tests.server.test_joining import array, pool
from tests.server.test_nothing_lost import HEADER, push

FAR = datetime(1999, 1, 1, tzinfo=UTC)
AHEAD = NOW + timedelta(days=3)


@pytest.fixture
def owners(db):
    return ensure_feed(name="owners", protocol=Protocol.PUSH, addresses=[])


def partitions() -> int:
    with connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM pg_inherits")
        return int(cursor.fetchone()[0])


# --- days and moments


@pytest.mark.parametrize(
    ("document", "told"),
    [
        (ReadingsDocument(uid="uuid.p1", first_on=FAR.date(), used_bytes=[1]), "first day"),
        (ReadingsDocument(uid="uuid.p1", first_on=TODAY, used_bytes=[1] * 40), "last day"),
        (ReadingsDocument(uid="uuid.p1", first_on=date.max, used_bytes=[1, 2]), "last"),
        (MeasuresDocument(uid="uuid.p1", measure="cpu", first_on=FAR.date(), amounts=[1]), "first"),
        (PerformanceDocument(uid="uuid.p1", first_at=NOW - timedelta(days=20), read_iops=[1]),
         "first day"),
        (PerformanceDocument(uid="uuid.p1", first_at=NOW, read_iops=[1] * 2000), "our clock"),
        (CountersDocument(uid="uuid.p1", read_at=NOW - timedelta(days=20), read_ops=1), "first"),
        (CountersDocument(uid="uuid.p1", read_at=AHEAD, read_ops=1), "our clock"),
        (EventDocument(uid="id.e", of_uid="uuid.p1", at=AHEAD, what="moved"), "our clock"),
        (AboutDocument(uid="uuid.p1", read_at=AHEAD, says={}), "our clock"),
        (array(read_at=AHEAD), "our clock"),
    ],
)  # fmt: skip
def test_days_outside_the_window_are_refused_by_line(api, owners, document, told):
    before = partitions()
    refused = push(api, owners, array(), pool(), document)
    assert refused.status_code == 422
    assert "line 4: " in refused.json()["detail"]
    assert told in refused.json()["detail"]
    assert partitions() == before
    assert not Run.objects.exists()


def test_no_delivery_makes_a_partition(api, owners):
    before = partitions()
    days = [
        ReadingsDocument(uid="uuid.p1", first_on=TODAY - timedelta(days=back), used_bytes=[1])
        for back in range(0, 3600, 97)
    ]
    run = carry_out(run_id=push(api, owners, array(), pool(), *days).json()["id"])
    assert run.state == "done", run.problem
    told = DailyReading.objects.filter(day__in=[one.first_on for one in days])
    assert told.count() == len(days)
    assert partitions() == before


def test_the_window_stands_ready_in_few_partitions(db):
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT parent.relname, count(*) FROM pg_inherits "
            "JOIN pg_class parent ON parent.oid = inhparent WHERE parent.relkind = 'p' GROUP BY 1"
        )
        counted = dict(cursor.fetchall())
    assert counted[DAILY] == counted[MEASURES] <= 40
    later = TODAY + timedelta(days=400)
    keep_partitions(today=later)
    keep_partitions(today=later)
    assert ReadingsDocument(uid="uuid.p", first_on=later, used_bytes=[1])


def test_a_reading_from_ahead_does_not_silence_the_next(api, owners):
    ahead = datetime.now(UTC) + timedelta(hours=20)
    carry_out(run_id=push(api, owners, array(), pool(read_at=ahead, used_bytes=TIB)).json()["id"])
    today = ReadingsDocument(uid="uuid.p1", first_on=TODAY, used_bytes=[TIB])
    carry_out(run_id=push(api, owners, today, key="2").json()["id"])
    now = datetime.now(UTC)
    carry_out(run_id=push(api, owners, pool(read_at=now, used_bytes=2 * TIB), key="3").json()["id"])
    assert Pool.objects.get().used_bytes == 2 * TIB
    assert DailyReading.objects.get(day=now.date()).used_bytes == 2 * TIB


# --- lost updates


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("level", ["own", "class", "site"])
def test_of_two_who_set_marks_at_once_one_is_told(make_pool, level):
    pool_id = make_pool()
    person = ensure_person(name="planner", password="spring-tide", role=Role.PLANNER)
    clients = [signed_in(person) for _ in range(2)]

    def set_once(client, name, seen, percent):
        try:
            return client.put(
                f"/api/v1/marks/{pool_id}", {"level": level, name: percent},
                content_type="application/json", headers={"If-Match": seen},
            )  # fmt: skip
        finally:
            connection.close()

    n_lost = 0
    with ThreadPoolExecutor(2) as threads:
        for turn in range(6):
            seen = clients[0].get(f"/api/v1/marks/{pool_id}")["ETag"]
            fields = ("caution_percent", "lead_time_days")
            answers = list(
                threads.map(
                    lambda at, turn=turn, seen=seen, fields=fields: set_once(
                        clients[at], fields[at], seen, 20 + turn
                    ),
                    range(2),
                )
            )
            assert sorted(a.status_code for a in answers) == [200, 412]
            refused = next(a for a in answers if a.status_code == 412)
            won = next(at for at in range(2) if answers[at].status_code == 200)
            stands = refused.json()["stands"]
            n_lost += stands[level][fields[won]] != 20 + turn
            again = set_once(clients[1 - won], fields[1 - won], stands["version"], 20 + turn)
            assert again.status_code == 200
            told = {level["name"]: level["told"] for level in again.json()["levels"]}[level]
            n_lost += [told[name] for name in fields] != [20 + turn] * 2
    assert n_lost == 0
    assert ServiceClass.objects.exists()


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("PUT", "/marks/{pool}", {"caution_percent": 50}),
        ("PUT", "/reference-vm", {"n_cpus": 2, "memory_bytes": 1, "disk_bytes": 1}),
        ("DELETE", "/reference-vm", {}),
        ("PATCH", "/feeds/{feed}", {"is_paused": True}),
        ("DELETE", "/feeds/{feed}", {}),
        ("POST", "/mappings", {"name": "m", "header": ["a"], "mapping": {
            "kind": "tenant", "columns": {"name": {"column": "a"}}}}),
        ("PATCH", "/people/{person}", {"is_active": True}),
    ],
)  # fmt: skip
def test_every_write_names_what_it_was_decided_on(make_pool, make_feed, method, path, body):
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    client = signed_in(keeper)
    ids = {"pool": make_pool(), "feed": make_feed("http://127.0.0.1:1").pk, "person": keeper.pk}
    at = f"/api/v1{path.format(**ids)}"
    if path == "/mappings":  # a new one replaces nothing
        assert client.post(at, body, content_type="application/json").status_code == 201
    asked = {"content_type": "application/json"}
    assert client.generic(method, at, json.dumps(body), **asked).status_code == 428
    told = client.generic(method, at, json.dumps(body), headers={"If-Match": '"x"'}, **asked)
    assert (told.status_code, told.json()["type"]) == (412, "/problems/changed-meanwhile")
    seen = told.json()["stands"]["version"]
    told = client.generic(method, at, json.dumps(body), headers={"If-Match": seen}, **asked)
    assert told.status_code in (200, 201, 204), told.content


# --- bounds of a push


@pytest.fixture
def brought(db):
    """An array that a collection told of."""
    from keelmark.estate.services.delivery import open_delivery
    from keelmark.feeds.importer import Imported, import_documents

    heron = ensure_feed(name="heron", url="http://127.0.0.1:1")
    import_documents([array(), pool()], into=Imported(delivery=open_delivery(heron.source)))
    return heron


@pytest.mark.parametrize(
    "document",
    [
        array(name="renamed", read_at=NOW),
        array(uid="serial.NEW", also=["serial.H1"], name="renamed"),
        AboutDocument(uid="uuid.p1", read_at=NOW, says={"used_bytes": 0}),
        ReadingsDocument(uid="uuid.p1", first_on=TODAY, used_bytes=[0]),
        EventDocument(uid="id.e1", of_uid="uuid.p1", at=NOW, what="deleted"),
    ],
)
def test_a_push_tells_nothing_of_what_others_brought(api, owners, brought, document):
    refused = push(api, owners, document)
    assert refused.status_code == 422
    assert "is told of by heron" in refused.json()["detail"]
    assert Entity.objects.get(uid="serial.H1").name == "serial.H1"
    owners.options = {"of_others": ["inventory", "facts", "readings", "events"]}
    owners.save()
    assert push(api, owners, document).status_code == 202


def test_what_waits_is_held_to_the_same_bounds(api, owners):
    waits = AboutDocument(uid="uuid.p1", read_at=NOW, says={"used_bytes": 7})
    run = carry_out(run_id=push(api, owners, waits).json()["id"])
    assert "waited for things" in run.warnings[0]
    from keelmark.estate.services.delivery import open_delivery
    from keelmark.feeds.importer import Imported, import_documents

    heron = ensure_feed(name="heron", url="http://127.0.0.1:1")
    import_documents([array(), pool()], into=Imported(delivery=open_delivery(heron.source)))
    assert Pool.objects.get().used_bytes == 4 * TIB


def test_a_push_is_in_the_log_and_its_own_things_are_its_own(api, owners):
    run = carry_out(run_id=push(api, owners, array(), pool()).json()["id"])
    assert run.state == "done"
    carry_out(run_id=push(api, owners, array(name="renamed"), key="2").json()["id"])
    assert Entity.objects.get(uid="serial.H1").name == "renamed"
    entry = AuditEntry.objects.filter(action="push").latest("pk")
    assert (entry.actor_name, entry.address) == ("planner", "127.0.0.1")
    assert entry.after["key"] == "2"


# --- lines that no text may hold


@pytest.mark.parametrize("bad", [b'"a\\u0000b"', b'"a\x00b"', b'"\\ud800"', b'"\xff"'])
def test_a_bad_line_of_a_file_leaves_out_that_line(tmp_path, db, bad):
    from keelmark.feeds.file_import import import_file

    path = tmp_path / "a.ndjson"
    good = to_line(array())
    broken = to_line(array(uid="serial.B")).replace(b'"serial.B"', bad, 2)
    nested = b'{"doc":' * 5000
    escaped = to_line(array(uid="serial.C", name="back\\u0000slash"))
    path.write_bytes(b"\n".join([HEADER, good, broken, nested, escaped]))
    run = import_file(path, is_strict=False, tell=lambda _: None)
    assert run.state == "done"
    assert [w.split(":")[0] for w in run.warnings] == ["line 3", "line 4"]
    names = set(Entity.objects.filter(kind="array").values_list("name", flat=True))
    assert names == {"serial.H1", "back\\u0000slash"}
