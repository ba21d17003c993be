from datetime import timedelta

import pytest

from keelmark.access.models import AuditEntry
from keelmark.access.versions import version_of
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    PoolDocument,
    ReadingsDocument,
)
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.forecasts.models import KeptForecast
from keelmark.readings.models import DailyReading
from tests.server.cluster import ARRIVED_DAYS_AGO, FIRST_ON, N_DAYS, make_cluster
from tests.server.conftest import NOW, for_a_module
from tests.server.test_forecast_runs import carry_out


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        yield make_cluster()


@pytest.fixture
def estate(cluster, db):
    return cluster


@pytest.mark.parametrize("uid", ["uuid.p", "naa.1", "uuid.s", "path.v0:a"])
def test_anything_that_fills_is_told_with_dates_findings_path_and_record(api, estate, uid):
    told = api.get(f"/forecasts/{estate[uid]}", days=30).json()
    assert told["entity"]["uid"] == uid
    assert len(told["path"]["p50"]) == 30
    assert told["path"]["p10"][-1] <= told["path"]["p50"][-1] <= told["path"]["p90"][-1]
    assert told["record"]["days"] == [7, 30, 90]
    assert told["record"]["n_tried"] > 0
    assert told["marks"]["limit"] > 0
    assert set(told["findings"]) == {
        "shifts", "pace_changes", "repairs", "jumps", "weekly_swing",
        "monthly_swing", "n_kin", "mix",
    }  # fmt: skip


def test_growth_times_three_ends_three_times_as_soon(api, estate):
    def days_to_limit(growth):
        told = api.get(f"/forecasts/{estate['uuid.p']}", growth=growth).json()
        return (told["limit"]["likely_on"], told["growth_per_day"])

    plain_on, plain = days_to_limit(1)
    faster_on, faster = days_to_limit(3)
    assert faster == pytest.approx(3 * plain, rel=0.001)
    today = NOW.date().isoformat()
    assert today < faster_on < plain_on
    assert api.get(f"/forecasts/{estate['uuid.p']}", growth=0).json()["limit"]["likely_on"] is None


def test_a_jump_is_told_with_the_disks_that_made_it(api, estate):
    shifts = api.get(f"/forecasts/{estate['uuid.s']}").json()["findings"]["shifts"]
    assert [shift["amount"] for shift in shifts] == [pytest.approx(1500 * GIB, rel=0.01)]
    told = api.get(f"/contributors/{estate['uuid.s']}", days=30).json()
    assert told["part_kind"] == "disk"
    assert told["n_parts"] == 5
    assert told["new_bytes"] == 1500 * GIB
    assert told["total_bytes"] == 1500 * GIB + 2 * 30 * GIB
    assert [part["is_new"] for part in told["parts"]] == [True] * 3 + [False] * 2
    (explained,) = told["explained"]
    assert explained["on"] == (NOW - timedelta(days=ARRIVED_DAYS_AGO)).date().isoformat()
    assert explained["says"] == "3 disks of Seabed Mapping grew or arrived"


def test_growth_is_told_of_a_span_that_was(api, estate):
    until = (NOW - timedelta(days=ARRIVED_DAYS_AGO + 1)).date()
    told = api.get(f"/contributors/{estate['uuid.s']}", days=30, until=until.isoformat()).json()
    assert (told["last_on"], told["new_bytes"]) == (until.isoformat(), 0)
    assert told["total_bytes"] == 2 * 30 * GIB
    ahead = api.get(f"/contributors/{estate['uuid.s']}", until=str(NOW.date() + timedelta(days=2)))
    assert ahead.status_code == 400
    assert ahead.json()["errors"][0]["pointer"] == "#/until"


def test_growth_is_followed_down_the_layers(api, estate):
    kinds = {
        uid: api.get(f"/contributors/{estate[uid]}").json()["part_kind"]
        for uid in ("serial.h", "uuid.p", "naa.1", "id.kelp", "id.seabed", "wwn.h1")
    }
    assert kinds == {
        "serial.h": "pool", "uuid.p": "volume", "naa.1": "disk", "id.kelp": "datastore",
        "id.seabed": "disk", "wwn.h1": None,
    }  # fmt: skip
    below = api.get(f"/contributors/{estate['naa.1']}").json()
    assert below["n_parts"] == 5


