from datetime import UTC, datetime, timedelta

import pytest
from django.db import DatabaseError, IntegrityError, connection, transaction
from procrastinate.contrib.django import app as queue
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.testing import InMemoryConnector

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    AccountDocument,
    ArrayDocument,
    BucketDocument,
    DatastoreDocument,
    PoolDocument,
    ReadingsDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity, Kind, Pool
from keelmark.feeds.importer import Imported, import_documents
from keelmark.forecasts.making import runs
from keelmark.forecasts.making.runs import (
    carry_out_chunk,
    plan_forecasts,
    plan_nightly,
    sweep_chunks,
)
from keelmark.forecasts.models import (
    ChunkState,
    ForecastChunk,
    ForecastRun,
    KeptForecast,
    Metric,
    RunState,
)
from tests.server.conftest import NOW

N_DAYS = 120
READ_AT = NOW - timedelta(minutes=5)
FIRST_ON = (READ_AT - timedelta(days=N_DAYS - 1)).date()


def history(uid, *, last, per_day):
    used = [round(last - per_day * back) for back in range(N_DAYS - 1, -1, -1)]
    return ReadingsDocument(
        uid=uid, first_on=FIRST_ON, used_bytes=used,
        provisioned_bytes=[2 * amount for amount in used],
    )  # fmt: skip


@pytest.fixture
def estate(db):
    """A pool with two volumes, a datastore and a bucket, each growing at its own pace."""
    import_documents(
        [
            ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", read_at=READ_AT),
            PoolDocument(
                uid="uuid.p", array_uid="serial.h", name="swift-1", usable_bytes=100 * TIB,
                used_bytes=40 * TIB, provisioned_bytes=80 * TIB, service_class="Swift",
                read_at=READ_AT,
            ),
            VolumeDocument(
                uid="naa.1", pool_uid="uuid.p", name="seabed-1", size_bytes=10 * TIB,
                written_bytes=8 * TIB, read_at=READ_AT,
            ),
            VolumeDocument(
                uid="naa.2", pool_uid="uuid.p", name="seabed-2", size_bytes=10 * TIB,
                written_bytes=2 * TIB, read_at=READ_AT,
            ),
            DatastoreDocument(
                uid="uuid.s", name="kelp-ds", kind="block", size_bytes=10 * TIB,
                used_bytes=6 * TIB, extents=["naa.1"], read_at=READ_AT,
            ),
            AccountDocument(uid="id.a", name="archive", read_at=READ_AT),
            BucketDocument(
                uid="id.b", account_uid="id.a", name="scenes", n_objects=9, used_bytes=TIB,
                read_at=READ_AT,
            ),
            history("uuid.p", last=40 * TIB, per_day=0.1 * TIB),
            history("naa.1", last=8 * TIB, per_day=20 * GIB),
            history("naa.2", last=2 * TIB, per_day=0),
            history("uuid.s", last=6 * TIB, per_day=20 * GIB),
            history("id.b", last=TIB, per_day=GIB),
        ],
        into=Imported(),
    )  # fmt: skip


def of(uid, metric=Metric.USED):
    return KeptForecast.objects.get(entity__uid=uid, metric=metric)


def carry_out(run, *, now=NOW):
    for chunk in run.chunks.all():
        carry_out_chunk(chunk_id=chunk.pk, now=now)
    run.refresh_from_db()


def test_everything_that_grows_is_forecast_once_and_its_run_ends(estate):
    run = plan_forecasts(now=NOW)
    assert {chunk.kind for chunk in run.chunks.all()} == {
        "pool", "volume", "datastore", "bucket", "array", "site", "account",
    }  # fmt: skip
    assert ProcrastinateJob.objects.filter(task_name=runs.CHUNK_TASK).count() == 7
    carry_out(run)
    assert (run.state, run.ended_at) == (RunState.DONE, NOW)
    assert sum(chunk.n_series for chunk in run.chunks.all()) == 8
    assert of("naa.1").growth_per_day == pytest.approx(20 * GIB, rel=0.02)
    # 6 TiB of 10: 9 TiB after 3 TiB at 20 GiB a day
    days = (of("uuid.s").limit_likely_on - NOW.date()).days
    assert days == pytest.approx(3 * 1024 / 20, abs=3)
    assert of("naa.2").limit_likely_on is None
    assert of("id.b").full_likely_on is None
    assert plan_forecasts(now=NOW) is None


