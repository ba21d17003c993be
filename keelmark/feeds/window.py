"""Which days and moments are taken: within a window, and nothing is younger than its arrival."""

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from typing import TypeVar

import msgspec

from keelmark.estate.documents import (
    CountersDocument,
    Document,
    EventDocument,
    MeasuresDocument,
    PerformanceDocument,
    ProtectionDocument,
    ReadingsDocument,
)
from keelmark.readings.partitions import first_step_on, window_of

STEP = timedelta(minutes=5)
OneOf = TypeVar("OneOf", bound=Document)


def out_of_window(document: Document, *, now: datetime) -> str:
    """Return what is wrong with the days and moments of a document; empty if nothing is."""
    first_on, last_on = window_of(now.date())
    days = _days_of(document)
    if days is not None:
        return day_fault(days[0], n_days=days[1], window=(first_on, last_on))
    is_kept_shortly = isinstance(document, PerformanceDocument | CountersDocument)
    since_on = first_step_on(now.date()) if is_kept_shortly else first_on
    since_at = datetime.combine(since_on, datetime.min.time(), tzinfo=UTC)
    until_at = now + (last_on - now.date())
    return _moment_fault(_moments_of(document), window=(since_at, until_at))


def _days_of(document: Document) -> tuple[date, int] | None:
    match document:
        case ReadingsDocument():
            return document.first_on, len(document.used_bytes)
        case MeasuresDocument():
            return document.first_on, len(document.amounts)
    return None


def _moments_of(document: Document) -> list[datetime]:
    match document:
        case PerformanceDocument():
            last = document.first_at + STEP * (len(document.read_iops) - 1)
            return [document.first_at, last]
        case EventDocument():
            return [document.at]
        case ProtectionDocument():
            return [document.started_at]
    read_at = getattr(document, "read_at", None)
    return [read_at] if read_at is not None else []


def day_fault(first_on: date, *, n_days: int, window: tuple[date, date]) -> str:
    """Return what is wrong with days in a row; empty if nothing is."""
    n_from_first = (first_on - window[0]).days
    n_to_last = (window[1] - first_on).days
    if n_from_first < 0:
        return f"{first_on} is before {window[0]}, the first day that is taken"
    if n_days - 1 > n_to_last:
        last_on = first_on + timedelta(days=min(n_days - 1, (date.max - first_on).days))
        return f"{last_on} is after {window[1]}, the last day that is taken"
    return ""


def _moment_fault(moments: list[datetime], *, window: tuple[datetime, datetime]) -> str:
    for moment in moments:
        if moment < window[0]:
            told = f"{moment:%Y-%m-%d %H:%M} is before {window[0]:%Y-%m-%d}"
            return f"{told}, the first day that is taken"
        if moment > window[1]:
            told = f"{moment:%Y-%m-%d %H:%M} is ahead of our clock"
            return f"{told}, {window[1]:%Y-%m-%d %H:%M} is the last that is taken"
    return ""


def at_arrival(documents: Sequence[OneOf], *, now: datetime) -> list[OneOf]:
    """Return the documents with no read_at after now: one from ahead would silence the next."""
    return [
        msgspec.structs.replace(document, read_at=now)
        if (read_at := getattr(document, "read_at", None)) is not None and read_at > now
        else document
        for document in documents
    ]
