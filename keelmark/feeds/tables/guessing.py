"""Guesses what a table is about, which column fills which field, and in which unit."""

import re
from collections.abc import Sequence

from keelmark.estate.kinds import SPECS
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
    "guest_written_bytes": ("guest written", "guest used"),
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
_UNIT = re.compile(r"(?<![A-Za-z])([kKMGTP]i?B|bytes|B)(?![A-Za-z])")


def guess(header: Sequence[str], *, rows: Rows, kind: str) -> TableMapping:
    """Return the mapping that the header and the first rows suggest for a kind."""
    columns: dict[str, Column] = {}
    left = list(header)
    scored = sorted(
        (
            (-_fit(choice, column=column), at, choice, column)
            for at, choice in enumerate(fields_of(kind))
            for column in header
        ),
        key=lambda one: (one[0], one[1]),
    )
    for score, _, choice, column in scored:
        if score < 0 and choice.name not in columns and column in left:
            columns[choice.name] = Column(column=column, unit=_unit(choice, column, rows))
            left.remove(column)
    return TableMapping(kind=kind, columns=columns, decimal_comma=_has_decimal_comma(columns, rows))


def guess_kind(header: Sequence[str], *, rows: Rows) -> str:
    """Return the kind whose fields the columns fill best."""
    kinds = [READINGS, *(str(kind) for kind in SPECS)]

    def fit(kind: str) -> tuple[float, float]:
        found = guess(header, rows=rows, kind=kind).columns
        wanted = [c for c in fields_of(kind) if c.is_required]
        n_met = sum(c.name in found for c in wanted)
        named = any(_plain(kind) in _plain(column).split() for column in header)
        return n_met / max(len(wanted), 1), 2 * len(found) + named

    return max(kinds, key=fit)


def _plain(text: str) -> str:
    spaced = re.sub(r"([a-z])([A-Z])", r"\1 \2", text)
    return re.sub(r"[^a-z0-9]+", " ", _UNIT.sub(" ", spaced).lower()).strip()


def _fit(choice: FieldChoice, *, column: str) -> int:
    """3 the same words, 2 a word people use, 1 such a word within more; 0 nothing."""
    name = _plain(column)
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
