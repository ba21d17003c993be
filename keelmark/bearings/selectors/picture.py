"""The newest revision in the memory of this process, and readings of it lately asked for."""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, replace
from datetime import date
from threading import RLock
from typing import Generic, Protocol, TypeVar

import numpy as np
import pyarrow as pa
from django.conf import settings
from django.contrib.auth.models import User

from keelmark.access.clock import now
from keelmark.access.selectors import sees_all, tenant_ids_of
from keelmark.bearings.models import Pack, Revision
from keelmark.bearings.packs.building import build_revision
from keelmark.bearings.packs.packing import unpacked
from keelmark.bearings.packs.sources import LAYOUT
from keelmark.bearings.selectors.loading import estate_of
from keelmark.bearings.selectors.past import past_of, past_told_at
from keelmark.core.arrays import Bools
from keelmark.core.days import EPOCH
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.reading import LIKELY, Beside, Reading, read
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.holding import with_holds
from keelmark.core.scenario.outcome import Ends, ended
from keelmark.core.scenario.plan import read_with
from keelmark.estate.reservations import held_version, holds_in

TRIES = 3  # of reading what moves meanwhile
KEPT_READINGS = 12  # the days and quantiles that one person drags over in a minute
KEPT_PLANS = 8  # four that are compared, of two people
Key = TypeVar("Key", bound=Hashable)
Kept = TypeVar("Kept")


class Lately(Generic[Key, Kept]):
    """What was asked for lately, the oldest forgotten first."""

    def __init__(self, n_kept: int) -> None:
        self._n_kept = n_kept
        self._kept: OrderedDict[Key, Kept] = OrderedDict()

    def get(self, key: Key) -> Kept | None:
        """Return what is kept under a key."""
        if key in self._kept:
            self._kept.move_to_end(key)
        return self._kept.get(key)

    def keep(self, key: Key, kept: Kept) -> Kept:
        """Keep something under a key."""
        self._kept[key] = kept
        while len(self._kept) > self._n_kept:
            self._kept.popitem(last=False)
        return kept

    def made(self, key_now: Callable[[], Key], make: Callable[[Key], Kept]) -> Kept:
        """Return what is kept under the key of now, or make it.

        What moved while it was made is made again: half of it may be of before, half of after,
        and kept under the key of before it would be told again once somebody takes back.
        """
        key = key_now()
        for _ in range(TRIES):
            if (kept := self.get(key)) is not None:
                return kept
            made = make(key)
            before, key = key, key_now()
            if key == before:
                return self.keep(key, made)
        return made


class Planned(Protocol):
    """What is planned, as of one version of it."""

    @property
    def key(self) -> str:
        """Return what tells this version from any other."""

    def compiled(self, estate: Estate) -> Compiled:
        """Return what it does to an estate."""


Planner = Callable[[User, int], Planned]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Drawn:
    """What is planned on the newest estate, and how each kind ends with it."""

    compiled: Compiled
    ends: Mapping[str, Ends]


