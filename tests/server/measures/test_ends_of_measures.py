from datetime import UTC, datetime, timedelta

import pytest

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    ReadingsDocument,
    VolumeDocument,
)
from keelmark.estate.models import Array
from keelmark.forecasts.berths.reference import tell_median
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.forecasts.models import KeptForecast, Metric
from tests.server.conftest import NOW, TODAY
from tests.server.measures.estate import (
    N_DAYS,
    measures,
    send,
    vm,
)
from tests.server.test_forecast_runs import carry_out


@pytest.fixture(scope="module")
def forecast_once(ground, django_db_blocker):
    """Four months of history of everything that could end."""
    with django_db_blocker.unblock():
        send(
            measures("serial.h", "iops", last=700, per_day=2),
            measures("serial.h", "throughput", last=10**8, per_day=0),
            measures("id.kelp", "cpu", last=48, per_day=0.2, last_on=TODAY),
            measures("id.kelp", "memory", last=40 * GIB, per_day=GIB // 4, last_on=TODAY),
            measures("uuid.p1", "snapshots", last=3 * TIB, per_day=TIB // 100, last_on=TODAY),
        )
        refresh(now=NOW)
        carry_out(plan_forecasts(now=NOW))
    return ground


@pytest.fixture
def forecast(forecast_once, db):
    return forecast_once


def days_to(on):
    return (on - TODAY).days


def test_io_ends_where_it_cannot_be_sustained(forecast):
    kept = KeptForecast.objects.get(entity__uid="serial.h", metric=Metric.IOPS)
    # 700 of 1,000 at 2 a day; caution at 800
    assert days_to(kept.limit_likely_on) == pytest.approx(150, abs=4)
    assert days_to(kept.caution_likely_on) == pytest.approx(50, abs=3)
    assert kept.attention == "clear"


def test_cpu_grows_by_parts_of_one_and_ends_with_a_host_lost(forecast, api):
    kept = KeptForecast.objects.get(entity__uid="id.kelp", metric=Metric.CPU)
    assert kept.growth_per_day == pytest.approx(0.2, rel=0.05)
    told = api.get(f"/forecasts/{forecast['id.kelp']}", metric="cpu").json()
    # two hosts of 16, one lost, four promised of each
    assert (told["unit"], told["marks"]["limit"]) == ("CPUs", 64)
    memory = api.get(f"/forecasts/{forecast['id.kelp']}", metric="memory").json()
    assert memory["marks"]["full"] == 64 * GIB


def test_snapshots_have_a_pace_and_nothing_to_fill(forecast, api):
    told = api.get(f"/forecasts/{forecast['uuid.p1']}", metric="snapshots").json()
    assert told["growth_per_day"] == pytest.approx(TIB // 100, rel=0.05)
    assert told["limit"] == {"early_on": None, "likely_on": None, "late_on": None}
    assert told["marks"]["limit"] is None


def test_the_first_to_end_is_named_through_all_that_carries_a_thing(forecast, api):
    told = api.get(f"/limits/{forecast['uuid.s']}").json()
    named = [(one["entity"]["name"], one["metric"]) for one in told]
    # 16 of 64 CPUs at a fifth a day, 24 GiB at a quarter, 300 of 1,000 IOPS at 2
    assert named[:3] == [("kelp", "cpu"), ("kelp", "memory"), ("heron-1", "iops")]
    assert {("swift-1", "snapshots"), ("swift-1", "provisioned")}.isdisjoint(named)
    dates = [one["limit"]["likely_on"] or "9999" for one in told]
    assert dates == sorted(dates)
    own = [one for one in api.get(f"/limits/{forecast['serial.h']}").json() if one["is_own"]]
    assert own[0]["metric"] == "iops"
    assert own[0]["limit_amount"] == 1000


def test_berths_follow_cpu_and_memory_and_say_what_stands_still(forecast, api):
    told = api.get(f"/berths/{forecast['id.kelp']}").json()
    assert told["held_still"] == ["disk_bytes"]  # its datastore was read once
    # 4 CPUs and 8 GiB each: 48 GiB free of 64 today; in 30 days 54 CPUs of 64, 47.5 GiB
    assert told["by_resource"]["memory_bytes"] == 6
    ahead = {at["on"]: at for at in told["ahead"]}
    in_thirty_days = ahead[(TODAY + timedelta(days=30)).isoformat()]
    assert (in_thirty_days["n_likely"], in_thirty_days["limited_by"]) == (2, "n_cpus")


def test_lists_of_any_metric_come_in_their_unit(forecast, api):
    rows = api.get("/forecasts", kind="array", metric="iops").json()["results"]
    assert [(row["entity"]["name"], row["unit"]) for row in rows] == [("heron-1", "IOPS")]


def test_a_size_that_is_told_later_and_marks_that_are_set_make_new_dates(forecast, api):
    def kept(uid, metric):
        return KeptForecast.objects.get(entity__uid=uid, metric=metric)

    assert plan_forecasts(now=NOW) is None
    Array.objects.update(sustainable_iops=720)
    api.send("PUT", f"/marks/{forecast['id.kelp']}", caution_percent=70)
    later = datetime.now(UTC) + timedelta(seconds=1)
    run = plan_forecasts(now=later)
    assert {(c.kind, c.metric) for c in run.chunks.all()} == {
        ("array", "iops"), ("cluster", "cpu"), ("cluster", "memory"), ("cluster", "used"),
    }  # fmt: skip
    carry_out(run, now=later)
    # 20 of 720 are left at 2 a day; 70 % of 64 CPUs are past
    assert days_to(kept("serial.h", Metric.IOPS).limit_likely_on) == pytest.approx(10, abs=2)
    assert kept("id.kelp", Metric.CPU).attention_because == "promised CPU is past the caution mark"
    assert plan_forecasts(now=later) is None


def test_where_nothing_ends_there_is_no_chance_of_it(forecast):
    kept = KeptForecast.objects.get(entity__uid="uuid.p1", metric=Metric.SNAPSHOTS)
    assert (kept.limit_chance, kept.limit_likely_on) == (None, None)


def test_a_young_thing_borrows_from_elders_that_are_not_forecast_with_it(forecast):
    for number in range(3, 10):
        send(
            VolumeDocument(uid=f"naa.{number}", pool_uid="uuid.p1", name=f"seabed-{number}",
                           size_bytes=10 * TIB, written_bytes=TIB + (N_DAYS - 1) * GIB,
                           read_at=NOW),
            ReadingsDocument(uid=f"naa.{number}", first_on=TODAY - timedelta(days=N_DAYS - 1),
                             used_bytes=[TIB + day * GIB for day in range(N_DAYS)]),
        )  # fmt: skip
    carry_out(plan_forecasts(now=NOW))
    send(
        VolumeDocument(uid="naa.young", pool_uid="uuid.p1", name="seabed-young",
                       size_bytes=10 * TIB, written_bytes=TIB, read_at=NOW),
    )  # fmt: skip
    run = plan_forecasts(now=NOW)
    assert [(c.kind, c.first_id == c.last_id) for c in run.chunks.all()] == [("volume", True)]
    carry_out(run)
    kept = KeptForecast.objects.get(entity__uid="naa.young")
    assert kept.findings["n_kin"] == 7
    assert kept.growth_per_day == pytest.approx(GIB, rel=0.2)
    assert run.chunks.get().n_series == 1


def test_what_else_ends_is_listed_for_a_scope(forecast, api):
    def named(scope=""):
        told = api.get("/limits", scope=scope).json()
        return [(one["entity"]["name"], one["metric"]) for one in told]

    everything = [("kelp", "cpu"), ("kelp", "memory"), ("heron-1", "iops")]
    assert named() == everything
    assert named("site:Skerry") == everything
    assert named("array:heron-1") == everything  # the cluster lies on it
    assert named("kelp") == named("name:kelp") == everything[:2]
    assert named("-array:heron-1") == []
    assert named("site:Marram") == []


def test_the_median_vm_is_found_once_an_hour_and_a_planners_size_goes_before_it(forecast, api):
    assert tell_median(now=NOW)
    send(*(vm(n, n_cpus=16) for n in range(4, 12)))
    assert not tell_median(now=NOW + timedelta(minutes=30))
    assert api.get("/reference-vm").json()["n_cpus"] == 4
    assert tell_median(now=NOW + timedelta(minutes=61))
    told = api.get("/reference-vm").json()
    assert (told["n_cpus"], told["is_set"]) == (16, False)
    api.send("PUT", "/reference-vm", n_cpus=2, memory_bytes=GIB, disk_bytes=GIB)
    assert api.get("/reference-vm").json()["n_cpus"] == 2