def test_wholes_are_their_parts_added_up(api, estate):
    array = api.get(f"/forecasts/{estate['serial.h']}").json()
    pool = api.get(f"/forecasts/{estate['uuid.p']}").json()
    assert array["growth_per_day"] == pytest.approx(pool["growth_per_day"], rel=0.01)
    assert array["limit"]["likely_on"] == pool["limit"]["likely_on"]
    assert array["marks"]["full"] == 20 * TIB
    cluster = api.get(f"/forecasts/{estate['id.kelp']}").json()
    assert cluster["marks"]["full"] == 10 * TIB
    tenant = api.get(f"/forecasts/{estate['id.seabed']}").json()
    assert tenant["marks"] == {"caution": None, "limit": None, "full": None}
    assert tenant["attention_because"] == "it has no quota to fill"
    # two disks that grow by a GiB a day each; three that arrived, 125 a day since, are a shift
    assert 0 < tenant["growth_per_day"] < 3 * GIB
    assert [s["amount"] for s in tenant["findings"]["shifts"]] == [
        pytest.approx(1500 * GIB, rel=0.01)
    ]
    sites = api.get("/forecasts", kind="site").json()["results"]
    assert [row["entity"]["name"] for row in sites] == ["Skerry"]


def test_parts_and_whole_are_told_so_that_they_add_up(api, estate):
    for uid, n_parts in (("uuid.s", 5), ("uuid.p", 1), ("serial.h", 1)):
        told = api.get(f"/together/{estate[uid]}").json()
        assert len(told["days"]) == 4
        assert len(told["parts"]) + told["n_left_out"] == n_parts
        for at, whole in enumerate(told["whole_bytes"]):
            parts = sum(part["bytes_on"][at] for part in told["parts"])
            assert parts + told["left_out_bytes"] == pytest.approx(whole, abs=n_parts)
    assert api.get(f"/together/{estate['wwn.h1']}").status_code == 404


def test_a_part_without_a_forecast_is_in_the_whole_once(api, estate):
    def read():
        return api.get(f"/together/{estate['uuid.s']}").json()

    def of_parts(told):
        return {part["entity"]["id"]: part["bytes_on"][0] for part in told["parts"]}

    before = of_parts(read())
    largest = max(before, key=before.get)
    kept = KeptForecast.objects.get(entity_id=largest, metric="used")
    KeptForecast.objects.filter(pk=kept.pk).update(growth_per_day=None)
    told = read()
    assert told["n_left_out"] == 5 - len(told["parts"])
    assert told["left_out_bytes"] >= round(kept.last_amount)
    after = of_parts(told)
    assert set(after) == set(before) - {largest}
    for pk, amount in after.items():  # nobody else is given what it holds
        assert amount == pytest.approx(before[pk], rel=0.05)


def test_crossings_come_in_the_order_of_their_dates_and_narrow(api, estate):
    rows = api.get("/forecasts", kind="volume").json()["results"]
    assert [row["entity"]["uid"] for row in rows] == ["naa.1"]
    assert rows[0]["limit_likely_on"] is not None
    disks = api.get("/forecasts", kind="disk").json()["results"]
    dates = [row["limit_likely_on"] or "9999" for row in disks]
    assert dates == sorted(dates)
    assert len(api.get("/forecasts", kind="disk", scope="sonar-3").json()["results"]) == 1
    assert api.get("/forecasts", kind="disk", scope="site:Marram").json()["results"] == []
    assert api.get("/forecasts", kind="disk", scope="class:none").status_code == 200
    assert api.get("/forecasts", kind="disk", scope="colour:red").status_code == 400
    assert api.get("/forecasts", kind="tree").status_code == 400


