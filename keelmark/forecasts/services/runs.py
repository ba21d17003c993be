"""Plans forecasts of many things in chunks, and carries the chunks out."""

from datetime import datetime, timedelta

import structlog
from django.db import IntegrityError, transaction
from django.db.models import Q

from keelmark.estate.models import Kind
from keelmark.feeds.services.jobs import defer
from keelmark.forecasts.models import ChunkState, ForecastChunk, ForecastRun, RunState
from keelmark.forecasts.services.things import WAYS, forecast_range, wanting
from keelmark.forecasts.services.wholes import OWNERS, forecast_wholes, wanting_wholes

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
        ForecastChunk(run=run, kind=kind, first_id=ids[0], last_id=ids[-1], touched_at=now)
        for kind in (*WAYS, *OWNERS)
        for ids in _ranges(kind, run=run, now=now)
    ]
    if not chunks:
        return None
    run.save()
    ForecastChunk.objects.bulk_create(chunks)
    for chunk in chunks:
        defer(CHUNK_TASK, chunk_id=chunk.pk)
    old = ForecastRun.objects.order_by("-pk").values_list("pk", flat=True)[KEPT_RUNS:]
    ForecastRun.objects.filter(pk__in=list(old)).delete()
    log.info("forecasts_planned", run_id=run.pk, n_chunks=len(chunks))
    return run


def _ranges(kind: Kind, *, run: ForecastRun, now: datetime) -> list[list[int]]:
    since = now if run.is_everything else None
    found = (
        wanting_wholes(kind, since=since, now=now)
        if kind in OWNERS
        else wanting(kind, since=since, now=now)
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
        make_range = forecast_wholes if chunk.kind in OWNERS else forecast_range
        chunk.n_series = make_range(
            Kind(chunk.kind),
            first_id=chunk.first_id,
            last_id=chunk.last_id,
            since=chunk.run.asked_at if chunk.run.is_everything else None,
            now=now,
        )
    except Exception as exc:
        _end(chunk, state=ChunkState.FAILED, problem=f"{type(exc).__name__}: {exc}"[:400])
        raise
    _end(chunk, state=ChunkState.DONE)
    return chunk


@transaction.atomic
def _end(chunk: ForecastChunk, *, state: ChunkState, problem: str = "") -> None:
    chunk.state, chunk.problem = state, problem
    chunk.save(update_fields=["state", "problem", "n_series"])
    run = ForecastRun.objects.select_for_update().get(pk=chunk.run_id)
    if run.state == RunState.RUNNING and not run.chunks.filter(state__in=OPEN).exists():
        has_failed = run.chunks.filter(state=ChunkState.FAILED).exists()
        run.state = RunState.FAILED if has_failed else RunState.DONE
        run.ended_at = chunk.touched_at
        run.save(update_fields=["state", "ended_at"])
        log.info("forecast_run_ended", run_id=run.pk, state=run.state)


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
