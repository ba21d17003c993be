"""Imports a table by its mapping: checked through first, written in batches, resumable."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path

from django.db import transaction

from keelmark.estate.documents import Thing
from keelmark.estate.models import Alias, Kind, Statement
from keelmark.estate.services.delivery import open_delivery
from keelmark.estate.words import with_article
from keelmark.feeds.errors import OptionsError, TableError
from keelmark.feeds.held import keep
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed, Mapping, Run, RunState
from keelmark.feeds.services.schedule import ask_joining, ask_refresh
from keelmark.feeds.tables.faults import Fault, Gathered
from keelmark.feeds.tables.making import documents_for
from keelmark.feeds.tables.mapping import (
    READINGS,
    Column,
    RowMapper,
    TableMapping,
    fields_of,
)
from keelmark.feeds.tables.names import Names
from keelmark.feeds.tables.readings import MappedReadings, readings_of
from keelmark.feeds.tables.source import batches_of, header_of
from keelmark.readings.rows import DailyRows
from keelmark.readings.services import note_past, write_daily

MAX_PROBLEMS_KEPT = 200
MAX_ALIKE = 50


@dataclass(frozen=True, slots=True, kw_only=True)
class AlikeTold:
    """Faults that are alike, in words."""

    says: str
    n_rows: int
    rows: list[int]
    can_make: bool


@dataclass(slots=True, kw_only=True)
class Checked:
    """What reading a whole table through showed, before anything is written."""

    n_rows: int = 0
    n_good: int = 0
    problems: list[str] = field(default_factory=list)  # the first ones, a line each
    n_problems: int = 0
    alike: list[AlikeTold] = field(default_factory=list)  # all of them, those alike together
    n_made: int = 0  # things that nobody has told of and that the table makes


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
        makes_things=bool(told.get("makes_things")),
    )
    choices = {choice.name: choice for choice in fields_of(mapping.kind, of_kind=mapping.of_kind)}
    unknown = columns.keys() - choices.keys()
    if unknown:
        what = with_article(mapping.of_kind or mapping.kind)
        raise TableError(file="mapping", why=f"{what} has no {sorted(unknown)[0]}")
    missing = [n for n, c in choices.items() if c.is_required and n not in columns]
    if missing:
        raise TableError(file="mapping", why=f"no column is given for {', '.join(missing)}")
    return mapping


def check_table(path: Path, *, mapping: TableMapping) -> Checked:
    """Read a table through and say what is wrong with its rows; nothing is written."""
    checked, gathered, names = Checked(), Gathered(), Names()
    parts = _parts(path, mapping=mapping, start_row=0, read_at=datetime.now(UTC), names=names)
    for part in parts:
        checked.n_rows = part.last_row
        checked.n_good += part.n_good
        gathered.add(part.faults)
        room = MAX_PROBLEMS_KEPT - len(checked.problems)
        checked.problems += [str(fault) for fault in part.faults[: max(room, 0)]]
    checked.n_problems, checked.n_made = gathered.n_faults, len(names.new)
    checked.alike = [
        AlikeTold(says=one.says, n_rows=one.n_rows, rows=one.rows, can_make=one.can_make)
        for one in gathered.alike()[:MAX_ALIKE]
    ]
    return checked


def import_table(path: Path, *, feed: Feed, run: Run) -> Run:
    """Import a file of a table feed; refuse it whole where a row is bad unless told to skip."""
    mapping = mapping_of(_stored_mapping(feed, header=header_of(path)))
    checked = check_table(path, mapping=mapping)
    if checked.n_problems and feed.options.get("bad_rows") != "skip":
        run.warnings = checked.problems
        run.save(update_fields=["warnings"])
        shown = "; ".join(one.says for one in checked.alike[:3])
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
    names = Names()
    parts = _parts(path, mapping=mapping, start_row=run.bytes_done, read_at=read_at, names=names)
    for part in parts:
        problems = (problems + [str(fault) for fault in part.faults])[:MAX_PROBLEMS_KEPT]
        _write(part, imported=imported, run=run, problems=problems, names=names)
    run.state, run.ended_at = RunState.DONE, datetime.now(UTC)
    run.bytes_total = run.bytes_done
    keep(run, "state", "ended_at", "bytes_total")
    ask_refresh()
    ask_joining()
    return run


@dataclass(slots=True, kw_only=True)
class _Part:
    """One batch of rows, mapped."""

    last_row: int
    n_good: int
    faults: list[Fault]
    documents: list[Thing] = field(default_factory=list)
    readings: MappedReadings | None = None


def _parts(
    path: Path, *, mapping: TableMapping, start_row: int, read_at: datetime, names: Names
) -> Iterator[_Part]:
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
                faults=told.faults,
                readings=told,
            )
        else:
            mapper = RowMapper(mapping, read_at=read_at, reference=names.uid_of)
            mapped = mapper.mapped(batch.to_pylist(), first_row=first_row)
            yield _Part(
                last_row=last_row,
                n_good=len(mapped.documents),
                faults=mapped.faults,
                documents=mapped.documents,
            )


@transaction.atomic
def _write(part: _Part, *, imported: Imported, run: Run, problems: list[str], names: Names) -> None:
    if part.documents:
        import_documents(part.documents, into=imported)
    if part.readings is not None:
        rows = _with_things(part.readings, imported=imported, names=names)
        imported.n_readings += write_daily(rows, told_by=run.source)
        note_past(set(rows.entity_id.tolist()), at=datetime.now(UTC))
        imported.n_documents += part.n_good
    run.bytes_done = part.last_row
    run.n_read, run.n_readings = imported.n_documents, imported.n_readings
    run.n_new = imported.difference.n_new
    run.n_changed = imported.difference.n_changed
    run.n_grown = imported.difference.n_grown
    run.examples = imported.difference.examples
    run.warnings = problems
    keep(run, "bytes_done", "n_read", "n_readings", "n_new", "n_changed", "n_grown", "examples",
         "warnings")  # fmt: skip


def _with_things(told: MappedReadings, *, imported: Imported, names: Names) -> DailyRows:
    """Make the things that only this table tells of; return the rows with what they are now."""
    if imported.delivery is None:
        return told.rows
    own = Statement.objects.filter(
        source=imported.delivery.source, entity_id__in=[n for n in told.named if n > 0]
    ).values_list("entity_id", flat=True)
    ours = {n: one for n, one in told.named.items() if n < 0} | {n: told.named[n] for n in own}
    made = documents_for(ours, rows=told.rows, now=datetime.now(UTC))
    documents = [document for documents in made.values() for document in documents]
    if not documents:
        return told.rows
    n_documents = imported.n_documents
    import_documents(documents, into=imported)
    imported.n_documents = n_documents  # rows are counted, not what they make
    ids = dict(
        Alias.objects.filter(uid__in=[docs[-1].uid for docs in made.values()]).values_list(
            "uid", "entity_id"
        )
    )
    entity_id = told.rows.entity_id.copy()
    for number, docs in made.items():
        entity_id[told.rows.entity_id == number] = ids[docs[-1].uid]
        names.forget(Kind(ours[number].kind))
    return replace(told.rows, entity_id=entity_id)


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
        "makes_things": stored.makes_things,
    }
