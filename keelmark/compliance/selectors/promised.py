"""Which policy bears on each subject: its own, or the nearest of what it belongs to."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from threading import RLock

import numpy as np
from numpy.typing import NDArray

from keelmark.bearings.selectors.picture import Lately
from keelmark.compliance.models import Promise
from keelmark.compliance.selectors.definitions import (
    MINUTE_SECONDS,
    Defined,
    Given,
    defined,
    defined_at,
    given_of,
)
from keelmark.compliance.selectors.placed import placed_at
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.places import places_of_disks
from keelmark.core.estate.reading import Reading
from keelmark.core.policy.nearest import PLANNED_POLICY, Level, Named, nearest, over

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
        self.wide = list(
            Promise.objects.filter(entity__isnull=True).select_related("policy", "service_class")
        )

    def of(self, kind: str) -> Promised:
        """Return the nearest policy of all subjects of a kind."""
        n = len(self.reading.estate.table(kind))
        bears = nearest(self._levels(kind), n=n)
        revised = np.array(
            [*(minute_of(one.revision.made_at) for one in self.defined), np.nan], dtype=np.float64
        )
        return Promised(
            policy=bears.what,
            level=bears.by,
            changed_at=np.fmax.reduce(
                [
                    revised[bears.what],
                    bears.since,
                    placed_at(self.reading, kind=kind, within=self._longest),
                ]
            ),
        )

    @property
    def _longest(self) -> timedelta:
        """What moved before that has settled under every policy."""
        minutes = [one.revision.settling_minutes for one in self.defined]
        return timedelta(minutes=max(minutes, default=0))

    def _levels(self, kind: str) -> dict[Level, Named]:
        levels = {Level.ITSELF: self._own(kind), Level.TOLD: self._told(kind)}
        if kind == "disk":
            of_vm = nearest(
                {Level.ITSELF: self._own("vm"), Level.TOLD: self._told("vm")},
                n=len(self.reading.estate.table("vm")),
            )
            levels[Level.VM] = of_vm.named.at(self.reading.link("disk", "vm"))
        for level, way in ((Level.PROJECT, "project"), (Level.TENANT, "tenant")):
            at = self._above(kind, way)
            if at is not None:
                levels[level] = self._own(way).at(at)
        pools = self._pools(kind)
        if pools is not None:
            levels[Level.CLASS] = self._by_class().at(pools)
        n = len(self.reading.estate.table(kind))
        levels[Level.ESTATE] = self._of_estate().at(np.zeros(n, dtype=np.int64))
        return levels

    def _own(self, kind: str) -> Named:
        """What things of a kind were promised themselves, and since when."""
        given = given_now().along(self.reading.estate.table(kind), place_of=self.place_of)
        planned = by_word(self.reading, kind=kind, column=PLANNED_POLICY, by_name=self.by_name)
        return over(given, planned)

    def _told(self, kind: str) -> Named:
        """By the name that a feed tells for it."""
        told = by_word(self.reading, kind=kind, column="policy", by_name=self.by_name)
        return Named(what=told, since=np.full(len(told), np.nan))

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

    def _by_class(self) -> Named:
        """What pools of a class are promised."""
        classes = self.reading.estate.table("pool").columns.get("class")
        words = classes.words if isinstance(classes, Words) else ()
        of = {one.service_class.name: one for one in self.wide if one.service_class is not None}
        told = self._named([of.get(word) for word in words])
        n = len(self.reading.estate.table("pool"))
        codes = classes.codes if isinstance(classes, Words) else np.full(n, NOWHERE)
        return told.at(codes.astype(np.int64))

    def _of_estate(self) -> Named:
        """What the whole estate is promised, one row; the last word counts."""
        return self._named([None, *(one for one in self.wide if one.service_class is None)][-1:])

    def _named(self, wide: Sequence[Promise | None]) -> Named:
        """A place and a minute for each; a policy that stands no longer does so since then."""
        places = [NOWHERE if one is None else self._place(one) for one in wide]
        since = [np.nan if one is None else minute_of(_changed_at(one)) for one in wide]
        return Named(what=np.array(places, dtype=np.int64), since=np.array(since, dtype=np.float64))

    def _place(self, one: Promise) -> int:
        return NOWHERE if one.policy_id is None else self.place_of.get(one.policy_id, NOWHERE)


def _changed_at(one: Promise) -> datetime:
    retired_at = one.policy and one.policy.retired_at
    return max(one.made_at, retired_at or one.made_at)


class _Kept:
    lock = RLock()
    promised: Lately[Hashable, Promised] = Lately(KEPT)
    given: Lately[Hashable, Given] = Lately(1)


def promised_at(reading: Reading, *, kind: str) -> Promised:
    """Return the same at a reading by the policies that stand, in the order of ``defined``."""
    with _Kept.lock:
        return _Kept.promised.made(
            lambda: (kind, reading.estate.key, reading.day, defined_at()),
            lambda _: Promises(reading, defined()).of(kind),
        )


def given_now() -> Given:
    """Return what is promised to single things, as it stands."""
    with _Kept.lock:
        return _Kept.given.made(
            defined_at, lambda _: given_of(Promise.objects.all(), what="policy")
        )


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
