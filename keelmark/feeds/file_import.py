"""Imports an estate file in batches: resumable, idempotent, every bad line told."""

from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

from django.db import transaction

from keelmark.estate.documents import AnyDocument
from keelmark.estate.models import Entity
from keelmark.feeds.errors import EstateFileError
from keelmark.feeds.estate_file import (
    Line,
    check_header,
    digest_of,
    lines_of,
    parents_of,
    uid_of,
)
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Run, RunState
from keelmark.feeds.services import ask_refresh

BATCH_LINES = 500
MAX_PROBLEMS_KEPT = 200
N_TOLD = 5

Tell = Callable[[Run], None]


def import_file(path: Path, *, is_strict: bool, tell: Tell) -> Run:
    """Import a file; take up again where an interrupted import of the same file ended.

    Strict: one bad line refuses the whole file before anything is written. Otherwise the
    good lines are kept and the bad ones told, in the run's warnings.
    """
    check_header(path)
    run = _run_for(path)
    if is_strict:
        _refuse_bad(path)
    imported = Imported()
    imported.n_readings, imported.n_documents = run.n_readings, run.n_read
    imported.difference.n_new = dict(run.n_new)
    imported.difference.n_changed = dict(run.n_changed)
    problems: list[str] = list(run.warnings)
    for batch in _batches(path, start_byte=run.bytes_done):
        _write_batch(batch, imported=imported, problems=problems, run=run)
        tell(run)
    run.state, run.ended_at = RunState.DONE, datetime.now(UTC)
    run.save(update_fields=["state", "ended_at"])
    ask_refresh()
    return run


def _run_for(path: Path) -> Run:
    digest = digest_of(path)
    broken_off = Run.objects.filter(
        file_digest=digest, state__in=[RunState.RUNNING, RunState.INTERRUPTED]
    ).first()
    if broken_off is not None:
        broken_off.state = RunState.RUNNING
        return broken_off
    now = datetime.now(UTC)
    return Run.objects.create(
        source=path.name,
        state=RunState.RUNNING,
        asked_at=now,
        started_at=now,
        beat_at=now,
        file_digest=digest,
        bytes_total=path.stat().st_size,
    )


def _refuse_bad(path: Path) -> None:
    """Read it all before the first write, against what the database and the file know."""
    known: set[str] = set(Entity.objects.values_list("uid", flat=True))
    problems = []
    for line in lines_of(path):
        problem = line.problem or _orphan(line, known=known)
        if problem:
            problems.append(problem)
        elif line.document is not None and (uid := uid_of(line.document)):
            known.add(uid)
    if problems:
        shown = "; ".join(problems[:N_TOLD])
        more = f" and {len(problems) - N_TOLD} more" if len(problems) > N_TOLD else ""
        Run.objects.filter(file_digest=digest_of(path), state=RunState.RUNNING).update(
            state=RunState.FAILED,
            ended_at=datetime.now(UTC),
            problem=f"{len(problems)} bad lines, nothing written",
            warnings=problems[:MAX_PROBLEMS_KEPT],
        )
        raise EstateFileError(
            file=path.name, why=f"{len(problems)} bad lines, nothing written: {shown}{more}"
        )


def _batches(path: Path, *, start_byte: int) -> Iterator[list[Line]]:
    batch: list[Line] = []
    for line in lines_of(path, start_byte=start_byte):
        batch.append(line)
        if len(batch) == BATCH_LINES:
            yield batch
            batch = []
    if batch:
        yield batch


@transaction.atomic
def _write_batch(batch: list[Line], *, imported: Imported, problems: list[str], run: Run) -> None:
    """Write a batch and how far the file is done in one transaction: never half of either."""
    good = _good_documents(batch, problems=problems)
    import_documents(good, into=imported)
    run.bytes_done = batch[-1].end_byte
    run.beat_at = datetime.now(UTC)
    run.n_read = imported.n_documents
    run.n_readings = imported.n_readings
    run.n_new = imported.difference.n_new
    run.n_changed = imported.difference.n_changed
    run.warnings = problems[:MAX_PROBLEMS_KEPT]
    if len(problems) > MAX_PROBLEMS_KEPT:
        run.warnings[-1] = f"… and {len(problems) - MAX_PROBLEMS_KEPT + 1} more bad lines"
    run.save()


def _good_documents(batch: list[Line], *, problems: list[str]) -> list[AnyDocument]:
    wanted = {uid for line in batch if line.document for uid in parents_of(line.document)}
    known = set(Entity.objects.filter(uid__in=wanted).values_list("uid", flat=True))
    good = []
    for line in batch:
        problem = line.problem or _orphan(line, known=known)
        if problem:
            problems.append(problem)
        elif line.document is not None:
            good.append(line.document)
            if uid := uid_of(line.document):
                known.add(uid)
    return good


def _orphan(line: Line, *, known: set[str]) -> str:
    if line.document is None:
        return ""
    missing = parents_of(line.document) - known
    return f"line {line.number}: {sorted(missing)[0]} is not known before it" if missing else ""
