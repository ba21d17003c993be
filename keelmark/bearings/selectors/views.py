"""What one person looks at: a reading of the estate, narrowed by their rights and their sift."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from django.contrib.auth.models import User

from keelmark.bearings.selectors.picture import (
    Planned,
    planned_for,
    reading_at,
    seen_by,
)
from keelmark.core.arrays import Bools
from keelmark.core.errors import SiftFault
from keelmark.core.estate.reach import pulled
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.sift import Node, check_anywhere, has_words, parse, sifted, subject_of
from keelmark.estate.errors import SiftError
from keelmark.estate.sift import Sift

BAD_CASE = 0.9  # one chance in ten that more is used
QUANTILES = {"likely": LIKELY, "bad": BAD_CASE}


@dataclass(frozen=True, slots=True, kw_only=True)
class Bearing:
    """Where to look: sift, day counted from 1970 (None: now), quantile, window, scenario."""

    scope: str = ""
    day: int | None = None
    quantile: float = LIKELY
    window_days: int = 30
    scenario_id: int | None = None


@dataclass(frozen=True, kw_only=True, eq=False)
class View:
    """A bearing as one person may see it."""

    bearing: Bearing
    reading: Reading
    seen: dict[str, Bools]
    node: Node
    planned: Planned | None = None

    @property
    def subject(self) -> str | None:
        """The kind that the sift names, None where it names none."""
        return subject_of(self.node)

    @cached_property
    def since(self) -> Reading:
        """The reading at the beginning of the window of growth."""
        day = self.reading.day - self.bearing.window_days
        return reading_at(day=day, quantile=LIKELY, planned=self.planned)

    @property
    def as_it_is(self) -> Reading:
        """The same day without what is planned."""
        return reading_at(day=self.bearing.day, quantile=self.bearing.quantile)

    def shown(self, kind: str) -> Bools:
        """Return which of a kind the bearing leaves; raise SiftError at a wrong sift."""
        try:
            return sifted(
                self.reading, node=self.node, kind=kind, seen=self.seen, since=self._since_asked
            )
        except SiftFault as exc:
            raise SiftError(exc) from exc

    @property
    def _since_asked(self) -> Reading | None:
        return self.since if "grown" in self.bearing.scope else None

    def shown_along(self, kind: str, *, kinds: Sequence[str]) -> Bools:
        """Return which of a kind the bearing leaves where things are seen with their places.

        A free word that finds a VM leaves the tenant and the pool that it is of in sight, too.
        """
        shown = self.shown_or_all(kind)
        if self.subject is not None or not has_words(self.node):
            return shown
        for other in kinds:
            if other != kind:
                found = self.shown_or_all(other)
                shown = shown | pulled(self.reading, found, kind=kind, other=other)
        return shown & self.seen[kind] & self.reading.is_there[kind]

    def shown_or_all(self, kind: str) -> Bools:
        """Return the same, and all that may be seen where the sift means nothing on a kind.

        Raise SiftError where a part of it means nothing on any.
        """
        try:
            return sifted(
                self.reading, node=self.node, kind=kind, seen=self.seen, since=self._since_asked
            )
        except SiftFault:
            self._check_scope()
            return self.seen[kind] & self.reading.is_there[kind]

    def _check_scope(self) -> None:
        try:
            check_anywhere(self.node, kind=self.subject or "pool")
        except SiftFault as exc:
            raise SiftError(exc) from exc


def view_for(actor: User, *, bearing: Bearing, tried: Planned | None = None) -> View:
    """Return what a person looks at; raise SiftError where the sift cannot be read.

    With ``tried`` that is planned, and not what the scenario of the bearing has.
    """
    try:
        node = parse(bearing.scope)
    except SiftFault as exc:
        raise SiftError(exc) from exc
    planned = tried or planned_for(actor, bearing.scenario_id)
    reading = reading_at(day=bearing.day, quantile=bearing.quantile, planned=planned)
    return View(
        bearing=bearing,
        reading=reading,
        seen=seen_by(actor, estate=reading.estate),
        node=node,
        planned=planned,
    )


def ids_found(actor: User, kind: str, sift: Sift) -> list[int]:
    """Return the things of a kind that a person may see and a sift finds now."""
    view = view_for(actor, bearing=Bearing(scope=sift.text))
    found: list[int] = view.reading.estate.table(kind).ids[view.shown(kind)].tolist()
    return found
