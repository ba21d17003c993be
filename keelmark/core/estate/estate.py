"""One frozen picture of the estate: a table a kind, links as row numbers, outlooks beside."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.books import MarkColumns
from keelmark.core.estate.columns import Amounts, Pairs, Table
from keelmark.core.estate.holds import Hold
from keelmark.core.forecast import MAX_HORIZON_DAYS, Outlook
from keelmark.core.forecast.changed import with_flat
from keelmark.core.forecast.outlook import amounts_after

KEPT_DAYS = 3
# Whose bytes are read of themselves; all other kinds are added up from these.
READ_KINDS = ("pool", "volume", "datastore", "disk", "bucket")

TierLimits = tuple[int, int]  # I/O a second at least and at most


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Outlooks:
    """What is known of the futures of one kind's used bytes, a row a thing.

    ``as_of`` (n,) is the day of each last reading, counted from 1970. A table may have more rows,
    of what is planned and not there yet: that holds nothing of itself. ``worked`` keeps what was
    worked out for the last days that were asked for.
    """

    of: Outlook
    as_of: Int64s
    worked: dict[tuple[int, tuple[float, ...]], Float64s] = field(default_factory=dict)

    def expected(self, *, day: int, n: int, quantiles: tuple[float, ...]) -> Float64s:
        """Return the bytes at a day to come, (n_quantiles, n), NaN where not judged."""
        told = self.worked.get((day, quantiles))
        if told is None:
            days = np.clip(day - self.as_of, 1, MAX_HORIZON_DAYS)
            told = amounts_after(self.of, days=days, quantiles=quantiles)
            # The same day is read as it is and as each of several plans.
            for key in list(self.worked)[: 1 - KEPT_DAYS]:
                self.worked.pop(key, None)
            self.worked[day, quantiles] = told
        behind = np.zeros((len(quantiles), n - len(self.as_of)))
        return np.concatenate([told, behind], axis=1)

    def of_rows(self, rows: Int64s, *, day: int) -> "Outlooks":
        """Return some of them, in ascending order; what stands behind them is flat from a day."""
        n = len(self.as_of)
        inside = rows[rows < n]
        n_behind = len(rows) - len(inside)
        return Outlooks(
            of=with_flat(self.of.of_rows(inside), n=n_behind, day=day),
            as_of=np.append(self.as_of[inside], np.full(n_behind, day)).astype(np.int64),
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Estate:
    """Everything there is, and was lately, at one revision; ``day`` is counted from 1970.

    Every table has the columns ``seen`` and ``retired`` (days, the latter unknown while it is
    there); what holds bytes has ``used``, ``size``, ``promised`` and ``reserved``. ``variant``
    names the plan that it is read with, empty where it is as it is; ``holds`` are what accepted
    scenarios hold, and ``held`` tells one set of them from another. ``tiers`` are the limits that a
    plan gives QoS tiers, by their names in lower case.
    """

    revision: int
    day: int
    tables: Mapping[str, Table]
    pairs: Mapping[str, Pairs] = field(default_factory=dict)
    marks: Mapping[str, MarkColumns] = field(default_factory=dict)
    outlooks: Mapping[str, Outlooks] = field(default_factory=dict)
    variant: str = ""
    holds: tuple[Hold, ...] = ()
    held: str = ""
    tiers: Mapping[str, TierLimits] = field(default_factory=dict)

    @property
    def key(self) -> tuple[int, str]:
        """What tells this estate from any other that was read."""
        return self.revision, f"{self.held}/{self.variant}"

    def table(self, kind: str) -> Table:
        """Return the table of a kind; raise KeyError at a kind that there is not."""
        return self.tables[kind]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PastAmounts:
    """What was read of one kind by a day that has been, (n,) each along its table.

    ``store`` is the row of the datastore that a disk lay on that day.
    """

    used: Amounts
    size: Amounts
    promised: Amounts
    store: Int64s | None = None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Past:
    """What was read by one day, counted from 1970, of all kinds that are read."""

    day: int
    amounts: Mapping[str, PastAmounts]