def test_berths_are_counted_with_one_host_lost_and_over_time(api, estate):
    told = api.get(f"/berths/{estate['id.kelp']}").json()
    assert told["reference"] == {
        "n_cpus": 2, "memory_bytes": 8 * GIB, "disk_bytes": 1024 * GIB, "is_set": False,
        "version": version_of({}),
    }  # fmt: skip
    # two hosts of 16 cores and 64 GiB, one lost: 16·4 − 10 vCPUs, 64 − 40 GiB, 9 − 6 TiB
    assert told["by_resource"] == {"n_cpus": 27, "memory_bytes": 3, "disk_bytes": 3}
    assert (told["n_free"], told["limited_by"]) == (3, "memory_bytes")
    first = told["ahead"][0]
    assert (first["n_likely"], first["limited_by"]) == (2, "disk_bytes")
    lows = [at["n_low"] for at in told["ahead"]]
    assert lows == sorted(lows, reverse=True)
    assert api.get(f"/berths/{estate['uuid.p']}").status_code == 404


def test_a_reference_vm_that_is_set_counts_and_is_in_the_log(api, estate):
    set_to = {"n_cpus": 1, "memory_bytes": 0, "disk_bytes": 3072 * GIB}
    assert api.send("PUT", "/reference-vm", **set_to).json()["is_set"] is True
    told = api.get(f"/berths/{estate['id.kelp']}").json()
    assert told["by_resource"] == {"n_cpus": 54, "disk_bytes": 1}
    assert (told["n_free"], told["limited_by"]) == (1, "disk_bytes")
    entry = AuditEntry.objects.latest("pk")
    assert (entry.action, entry.after["disk_bytes"]) == ("set reference VM", 3072 * GIB)
    assert api.send("DELETE", "/reference-vm").json()["is_set"] is False
    assert api.send("PUT", "/reference-vm", **{**set_to, "n_cpus": -1}).status_code == 400


def test_marks_are_the_nearest_and_say_whose_they_are(api, estate):
    def held(uid):
        told = api.get(f"/marks/{estate[uid]}").json()["marks"]
        return {mark["name"]: (mark["holds"], mark["whose"]) for mark in told}

    site = Entity.objects.get(kind="site").pk
    assert held("uuid.p")["limit_percent"] == (90, "default")
    assert (
        api.send("PUT", f"/marks/{site}", limit_percent=70, caution_percent=60).status_code == 200
    )
    assert held("uuid.p")["limit_percent"] == (70, "site Skerry")
    api.send("PUT", f"/marks/{estate['uuid.p']}", limit_percent=95)
    assert held("uuid.p") == {
        "caution_percent": (60, "site Skerry"), "limit_percent": (95, "own"),
        "lead_time_days": (45, "default"),
        "overcommit_caution_percent": (150, "default"),
        "overcommit_limit_percent": (200, "default"),
    }  # fmt: skip
    refresh(now=NOW)
    assert api.get(f"/pools/{estate['uuid.p']}").json()["limit_percent"] == 95
    api.send("PUT", f"/marks/{estate['uuid.p']}", limit_percent=None)
    assert held("uuid.p")["limit_percent"] == (70, "site Skerry")
    entry = AuditEntry.objects.latest("pk")
    assert (entry.action, entry.before["limit_percent"], entry.after["limit_percent"]) == (
        "set marks", 95, None,
    )  # fmt: skip


