"""Reads an estate file line by line: what is good, and what is wrong with the rest."""

import hashlib
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from keelmark.estate.documents import (
    AboutDocument,
    AnyDocument,
    CompleteDocument,
    CountersDocument,
    Document,
    EventDocument,
    Header,
    MeasuresDocument,
    PerformanceDocument,
    ProtectionDocument,
    ReadingsDocument,
    Thing,
    from_line,
)
from keelmark.estate.kinds import HOMES, references_of, spec_of
from keelmark.feeds.errors import EstateFileError
from keelmark.feeds.window import out_of_window

DIGEST_CHUNK_BYTES = 1 << 20
DAILY_COLUMNS = (
    "provisioned_bytes", "capacity_bytes", "inside_bytes", "unshared_bytes",
)  # fmt: skip
STEP_COLUMNS = (
    "write_iops", "read_bytes_per_second", "write_bytes_per_second", "latency_ms",
    "array_latency_ms", "network_latency_ms", "queue_latency_ms", "qos_latency_ms",
    "read_latency_ms", "write_latency_ms",
)  # fmt: skip
_NUL_ESCAPE = re.compile(rb"(?<!\\)(?:\\\\)*\\u0000")
MAX_LINE_BYTES = 16 << 20  # forty thousand days of three columns fit


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One line: its document or its problem, and where the next one begins."""

    number: int
    end_byte: int
    document: AnyDocument | None
    problem: str


def digest_of(path: Path) -> str:
    """Return the SHA-256 of a file: the same file is known again at the next try."""
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while chunk := file.read(DIGEST_CHUNK_BYTES):
            digest.update(chunk)
    return digest.hexdigest()


def check_header(path: Path) -> Header:
    """Raise EstateFileError unless the first line says that this is an estate file."""
    with path.open("rb") as file:
        first = file.readline(MAX_LINE_BYTES)
    if not first.strip():
        raise EstateFileError(file=path.name, why="it is empty")
    try:
        header = from_line(first)
    except msgspec.MsgspecError as exc:
        raise EstateFileError(file=path.name, why=f"line 1 is no header: {exc}") from exc
    if not isinstance(header, Header):
        raise EstateFileError(file=path.name, why="line 1 is no header document")
    return header


def lines_of(path: Path, *, start_byte: int = 0) -> Iterator[Line]:
    """Yield the lines from a byte on (a line's end), numbered from the file's beginning."""
    with path.open("rb") as file:
        number = _n_lines(path, until=start_byte)
        file.seek(start_byte)
        while raw := file.readline(MAX_LINE_BYTES):
            number += 1
            document, problem = read_line(raw, number=number)
            yield Line(number=number, end_byte=file.tell(), document=document, problem=problem)


def _n_lines(path: Path, *, until: int) -> int:
    n_lines, left = 0, until
    with path.open("rb") as file:
        while left and (chunk := file.read(min(left, DIGEST_CHUNK_BYTES))):
            n_lines += chunk.count(b"\n")
            left -= len(chunk)
    return n_lines


def read_line(raw: bytes, *, number: int) -> tuple[AnyDocument | None, str]:
    """Return (document, "") or (None, what is wrong); both empty for an empty line."""
    if not raw.strip():
        return None, ""
    if b"\x00" in raw or _NUL_ESCAPE.search(raw):
        return None, f"line {number}: it holds a NUL, which no text may hold"
    try:
        document = from_line(raw)
    except msgspec.ValidationError as exc:
        return None, f"line {number}: {exc}"
    except (msgspec.DecodeError, UnicodeDecodeError) as exc:
        return None, f"line {number}: not JSON: {exc}"
    except RecursionError:
        return None, f"line {number}: it is nested too deep"
    return _checked(document, number=number)


def _checked(document: AnyDocument, *, number: int) -> tuple[AnyDocument | None, str]:
    """What the schema cannot say: columns as long as each other, a day that exists."""
    fault = ""
    if isinstance(document, ReadingsDocument):
        fault = _ragged(document, first="used_bytes", rest=DAILY_COLUMNS, unit="days")
    elif isinstance(document, PerformanceDocument):
        fault = _ragged(document, first="read_iops", rest=STEP_COLUMNS, unit="steps")
    elif isinstance(document, Thing):
        fault = _homeless(document)
    fault = fault or out_of_window(document, now=datetime.now(UTC))
    if fault:
        return None, f"line {number}: {fault}"
    return document, ""


def _homeless(document: Thing) -> str:
    kind = spec_of(document).kind
    homes = HOMES.get(kind, ())
    if not homes or any(getattr(document, name) for name in homes):
        return ""
    return f"a {kind} needs {' or '.join(homes)}"


def _ragged(document: Document, *, first: str, rest: tuple[str, ...], unit: str) -> str:
    n_wanted = len(getattr(document, first))
    for name in rest:
        column = getattr(document, name)
        if column is not None and len(column) != n_wanted:
            return f"{name} has {len(column)} {unit}, {first} has {n_wanted}"
    return ""


def parents_of(document: Document) -> set[str]:
    """Return the uids that must be known before this document can be written."""
    match document:
        case Thing():
            needed = {uid for ref, uid in references_of(document) if ref.is_required}
            homes = [getattr(document, name) for name in HOMES.get(spec_of(document).kind, ())]
            return needed | {uid for uid in homes if uid}
        case EventDocument() | ProtectionDocument():
            return {document.of_uid}
        case (
            ReadingsDocument()
            | MeasuresDocument()
            | PerformanceDocument()
            | CountersDocument()
            | AboutDocument()
        ):
            return {document.uid}
        case CompleteDocument():
            return {uid for uid in (document.of_uid, document.array_uid) if uid}
    return set()


def uids_of(document: Document) -> set[str]:
    """Return the uids that this document makes known."""
    return {document.uid, *document.also} if isinstance(document, Thing) else set()
