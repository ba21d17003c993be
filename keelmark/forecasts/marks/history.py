"""Marks as they stood: what was set since a day is undone, by the audit that tells it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

import numpy as np

from keelmark.access.selectors import facts_before
from keelmark.core.arrays import Float64s
from keelmark.core.marks import Marks
from keelmark.estate.marks import FIELDS, Level, Told, marks_of
from keelmark.estate.models import ServiceClass
from keelmark.forecasts.marks.setting import OF_CLASSES, SET_MARKS

Key = tuple[bool, int]  # whether it is a service class, and its id
Holders = Sequence[tuple[Key, Told]]  # who holds the marks of a thing and which, nearest first


def holders_of(levels: Sequence[Level]) -> Holders:
    """Return the holders of a thing's marks as they are known here."""
    return [
        ((isinstance(level.holder, ServiceClass), level.holder.pk), tuple(level.told.values()))
        for level in levels
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class MarksThen:
    """What the marks of things, classes and sites were before they were changed, by day."""

    first_on: date
    n_days: int
    changes: dict[Key, dict[date, Told]]  # what each held before the changes of a day

    @classmethod
    def since(cls, first_on: date, *, n_days: int) -> "MarksThen":
        """Read what was changed since a day."""
        changes: dict[Key, dict[date, Told]] = {}
        begin = datetime.combine(first_on, time(), tzinfo=UTC)
        for entry in facts_before(SET_MARKS, since=begin):
            own = changes.setdefault((entry.kind == OF_CLASSES, entry.subject_id), {})
            before = tuple(entry.before.get(name) for name in FIELDS)
            own.setdefault(entry.at.date(), before)
        return cls(first_on=first_on, n_days=n_days, changes=changes)

    def shares(self, things: Sequence[Holders], *, percent: Callable[[Marks], int]) -> Float64s:
        """Return a mark of each day as a share of what it is now, (n_things, n_days)."""
        shares = np.ones((len(things), self.n_days))
        for at, holders in enumerate(things):
            own = [self.changes[key] for key, _ in holders if key in self.changes]
            if not own:
                continue
            now = percent(marks_of(*(told for _, told in holders)))
            for on in sorted({day for changes in own for day in changes}, reverse=True):
                eve = on - timedelta(days=1)
                until = max(0, (on - self.first_on).days)
                then = marks_of(*(self._told(key, told, on=eve) for key, told in holders))
                shares[at, :until] = percent(then) / now
        return shares

    def _told(self, key: Key, told: Told, *, on: date) -> Told:
        """What a holder held at the end of a day."""
        later = [day for day in self.changes.get(key, {}) if day > on]
        return self.changes[key][min(later)] if later else told
