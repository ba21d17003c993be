"""Reads standing forecasts of anything, and lists of what ends first."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import numpy as np
from django.contrib.auth.models import User
from django.db.models import Count, F, Q, QuerySet

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH, date_after
from keelmark.core.estate.holds import Hold
from keelmark.core.forecast import Outlook, Runway, grown, runway
from keelmark.core.units import percent_of
from keelmark.estate import selectors as estate
from keelmark.estate.marks import nearest_marks
from keelmark.estate.models import Entity, Kind, Pool
from keelmark.estate.reservations import holds_on
from keelmark.estate.sift import Sift, ids_found
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS, MARKS
from keelmark.forecasts.definitions.kept import outlook_of
from keelmark.forecasts.definitions.ways import WAYS, percents_of
from keelmark.forecasts.definitions.wholes import places_of, whole_size
from keelmark.forecasts.models import ForecastRun, KeptForecast, Metric

Triple = tuple[date | None, date | None, date | None]  # early, likely, late


@dataclass(frozen=True, slots=True, kw_only=True)
class Scale:
    """What a thing can hold and which shares of it are its marks, in the metric's unit."""

    size: int
    caution_percent: int
    limit_percent: int
    stands_at: int | None = None  # where a reading of now is at hand

    @property
    def limit(self) -> int:
        """Where the limit mark stands."""
        return percent_of(self.size, self.limit_percent)

    @property
    def marks(self) -> dict[str, int | None]:
        """Where each mark stands."""
        caution = percent_of(self.size, self.caution_percent)
        return {"caution": caution, "limit": self.limit, "full": self.size}


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """One thing's forecast by its metric, and its marks in its unit (None: it has none)."""

    entity: Entity
    metric: Metric
    forecast: KeptForecast
    scale: Scale | None
    holds: tuple[Hold, ...] = ()  # of accepted scenarios

    @property
    def marks(self) -> dict[str, int | None]:
        """Where the marks stand; None each where it has no size."""
        return dict.fromkeys(MARKS) if self.scale is None else self.scale.marks

    @property
    def stands_at(self) -> int | None:
        """What it holds by the last reading, of today where it was read today."""
        if self.scale is not None and self.scale.stands_at is not None:
            return self.scale.stands_at
        last = self.forecast.last_amount
        return None if last is None else round(last)


def standing_of(entity: Entity, *, metric: Metric) -> Standing | None:
    """Return the standing forecast of a thing that was found for its reader."""
    kept = KeptForecast.objects.filter(entity=entity, metric=metric).first()
    if kept is None:
        return None
    return Standing(
        entity=entity, metric=metric, forecast=kept, scale=scale_of(entity, metric=metric),
        holds=holds_on(places_of(entity.pk)) if metric == Metric.USED else (),
    )  # fmt: skip


def scale_of(entity: Entity, *, metric: Metric) -> Scale | None:
    """Return what a thing can hold and its marks; None where nothing says what it can hold."""
    if entity.kind == Kind.POOL and metric == Metric.USED:
        ledger = estate.ledger_of(estate.with_marks(Pool.objects.filter(pk=entity.pk)).get())
        return Scale(
            size=ledger.usable_bytes, stands_at=ledger.used_bytes,
            caution_percent=ledger.marks.caution_percent, limit_percent=ledger.marks.limit_percent,
        )  # fmt: skip
    way = WAYS.get((Kind(entity.kind), metric))
    size = whole_size(entity) if way is None else way.sizes_of([entity.pk]).get(entity.pk)
    if size is None:
        return None
    marks = nearest_marks(entity)
    caution, limit = (
        (marks.caution_percent, marks.limit_percent)
        if way is None
        else percents_of(metric, way=way)(marks)
    )
    return Scale(size=size, caution_percent=caution, limit_percent=limit)


def grown_outlook(kept: list[KeptForecast | None], *, growth: float) -> Outlook:
    """Return kept outlooks as if everything grew so many times as fast."""
    return grown(outlook_of(kept), times=growth)


@dataclass(frozen=True, slots=True, kw_only=True)
class Reckoned:
    """Dates at each mark of one thing, and the chance of its limit within the horizon."""

    dates: dict[str, Triple]
    limit_chance: float | None


def reckoned(standing: Standing, *, growth: float) -> Reckoned:
    """Return the dates of a thing if it grew so many times as fast."""
    kept = standing.forecast
    outlook = grown_outlook([kept], growth=growth)
    held = held_ahead(standing)
    dates: dict[str, Triple] = {}
    chance = None
    for mark, level in standing.marks.items():
        if level is None:
            dates[mark] = (None, None, None)
            continue
        way = _way(outlook, marks=np.array([level], dtype=np.int64), added=held)
        dates[mark] = _dates(way, at=0, as_of=kept.as_of)
        if mark == "limit" and not np.isnan(way.chance_within[0]):
            chance = float(way.chance_within[0])
    return Reckoned(dates=dates, limit_chance=chance)


def held_ahead(standing: Standing) -> Float64s | None:
    """Return the bytes that are held on each day after the last reading, (1, n); None: none."""
    as_of = standing.forecast.as_of
    if not standing.holds or as_of is None:
        return None
    days = (as_of - EPOCH).days + np.arange(1, HORIZON_DAYS + 1)
    held = np.zeros((1, HORIZON_DAYS))
    for one in standing.holds:
        held[0] += one.on(days)
    return held


def held_told(standing: Standing) -> list[dict[str, Any]]:  # Any: JSON
    """Return who holds how much of a thing, the first first."""
    by_owner: dict[int, list[Hold]] = {}
    for one in sorted(standing.holds, key=lambda one: one.first_day):
        by_owner.setdefault(one.owner, []).append(one)
    return [
        {
            "scenario_id": owner if owner > 0 else None,
            "first_on": EPOCH + timedelta(days=some[0].first_day),
            "most_bytes": sum(one.most_bytes for one in some),
        }
        for owner, some in by_owner.items()
    ]


def _way(outlook: Outlook, *, marks: Int64s, added: Float64s | None) -> Runway:
    return runway(outlook, mark_bytes=marks, horizon_days=HORIZON_DAYS, added_bytes=added)


def _dates(way: Runway, *, at: int, as_of: date | None) -> Triple:
    early, likely, late = (
        date_after(as_of, days=float(days[at]))
        for days in (way.early_days, way.likely_days, way.late_days)
    )
    return early, likely, late


def crossings_for(actor: User, *, kind: Kind, metric: Metric, sift: Sift) -> QuerySet[KeptForecast]:
    """Return what ends first of a kind, in order; pools' used bytes are listed with the pools."""
    seen = estate.entities_for(actor).filter(kind=kind)
    if not sift.is_everything:
        seen = seen.filter(pk__in=ids_found(actor, kind=kind, sift=sift))
    return KeptForecast.objects.filter(
        metric=metric, kind=kind, entity__in=seen.values("pk")
    ).order_by("sort_on", "pk")


def runs_told() -> QuerySet[ForecastRun]:
    """Return the runs that made forecasts, newest first, with how far they are."""
    return ForecastRun.objects.annotate(
        n_chunks=Count("chunks"),
        n_done=Count("chunks", filter=Q(chunks__state="done")),
        n_failed=Count("chunks", filter=Q(chunks__state="failed")),
    ).order_by(F("asked_at").desc(), "-pk")