def test_disks_wait_until_all_else_is_forecast(estate):
    run = plan_forecasts(now=NOW)
    first = list(run.chunks.order_by("pk"))
    disks = ForecastChunk.objects.create(
        run=run, kind=Kind.DISK, metric=Metric.USED, first_id=1, last_id=9, touched_at=NOW
    )
    jobs = ProcrastinateJob.objects.filter(task_name=runs.CHUNK_TASK)
    for chunk in first:
        assert jobs.count() == len(first)
        carry_out_chunk(chunk_id=chunk.pk, now=NOW)
    assert jobs.latest("pk").args == {"chunk_id": disks.pk}
    carry_out_chunk(chunk_id=disks.pk, now=NOW)
    run.refresh_from_db()
    assert (run.state, jobs.count()) == (RunState.DONE, len(first) + 1)


def test_a_thin_volume_ends_at_its_size_and_what_is_promised_has_its_own_dates(estate):
    carry_out(plan_forecasts(now=NOW))
    assert of("naa.1").ceiling == 10 * TIB
    assert of("uuid.s").ceiling is None
    promised = of("uuid.p", Metric.PROVISIONED)
    assert promised.growth_per_day == pytest.approx(0.2 * TIB, rel=0.02)
    assert promised.attention == "clear"  # 80 of 100 promised is no space written
    # 80 TiB promised of 100; the overcommit limit of 200 % comes after 120 TiB
    assert (promised.limit_likely_on - NOW.date()).days == pytest.approx(600, abs=9)


def test_what_is_promised_past_its_caution_is_caution_and_never_over(estate):
    Pool.objects.update(provisioned_bytes=160 * TIB)
    carry_out(plan_forecasts(now=NOW))
    promised = of("uuid.p", Metric.PROVISIONED)
    assert (promised.attention, promised.attention_because) == (
        "caution", "overcommitted past 150 %",
    )  # fmt: skip


def test_only_what_was_read_since_is_made_again_and_everything_at_night(estate):
    carry_out(plan_forecasts(now=NOW))
    later = NOW + timedelta(hours=3)
    import_documents(
        [VolumeDocument(uid="naa.2", pool_uid="uuid.p", name="seabed-2", size_bytes=10 * TIB,
                        written_bytes=2 * TIB, read_at=later)],
        into=Imported(),
    )  # fmt: skip
    again = plan_forecasts(now=later)
    assert [chunk.kind for chunk in again.chunks.all()] == ["volume", "array", "site", "account"]
    carry_out(again, now=later)
    assert of("naa.2").made_at == later
    assert of("naa.1").made_at == NOW
    night = later + timedelta(hours=9)
    carry_out(plan_forecasts(now=night, is_everything=True), now=night)
    assert set(KeptForecast.objects.values_list("made_at", flat=True)) == {night}


def test_the_night_waits_for_a_run_that_goes_on_and_comes_once(estate):
    run = plan_forecasts(now=NOW)
    assert plan_nightly(now=NOW) is None  # asked again ten minutes later
    carry_out(run)
    night = plan_nightly(now=NOW + timedelta(minutes=10))
    assert night.is_everything
    carry_out(night, now=NOW + timedelta(minutes=10))
    assert plan_nightly(now=NOW + timedelta(hours=2)) is None
    assert plan_nightly(now=NOW + timedelta(hours=24)) is not None


def test_two_runs_cannot_go_on_at_once(estate):
    plan_forecasts(now=NOW)
    with pytest.raises(IntegrityError):
        ForecastRun.objects.create(asked_at=NOW)


def test_a_job_is_queued_with_the_rows_it_is_about_or_not_at_all(estate):
    # As in a worker, whose own connector is another connection.
    with queue.replace_connector(InMemoryConnector()), transaction.atomic():
        run = plan_forecasts(now=NOW)
        jobs = ProcrastinateJob.objects.filter(task_name=runs.CHUNK_TASK)
        assert jobs.count() == run.chunks.count() > 0
        transaction.set_rollback(True)
    assert not jobs.exists()
    assert not ForecastChunk.objects.exists()


def test_a_chunk_that_waits_long_is_queued_again_and_never_given_up(estate):
    run = plan_forecasts(now=NOW)
    for hours in range(1, 8):
        assert sweep_chunks(now=NOW + timedelta(hours=hours)) == run.chunks.count()
    assert set(run.chunks.values_list("state", "n_tries")) == {(ChunkState.QUEUED, 0)}


def test_while_a_run_goes_on_none_is_planned_beside_it(estate):
    assert plan_forecasts(now=NOW) is not None
    assert plan_forecasts(now=NOW, is_everything=True) is None
    assert ForecastRun.objects.count() == 1


