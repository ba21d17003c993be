"""Guesses what a table is about, which column fills which field, and in which unit."""

import re
from collections.abc import Sequence
from functools import lru_cache

from keelmark.estate.kinds import SPECS
from keelmark.estate.models import Kind
from keelmark.feeds.tables.mapping import (
    DATE_FORMATS,
    READINGS,
    UNITS,
    Column,
    FieldChoice,
    TableMapping,
    fields_of,
    read_date,
)

Rows = Sequence[dict[str, str | None]]
# Words that people put over columns, by field.
WORDS: dict[str, tuple[str, ...]] = {
    "name": ("name", "object", "volume", "pool", "datastore", "vm", "disk", "host", "bucket",
             "series", "tenant", "project"),
    "uid": ("uid", "wwn", "naa", "uuid", "serial", "identifier"),
    "day": ("date", "day", "on", "sampled"),
    "read_at": ("read at", "read", "as of", "timestamp", "time"),
    "used_bytes": ("used", "consumed", "in use", "occupied"),
    "written_bytes": ("written", "used", "consumed"),
    "on_array_bytes": ("on array", "allocated", "used"),
    "inside_bytes": ("inside", "guest written", "guest used"),
    "size_bytes": ("size", "capacity", "provisioned"),
    "usable_bytes": ("usable", "capacity", "total", "size"),
    "capacity_bytes": ("capacity", "usable", "total", "size"),
    "provisioned_bytes": ("provisioned", "promised", "subscribed"),
    "quota_bytes": ("quota", "entitled"),
    "memory_bytes": ("memory", "ram"),
    "n_cpus": ("cpus", "vcpus", "cpu"),
    "service_class": ("class", "service class"),
    "pool_uid": ("pool",),
    "array_uid": ("array", "system"),
    "cluster_uid": ("cluster",),
    "host_uid": ("host",),
    "vm_uid": ("vm", "machine"),
    "datastore_uid": ("datastore", "store"),
    "project_uid": ("project",),
    "tenant_uid": ("tenant", "owner"),
    "account_uid": ("account",),
    "site": ("site", "location", "place"),
    "os": ("os", "operating system"),
    "power": ("power", "state"),
    "provisioning": ("provisioning", "type"),
}  # fmt: skip
INNERMOST_FIRST = (
    Kind.DISK, Kind.VM, Kind.BUCKET, Kind.DATASTORE, Kind.VOLUME, Kind.POOL, Kind.ARRAY,
    Kind.CLUSTER, Kind.TENANT, Kind.PROJECT, Kind.SITE,
)  # fmt: skip
_UNIT = re.compile(r"(?<![A-Za-z])([kKMGTP]i?B|bytes|B)(?![A-Za-z])")


def guess(
    header: Sequence[str], *, rows: Rows, kind: str, of_kind: str | None = None
) -> TableMapping:
    """Return the mapping that the header and the first rows suggest for a kind."""
    if kind == READINGS and of_kind is None:
        of_kind = guess_of_kind(header, rows=rows)
    columns: dict[str, Column] = {}
    left = set(header)
    scored = sorted(
        (
            (-_fit(choice, column=column, of_kind=of_kind or ""), at, choice, column)
            for at, choice in enumerate(fields_of(kind, of_kind=of_kind or ""))
            for column in header
        ),
        key=lambda one: (one[0], one[1]),
    )
    for score, _, choice, column in scored:
        if score < 0 and choice.name not in columns and column in left:
            columns[choice.name] = Column(column=column, unit=_unit(choice, column, rows))
            left.remove(column)
    return TableMapping(
        kind=kind,
        columns=columns,
        of_kind=of_kind or "",
        decimal_comma=_has_decimal_comma(columns, rows),
    )


def guess_kind(header: Sequence[str], *, rows: Rows) -> str:
    """Return the kind whose fields the columns fill best.

    Where the same names come again with other days, a row is a thing on a day.
    """
    if _is_by_day(header, rows=rows):
        return READINGS
    kinds = [READINGS, *(str(kind) for kind in SPECS)]

    def fit(kind: str) -> tuple[float, float]:
        found = guess(header, rows=rows, kind=kind).columns
        wanted = [c for c in fields_of(kind) if c.is_required]
        n_met = sum(c.name in found for c in wanted)
        named = any(_plain(kind) in _plain(column).split() for column in header)
        return n_met / max(len(wanted), 1), 2 * len(found) + named

    return max(kinds, key=fit)


def guess_of_kind(header: Sequence[str], *, rows: Rows) -> str:
    """Return of which kind the rows of a day are, where a column's name says so; else nothing.

    Of several such columns it is the innermost: a pool's row names its array too.
    """
    words = {_plain(column) for column in header}
    for kind in INNERMOST_FIRST:
        if str(kind) in words or f"{kind} name" in words:
            return str(kind)
    return ""


def _is_by_day(header: Sequence[str], *, rows: Rows) -> bool:
    mapping = guess(header, rows=rows, kind=READINGS)
    wanted = [mapping.columns.get(name) for name in ("name", "day", "used_bytes")]
    if None in wanted:
        return False
    name, day = (column.column for column in wanted[:2] if column is not None)
    days_of: dict[str, set[str]] = {}
    for row in rows:
        days_of.setdefault(str(row.get(name)), set()).add(str(row.get(day)))
    return any(len(days) > 1 for days in days_of.values())


@lru_cache(maxsize=4096)
def _plain(text: str) -> str:
    spaced = re.sub(r"([a-z])([A-Z])", r"\1 \2", text)
    return re.sub(r"[^a-z0-9]+", " ", _UNIT.sub(" ", spaced).lower()).strip()


def _fit(choice: FieldChoice, *, column: str, of_kind: str = "") -> int:
    """3 the same words, 2 a word people use, 1 such a word within more; 0 nothing."""
    name = _plain(column)
    if of_kind and choice.name == "name" and name in (of_kind, f"{of_kind} name"):
        return 4  # “Pool” over the names of pools, whatever else is called a name
    own = choice.name.removesuffix("_bytes").removesuffix("_uid").replace("_", " ")
    if name in (own, choice.name.replace("_", " ")):
        return 3
    words = WORDS.get(choice.name, (own,))
    if name in words:
        return 2
    return int(any(f" {word} " in f" {name} " for word in words))


def _unit(choice: FieldChoice, column: str, rows: Rows) -> str:
    if choice.form == "bytes":
        found = _UNIT.search(column)
        told = found.group(1) if found else "B"
        told = {"bytes": "B", "KB": "kB", "kiB": "KiB"}.get(told, told)
        return told if told in UNITS else "B"
    if choice.form in ("date", "moment"):
        return _date_form([t for row in rows if (t := row.get(column))])
    return ""


def _date_form(texts: list[str]) -> str:
    """The form that most texts have; a few wrong ones do not hide it."""
    fits = {form: sum(_is_date(text, form=form) for text in texts) for form in DATE_FORMATS}
    best = max(fits, key=lambda form: fits[form])
    return best if fits[best] and best != DATE_FORMATS[0] else ""


def _is_date(text: str, *, form: str) -> bool:
    try:
        read_date(text, form=form)
    except ValueError:
        return False
    return True


def _has_decimal_comma(columns: dict[str, Column], rows: Rows) -> bool:
    """Commas that are followed by one, two or more than three digits mark decimals."""
    texts = [
        text
        for name, column in columns.items()
        if name.endswith("_bytes")
        for row in rows
        if (text := row.get(column.column))
    ]
    return any(re.fullmatch(r"[\d. \u00a0\u202f]*,(\d{1,2}|\d{4,})", text) for text in texts)
