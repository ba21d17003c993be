"""Maps the columns of a table to the fields of documents, with units, and says what is wrong."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time
from decimal import Decimal, InvalidOperation
from typing import Any

import msgspec

from keelmark.estate.documents import Thing
from keelmark.estate.kinds import SPECS, KindSpec
from keelmark.estate.models import Kind
from keelmark.estate.uids import safe_uid
from keelmark.feeds.tables.faults import Fault, fault_of
from keelmark.feeds.tables.making import MAKES
from keelmark.feeds.window import out_of_window

READINGS = "readings"
UNITS = {
    "B": 1, "kB": 10**3, "MB": 10**6, "GB": 10**9, "TB": 10**12, "PB": 10**15,
    "KiB": 2**10, "MiB": 2**20, "GiB": 2**30, "TiB": 2**40, "PiB": 2**50,
}  # fmt: skip
DATE_FORMATS = ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y%m%d")
TRUE, FALSE = {"yes", "true", "y", "1", "on"}, {"no", "false", "n", "0", "off"}
READING_FIELDS = ("used_bytes", "provisioned_bytes", "capacity_bytes")
MAX_BYTES = 2**63 - 1
MAX_DIGITS = 30  # before or after the mark; bytes have nineteen


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """Which column fills a field, in which unit or form."""

    column: str
    unit: str = ""  # of bytes: B, GiB …; of dates: a format; of numbers: , as decimal mark


@dataclass(frozen=True, slots=True, kw_only=True)
class TableMapping:
    """How the rows of a table become documents of one kind, or daily readings."""

    kind: str  # a Kind, or READINGS
    columns: dict[str, Column]
    of_kind: str = ""  # readings only: the kind of the things that are named
    makes_things: bool = False  # readings only: those that nobody has told of are made
    decimal_comma: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldChoice:
    """A field that a column can fill, for whoever maps."""

    name: str
    form: str  # text | bytes | count | truth | date | moment | reference | choice
    is_required: bool
    choices: tuple[str, ...] = ()


@dataclass(slots=True, kw_only=True)
class Mapped:
    """What became of rows."""

    documents: list[Thing] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)


def fields_of(kind: str, *, of_kind: str = "") -> list[FieldChoice]:
    """Return what the columns of a table of this kind can fill.

    Of a thing on a day also what makes it, where its kind can be made of such rows.
    """
    if kind == READINGS:
        made = MAKES.get(Kind(of_kind)) if of_kind else None
        places = [made.within_field] if made else []
        places += ["site", "service_class"] if of_kind == Kind.POOL else []
        return [
            *(
                FieldChoice(
                    name=name,
                    form="reference" if name == "pool_uid" else "text",
                    is_required=name == "pool_uid",
                )
                for name in places
            ),
            FieldChoice(name="name", form="text", is_required=True),
            FieldChoice(name="day", form="date", is_required=True),
            FieldChoice(name="used_bytes", form="bytes", is_required=True),
            FieldChoice(name="provisioned_bytes", form="bytes", is_required=False),
            FieldChoice(name="capacity_bytes", form="bytes", is_required=False),
        ]
    spec = SPECS[Kind(kind)]
    known = {f.name: f for f in msgspec.structs.fields(spec.document)}
    names = ["name", "uid", "read_at", *spec.columns, *(r.field for r in spec.references)]
    if spec.has_site:
        names.append("site")
    if spec.has_class:
        names.append("service_class")
    choices = [_choice(spec, known[name]) for name in dict.fromkeys(names)]
    return [choice for choice in choices if choice.form]


def _choice(spec: KindSpec, told: msgspec.structs.FieldInfo) -> FieldChoice:
    is_required = told.default is msgspec.NODEFAULT and told.default_factory is msgspec.NODEFAULT
    if spec.kind == Kind.VOLUME and told.name == "pool_uid":
        is_required = True  # a sheet that names no pool of a volume says nothing to plan by
    is_own = told.name in ("uid", "read_at")
    return FieldChoice(
        name=told.name,
        form=_form(spec, told),
        is_required=is_required and not is_own,
        choices=_choices(told),
    )


def _form(spec: KindSpec, told: msgspec.structs.FieldInfo) -> str:
    """How the cells of a field are read; empty for what no cell can hold."""
    text = str(told.type)
    is_list = "list" in text
    forms = (
        ("reference", any(told.name == r.field for r in spec.references)),
        ("choice", bool(_choices(told))),
        ("bytes", told.name.endswith("_bytes")),
        ("moment", told.name.endswith("_at")),
        ("truth", "bool" in text and not is_list),
        ("count", "int" in text and "str" not in text and not is_list),
        ("text", "str" in text and not is_list),
    )
    return next((form for form, holds in forms if holds), "")


def _choices(told: msgspec.structs.FieldInfo) -> tuple[str, ...]:
    for part in (told.type, *getattr(told.type, "__args__", ())):
        if "Literal" in str(getattr(part, "__origin__", "")):
            return tuple(part.__args__)
    return ()


def cell_reader(
    choice: FieldChoice, *, column: Column, decimal_comma: bool
) -> Callable[[str], Any]:  # Any: a field's own type
    """Return what turns the text of a cell into the field's value; it raises ValueError."""
    readers: dict[str, Callable[[str], Any]] = {  # Any: a field's own type
        "text": str,
        "reference": str,
        "bytes": lambda text: read_bytes(text, unit=column.unit, decimal_comma=decimal_comma),
        "count": lambda text: _whole(text, decimal_comma=decimal_comma),
        "truth": _truth,
        "date": lambda text: read_date(text, form=column.unit),
        "moment": lambda text: _moment(text, form=column.unit),
        "choice": lambda text: _one_of(text, choices=choice.choices),
    }
    return readers[choice.form]


