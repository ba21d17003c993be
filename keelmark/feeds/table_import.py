"""Imports a table by its mapping: checked through first, written in batches, resumable."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from django.db import transaction

from keelmark.estate.documents import Thing
from keelmark.estate.services.delivery import open_delivery
from keelmark.feeds.errors import OptionsError, TableError
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed, Mapping, Run, RunState
from keelmark.feeds.services.schedule import ask_joining, ask_refresh
from keelmark.feeds.tables.mapping import (
    READINGS,
    Column,
    RowMapper,
    TableMapping,
    fields_of,
)
from keelmark.feeds.tables.names import Names
from keelmark.feeds.tables.readings import readings_of
from keelmark.feeds.tables.source import batches_of, header_of
from keelmark.readings.rows import DailyRows
from keelmark.readings.services import write_daily

MAX_PROBLEMS_KEPT = 200


@dataclass(slots=True, kw_only=True)
class Checked:
    """What reading a whole table through showed, before anything is written."""

    n_rows: int = 0
    n_good: int = 0
    problems: list[str] = field(default_factory=list)
    n_problems: int = 0


def mapping_of(told: dict[str, object]) -> TableMapping:
    """Return a mapping from its stored form; raise TableError where it lacks something."""
    columns = {
        str(name): Column(column=str(one["column"]), unit=str(one.get("unit") or ""))
        for name, one in dict(told["columns"]).items()  # type: ignore[call-overload]  # JSON
    }
    mapping = TableMapping(
        kind=str(told["kind"]),
        columns=columns,
        of_kind=str(told.get("of_kind") or ""),
        decimal_comma=bool(told.get("decimal_comma")),
    )
    choices = {choice.name: choice for choice in fields_of(mapping.kind)}
    unknown = columns.keys() - choices.keys()
    if unknown:
        raise TableError(file="mapping", why=f"a {mapping.kind} has no {sorted(unknown)[0]}")
    missing = [n for n, c in choices.items() if c.is_required and n not in columns]
    if missing:
        raise TableError(file="mapping", why=f"no column is given for {', '.join(missing)}")
    return mapping


def check_table(path: Path, *, mapping: TableMapping) -> Checked:
    """Read a table through and say what is wrong with its rows; nothing is written."""
    checked = Checked()
    for part in _parts(path, mapping=mapping, start_row=0, read_at=datetime.now(UTC)):
        checked.n_rows = part.last_row
        checked.n_good += part.n_good
        checked.n_problems += len(part.problems)
        room = MAX_PROBLEMS_KEPT - len(checked.problems)
        checked.problems += part.problems[: max(room, 0)]
    return checked


def import_table(path: Path, *, feed: Feed, run: Run) -> Run:
    """Import a file of a table feed; refuse it whole where a row is bad unless told to skip."""
    mapping = mapping_of(_stored_mapping(feed, header=header_of(path)))
    checked = check_table(path, mapping=mapping)
    if checked.n_problems and feed.options.get("bad_rows") != "skip":
        run.warnings = checked.problems
        run.save(update_fields=["warnings"])
        shown = "; ".join(checked.problems[:3])
        raise TableError(
            file=path.name, why=f"{checked.n_problems} bad cells, nothing written: {shown}"
        )
    return write_table(path, mapping=mapping, feed=feed, run=run)


def write_table(path: Path, *, mapping: TableMapping, feed: Feed, run: Run) -> Run:
    """Write the good rows; each batch and how far the file is done in one transaction."""
    if feed.source is None:
        raise OptionsError(option="source", why="is missing")
    number = run.delivery_number or run.pk
    imported = Imported(delivery=open_delivery(feed.source, number=number))
    imported.n_documents, imported.n_readings = run.n_read, run.n_readings
    read_at = run.started_at or run.asked_at
    problems = list(run.warnings)
    for part in _parts(path, mapping=mapping, start_row=run.bytes_done, read_at=read_at):
        problems = (problems + part.problems)[:MAX_PROBLEMS_KEPT]
        _write(part, imported=imported, run=run, problems=problems)
    run.state, run.ended_at = RunState.DONE, datetime.now(UTC)
    run.bytes_total = run.bytes_done
    run.save()
    ask_refresh()
    ask_joining()
    return run


@dataclass(slots=True, kw_only=True)
class _Part:
    """One batch of rows, mapped."""

    last_row: int
    n_good: int
    problems: list[str]
    documents: list[Thing] = field(default_factory=list)
    readings: DailyRows | None = None


def _parts(
    path: Path, *, mapping: TableMapping, start_row: int, read_at: datetime
) -> Iterator[_Part]:
    names = Names()
    last_row = 0
    for batch in batches_of(path):
        first_row, last_row = last_row + 1, last_row + batch.num_rows
        if last_row <= start_row:
            continue
        if mapping.kind == READINGS:
            told = readings_of(batch, mapping=mapping, names=names, first_row=first_row)
            yield _Part(
                last_row=last_row,
                n_good=len(told.rows),
                problems=told.problems,
                readings=told.rows,
            )
        else:
            mapper = RowMapper(mapping, read_at=read_at, reference=names.uid_of)
            mapped = mapper.mapped(batch.to_pylist(), first_row=first_row)
            yield _Part(
                last_row=last_row,
                n_good=len(mapped.documents),
                problems=mapped.problems,
                documents=mapped.documents,
            )


@transaction.atomic
def _write(part: _Part, *, imported: Imported, run: Run, problems: list[str]) -> None:
    if part.documents:
        import_documents(part.documents, into=imported)
    if part.readings is not None:
        imported.n_readings += write_daily(part.readings)
        imported.n_documents += part.n_good
    run.bytes_done = part.last_row
    run.beat_at = datetime.now(UTC)
    run.n_read, run.n_readings = imported.n_documents, imported.n_readings
    run.n_new = imported.difference.n_new
    run.n_changed = imported.difference.n_changed
    run.n_grown = imported.difference.n_grown
    run.examples = imported.difference.examples
    run.warnings = problems
    run.save()


def _stored_mapping(feed: Feed, *, header: list[str]) -> dict[str, object]:
    wanted = feed.options.get("mapping_id")
    stored = Mapping.objects.filter(pk=wanted).first() if wanted else None
    if stored is None:
        raise OptionsError(option="mapping_id", why="names no mapping")
    missing = {c["column"] for c in stored.columns.values()} - set(header)
    if missing:
        raise OptionsError(
            option="mapping_id",
            why=f"is for tables with a column {sorted(missing)[0]}, which this one lacks",
        )
    return {
        "kind": stored.kind,
        "columns": stored.columns,
        "of_kind": stored.of_kind,
        "decimal_comma": stored.decimal_comma,
    }
