"""Tables that people send: kept in the inbox, looked into, mapped, imported."""

import hashlib
import hmac
import os
import re
import secrets
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q

from keelmark.access.services.audit import audit
from keelmark.access.versions import check_version
from keelmark.estate.models import Kind, Protocol
from keelmark.estate.selectors import known_things
from keelmark.feeds import selectors
from keelmark.feeds.errors import FeedFormError, TableError
from keelmark.feeds.models import Feed, Mapping, Run
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.jobs import defer
from keelmark.feeds.table_import import check_table, mapping_of
from keelmark.feeds.tables.guessing import guess, guess_kind
from keelmark.feeds.tables.mapping import TableMapping
from keelmark.feeds.tables.names import is_made
from keelmark.feeds.tables.source import first_rows, header_of

PREVIEW_ROWS = 12
GUESS_ROWS = 2000  # the same names come again with other days
MAX_BYTES = 1 << 30
KEPT_FOR = timedelta(days=2)
SENT = "sent tables"
SENT_AGE_HOURS = 35 * 24  # people send a month's table once a month
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
    path = _path_of(key)
    n_bytes = 0
    try:
        with open(path, "wb", opener=_closed_to_others) as file:  # its mode from the start
            for chunk in chunks:
                n_bytes += len(chunk)
                if n_bytes > MAX_BYTES:
                    raise TableError(file=name, why=f"it is over {MAX_BYTES >> 30} GiB")
                file.write(chunk)
        header_of(path)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    _sweep()
    audit(actor, action="send table", kind="table", name=safe, after={"bytes": n_bytes})
    return key


def preview(*, actor: User, key: str, kind: str | None, of_kind: str | None = None) -> Preview:
    """Return the first rows, and a mapping: the saved one of this shape, else a guess."""
    path = sheet_of(key)
    header = header_of(path)
    rows = first_rows(path, n_rows=GUESS_ROWS)
    saved = next((m for m in selectors.mappings_for(actor) if m.header == header), None)
    wanted = kind or (saved.kind if saved else guess_kind(header, rows=rows))
    guessed = guess(header, rows=rows, kind=wanted, of_kind=of_kind)
    return Preview(
        key=key,
        name=key.partition("--")[2],
        header=header,
        rows=rows[:PREVIEW_ROWS],
        guess=replace(guessed, makes_things=_is_all_new(guessed, rows=rows)),
        mapping=saved if saved and saved.kind == wanted and not of_kind else None,
    )


def _is_all_new(mapping: TableMapping, *, rows: list[dict[str, str | None]]) -> bool:
    """Whether nobody has told of any of the things that the first rows are of."""
    column = mapping.columns.get("name")
    if column is None or not mapping.of_kind or not is_made(Kind(mapping.of_kind)):
        return False
    names = {str(row.get(column.column)).strip() for row in rows}
    things = known_things().filter(kind=mapping.of_kind)
    return not things.filter(Q(name__in=names) | Q(aliases__uid__in=names)).exists()


def check_sheet(*, key: str, told: dict[str, object]) -> dict[str, Any]:  # Any: counts and words
    """Read a sent table through with a mapping; nothing is written."""
    return asdict(check_table(sheet_of(key), mapping=mapping_of(told)))


@transaction.atomic
def save_mapping(
    *,
    actor: User,
    name: str,
    header: list[str],
    told: dict[str, Any],
    seen_version: Callable[[], str] | None = None,
) -> Mapping:  # Any: JSON
    """Keep a mapping under a name, for the next file of this shape.

    `seen_version` tells on which state it was decided; it is asked where there is one by that
    name, since a new one replaces nothing.
    """
    mapping_of(told)
    standing = Mapping.objects.select_for_update().filter(name=name).first()
    if standing is not None and seen_version is not None:
        check_version(seen_version(), facts=mapping_facts(standing))
    mapping, is_new = Mapping.objects.update_or_create(
        name=name,
        defaults={
            "kind": told["kind"],
            "columns": told["columns"],
            "of_kind": told.get("of_kind") or "",
            "decimal_comma": bool(told.get("decimal_comma")),
            "makes_things": bool(told.get("makes_things")),
            "header": header,
            "made_at": datetime.now(UTC),
        },
    )
    action = "save mapping" if is_new else "change mapping"
    audit(actor, action=action, kind="mapping", subject_id=mapping.pk, name=name, after=told)
    return mapping


def mapping_facts(mapping: Mapping) -> dict[str, Any]:  # Any: JSON
    """Return what may be written of a mapping."""
    return {
        "kind": mapping.kind,
        "of_kind": mapping.of_kind,
        "decimal_comma": mapping.decimal_comma,
        "makes_things": mapping.makes_things,
        "columns": mapping.columns,
        "header": mapping.header,
    }


def ask_import(*, actor: User, key: str, told: dict[str, Any], skips_bad: bool) -> Run:  # Any: JSON
    """Queue the import of a sent table; refuse it where a row is bad unless they are skipped."""
    path = sheet_of(key)
    checked = check_table(path, mapping=mapping_of(told))
    if checked.n_problems and not skips_bad:
        shown = "; ".join(one.says for one in checked.alike[:3])
        raise FeedFormError(
            field="key", why=f"{checked.n_problems} bad cells, nothing written: {shown}"
        )
    feed = _feed_of_sent()
    with transaction.atomic():
        run = Run.objects.create(
            feed=feed, source=key.partition("--")[2], asked_at=datetime.now(UTC), is_push=True,
            bytes_total=checked.n_rows,
        )  # fmt: skip
        defer(TABLE_TASK, run_id=run.pk, key=key, told=told)
    audit(actor, action="import table", kind="run", subject_id=run.pk, name=run.source, after=told)
    return run


def _feed_of_sent() -> Feed:
    """Return the feed that stands for what people send; what was set of it stays."""
    known = Feed.objects.filter(name=SENT, protocol=Protocol.TABLE).first()
    return known or ensure_feed(
        name=SENT, protocol=Protocol.TABLE, addresses=[], is_paused=True,
        allowed_age_hours=SENT_AGE_HOURS,
    )  # fmt: skip


def sheet_of(key: str) -> Path:
    """Return the file of a key; the key can name no other file."""
    if not _KEY.match(key) or not _path_of(key).is_file():
        raise TableError(file="The table", why="it is not here any more; send it again")
    return _path_of(key)


def _path_of(key: str) -> Path:
    """Where a sent table lies: under a name that nobody can learn, also not from its key."""
    digest = hmac.new(settings.SECRET_KEY.encode(), key.encode(), hashlib.sha256).hexdigest()
    return _folder() / f"{digest}{Path(key).suffix.lower()}"


def _closed_to_others(path: str, flags: int) -> int:
    return os.open(path, flags | os.O_EXCL | os.O_NOFOLLOW, mode=0o600)


def _folder() -> Path:
    """Beside the folders that feeds watch, not among them, and closed to other users."""
    folder = Path(settings.SENT_FOLDER)
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    return folder


def _sweep() -> None:
    """Sent tables are not kept for ever."""
    oldest = (datetime.now(UTC) - KEPT_FOR).timestamp()
    for path in _folder().iterdir():
        if path.stat().st_mtime < oldest:
            path.unlink(missing_ok=True)
