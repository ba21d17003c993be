"""Reads an estate file line by line: what is good, and what is wrong with the rest."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import msgspec

from keelmark.estate.documents import (
    AnyDocument,
    ArrayDocument,
    DriveDocument,
    Header,
    PoolDocument,
    ReadingsDocument,
    VolumeDocument,
    decoder,
)
from keelmark.feeds.errors import EstateFileError

DIGEST_CHUNK_BYTES = 1 << 20
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


def check_header(path: Path) -> None:
    """Raise EstateFileError unless the first line says that this is an estate file."""
    with path.open("rb") as file:
        first = file.readline(MAX_LINE_BYTES)
    if not first.strip():
        raise EstateFileError(file=path.name, why="it is empty")
    try:
        header = decoder.decode(first)
    except msgspec.MsgspecError as exc:
        raise EstateFileError(file=path.name, why=f"line 1 is no header: {exc}") from exc
    if not isinstance(header, Header):
        raise EstateFileError(file=path.name, why="line 1 is no header document")


def lines_of(path: Path, *, start_byte: int = 0) -> Iterator[Line]:
    """Yield the lines from a byte on (a line's end), numbered from the file's beginning."""
    with path.open("rb") as file:
        number = _n_lines(path, until=start_byte)
        file.seek(start_byte)
        while raw := file.readline(MAX_LINE_BYTES):
            number += 1
            document, problem = _read(raw, number=number)
            yield Line(number=number, end_byte=file.tell(), document=document, problem=problem)


def _n_lines(path: Path, *, until: int) -> int:
    n_lines, left = 0, until
    with path.open("rb") as file:
        while left and (chunk := file.read(min(left, DIGEST_CHUNK_BYTES))):
            n_lines += chunk.count(b"\n")
            left -= len(chunk)
    return n_lines


def _read(raw: bytes, *, number: int) -> tuple[AnyDocument | None, str]:
    if not raw.strip():
        return None, ""
    try:
        document = decoder.decode(raw)
    except msgspec.ValidationError as exc:
        return None, f"line {number}: {exc}"
    except (msgspec.DecodeError, UnicodeDecodeError) as exc:
        return None, f"line {number}: not JSON: {exc}"
    return _checked(document, number=number)


def _checked(document: AnyDocument, *, number: int) -> tuple[AnyDocument | None, str]:
    """What the schema cannot say: columns as long as each other, a day that exists."""
    if isinstance(document, ReadingsDocument):
        n_days = len(document.used_bytes)
        for name in ("provisioned_bytes", "capacity_bytes"):
            column = getattr(document, name)
            if column is not None and len(column) != n_days:
                return None, (
                    f"line {number}: {name} has {len(column)} days, used_bytes has {n_days}"
                )
    return document, ""


def parents_of(document: AnyDocument) -> set[str]:
    """Return the uids that must be known before this document can be written."""
    if isinstance(document, PoolDocument):
        return {document.array_uid}
    if isinstance(document, VolumeDocument):
        return {document.pool_uid}
    if isinstance(document, DriveDocument):
        return {document.array_uid} | ({document.pool_uid} if document.pool_uid else set())
    return {document.uid} if isinstance(document, ReadingsDocument) else set()


def uid_of(document: AnyDocument) -> str | None:
    """Return the uid that this document makes known."""
    inventoried = ArrayDocument | PoolDocument | VolumeDocument | DriveDocument
    return document.uid if isinstance(document, inventoried) else None
