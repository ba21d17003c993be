"""Imports an estate file in batches: resumable, idempotent, every bad line told."""

from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

from django.db import transaction

from keelmark.access.services.audit import audit
from keelmark.estate.documents import AnyDocument, CompleteDocument, Thing
from keelmark.estate.models import Alias, Protocol, Source
from keelmark.estate.services.delivery import complete, ensure_source, open_delivery
from keelmark.feeds.errors import EstateFileError
from keelmark.feeds.estate_file import (
    Line,
    check_header,
    digest_of,
    lines_of,
    parents_of,
    uids_of,
)
from keelmark.feeds.held import begin, keep
from keelmark.feeds.importer import Imported, take_up_after, write_documents
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.services.schedule import ask_joining, ask_refresh

BATCH_LINES = 2000
MAX_PROBLEMS_KEPT = 200
N_TOLD = 5

Tell = Callable[[Run], None]


def import_file(
    path: Path, *, is_strict: bool, tell: Tell, feed: Feed | None = None, run: Run | None = None
) -> Run:
    """Import a file; take up again where an interrupted import of the same file ended.

    Strict: one bad line refuses the whole file before anything is written. Otherwise the
    good lines are kept and the bad ones told, in the run's warnings. A full file of which a
    line is bad retires nothing, since what is missing may be on that line.
    """
    header = check_header(path)
    run = run or _run_for(path, feed=feed)
    if is_strict:
        _refuse_bad(path)
    source = feed.source if feed and feed.source else ensure_source(
        name=header.source, protocol=Protocol.FILE
    )  # fmt: skip
    imported = _taken_up(run, source=source)
    problems: list[str] = list(run.warnings)
    for batch in _batches(path, start_byte=run.bytes_done):
        _write_batch(batch, imported=imported, problems=problems, run=run)
        take_up_after(imported)
        tell(run)
    if imported.n_waiting:
        problems.append(f"{imported.n_waiting} lines waited for things that no feed had told of.")
        run.warnings = problems[:MAX_PROBLEMS_KEPT]
    with transaction.atomic():
        if header.scope == "full":
            _complete(path, imported=imported, problems=problems, run=run)
        run.state, run.ended_at = RunState.DONE, datetime.now(UTC)
        run.n_readings = imported.n_readings  # with what was taken up after the last batch
        keep(run, "state", "ended_at", "n_readings", "n_retired", "examples", "warnings")
    ask_refresh()
    ask_joining()
    return run


def _taken_up(run: Run, *, source: Source) -> Imported:
    imported = Imported(
        delivery=open_delivery(source, number=run.delivery_number or run.pk), may_wait=True
    )
    imported.n_readings, imported.n_documents = run.n_readings, run.n_read
    imported.difference.n_new = dict(run.n_new)
    imported.difference.n_changed = dict(run.n_changed)
    imported.difference.n_grown = dict(run.n_grown)
    imported.difference.n_retired = dict(run.n_retired)
    imported.difference.examples = list(run.examples)
    return imported


def _complete(path: Path, *, imported: Imported, problems: list[str], run: Run) -> None:
    if any(problem.startswith("line ") for problem in problems):
        problems.append("The file is a full one, but with bad lines: nothing was retired for it.")
        run.warnings = problems[:MAX_PROBLEMS_KEPT]
        return
    read = [line.document.read_at for line in lines_of(path) if isinstance(line.document, Thing)]
    if read and imported.delivery is not None:
        complete(
            of_uid=None,
            at=max(read),
            delivery=imported.delivery,
            difference=imported.difference,
        )
        run.n_retired = imported.difference.n_retired
        run.examples = imported.difference.examples


def _run_for(path: Path, *, feed: Feed | None) -> Run:
    digest = digest_of(path)
    broken_off = Run.objects.filter(
        file_digest=digest, state__in=[RunState.RUNNING, RunState.INTERRUPTED]
    ).first()
    if broken_off is not None:
        begin(broken_off)
        return broken_off
    now = datetime.now(UTC)
    run = Run.objects.create(
        feed=feed,
        source=path.name,
        state=RunState.RUNNING,
        asked_at=now,
        started_at=now,
        beat_at=now,
        file_digest=digest,
        bytes_total=path.stat().st_size,
    )
    if feed is None:  # somebody's own doing, at the command line
        audit(None, action="import file", kind="run", subject_id=run.pk, name=path.name)
    return run


def _refuse_bad(path: Path) -> None:
    """Read it all before the first write, against what the database and the file know."""
    known: set[str] = set(Alias.objects.values_list("uid", flat=True))
    problems = []
    for line in lines_of(path):
        problem = line.problem or _orphan(line, known=known)
        if problem:
            problems.append(problem)
        elif line.document is not None:
            known |= uids_of(line.document)
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
    write_documents(good, into=imported)
    run.bytes_done = batch[-1].end_byte
    run.n_read = imported.n_documents
    run.n_readings = imported.n_readings
    run.n_new = imported.difference.n_new
    run.n_changed = imported.difference.n_changed
    run.n_grown = imported.difference.n_grown
    run.n_retired = imported.difference.n_retired
    run.examples = imported.difference.examples
    run.warnings = problems[:MAX_PROBLEMS_KEPT]
    if len(problems) > MAX_PROBLEMS_KEPT:
        run.warnings[-1] = f"… and {len(problems) - MAX_PROBLEMS_KEPT + 1} more bad lines"
    keep(run, "bytes_done", "n_read", "n_readings", "n_new", "n_changed", "n_grown", "n_retired",
         "examples", "warnings")  # fmt: skip


def _good_documents(batch: list[Line], *, problems: list[str]) -> list[AnyDocument]:
    good = []
    for line in batch:
        if line.problem:
            problems.append(line.problem)
        elif isinstance(line.document, CompleteDocument) and problems:
            problems.append(f"line {line.number}: bad lines before it, so nothing is retired")
        elif line.document is not None:
            good.append(line.document)
    return good


def _orphan(line: Line, *, known: set[str]) -> str:
    if line.document is None:
        return ""
    missing = parents_of(line.document) - known
    return f"line {line.number}: {sorted(missing)[0]} is not known before it" if missing else ""
