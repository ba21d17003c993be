"""Tables that people send: kept in the inbox, looked into, mapped, imported."""

import re
import secrets
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.services import audit
from keelmark.estate.models import Protocol
from keelmark.feeds import selectors
from keelmark.feeds.errors import FeedFormError, TableError
from keelmark.feeds.models import Feed, Mapping, Run, RunState
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.jobs import defer
from keelmark.feeds.table_import import check_table, mapping_of, write_table
from keelmark.feeds.tables.guessing import guess, guess_kind
from keelmark.feeds.tables.mapping import TableMapping
from keelmark.feeds.tables.source import first_rows, header_of

SHEETS = "sheets"
PREVIEW_ROWS = 12
MAX_BYTES = 2 << 30
KEPT_FOR = timedelta(days=2)
TABLE_TASK = "keelmark.feeds.tasks.import_sheet"
_NAME = re.compile(r"[^A-Za-z0-9._-]+")
_KEY = re.compile(r"^[A-Za-z0-9_-]{16,64}--[A-Za-z0-9._-]{1,120}$")


@dataclass(frozen=True, slots=True, kw_only=True)
class Preview:
    """What a sent table looks like, and what we take it for."""

    key: str
    name: str
    header: list[str]
    rows: list[dict[str, str | None]]
    guess: TableMapping
    mapping: Mapping | None  # saved for tables of this shape


def keep_sheet(*, actor: User, name: str, chunks: Iterator[bytes]) -> str:
    """Keep a sent file and return the key under which it is found again."""
    safe = _NAME.sub("-", Path(name).name)[-100:]
    if Path(safe).suffix.lower() not in (".csv", ".xlsx", ".parquet"):
        raise TableError(file=name, why="it is no .csv, .xlsx or .parquet file")
    key = f"{secrets.token_urlsafe(18)}--{safe}"
    path = _folder() / key
    n_bytes = 0
    try:
        with path.open("wb") as file:
            for chunk in chunks:
                n_bytes += len(chunk)
                if n_bytes > MAX_BYTES:
                    raise TableError(file=name, why=f"it is over {MAX_BYTES >> 30} GiB")
                file.write(chunk)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    _sweep()
    audit(actor, action="send table", kind="table", name=safe, after={"bytes": n_bytes})
    return key


def preview(*, actor: User, key: str, kind: str | None) -> Preview:
    """Return the first rows, and a mapping: the saved one of this shape, else a guess."""
    path = sheet_of(key)
    header = header_of(path)
    rows = first_rows(path, n_rows=PREVIEW_ROWS)
    saved = next((m for m in selectors.mappings_for(actor) if m.header == header), None)
    wanted = kind or (saved.kind if saved else guess_kind(header, rows=rows))
    return Preview(
        key=key,
        name=key.partition("--")[2],
        header=header,
        rows=rows,
        guess=guess(header, rows=rows, kind=wanted),
        mapping=saved if saved and saved.kind == wanted else None,
    )


def check_sheet(*, key: str, told: dict[str, object]) -> dict[str, Any]:  # Any: counts and words
    """Read a sent table through with a mapping; nothing is written."""
    return asdict(check_table(sheet_of(key), mapping=mapping_of(told)))


@transaction.atomic
def save_mapping(
    *, actor: User, name: str, header: list[str], told: dict[str, Any]
) -> Mapping:  # Any: JSON
    """Keep a mapping under a name, for the next file of this shape."""
    mapping_of(told)
    mapping, is_new = Mapping.objects.update_or_create(
        name=name,
        defaults={
            "kind": told["kind"],
            "columns": told["columns"],
            "of_kind": told.get("of_kind") or "",
            "decimal_comma": bool(told.get("decimal_comma")),
            "header": header,
            "made_at": datetime.now(UTC),
        },
    )
    action = "save mapping" if is_new else "change mapping"
    audit(actor, action=action, kind="mapping", subject_id=mapping.pk, name=name, after=told)
    return mapping


def ask_import(*, actor: User, key: str, told: dict[str, Any], skips_bad: bool) -> Run:  # Any: JSON
    """Queue the import of a sent table; refuse it where a row is bad unless they are skipped."""
    path = sheet_of(key)
    checked = check_table(path, mapping=mapping_of(told))
    if checked.n_problems and not skips_bad:
        shown = "; ".join(checked.problems[:3])
        raise FeedFormError(
            field="key", why=f"{checked.n_problems} bad cells, nothing written: {shown}"
        )
    feed = ensure_feed(name="sent tables", protocol=Protocol.TABLE, addresses=[], is_paused=True)
    with transaction.atomic():
        run = Run.objects.create(
            feed=feed, source=key.partition("--")[2], asked_at=datetime.now(UTC), is_push=True,
            bytes_total=checked.n_rows,
        )  # fmt: skip
        defer(TABLE_TASK, run_id=run.pk, key=key, told=told)
    audit(actor, action="import table", kind="run", subject_id=run.pk, name=run.source, after=told)
    return run


def import_sheet(*, run_id: int, key: str, told: dict[str, Any]) -> Run:  # Any: JSON
    """Carry out a queued import; one that was broken off goes on where it stopped."""
    run = Run.objects.select_related("feed__source").get(pk=run_id)
    if run.state not in (RunState.QUEUED, RunState.RUNNING) or run.feed is None:
        return run
    now = datetime.now(UTC)
    run.state, run.beat_at, run.step = RunState.RUNNING, now, "writing"
    run.started_at = run.started_at or now
    run.save(update_fields=["state", "started_at", "beat_at", "step"])
    write_table(sheet_of(key), mapping=mapping_of(told), feed=run.feed, run=run)
    Feed.objects.filter(pk=run.feed.pk).update(last_good_at=datetime.now(UTC))
    return run


def sheet_of(key: str) -> Path:
    """Return the file of a key; the key can name no other file."""
    path = _folder() / key
    if not _KEY.match(key) or not path.is_file():
        raise TableError(file="The table", why="it is not here any more; send it again")
    return path


def _folder() -> Path:
    folder = Path(settings.FEED_FOLDERS) / SHEETS
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _sweep() -> None:
    """Sent tables are not kept for ever."""
    oldest = (datetime.now(UTC) - KEPT_FOR).timestamp()
    for path in _folder().iterdir():
        if path.stat().st_mtime < oldest:
            path.unlink(missing_ok=True)