FAILING = """
CREATE FUNCTION fail() RETURNS trigger AS $$ BEGIN RAISE EXCEPTION 'disk full'; END $$
LANGUAGE plpgsql;
CREATE TRIGGER fail BEFORE UPDATE ON forecasts_keptforecast
FOR EACH ROW WHEN (NEW.entity_id = %s) EXECUTE FUNCTION fail();
"""


def test_a_chunk_is_written_whole_or_not_at_all_and_the_last_good_one_stands(estate):
    carry_out(plan_forecasts(now=NOW))
    with connection.cursor() as cursor:
        cursor.execute(FAILING, [Entity.objects.get(uid="naa.2").pk])
    night = NOW + timedelta(hours=9)
    run = plan_forecasts(now=night, is_everything=True)
    chunk = run.chunks.get(kind="volume")
    with pytest.raises(DatabaseError):
        carry_out_chunk(chunk_id=chunk.pk, now=night)
    chunk.refresh_from_db()
    assert (chunk.state, of("naa.1").made_at) == (ChunkState.FAILED, NOW)
    assert "disk full" in chunk.problem
    carry_out(run, now=night)
    assert run.state == RunState.FAILED
    assert of("uuid.s").made_at == night


def test_a_chunk_whose_worker_died_is_queued_anew_and_given_up_in_the_end(estate):
    run = plan_forecasts(now=NOW)
    chunk = run.chunks.get(kind="volume")
    ForecastChunk.objects.filter(pk=chunk.pk).update(state=ChunkState.RUNNING)
    assert sweep_chunks(now=NOW + timedelta(minutes=1)) == 0
    late = NOW
    for _ in range(runs.MAX_TRIES - 1):
        late += timedelta(minutes=3)
        assert sweep_chunks(now=late) == 1
        ForecastChunk.objects.filter(state=ChunkState.QUEUED, pk=chunk.pk).update(
            state=ChunkState.RUNNING
        )
    sweep_chunks(now=late + timedelta(minutes=3))
    chunk.refresh_from_db()
    assert (chunk.state, chunk.problem) == (ChunkState.FAILED, "Its worker died every time.")
    carry_out(run)
    assert run.state == RunState.FAILED
    assert plan_forecasts(now=late) is not None  # the volumes are still wanted


def test_a_chunk_is_taken_once(estate):
    chunk = plan_forecasts(now=NOW).chunks.get(kind="volume")
    assert carry_out_chunk(chunk_id=chunk.pk, now=NOW) is not None
    assert carry_out_chunk(chunk_id=chunk.pk, now=NOW) is None


def test_own_marks_win_over_the_sites(estate):
    Entity.objects.filter(kind=Kind.SITE).update(caution_percent=50, limit_percent=70)
    Entity.objects.filter(uid="naa.1").update(caution_percent=60, limit_percent=95)
    carry_out(plan_forecasts(now=NOW))
    # 8 TiB of 10: past 60 %, 1.5 TiB short of 95 %
    assert of("naa.1").attention in ("caution", "urgent")
    days = (of("naa.1").limit_likely_on - NOW.date()).days
    assert days == pytest.approx(1.5 * 1024 / 20, abs=3)


def test_a_past_that_is_told_late_has_its_things_forecast_anew(
    estate, django_capture_on_commit_callbacks
):
    """A year brought in by hand must not wait for the night."""
    carry_out(plan_forecasts(now=NOW))
    assert of("naa.2").growth_per_day == pytest.approx(0, abs=GIB / 100)
    with django_capture_on_commit_callbacks(execute=True):
        import_documents([history("naa.2", last=2 * TIB, per_day=10 * GIB)], into=Imported())
    later = datetime.now(UTC) + timedelta(seconds=1)  # than what was told just now
    again = plan_forecasts(now=later)
    assert [chunk.kind for chunk in again.chunks.all()] == ["volume"]
    carry_out(again, now=later)
    assert of("naa.2").growth_per_day == pytest.approx(10 * GIB, rel=0.05)
    assert of("naa.1").made_at == NOW
    assert plan_forecasts(now=later + timedelta(minutes=2)) is None


def test_a_past_told_once_more_the_same_has_nothing_made_anew(
    estate, django_capture_on_commit_callbacks
):
    carry_out(plan_forecasts(now=NOW))
    with django_capture_on_commit_callbacks(execute=True):
        import_documents([history("naa.2", last=2 * TIB, per_day=0)], into=Imported())
    assert plan_forecasts(now=NOW + timedelta(minutes=2)) is None
