"""Whose a run is: who carries it out keeps it alive, and writes for it only while it is theirs."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from threading import Event, Thread

import structlog
from django.db import DatabaseError, connection

from keelmark.feeds.errors import RunLostError
from keelmark.feeds.models import Run, RunState

log = structlog.get_logger()
BEAT_SECONDS = 1.0


@dataclass(slots=True)
class Told:
    """How far a run is, for whoever asks; without a step its row tells that itself."""

    step: str = ""
    n_read: int = 0


@contextmanager
def beating(run_id: int, *, every_seconds: float = BEAT_SECONDS) -> Iterator[Told]:
    """Keep a run's row alive from a thread of its own, through reading and writing alike."""
    told, is_over = Told(), Event()

    def beat() -> None:
        while True:
            try:
                _beat(run_id, told=told)
            except DatabaseError:
                log.warning("beat_missed", run_id=run_id)
            if is_over.wait(every_seconds):
                connection.close()
                return

    thread = Thread(target=beat, name=f"beat of run {run_id}", daemon=True)
    thread.start()
    try:
        yield told
    finally:
        is_over.set()
        thread.join()


def _beat(run_id: int, *, told: Told) -> None:
    far = {"step": told.step, "n_read": told.n_read} if told.step else {}
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(beat_at=datetime.now(UTC), **far)


def begin(run: Run, *, step: str = "") -> None:
    """Take a run on: it is theirs who began it last."""
    run.state, run.step = RunState.RUNNING, step
    run.started_at = run.beat_at = datetime.now(UTC)
    run.save()


def keep(run: Run, *names: str) -> None:
    """Write these fields of a run and that it lives; raise RunLostError where it is others' now.

    To be called last in the transaction that writes what the run brings, so that somebody who
    was taken for dead and comes back writes nothing beside the one who took over.
    """
    ours = Run.objects.filter(pk=run.pk, state=RunState.RUNNING, started_at=run.started_at)
    run.beat_at = datetime.now(UTC)
    if not ours.update(**{name: getattr(run, name) for name in ("beat_at", *names)}):
        raise RunLostError(source=run.source)