def test_marks_of_a_class_hold_for_its_pools_and_what_is_nearer_wins(api, estate):
    def put(**body):
        return api.send("PUT", f"/marks/{estate['uuid.p']}", **body)

    assert put(level="class", limit_percent=70).status_code == 422  # the pool is of none
    import_documents(
        [PoolDocument(uid="uuid.p", array_uid="serial.h", name="swift-1", service_class="Swift",
                      usable_bytes=20 * TIB, used_bytes=8 * TIB, provisioned_bytes=25 * TIB,
                      read_at=NOW)],
        into=Imported(),
    )  # fmt: skip
    told = put(level="class", caution_percent=50, overcommit_caution_percent=120).json()
    holds = {mark["name"]: (mark["holds"], mark["whose"]) for mark in told["marks"]}
    assert holds["overcommit_caution_percent"] == (120, "class Swift")
    assert [level["title"] for level in told["levels"]] == ["own", "class Swift", "site Skerry"]
    refresh(now=NOW)
    carry_out(plan_forecasts(now=NOW + timedelta(hours=2)), now=NOW + timedelta(hours=2))
    pool = api.get(f"/pools/{estate['uuid.p']}").json()
    assert (pool["caution_percent"], pool["attention_because"]) == (
        50, "overcommitted past 120 %",
    )  # fmt: skip
    promised = api.get(f"/forecasts/{estate['uuid.p']}", metric="provisioned").json()
    assert promised["marks"]["caution"] == 24 * TIB
    assert promised["attention"] == "caution"
    entry = AuditEntry.objects.latest("pk")
    assert (entry.subject_kind, entry.subject_name) == ("service class", "Swift")


def test_marks_of_two_levels_that_cross_leave_the_limit_standing(api, estate):
    assert api.send("PUT", f"/marks/{estate['uuid.p']}", caution_percent=85).status_code == 200
    body = {"level": "site", "caution_percent": 60, "limit_percent": 70}
    assert api.send("PUT", f"/marks/{estate['uuid.p']}", **body).status_code == 200
    refresh(now=NOW)
    pool = api.get(f"/pools/{estate['uuid.p']}").json()
    assert (pool["caution_percent"], pool["limit_percent"]) == (69, 70)


def test_marks_out_of_order_are_refused_with_their_field(api, estate):
    answer = api.send("PUT", f"/marks/{estate['uuid.p']}", caution_percent=95)
    assert answer.status_code == 422
    told = answer.json()
    assert told["type"] == "/problems/marks-out-of-order"
    assert told["errors"][0] == {
        "pointer": "#/caution_percent", "code": "too_high", "detail": "Use at most 89.",
    }  # fmt: skip
    assert api.send("PUT", f"/marks/{estate['uuid.p']}", limit_percent=0).status_code == 400
    assert Entity.objects.get(uid="uuid.p").caution_percent is None


def test_runs_tell_how_far_they_are(api, estate):
    (run,) = api.get("/forecast-runs").json()["results"]
    assert (run["state"], run["n_done"], run["n_failed"]) == ("done", run["n_chunks"], 0)


@pytest.mark.parametrize(
    "path", [f"/{of}/{10**12}" for of in ("forecasts", "contributors", "berths")]
)
def test_what_is_not_known_is_404(api, planner, path):
    assert api.get(path).status_code == 404


def test_what_is_known_but_not_forecast_says_so(api, estate):
    answer = api.get(f"/forecasts/{estate['wwn.h1']}")
    assert answer.status_code == 404
    assert "Of host kelp-1 no forecast of used" in answer.json()["detail"]
    assert api.get(f"/forecasts/{estate['uuid.s']}", metric="provisioned").status_code == 404


def test_steps_are_told_with_their_size_and_how_often_they_come(api, estate):
    used = [TIB + 200 * GIB * (day // 12) for day in range(N_DAYS)]
    told = ReadingsDocument(uid="uuid.s", first_on=FIRST_ON, used_bytes=used)
    import_documents([told], into=Imported())
    # What was read today with its time stands before a day's sum that is not over.
    DailyReading.objects.filter(entity__uid="uuid.s", day=NOW.date()).update(used_bytes=used[-1])
    later = NOW + timedelta(hours=1)
    carry_out(plan_forecasts(now=later, is_everything=True), now=later)
    store = Entity.objects.get(uid="uuid.s").pk
    jumps = api.get(f"/forecasts/{store}").json()["findings"]["jumps"]
    assert jumps["every_days"] == 12
    assert jumps["mean_amount"] == pytest.approx(200 * GIB, rel=0.02)
    assert jumps["n"] >= 8
