from datetime import timedelta

import pytest

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    AccountDocument,
    BucketDocument,
    BucketShare,
    ClusterDocument,
    MeasuresDocument,
    PerformanceDocument,
    PoolDocument,
    SnapshotDocument,
)
from keelmark.estate.models import Entity, VirtualMachine
from keelmark.forecasts.berths.reference import tell_median
from keelmark.readings.models import Measure, MeasureReading
from keelmark.readings.reckoning import MIN_STEPS, reckon_promised
from keelmark.readings.rollup import roll_up
from tests.server.conftest import NOW, TODAY
from tests.server.measures.estate import MIDNIGHT, YESTERDAY, amounts_of, measures, send, vm


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
