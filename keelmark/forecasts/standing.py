"""Reads standing forecasts of anything, and lists of what ends first."""

from dataclasses import dataclass, replace
from datetime import date

import numpy as np
from django.contrib.auth.models import User
from django.db.models import Count, F, Q, QuerySet

from keelmark.access.errors import FieldFault, FormError
from keelmark.core.arrays import Int64s
from keelmark.core.forecast import Outlook, Runway, runway
from keelmark.core.units import percent_of
from keelmark.estate import selectors as estate
from keelmark.estate.models import Entity, Kind, Pool
from keelmark.estate.sift import Term
from keelmark.forecasts.marks import nearest_marks
from keelmark.forecasts.models import ForecastRun, KeptForecast, Metric, PoolForecast, ThingForecast
from keelmark.forecasts.selectors import outlook_of
from keelmark.forecasts.services.making import HORIZON_DAYS, MARKS, date_after
from keelmark.forecasts.services.things import percents_of
from keelmark.forecasts.services.ways import WAYS
from keelmark.forecasts.services.wholes import whole_size

Triple = tuple[date | None, date | None, date | None]  # early, likely, late


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """One thing's forecast by its metric, and its marks in its unit (None: it has none)."""

    entity: Entity
    metric: Metric
    forecast: KeptForecast
    marks: dict[str, int | None]


def standing_of(entity: Entity, *, metric: Metric) -> Standing | None:
    """Return the standing forecast of a thing that was found for its reader."""
    kept: KeptForecast | None
    if entity.kind == Kind.POOL and metric == Metric.USED:
        kept = PoolForecast.objects.filter(pool_id=entity.pk).first()
    else:
        kept = ThingForecast.objects.filter(entity=entity, metric=metric).first()
    if kept is None:
        return None
    return Standing(
        entity=entity, metric=metric, forecast=kept, marks=marks_in_unit(entity, metric=metric)
    )


def marks_in_unit(entity: Entity, *, metric: Metric) -> dict[str, int | None]:
    """Return where the marks of a metric stand, in its unit; None where it has no size."""
    if entity.kind == Kind.POOL and metric == Metric.USED:
        ledger = estate.ledger_of(estate.with_marks(Pool.objects.filter(pk=entity.pk)).get())
        return {"caution": ledger.caution_bytes, "limit": ledger.limit_bytes,
                "full": ledger.usable_bytes}  # fmt: skip
    way = WAYS.get((Kind(entity.kind), metric))
    size = whole_size(entity) if way is None else way.sizes_of([entity.pk]).get(entity.pk)
    if size is None:
        return dict.fromkeys(MARKS)
    marks = nearest_marks(entity)
    caution, limit = (
        (marks.caution_percent, marks.limit_percent)
        if way is None
        else percents_of(metric, way=way)(marks)
    )
    return {"caution": percent_of(size, caution), "limit": percent_of(size, limit), "full": size}


def grown_outlook(kept: list[KeptForecast | None], *, growth: float) -> Outlook:
    """Return kept outlooks as if everything grew so many times as fast."""
    outlook = outlook_of(kept)
    return replace(
        outlook,
        growth_bytes_per_day=outlook.growth_bytes_per_day * growth,
        drift_variance=outlook.drift_variance * growth**2,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Reckoned:
    """Dates at each mark of one thing, and the chance of its limit within the horizon."""

    dates: dict[str, Triple]
    limit_chance: float | None


def reckoned(standing: Standing, *, growth: float) -> Reckoned:
    """Return the dates of a thing if it grew so many times as fast."""
    kept = standing.forecast
    outlook = grown_outlook([kept], growth=growth)
    dates: dict[str, Triple] = {}
    chance = None
    for mark, level in standing.marks.items():
        if level is None:
            dates[mark] = (None, None, None)
            continue
        way = _way(outlook, marks=np.array([level], dtype=np.int64))
        dates[mark] = _dates(way, at=0, as_of=kept.as_of)
        if mark == "limit" and not np.isnan(way.chance_within[0]):
            chance = float(way.chance_within[0])
    return Reckoned(dates=dates, limit_chance=chance)


def _way(outlook: Outlook, *, marks: Int64s) -> Runway:
    return runway(outlook, mark_bytes=marks, horizon_days=HORIZON_DAYS)


def _dates(way: Runway, *, at: int, as_of: date | None) -> Triple:
    early, likely, late = (
        date_after(as_of, days=float(days[at]))
        for days in (way.early_days, way.likely_days, way.late_days)
    )
    return early, likely, late


def crossings_for(
    actor: User, *, kind: Kind, metric: Metric, terms: list[Term]
) -> QuerySet[ThingForecast]:
    """Return what ends first of a kind, in order; pools' used bytes are listed with the pools."""
    seen = estate.entities_for(actor).filter(kind=kind)
    for term in terms:
        seen = _narrowed(seen, term=term)
    return ThingForecast.objects.filter(
        metric=metric, kind=kind, entity__in=seen.values("pk")
    ).order_by("sort_on", "pk")


def _narrowed(seen: QuerySet[Entity], *, term: Term) -> QuerySet[Entity]:
    if term.key == "site":
        found = Q(site__name=term.text)
    elif term.key is None:
        found = Q(name__icontains=term.text)
    elif term.key == "state":
        found = Q(forecasts__attention=term.text)
    else:
        told = f"{term.key}: bears on pools; here use site:, state: and bare words."
        fault = FieldFault(pointer="#/scope", code="key", detail=told)
        raise FormError(told, faults=(fault,))
    return seen.exclude(found) if term.is_excluding else seen.filter(found)


def runs_told() -> QuerySet[ForecastRun]:
    """Return the runs that made forecasts, newest first, with how far they are."""
    return ForecastRun.objects.annotate(
        n_chunks=Count("chunks"),
        n_done=Count("chunks", filter=Q(chunks__state="done")),
        n_failed=Count("chunks", filter=Q(chunks__state="failed")),
    ).order_by(F("asked_at").desc(), "-pk")