class _Picture:
    """One a process: tables by digest, so that what did not change is not loaded again."""

    def __init__(self) -> None:
        self.lock = RLock()
        self.beside: dict[tuple[str, str], Beside] = {}
        self.tables: dict[str, pa.Table] = {}
        self.bare: Estate | None = None  # without what accepted scenarios hold
        self.estate: Estate | None = None
        self.planner: Planner | None = None
        self.plans: Lately[Hashable, Drawn] = Lately(KEPT_PLANS)
        self.readings: Lately[Hashable, Reading] = Lately(KEPT_READINGS)

    def newest(self) -> Estate:
        ours = Revision.objects.filter(layout=LAYOUT).only("pk", "day")
        revision = ours.first()
        if revision is None or settings.PICTURE_IS_MADE_WHEN_ASKED:
            build_revision(now=now())
            revision = ours.latest("pk")
        held = held_version()
        with self.lock:
            if self.bare is None or self.bare.revision != revision.pk:
                self.bare, self.estate = self._loaded(revision), None
            if self.estate is None or self.estate.held != held:
                holds = holds_in(self.bare) if held else ()
                self.estate = replace(with_holds(self.bare, holds, held=held), held=held)
            return self.estate

    def _loaded(self, revision: Revision) -> Estate:
        digests = dict(revision.packs.values_list("kind", "digest"))
        missing = [one for one in digests.values() if one not in self.tables]
        for digest, content in Pack.objects.filter(digest__in=missing).values_list(
            "digest", "content"
        ):
            self.tables[digest] = unpacked(content)
        self.tables = {digest: self.tables[digest] for digest in digests.values()}
        return estate_of(
            {kind: self.tables[digest] for kind, digest in digests.items()},
            revision=revision.pk,
            day=day_of(revision.day),
        )

    def drawn(self, planned: Planned) -> Drawn:
        key = (self.newest().key, planned.key)
        with self.lock:
            kept = self.plans.get(key)
            return kept or self.plans.keep(key, self.drawn_anew(planned))

    def drawn_anew(self, planned: Planned) -> Drawn:
        now = self.reading(day=None, quantile=LIKELY, planned=None)
        told, ends = ended(planned.compiled(now.estate), now=now)
        told = replace(told, estate=replace(told.estate, variant=planned.key))
        return Drawn(compiled=told, ends=ends)

    def reading(self, *, day: int | None, quantile: float, planned: Planned | None) -> Reading:
        told = None if planned is None else self.drawn(planned).compiled
        estate = self.newest() if told is None else told.estate
        day = estate.day if day is None else day
        is_past = day < estate.day
        key = (estate.key, day, quantile, past_told_at() if is_past else None)
        with self.lock:
            kept = self.readings.get(key)
            if kept is not None:
                return kept
            if is_past or told is None:
                past = past_of(estate, day=day) if is_past else None
                made = read(estate, day=day, quantile=quantile, past=past)
            else:
                made = read_with(estate, told.plan, day=day, quantile=quantile)
            return self.readings.keep(key, replace(made, beside=self.beside))


_PICTURE = _Picture()


def tell_beside(kind: str, name: str, *, by: Beside) -> None:
    """Have a field of a kind made by an app above this one, at every reading."""
    _PICTURE.beside[kind, name] = by


def newest_estate() -> Estate:
    """Return the estate of the newest revision; before the first that is made."""
    return _PICTURE.newest()


def plan_by(planner: Planner) -> None:
    """Have what is planned told by an app above this one."""
    _PICTURE.planner = planner


def planned_for(actor: User, scenario_id: int | None) -> Planned | None:
    """Return what is planned in a scenario; its planner refuses who may not see it."""
    if scenario_id is None or _PICTURE.planner is None:
        return None
    return _PICTURE.planner(actor, scenario_id)


def drawn_of(planned: Planned) -> Drawn:
    """Return what is planned on the newest estate."""
    return _PICTURE.drawn(planned)


def drawn_once(planned: Planned) -> Drawn:
    """Return the same of what is tried once and not looked at again."""
    return _PICTURE.drawn_anew(planned)


def reading_at(*, day: int | None, quantile: float, planned: Planned | None = None) -> Reading:
    """Return the newest estate, as it is or as planned, at a day counted from 1970 (None: now)."""
    return _PICTURE.reading(day=day, quantile=quantile, planned=planned)


def seen_by(actor: User, *, estate: Estate) -> dict[str, Bools]:
    """Return by kind what a person may see: everything, or what is of their own tenants."""
    if sees_all(actor):
        return {kind: np.ones(len(one), dtype=np.bool_) for kind, one in estate.tables.items()}
    tenants = estate.table("tenant")
    is_own = np.isin(tenants.ids, tenant_ids_of(actor))
    # One more, for what is of nobody: a link that leads nowhere is −1.
    own = np.append(is_own, False)
    return {
        kind: is_own if kind == "tenant" else own[one.links["tenant"]]
        for kind, one in estate.tables.items()
    }


def day_of(on: date) -> int:
    """Return a date as days since 1970."""
    return (on - EPOCH).days
