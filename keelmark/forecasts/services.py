"""Makes the standing forecasts."""

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import numpy as np
import structlog
from django.db import transaction

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast import Forecast, Runway, forecast, runway
from keelmark.core.ledger import Attention, Judgement, Ledger, attention_of
from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool, Volume
from keelmark.feeds.selectors import allowed_ages
from keelmark.forecasts.models import PoolForecast, Reach
from keelmark.forecasts.reasons import Leader, reason_of
from keelmark.readings.selectors import Series, series_of

log = structlog.get_logger()
HORIZON_DAYS = 730
LEARNT_DAYS = 400
DEFAULT_ALLOWED_AGE = timedelta(hours=36)
LEADER_DAYS = 30
SAID_BEFORE_DAYS = {"week": 7, "month": 30}
WITHIN_DAYS = 90
FAR_ON = date(9999, 12, 31)
BATCH_ROWS = 500


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Made:
    """Everything known about all pools before their rows are written."""

    learnt: Forecast
    series: Series
    caution: Runway
    limit: Runway
    full: Runway
    said: dict[str, list[date | None]]
    leaders: dict[int, Leader]
    now: datetime


def refresh(*, now: datetime) -> int:
    """Make the forecast of every pool anew; return how many."""
    pools = list(estate.with_marks(Pool.objects.filter(entity__retired_at=None)).order_by("pk"))
    if not pools:
        return 0
    made = _made(pools, now=now)
    ages = allowed_ages([pool.pk for pool in pools])
    rows = [
        _row(pool, index=index, made=made, allowed=ages.get(pool.pk, DEFAULT_ALLOWED_AGE))
        for index, pool in enumerate(pools)
    ]
    fields = [f.name for f in PoolForecast._meta.concrete_fields if f.name != "pool"]
    with transaction.atomic():
        PoolForecast.objects.bulk_create(
            rows,
            batch_size=BATCH_ROWS,
            update_conflicts=True,
            unique_fields=["pool"],
            update_fields=fields,
        )
        PoolForecast.objects.exclude(pool_id__in=[pool.pk for pool in pools]).delete()
    log.info("forecasts_made", n_pools=len(rows))
    return len(rows)


def _made(pools: list[Pool], *, now: datetime) -> _Made:
    today = now.date()
    series = series_of(
        [pool.pk for pool in pools],
        first_on=today - timedelta(days=LEARNT_DAYS - 1),
        last_on=today,
    )
    learnt = forecast(series.used_bytes)
    ledgers = [estate.ledger_of(pool) for pool in pools]
    marks = {
        "caution": [ledger.caution_bytes for ledger in ledgers],
        "limit": [ledger.limit_bytes for ledger in ledgers],
        "full": [ledger.usable_bytes for ledger in ledgers],
    }
    runways = {
        name: runway(learnt, mark_bytes=np.array(level, dtype=np.int64), horizon_days=HORIZON_DAYS)
        for name, level in marks.items()
    }
    return _Made(
        learnt=learnt,
        series=series,
        said={
            name: _said_before(series, mark_bytes=np.array(marks["limit"]), n_days=n_days)
            for name, n_days in SAID_BEFORE_DAYS.items()
        },
        leaders=_leaders(pools, today=today),
        now=now,
        **runways,
    )


def _said_before(series: Series, *, mark_bytes: Int64s, n_days: int) -> list[date | None]:
    """The likely dates that the readings of so many days ago would have given."""
    learnt = forecast(series.used_bytes[:, :-n_days])
    days = runway(learnt, mark_bytes=mark_bytes, horizon_days=HORIZON_DAYS).likely_days
    columns = learnt.readings.last_column
    return [
        _date(float(day), as_of=series.on(int(column)) if column >= 0 else None)
        for day, column in zip(days, columns, strict=True)
    ]


def _leaders(pools: list[Pool], *, today: date) -> dict[int, Leader]:
    """The volume of each pool that grew most in the last month, by pool."""
    owners = dict(
        Volume.objects.filter(
            entity__retired_at=None, pool_id__in=[p.pk for p in pools]
        ).values_list("pk", "pool_id")
    )
    if not owners:
        return {}
    names = dict(Volume.objects.filter(pk__in=owners).values_list("pk", "entity__name"))
    series = series_of(list(owners), first_on=today - timedelta(days=LEADER_DAYS), last_on=today)
    grown = _grown(series.used_bytes)
    by_pool: dict[int, list[tuple[float, int]]] = {}
    for volume_id, bytes_grown in zip(series.entity_ids.tolist(), grown.tolist(), strict=True):
        by_pool.setdefault(owners[volume_id], []).append((bytes_grown, volume_id))
    leaders = {}
    for pool_id, parts in by_pool.items():
        total = sum(part for part, _ in parts)
        most, volume_id = max(parts)
        if most > 0 and total > 0:
            leaders[pool_id] = Leader(name=names[volume_id], share=min(most / total, 1.0))
    return leaders


