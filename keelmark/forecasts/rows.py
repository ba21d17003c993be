"""Pools as the API tells them: the books, the runway, and whose working is which."""

from dataclasses import dataclass
from datetime import date, datetime

from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool
from keelmark.forecasts.models import PoolForecast, Reach
from keelmark.forecasts.reasons import Part
from keelmark.forecasts.workings import order_by


@dataclass(frozen=True, slots=True, kw_only=True)
class Dates:
    """Exhaustion dates at one mark; null beyond the horizon."""

    early_on: date | None
    likely_on: date | None
    late_on: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolRow:
    """One pool with everything a list shows."""

    id: int
    name: str
    array_name: str
    site_name: str | None
    service_class: str | None
    usable_bytes: int
    used_bytes: int
    free_bytes: int
    plannable_bytes: int
    reserved_bytes: int
    provisioned_bytes: int | None
    exposure_bytes: int | None
    overcommit_percent: float | None
    caution_percent: int
    limit_percent: int
    lead_time_days: int
    read_at: datetime
    as_of: date | None
    attention: str
    attention_because: str
    reason: list[Part]
    reach: str
    growth_bytes_per_day: int | None
    limit: Dates
    order_by_on: date | None


NO_DATES = Dates(early_on=None, likely_on=None, late_on=None)


def dates_of(forecast: PoolForecast | None, *, mark: str) -> Dates:
    """Return the dates of a mark: `caution`, `limit` or `full`."""
    if forecast is None:
        return NO_DATES
    return Dates(
        early_on=getattr(forecast, f"{mark}_early_on"),
        likely_on=getattr(forecast, f"{mark}_likely_on"),
        late_on=getattr(forecast, f"{mark}_late_on"),
    )


def row_of(pool: Pool) -> PoolRow:
    """Return the row of a pool read through selectors.pools_for."""
    ledger = estate.ledger_of(pool)
    forecast = forecast_of(pool)
    site = pool.array.site
    return PoolRow(
        id=pool.pk,
        name=pool.entity.name,
        array_name=pool.array.entity.name,
        site_name=site.entity.name if site else None,
        service_class=pool.service_class.name if pool.service_class else None,
        usable_bytes=ledger.usable_bytes,
        used_bytes=ledger.used_bytes,
        free_bytes=ledger.free_bytes,
        plannable_bytes=ledger.plannable_bytes,
        reserved_bytes=ledger.reserved_bytes,
        provisioned_bytes=ledger.provisioned_bytes,
        exposure_bytes=ledger.exposure_bytes,
        overcommit_percent=ledger.overcommit_percent,
        caution_percent=ledger.marks.caution_percent,
        limit_percent=ledger.marks.limit_percent,
        lead_time_days=ledger.marks.lead_time_days,
        read_at=pool.read_at,
        as_of=forecast.as_of if forecast else None,
        attention=forecast.attention if forecast else "unread",
        attention_because=forecast.attention_because if forecast else "not forecast yet",
        reason=forecast.reason if forecast else [{"text": "not forecast yet"}],
        reach=Reach(forecast.reach).name.lower() if forecast else "no_end",
        growth_bytes_per_day=forecast.growth_bytes_per_day if forecast else None,
        limit=dates_of(forecast, mark="limit"),
        order_by_on=order_by(forecast, lead_time_days=ledger.marks.lead_time_days)
        if forecast
        else None,
    )


def forecast_of(pool: Pool) -> PoolForecast | None:
    """Return the pool's standing forecast, None before the first was made."""
    return getattr(pool, "forecast", None)
