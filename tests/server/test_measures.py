from datetime import UTC, datetime, timedelta

import pytest

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    AccountDocument,
    ArrayDocument,
    BucketDocument,
    BucketShare,
    ClusterDocument,
    DatastoreDocument,
    HostDocument,
    MeasuresDocument,
    PerformanceDocument,
    PoolDocument,
    ReadingsDocument,
    SnapshotDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.models import Array, Entity, VirtualMachine
from keelmark.feeds.importer import Imported, import_documents
from keelmark.forecasts.berths.reference import tell_median
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.forecasts.models import KeptForecast, Metric
from keelmark.readings.models import Measure, MeasureReading
from keelmark.readings.reckoning import MIN_STEPS, reckon_promised
from keelmark.readings.rollup import roll_up
from tests.server.conftest import NOW, TODAY, for_a_module
from tests.server.test_forecast_runs import carry_out

N_DAYS = 120
YESTERDAY = TODAY - timedelta(days=1)
MIDNIGHT = datetime(YESTERDAY.year, YESTERDAY.month, YESTERDAY.day, tzinfo=UTC)


def send(*documents):
    into = Imported()
    import_documents(documents, into=into)
    return into.n_readings


def vm(number, **changes):
    told = {"host_uid": "wwn.h1", "cluster_uid": "id.kelp", "power": "on", "n_cpus": 4,
            "memory_bytes": 8 * GIB, "read_at": NOW}  # fmt: skip
    return VirtualMachineDocument(uid=f"uuid.v{number}", name=f"gauge-{number}", **(told | changes))


def measures(uid, measure, *, last, per_day, last_on=YESTERDAY):
    amounts = [max(0, round(last - per_day * back)) for back in range(N_DAYS - 1, -1, -1)]
    return MeasuresDocument(
        uid=uid, measure=measure, first_on=last_on - timedelta(days=N_DAYS - 1), amounts=amounts
    )


def amounts_of(uid, measure):
    told = MeasureReading.objects.filter(entity__uid=uid, measure=measure)
    return dict(told.values_list("day", "amount"))


@pytest.fixture(scope="module")
def ground(django_db_setup, django_db_blocker):
    """An array of two pools with a volume each, and a cluster of two hosts with three VMs."""
    with for_a_module(django_db_blocker):
        bring_in()
        yield dict(Entity.objects.values_list("uid", "pk"))


@pytest.fixture
def estate(ground, db):
    return ground


def bring_in():
    send(
        ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", sustainable_iops=1000,
                      sustainable_bytes_per_second=10**9, read_at=NOW),
        *(PoolDocument(uid=f"uuid.p{n}", array_uid="serial.h", name=f"swift-{n}",
                       usable_bytes=100 * TIB, used_bytes=40 * TIB, read_at=NOW) for n in (1, 2)),
        *(VolumeDocument(uid=f"naa.{n}", pool_uid=f"uuid.p{n}", name=f"seabed-{n}",
                         size_bytes=10 * TIB, read_at=NOW) for n in (1, 2)),
        ClusterDocument(uid="id.kelp", name="kelp", site="Skerry", read_at=NOW),
        *(HostDocument(uid=f"wwn.h{n}", name=f"kelp-{n}", cluster_uid="id.kelp", state="up",
                       n_cpus=16, memory_bytes=64 * GIB, read_at=NOW) for n in (1, 2)),
        DatastoreDocument(uid="uuid.s", name="kelp-ds", kind="block", size_bytes=10 * TIB,
                          used_bytes=2 * TIB, cluster_uid="id.kelp", extents=["naa.1"],
                          read_at=NOW),
        vm(1), vm(2), vm(3, power="off"),
    )  # fmt: skip


def busy(uid, iops, *, n_steps=288):
    return PerformanceDocument(uid=uid, first_at=MIDNIGHT, read_iops=[iops] * n_steps)


def test_a_median_sought_before_any_vm_was_known_is_sought_again(db, api):
    # Before the others, who find the estate there.
    assert tell_median(now=NOW)
    assert tell_median(now=NOW + timedelta(minutes=1))
    send(ClusterDocument(uid="id.kelp", name="kelp", site="Skerry", read_at=NOW), vm(1, n_cpus=6))
    assert tell_median(now=NOW + timedelta(minutes=2))
    assert api.get("/reference-vm").json()["n_cpus"] == 6
    assert not tell_median(now=NOW + timedelta(minutes=3))
    assert tell_median(now=NOW + timedelta(minutes=4), is_due=True)


def test_a_told_measure_comes_back_once_and_its_gaps_are_no_days(estate):
    told = MeasuresDocument(
        uid="serial.h", measure="iops", first_on=YESTERDAY, amounts=[300, None, 320]
    )
    assert send(told) == 2
    assert send(told) == 0
    assert amounts_of("serial.h", Measure.IOPS) == {
        YESTERDAY: 300, YESTERDAY + timedelta(days=2): 320,
    }  # fmt: skip


def test_measures_of_an_unknown_thing_are_refused_by_name(estate):
    from keelmark.estate.errors import UnknownParentError

    with pytest.raises(UnknownParentError, match=r"id\.nobody"):
        send(measures("id.nobody", "cpu", last=10, per_day=0))