def _grown(used: Float64s) -> Float64s:
    """Last reading − first reading of each row, 0 where there are not two."""
    is_read = ~np.isnan(used)
    rows = np.arange(len(used))
    first = used[rows, np.argmax(is_read, axis=1)]
    last = used[rows, used.shape[1] - 1 - np.argmax(is_read[:, ::-1], axis=1)]
    grown: Float64s = np.nan_to_num(last - first)
    return grown


def _row(pool: Pool, *, index: int, made: _Made, allowed: timedelta) -> PoolForecast:
    learnt, ledger = made.learnt, estate.ledger_of(pool)
    last_column = int(learnt.readings.last_column[index])
    as_of = made.series.on(last_column) if last_column >= 0 else None
    today = made.now.date()
    n_old = (today - as_of).days if as_of else 0
    judgement = _judgement(ledger, pool=pool, index=index, made=made, allowed=allowed, n_old=n_old)
    shifts, odd_on = _told_oddities(index, made=made, as_of=as_of)
    growth = float(learnt.growth_bytes_per_day[index])
    is_judged = bool(learnt.is_judged[index])
    dates = {
        f"{mark}_{name}_on": _date(float(getattr(way, f"{name}_days")[index]), as_of=as_of)
        for mark, way in (("caution", made.caution), ("limit", made.limit), ("full", made.full))
        for name in ("early", "likely", "late")
    }
    early, likely = dates["limit_early_on"], dates["limit_likely_on"]
    return PoolForecast(
        pool=pool,
        made_at=made.now,
        as_of=as_of,
        growth_bytes_per_day=round(growth) if is_judged else None,
        unjudged_because=learnt.reasons[index],
        attention=judgement.attention,
        attention_because=judgement.because,
        reason=reason_of(
            ledger,
            attention=judgement.attention,
            growth_bytes_per_day=growth if is_judged else None,
            unjudged_because=learnt.reasons[index],
            leader=made.leaders.get(pool.pk),
            shifts=shifts,
            today=today,
            read_at=pool.read_at,
        ),
        reach=_reach(early, today=today, lead_time_days=ledger.marks.lead_time_days),
        said_week_ago_on=made.said["week"][index],
        said_month_ago_on=made.said["month"][index],
        sort_on=likely or early or FAR_ON,
        last_bytes=_known(float(learnt.last_bytes[index])),
        wander_variance=_known(float(learnt.wander_variance[index])),
        drift_variance=_known(float(learnt.drift_variance[index])),
        rhythm_bytes=learnt.rhythm_bytes[index].tolist(),
        shifts=[{"on": on.isoformat(), "bytes": size} for on, size in shifts],
        odd_on=odd_on,
        **dates,
    )


def _judgement(
    ledger: Ledger, *, pool: Pool, index: int, made: _Made, allowed: timedelta, n_old: int
) -> Judgement:
    """Runways count from the last reading: what has passed since is gone from them."""

    def left(days: float) -> float | None:
        return None if np.isnan(days) else max(0.0, days - n_old)

    is_unread = made.now - pool.read_at > allowed
    judged = attention_of(
        ledger,
        early_days=left(float(made.limit.early_days[index])),
        likely_days=left(float(made.limit.likely_days[index])),
        is_unread=is_unread,
    )
    if judged.attention is Attention.CLEAR and not made.learnt.is_judged[index]:
        return Judgement(attention=Attention.UNREAD, because=made.learnt.reasons[index])
    return judged


def _told_oddities(
    index: int, *, made: _Made, as_of: date | None
) -> tuple[list[tuple[date, int]], list[date]]:
    """Shifts and odd readings with their dates (the cleaned series are right-aligned)."""
    if as_of is None:
        return [], []
    readings = made.learnt.readings
    last = readings.level_bytes.shape[1] - 1

    def on(column: int) -> date:
        return as_of - timedelta(days=last - column)

    shift = readings.shift_bytes[index]
    shifts = [(on(int(c)), round(float(shift[c]))) for c in np.flatnonzero(shift)]
    return shifts, [on(int(c)) for c in np.flatnonzero(readings.is_odd[index])]


def _date(days: float, *, as_of: date | None) -> date | None:
    if as_of is None or not np.isfinite(days):
        return None
    return as_of + timedelta(days=int(days))


def _known(number: float) -> float | None:
    return number if np.isfinite(number) else None


def _reach(early_on: date | None, *, today: date, lead_time_days: int) -> Reach:
    if early_on is None:
        return Reach.NO_END
    days = (early_on - today).days
    if days < lead_time_days:
        return Reach.INSIDE_LEAD_TIME
    return Reach.WITHIN_90_DAYS if days < WITHIN_DAYS else Reach.LATER


def now() -> datetime:
    """Return the moment for which jobs make forecasts."""
    return datetime.now(UTC)
