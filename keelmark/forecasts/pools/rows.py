"""Pools as the API tells them: the books, the runway, and whose working is which."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, NamedTuple

from keelmark.access.clock import utc_today
from keelmark.core.ledger import Ledger, order_by
from keelmark.core.marks import Marks
from keelmark.estate.marks import FIELDS, PATHS_OF_POOLS, marks_of
from keelmark.estate.models import Pool
from keelmark.estate.reservations import held_bytes as held_on
from keelmark.estate.reservations import holds_by_place
from keelmark.forecasts.models import KeptForecast, Reach
from keelmark.forecasts.pools.reasons import Part


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
    held_bytes: int
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


NOT_YET = "not forecast yet"
AS = "forecast"  # the forecast of its used bytes, as the queries of pools call it
KEPT = "kept_used"  # the attribute of an entity that holds the same
NO_DATES = Dates(early_on=None, likely_on=None, late_on=None)


def dates_of(forecast: KeptForecast | None, *, mark: str) -> Dates:
    """Return the dates of a mark: `caution`, `limit` or `full`."""
    if forecast is None:
        return NO_DATES
    return Dates(
        early_on=getattr(forecast, f"{mark}_early_on"),
        likely_on=getattr(forecast, f"{mark}_likely_on"),
        late_on=getattr(forecast, f"{mark}_late_on"),
    )


class Listed(NamedTuple):
    """What a row is made of, as one SELECT brings it; `PATHS` says from where."""

    pool_id: int
    name: str
    array_name: str
    site_name: str | None
    service_class: str | None
    usable_bytes: int
    used_bytes: int
    provisioned_bytes: int | None
    thick_unwritten_bytes: int
    read_at: datetime
    marks: Marks
    reach: int | None
    as_of: date | None
    attention: str | None
    attention_because: str | None
    reason: list[Part] | None
    growth_per_day: float | None
    early_on: date | None
    likely_on: date | None
    late_on: date | None

    @classmethod
    def of(cls, row: Sequence[Any]) -> "Listed":  # Any: whatever stands at the paths
        """Take one row of what `PATHS` names: the marks of each level become those that hold."""
        begin, end = len(_BOOKS), len(_BOOKS) + len(_MARKS)
        levels = (row[at : at + len(FIELDS)] for at in range(begin, end, len(FIELDS)))
        return cls._make((*row[:begin], marks_of(*levels), *row[end:]))


_BOOKS = (
    "pk", "entity__name", "home__name", "entity__site__name",
    "service_class__name", "usable_bytes", "used_bytes", "provisioned_bytes",
    "thick_unwritten_bytes", "read_at",
)  # fmt: skip
_MARKS = tuple(f"{path}__{name}" for path in PATHS_OF_POOLS for name in FIELDS)
PATHS = (
    *_BOOKS, *_MARKS,
    *(
        f"{AS}__{name}" for name in (
            "reach", "as_of", "attention", "attention_because", "reason", "growth_per_day",
            "limit_early_on", "limit_likely_on", "limit_late_on",
        )
    ),
)  # fmt: skip


def row_of(pool: Pool, *, held_bytes: int) -> PoolRow:
    """Return the row of a pool read through selectors.pools_for."""
    listed = Listed.of(tuple(_followed(pool, path=path) for path in PATHS))
    return row_of_listed(listed, held_bytes=held_bytes)


def rows_of(listed: Iterable[Sequence[Any]]) -> list[PoolRow]:  # Any: as of Listed
    """Return rows of what selectors.listed_for read, with what is held of each today."""
    told = [Listed.of(one) for one in listed]
    holds = holds_by_place([one.pool_id for one in told])
    today = utc_today()
    return [
        row_of_listed(one, held_bytes=held_on(holds.get(one.pool_id, ()), on=today)) for one in told
    ]


def row_of_listed(listed: Listed, *, held_bytes: int) -> PoolRow:
    """Return the row of what selectors.listed_for read."""
    marks = listed.marks
    ledger = Ledger(
        usable_bytes=listed.usable_bytes,
        used_bytes=listed.used_bytes,
        provisioned_bytes=listed.provisioned_bytes,
        reserved_bytes=listed.thick_unwritten_bytes + held_bytes,
        held_bytes=held_bytes,
        marks=marks,
    )
    return PoolRow(
        id=listed.pool_id,
        name=listed.name,
        array_name=listed.array_name,
        site_name=listed.site_name,
        service_class=listed.service_class,
        usable_bytes=ledger.usable_bytes,
        used_bytes=ledger.used_bytes,
        free_bytes=ledger.free_bytes,
        plannable_bytes=ledger.plannable_bytes,
        reserved_bytes=ledger.reserved_bytes,
        held_bytes=ledger.held_bytes,
        provisioned_bytes=ledger.provisioned_bytes,
        exposure_bytes=ledger.exposure_bytes,
        overcommit_percent=ledger.overcommit_percent,
        caution_percent=marks.caution_percent,
        limit_percent=marks.limit_percent,
        lead_time_days=marks.lead_time_days,
        read_at=listed.read_at,
        as_of=listed.as_of,
        attention=listed.attention or "unread",
        attention_because=listed.attention_because or NOT_YET,
        reason=[{"text": NOT_YET}] if listed.reason is None else listed.reason,
        reach=Reach.NO_END.name.lower()
        if listed.reach is None
        else Reach(listed.reach).name.lower(),
        growth_bytes_per_day=None
        if listed.growth_per_day is None
        else round(listed.growth_per_day),
        limit=Dates(early_on=listed.early_on, likely_on=listed.likely_on, late_on=listed.late_on),
        order_by_on=order_by(listed.early_on, lead_time_days=marks.lead_time_days),
    )


def _followed(pool: Pool, *, path: str) -> Any:  # Any: whatever stands at the path
    """Follow a path of a query over objects; None where a link is missing."""
    at: Any = pool
    for name in path.split("__"):
        if name == AS:
            at = forecast_of(pool)
            continue
        at = None if at is None else getattr(at, name, None)
    return at


def forecast_of(pool: Pool) -> KeptForecast | None:
    """Return the standing forecast of a pool of selectors.pools_for, None before the first."""
    kept: list[KeptForecast] = getattr(pool.entity, KEPT)
    return kept[0] if kept else None
