"""Plans forecasts of many things in chunks, and carries the chunks out."""

from datetime import datetime, timedelta

import structlog
from django.db import IntegrityError, transaction
from django.db.models import Q

from keelmark.estate.models import Kind
from keelmark.feeds.services.jobs import defer
from keelmark.forecasts.definitions.ways import WAYS
from keelmark.forecasts.definitions.wholes import OWNERS
from keelmark.forecasts.making.record import tell_record
from keelmark.forecasts.making.things import forecast_range, wanting
from keelmark.forecasts.making.wholes import forecast_wholes, wanting_wholes
from keelmark.forecasts.models import ChunkState, ForecastChunk, ForecastRun, Metric, RunState

log = structlog.get_logger()
CHUNK_THINGS = 1000
CHUNK_TASK = "keelmark.forecasts.tasks.forecast_chunk"
LOST_AFTER = timedelta(minutes=2)  # a chunk takes seconds
LOST_QUEUED_AFTER = timedelta(minutes=30)
MAX_TRIES = 4
KEPT_RUNS = 200
A_NIGHT = timedelta(hours=20)
OPEN = (ChunkState.QUEUED, ChunkState.RUNNING)


def plan_forecasts(*, now: datetime, is_everything: bool = False) -> ForecastRun | None:
    """Queue chunks of what wants a forecast; return their run, None where nothing does.

    While a run goes on, what comes meanwhile waits for the next one.
    """
    if ForecastRun.objects.filter(state=RunState.RUNNING).exists():
        return None
    try:
        with transaction.atomic():
            return _planned(now=now, is_everything=is_everything)
    except IntegrityError:  # another worker planned at the same moment
        return None


def plan_nightly(*, now: datetime) -> ForecastRun | None:
    """Plan everything once a night; asked again while another run still goes on."""
    lately = ForecastRun.objects.filter(is_everything=True, asked_at__gte=now - A_NIGHT)
    return None if lately.exists() else plan_forecasts(now=now, is_everything=True)


def _planned(*, now: datetime, is_everything: bool) -> ForecastRun | None:
    run = ForecastRun(asked_at=now, is_everything=is_everything)
    chunks = [
        ForecastChunk(
            run=run, kind=kind, metric=metric, first_id=ids[0], last_id=ids[-1], touched_at=now
        )
        for kind, metric in (*WAYS, *((kind, Metric.USED) for kind in OWNERS))
        for ids in _ranges(kind, metric, run=run, now=now)
    ]
    if not chunks:
        return None
    run.save()
    ForecastChunk.objects.bulk_create(chunks)
    _queue_next(run)
    old = ForecastRun.objects.order_by("-pk").values_list("pk", flat=True)[KEPT_RUNS:]
    ForecastRun.objects.filter(pk__in=list(old)).delete()
    log.info("forecasts_planned", run_id=run.pk, n_chunks=len(chunks))
    return run


def _queue_next(run: ForecastRun) -> None:
    """Queue what is looked at first; disks, which are most of it, once the rest has ended."""
    still = run.chunks.filter(state__in=OPEN)
    rest = still.exclude(kind=Kind.DISK)
    for chunk_id in (rest if rest.exists() else still).values_list("pk", flat=True).order_by("pk"):
        defer(CHUNK_TASK, chunk_id=chunk_id)


def _ranges(kind: Kind, metric: Metric, *, run: ForecastRun, now: datetime) -> list[list[int]]:
    since = now if run.is_everything else None
    found = (
        wanting(kind, metric, since=since, now=now)
        if (kind, metric) in WAYS
        else wanting_wholes(kind, since=since, now=now)
    )
    ids = list(found.values_list("pk", flat=True))
    return [ids[at : at + CHUNK_THINGS] for at in range(0, len(ids), CHUNK_THINGS)]


def carry_out_chunk(*, chunk_id: int, now: datetime) -> ForecastChunk | None:
    """Make the forecasts of a queued chunk; one that is taken or done is left alone."""
    taken = ForecastChunk.objects.filter(pk=chunk_id, state=ChunkState.QUEUED).update(
        state=ChunkState.RUNNING, touched_at=now
    )
    if not taken:
        return None
    chunk = ForecastChunk.objects.select_related("run").get(pk=chunk_id)
    try:
        chunk.n_series = _make(chunk, now=now)
    except Exception as exc:
        _end(chunk, state=ChunkState.FAILED, problem=f"{type(exc).__name__}: {exc}"[:400])
        raise
    if _end(chunk, state=ChunkState.DONE):
        for kind, metric in chunk.run.chunks.values_list("kind", "metric").distinct().order_by():
            tell_record(Kind(kind), Metric(metric), now=now, is_due=chunk.run.is_everything)
    return chunk


def _make(chunk: ForecastChunk, *, now: datetime) -> int:
    kind, metric = Kind(chunk.kind), Metric(chunk.metric)
    since = chunk.run.asked_at if chunk.run.is_everything else None
    ids = {"first_id": chunk.first_id, "last_id": chunk.last_id}
    if (kind, metric) in WAYS:
        return forecast_range(kind, metric, **ids, since=since, now=now)
    return forecast_wholes(kind, **ids, since=since, now=now)


@transaction.atomic
def _end(chunk: ForecastChunk, *, state: ChunkState, problem: str = "") -> bool:
    """End a chunk; return whether its run ended with it."""
    chunk.state, chunk.problem = state, problem
    chunk.save(update_fields=["state", "problem", "n_series"])
    run = ForecastRun.objects.select_for_update().get(pk=chunk.run_id)
    if run.state != RunState.RUNNING:
        return False
    still = run.chunks.filter(state__in=OPEN)
    if still.exists():
        if chunk.kind != Kind.DISK and not still.exclude(kind=Kind.DISK).exists():
            _queue_next(run)
        return False
    has_failed = run.chunks.filter(state=ChunkState.FAILED).exists()
    run.state = RunState.FAILED if has_failed else RunState.DONE
    run.ended_at = chunk.touched_at
    run.save(update_fields=["state", "ended_at"])
    log.info("forecast_run_ended", run_id=run.pk, state=run.state)
    return True


def sweep_chunks(*, now: datetime) -> int:
    """Queue chunks anew whose worker died; give up what died too often; return how many."""
    lost = ForecastChunk.objects.filter(
        Q(state=ChunkState.RUNNING, touched_at__lt=now - LOST_AFTER)
        | Q(state=ChunkState.QUEUED, touched_at__lt=now - LOST_QUEUED_AFTER)
    )
    n_lost = 0
    for chunk in lost:
        n_lost += 1
        was_taken = chunk.state == ChunkState.RUNNING
        if was_taken and chunk.n_tries + 1 >= MAX_TRIES:
            _end(chunk, state=ChunkState.FAILED, problem="Its worker died every time.")
            continue
        with transaction.atomic():
            chunk.state, chunk.touched_at = ChunkState.QUEUED, now
            chunk.n_tries += was_taken  # waiting long is no fault of its own
            chunk.save(update_fields=["state", "touched_at", "n_tries"])
            defer(CHUNK_TASK, chunk_id=chunk.pk)
    return n_lost
