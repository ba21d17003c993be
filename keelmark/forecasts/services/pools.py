"""Makes the standing forecasts of pools: runway, attention and why."""

from datetime import date, datetime, timedelta

import numpy as np
import structlog
from django.db import transaction

from keelmark.core.arrays import Float64s
from keelmark.core.forecast.kin import NO_KIN
from keelmark.core.ledger import Attention, Judgement, attention_of
from keelmark.estate import selectors as estate
from keelmark.estate.models import Kind, Pool, Volume
from keelmark.feeds.selectors import allowed_ages
from keelmark.forecasts.models import Metric, PoolForecast, Reach
from keelmark.forecasts.reasons import Leader, reason_of
from keelmark.forecasts.services.estate_record import tell_record, widening_known
from keelmark.forecasts.services.making import ALLOWED_AGE, Made, Subjects, kept_fields, make
from keelmark.readings.selectors import series_of

log = structlog.get_logger()
LEADER_DAYS = 30
WITHIN_DAYS = 90
BATCH_ROWS = 500


def refresh(*, now: datetime) -> int:
    """Make the forecast of every pool anew; return how many."""
    pools = list(estate.with_marks(Pool.objects.filter(entity__retired_at=None)).order_by("pk"))
    if not pools:
        return 0
    made = make(_subjects(pools), now=now)
    ages = allowed_ages([pool.pk for pool in pools])
    stood = dict(PoolForecast.objects.values_list("pool_id", "attention"))
    leaders = _leaders(pools, today=now.date())
    rows = []
    for index, pool in enumerate(pools):
        judgement = _judgement(
            pool,
            index=index,
            made=made,
            allowed=ages.get(pool.pk, ALLOWED_AGE),
            stood=stood.get(pool.pk),
        )
        rows.append(
            _row(pool, index=index, made=made, judgement=judgement, leader=leaders.get(pool.pk))
        )
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
    tell_record(Kind.POOL, Metric.USED, now=now)
    log.info("forecasts_made", n_pools=len(rows))
    return len(rows)


def _subjects(pools: list[Pool]) -> Subjects:
    ledgers = [estate.ledger_of(pool) for pool in pools]
    return Subjects(
        ids=np.array([pool.pk for pool in pools], dtype=np.int64),
        marks={
            "caution": np.array([x.caution_bytes for x in ledgers], dtype=np.int64),
            "limit": np.array([x.limit_bytes for x in ledgers], dtype=np.int64),
            "full": np.array([x.usable_bytes for x in ledgers], dtype=np.int64),
        },
        ceiling_bytes=np.full(len(pools), np.inf),
        kin=np.array([pool.service_class_id or NO_KIN for pool in pools], dtype=np.int64),
        widening=widening_known(Kind.POOL, Metric.USED),
    )


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


def _row(
    pool: Pool, *, index: int, made: Made, judgement: Judgement, leader: Leader | None
) -> PoolForecast:
    learnt, ledger = made.learnt, estate.ledger_of(pool)
    kept = kept_fields(made, index=index, judgement=judgement)
    is_judged = bool(learnt.is_judged[index])
    today = made.now.date()
    return PoolForecast(
        pool=pool,
        reason=reason_of(
            ledger,
            attention=judgement.attention,
            growth_bytes_per_day=float(learnt.growth_bytes_per_day[index]) if is_judged else None,
            unjudged_because=learnt.reasons[index],
            leader=leader,
            findings=kept["findings"],
            today=today,
            read_at=pool.read_at,
        ),
        reach=_reach(
            kept["limit_early_on"], today=today, lead_time_days=ledger.marks.lead_time_days
        ),
        **kept,
    )


def _judgement(
    pool: Pool, *, index: int, made: Made, allowed: timedelta, stood: str | None
) -> Judgement:
    judged = attention_of(
        estate.ledger_of(pool),
        early_days=made.days_left("limit", which="early", index=index),
        likely_days=made.days_left("limit", which="likely", index=index),
        is_unread=made.now - pool.read_at > allowed,
        stood=Attention(stood) if stood else None,
    )
    if judged.attention is Attention.CLEAR and not made.learnt.is_judged[index]:
        return Judgement(attention=Attention.UNREAD, because=made.learnt.reasons[index])
    return judged


def _reach(early_on: date | None, *, today: date, lead_time_days: int) -> Reach:
    if early_on is None:
        return Reach.NO_END
    days = (early_on - today).days
    if days < lead_time_days:
        return Reach.INSIDE_LEAD_TIME
    return Reach.WITHIN_90_DAYS if days < WITHIN_DAYS else Reach.LATER
