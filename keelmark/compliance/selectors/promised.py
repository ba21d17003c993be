"""Which policy bears on each subject: its own, or the nearest of what it belongs to."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from threading import RLock

import numpy as np
from numpy.typing import NDArray

from keelmark.bearings.selectors.picture import Lately
from keelmark.compliance.selectors.definitions import (
    MINUTE_SECONDS,
    Defined,
    Given,
    defined,
    defined_at,
    given_of,
    promises,
)
from keelmark.compliance.selectors.placed import placed_at
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.places import places_of_disks
from keelmark.core.estate.reading import Reading
from keelmark.core.policy.nearest import Level, nearest

KEPT = 24  # kinds and days that are looked at in a minute


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Promised:
    """The policy of each subject of a kind (n,), by which level, and since when (minutes)."""

    policy: Int64s
    level: NDArray[np.int8]
    changed_at: Float64s


class Promises:
    """What is promised to whom, met with the estate at one reading."""

    def __init__(self, reading: Reading, defined: Sequence[Defined]) -> None:
        self.reading = reading
        self.defined = defined
        self.place_of = {one.policy.pk: place for place, one in enumerate(defined)}
        self.by_name = {one.policy.name.casefold(): place for place, one in enumerate(defined)}
        self.wide = [
            one for one in promises().filter(entity__isnull=True) if one.policy_id in self.place_of
        ]

    def of(self, kind: str) -> Promised:
        """Return the nearest policy of all subjects of a kind."""
        n = len(self.reading.estate.table(kind))
        policy, level = nearest(self._levels(kind), n=n)
        revised = np.array(
            [*(minute_of(one.revision.made_at) for one in self.defined), np.nan], dtype=np.float64
        )
        return Promised(
            policy=policy,
            level=level,
            changed_at=np.fmax.reduce(
                [
                    revised[policy],
                    self._own(kind)[1],
                    placed_at(self.reading, kind=kind, within=self._longest),
                ]
            ),
        )

    @property
    def _longest(self) -> timedelta:
        """What moved before that has settled under every policy."""
        minutes = [one.revision.settling_minutes for one in self.defined]
        return timedelta(minutes=max(minutes, default=0))

    def _levels(self, kind: str) -> dict[Level, Int64s]:
        own, told = self._own(kind)[0], self._told(kind)
        levels = {Level.ITSELF: own, Level.TOLD: told}
        if kind == "disk":
            vm = self.reading.link("disk", "vm")
            of_vm, _ = nearest(
                {Level.ITSELF: self._own("vm")[0], Level.TOLD: self._told("vm")},
                n=len(self.reading.estate.table("vm")),
            )
            levels[Level.VM] = taken(of_vm, vm)
        for level, way in ((Level.PROJECT, "project"), (Level.TENANT, "tenant")):
            at = self._above(kind, way)
            if at is not None:
                levels[level] = taken(self._own(way)[0], at)
        pools = self._pools(kind)
        if pools is not None:
            levels[Level.CLASS] = taken(self._by_class(), pools)
        levels[Level.ESTATE] = np.full(
            len(self.reading.estate.table(kind)), self._of_estate(), dtype=np.int64
        )
        return levels

    def _own(self, kind: str) -> tuple[Int64s, Float64s]:
        """What things of a kind were promised themselves, and when."""
        return given_now().along(self.reading.estate.table(kind), place_of=self.place_of)

    def _told(self, kind: str) -> Int64s:
        """By the name that a feed tells for it."""
        return by_word(self.reading, kind=kind, column="policy", by_name=self.by_name)

    def _above(self, kind: str, way: str) -> Int64s | None:
        table = self.reading.estate.table(kind)
        if way in table.links:
            return self.reading.link(kind, way)
        if kind == "disk" and way == "project":
            return taken(self.reading.link("vm", "project"), self.reading.link("disk", "vm"))
        return None

    def _pools(self, kind: str) -> Int64s | None:
        if kind == "volume":
            return self.reading.link("volume", "pool")
        return places_of_disks(self.reading, kind="pool") if kind == "disk" else None

    def _by_class(self) -> Int64s:
        names = {
            one.service_class.name: self.place_of[one.policy_id]
            for one in self.wide
            if one.service_class is not None
        }
        classes = self.reading.estate.table("pool").columns.get("class")
        if not isinstance(classes, Words):
            return np.full(len(self.reading.estate.table("pool")), NOWHERE, dtype=np.int64)
        places = [names.get(one, NOWHERE) for one in classes.words]
        return np.array([*places, NOWHERE], dtype=np.int64)[classes.codes]

    def _of_estate(self) -> int:
        whole = [one for one in self.wide if one.service_class is None]
        return self.place_of[whole[-1].policy_id] if whole else NOWHERE


class _Kept:
    lock = RLock()
    promised: Lately[Hashable, Promised] = Lately(KEPT)
    given: Lately[Hashable, Given] = Lately(1)


def promised_at(reading: Reading, *, kind: str) -> Promised:
    """Return the same at a reading by the policies that stand, in the order of ``defined``."""
    with _Kept.lock:
        return _Kept.promised.made(
            lambda: (kind, reading.estate.revision, reading.day, defined_at()),
            lambda _: Promises(reading, defined()).of(kind),
        )


def given_now() -> Given:
    """Return what is promised to single things, as it stands."""
    with _Kept.lock:
        return _Kept.given.made(defined_at, lambda _: given_of(promises(), what="policy_id"))


def by_word(reading: Reading, *, kind: str, column: str, by_name: dict[str, int]) -> Int64s:
    """Return the place that the name in a column leads to, (n,), NOWHERE where to none."""
    table = reading.estate.table(kind)
    words = table.columns.get(column)
    if not isinstance(words, Words):
        return np.full(len(table), NOWHERE, dtype=np.int64)
    places = [by_name.get(one.casefold(), NOWHERE) for one in words.words]
    told: Int64s = np.array([*places, NOWHERE], dtype=np.int64)[words.codes]
    return told


def taken(of: Int64s, at: Int64s) -> Int64s:
    """Return what stands at rows, NOWHERE where a row is none."""
    told: Int64s = np.append(of, NOWHERE)[at]
    return told


def minute_of(moment: datetime) -> float:
    """Return the minute of a moment, counted from 1970."""
    return float(moment.timestamp() // MINUTE_SECONDS)