def test_inventory_carries_snapshots_and_tiers(estate):
    share = {"from_days": 0, "n_objects": 2}
    send(
        PoolDocument(uid="uuid.p1", array_uid="serial.h", name="swift-1", usable_bytes=100 * TIB,
                     used_bytes=40 * TIB, snapshot_bytes=3 * TIB, read_at=NOW),
        AccountDocument(uid="id.account/a", name="a", read_at=NOW),
        BucketDocument(uid="id.bucket/a/b", name="b", account_uid="id.account/a", n_objects=6,
                       used_bytes=60, read_at=NOW, shares=[
                           BucketShare(tier="hot", n_bytes=10, **share),
                           BucketShare(tier="hot", from_days=30, n_objects=2, n_bytes=20),
                           BucketShare(tier="cold", n_bytes=30, **share),
                       ]),
    )  # fmt: skip
    assert amounts_of("uuid.p1", Measure.SNAPSHOTS) == {TODAY: 3 * TIB}
    assert amounts_of("id.bucket/a/b", Measure.OBJECTS_HOT) == {TODAY: 30}
    assert amounts_of("id.bucket/a/b", Measure.OBJECTS_COLD) == {TODAY: 30}
    assert amounts_of("id.bucket/a/b", Measure.OBJECTS_WARM) == {}


def test_what_vms_are_promised_is_added_up_and_unknown_where_one_is(estate):
    reckon_promised(now=NOW)
    assert amounts_of("id.kelp", Measure.CPU) == {TODAY: 8}
    assert amounts_of("id.kelp", Measure.MEMORY) == {TODAY: 16 * GIB}
    MeasureReading.objects.all().delete()
    VirtualMachine.objects.filter(entity__uid="uuid.v1").update(n_cpus=None)
    reckon_promised(now=NOW)
    assert amounts_of("id.kelp", Measure.CPU) == {}
    assert amounts_of("id.kelp", Measure.MEMORY) == {TODAY: 16 * GIB}


def test_what_a_source_tells_stands_before_what_was_reckoned(estate):
    reckon_promised(now=NOW)
    send(MeasuresDocument(uid="id.kelp", measure="cpu", first_on=TODAY, amounts=[9]))
    reckon_promised(now=NOW)
    assert amounts_of("id.kelp", Measure.CPU) == {TODAY: 9}


def test_snapshots_are_added_up_and_are_none_when_the_last_one_went(estate):
    def taken(**changes):
        send(*(SnapshotDocument(uid=f"id.s{n}", name=f"s{n}", of_uid="uuid.v1", taken_at=NOW,
                                read_at=NOW, **({"unshared_bytes": n * GIB} | changes))
               for n in (1, 2)))  # fmt: skip

    taken()
    reckon_promised(now=NOW)
    assert amounts_of("uuid.v1", Measure.SNAPSHOTS) == {TODAY: 3 * GIB}
    Entity.objects.filter(uid__in=["id.s1", "id.s2"]).update(retired_at=NOW)
    tomorrow = NOW + timedelta(days=1)
    reckon_promised(now=tomorrow)
    assert amounts_of("uuid.v1", Measure.SNAPSHOTS)[tomorrow.date()] == 0


@pytest.mark.parametrize(
    ("steps", "wanted"),
    [
        pytest.param({"uuid.p1": 100, "uuid.p2": 200, "naa.1": 1, "naa.2": 1}, 300, id="pools"),
        pytest.param({"serial.h": 290, "uuid.p1": 100, "uuid.p2": 200}, 290, id="its own"),
        pytest.param({"uuid.p1": 100, "naa.1": 40, "naa.2": 50}, 90, id="volumes"),
        pytest.param({"uuid.p1": 100, "naa.1": 40}, None, id="one was not read"),
    ],
)
def test_an_arrays_busy_hours_are_its_own_or_all_its_parts(estate, steps, wanted):
    send(*(busy(uid, iops) for uid, iops in steps.items()))
    roll_up(now=NOW)
    told = amounts_of("serial.h", Measure.IOPS)
    assert told == ({} if wanted is None else {YESTERDAY: wanted})


def test_busy_hours_are_what_a_twentieth_of_the_day_exceeds(estate):
    # 288 steps of 1 to 288: the 95 % quantile lies at 1 + 0.95 · 287
    send(PerformanceDocument(uid="serial.h", first_at=MIDNIGHT,
                             read_iops=[float(n) for n in range(1, 289)]))  # fmt: skip
    roll_up(now=NOW)
    assert amounts_of("serial.h", Measure.IOPS) == {YESTERDAY: 274}
    assert amounts_of("serial.h", Measure.THROUGHPUT) == {}


def test_less_than_half_a_day_and_a_day_that_goes_on_tell_nothing(estate):
    send(busy("serial.h", 100, n_steps=MIN_STEPS - 1))
    roll_up(now=NOW)
    assert amounts_of("serial.h", Measure.IOPS) == {}
    send(busy("serial.h", 100))
    roll_up(now=MIDNIGHT + timedelta(hours=23))
    assert amounts_of("serial.h", Measure.IOPS) == {}


@pytest.fixture
def forecast(estate):
    """Four months of history of everything that could end."""
    send(
        measures("serial.h", "iops", last=700, per_day=2),
        measures("serial.h", "throughput", last=10**8, per_day=0),
        measures("id.kelp", "cpu", last=48, per_day=0.2, last_on=TODAY),
        measures("id.kelp", "memory", last=40 * GIB, per_day=GIB // 4, last_on=TODAY),
        measures("uuid.p1", "snapshots", last=3 * TIB, per_day=TIB // 100, last_on=TODAY),
    )
    refresh(now=NOW)
    carry_out(plan_forecasts(now=NOW))
    return estate


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