def read_bytes(text: str, *, unit: str, decimal_comma: bool) -> int:
    """Return exact bytes; raise ValueError in words."""
    amount = _number(text, decimal_comma=decimal_comma) * UNITS[unit or "B"]
    whole = int(amount.to_integral_value())
    if not 0 <= whole <= MAX_BYTES:
        raise ValueError(f"{text} is not between 0 and 2^63 − 1 bytes")
    return whole


def read_date(text: str, *, form: str) -> date:
    """Return a date; raise ValueError in words."""
    for one in [form] if form else DATE_FORMATS[:1]:
        try:
            return datetime.strptime(text[:10] if one == "%Y-%m-%d" else text, one).date()  # noqa: DTZ007  # a day
        except ValueError:
            continue
    like = date(2026, 11, 23).strftime(form or DATE_FORMATS[0])
    raise ValueError(f"{text} is no date like {like}")


def _number(text: str, *, decimal_comma: bool) -> Decimal:
    bare = text.replace("\u00a0", "").replace("\u202f", "").replace(" ", "")
    bare = bare.replace(".", "").replace(",", ".") if decimal_comma else bare.replace(",", "")
    try:
        number = Decimal(bare)
    except InvalidOperation as exc:
        raise ValueError(f"{text} is no number") from exc
    if not number.is_finite():
        raise ValueError(f"{text} is no number")
    if abs(number.adjusted()) > MAX_DIGITS:  # before anybody multiplies it
        raise ValueError(f"{text[:40]} has more digits than any amount")
    return number


def _whole(text: str, *, decimal_comma: bool) -> int:
    number = _number(text, decimal_comma=decimal_comma)
    if number != number.to_integral_value() or number < 0:
        raise ValueError(f"{text} is no whole number")
    return int(number)


def _truth(text: str) -> bool:
    word = text.strip().lower()
    if word in TRUE:
        return True
    if word in FALSE:
        return False
    raise ValueError(f"{text} is neither yes nor no")


def _moment(text: str, *, form: str) -> datetime:
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        found = datetime.combine(read_date(text, form=form), time())
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def _one_of(text: str, *, choices: tuple[str, ...]) -> str:
    word = text.strip().lower()
    for choice in choices:
        if choice.lower() == word:
            return choice
    raise ValueError(f"{text} is none of {', '.join(choices)}")


class RowMapper:
    """Turns rows of text into documents of one kind; each bad cell is a problem of its row."""

    def __init__(
        self,
        mapping: TableMapping,
        *,
        read_at: datetime,
        reference: Callable[[Kind | None, str], str],
    ) -> None:
        """`reference` returns the uid of what a text names, or raises ValueError."""
        self.spec = SPECS[Kind(mapping.kind)]
        self.read_at = read_at
        self.reference = reference
        choices = {c.name: c for c in fields_of(mapping.kind)}
        self.readers = {
            name: (
                column.column,
                cell_reader(choices[name], column=column, decimal_comma=mapping.decimal_comma),
            )
            for name, column in mapping.columns.items()
        }
        self.kinds = {r.field: r.kind for r in self.spec.references}

    def mapped(self, rows: list[dict[str, str | None]], *, first_row: int) -> Mapped:
        """Return the documents and the problems of rows; rows count from 1 under the header."""
        out = Mapped()
        for number, row in enumerate(rows, start=first_row):
            document, faults = self._document(row, number=number)
            if faults:
                out.faults += faults
            elif document is not None:
                out.documents.append(document)
        return out

    def _document(
        self, row: dict[str, str | None], *, number: int
    ) -> tuple[Thing | None, list[Fault]]:
        facts: dict[str, Any] = {}  # Any: fields of a document
        faults = []
        for name, column, text, reader in self._cells(row):
            try:
                facts[name] = (
                    self.reference(self.kinds[name], text) if name in self.kinds else reader(text)
                )
            except ValueError as exc:
                faults.append(fault_of(exc, row=number, column=column, text=text))
        if faults or not facts:
            return None, faults
        facts.setdefault("read_at", self.read_at)
        if "uid" not in facts and "name" in facts:
            facts["uid"] = f"id.{self.spec.kind}/{safe_uid(facts['name'])}"
        try:
            document = msgspec.convert(facts, self.spec.document)
        except msgspec.ValidationError as exc:
            return None, [Fault(row=number, column="", message=str(exc), pattern=str(exc))]
        told = out_of_window(document, now=datetime.now(UTC))
        if told:
            return None, [Fault(row=number, column="", message=told, pattern=told)]
        return document, []

    def _cells(
        self, row: dict[str, str | None]
    ) -> Iterator[tuple[str, str, str, Callable[[str], Any]]]:  # Any: a field's own type
        for name, (column, reader) in self.readers.items():
            text = row.get(column)
            if text is not None and text.strip():
                yield name, column, text.strip(), reader
