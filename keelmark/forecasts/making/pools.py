"""Makes the standing forecasts of pools: runway, attention and why."""

from datetime import date, datetime, timedelta

import numpy as np
import structlog
from django.db import transaction

from keelmark.core.attention import Judgement
from keelmark.core.estate.holds import Hold
from keelmark.core.forecast import contributions
from keelmark.core.forecast.kin import NO_KIN
from keelmark.estate import selectors as estate
from keelmark.estate.marks import levels_of_pool
from keelmark.estate.models import Kind, Pool, Volume
from keelmark.estate.reservations import held_bytes, holds_by_place
from keelmark.feeds.selectors import allowed_ages
from keelmark.forecasts.definitions.horizon import ALLOWED_AGE, LEARNT_DAYS
from keelmark.forecasts.making.made import Made, Subjects, judgement_of, kept_fields, make
from keelmark.forecasts.making.record import tell_record, widening_known
from keelmark.forecasts.making.things import keep
from keelmark.forecasts.marks.history import MarksThen, holders_of
from keelmark.forecasts.models import KeptForecast, Metric, Reach
from keelmark.forecasts.pools.reasons import Leader, reason_of
from keelmark.readings.selectors import series_of

log = structlog.get_logger()
LEADER_DAYS = 30
WITHIN_DAYS = 90


def refresh(*, now: datetime) -> int:
    """Make the forecast of every pool anew; return how many."""
    pools = list(estate.with_marks(Pool.objects.filter(entity__retired_at=None)).order_by("pk"))
    if not pools:
        return 0
    first_on = now.date() - timedelta(days=LEARNT_DAYS - 1)
    holds = holds_by_place([pool.pk for pool in pools])
    made = make(_subjects(pools, first_on=first_on, holds=holds), now=now)
    held = {pk: held_bytes(some, on=now.date()) for pk, some in holds.items()}
    ages = allowed_ages([pool.pk for pool in pools])
    own = KeptForecast.objects.filter(kind=Kind.POOL, metric=Metric.USED)
    stood = dict(own.values_list("entity_id", "attention"))
    leaders = _leaders(pools, today=now.date())
    rows = []
    for index, pool in enumerate(pools):
        judgement = judgement_of(
            estate.ledger_of(pool, held_bytes=held.get(pool.pk, 0)).fill,
            made=made,
            index=index,
            read_at=pool.read_at,
            allowed=ages.get(pool.pk, ALLOWED_AGE),
            stood=stood.get(pool.pk),
            without="it has no size to fill",
        )
        rows.append(
            _row(
                pool, index=index, made=made, judgement=judgement, leader=leaders.get(pool.pk),
                holds=holds.get(pool.pk, ()),
            )
        )  # fmt: skip
    with transaction.atomic():
        keep(rows)
        own.exclude(entity_id__in=[pool.pk for pool in pools]).delete()
    tell_record(Kind.POOL, Metric.USED, now=now)
    log.info("forecasts_made", n_pools=len(rows))
    return len(rows)


def _subjects(
    pools: list[Pool], *, first_on: date, holds: dict[int, tuple[Hold, ...]]
) -> Subjects:  # fmt: skip
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
        marks_then=MarksThen.since(first_on, n_days=LEARNT_DAYS).shares(
            [holders_of(levels_of_pool(pool)) for pool in pools],
            percent=lambda marks: marks.limit_percent,
        ),
        widening=widening_known(Kind.POOL, Metric.USED),
        holds=holds,
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
    # What arrived in the window grew by all it holds.
    grown = np.nan_to_num(contributions(series.used_bytes).added_bytes)
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


def _row(
    pool: Pool, *, index: int, made: Made, judgement: Judgement, leader: Leader | None,
    holds: tuple[Hold, ...],
) -> KeptForecast:  # fmt: skip
    learnt, ledger = made.learnt, estate.ledger_of(pool)
    kept = kept_fields(made, index=index, judgement=judgement)
    is_judged = bool(learnt.is_judged[index])
    today = made.now.date()
    return KeptForecast(
        entity=pool.entity,
        metric=Metric.USED,
        kind=Kind.POOL,
        size_amount=ledger.usable_bytes,
        reason=reason_of(
            ledger,
            attention=judgement.attention,
            growth_bytes_per_day=float(learnt.growth_bytes_per_day[index]) if is_judged else None,
            unjudged_because=learnt.reasons[index],
            leader=leader,
            findings=kept["findings"],
            today=today,
            read_at=pool.read_at,
            holds=holds,
        ),
        reach=_reach(
            kept["limit_early_on"], today=today, lead_time_days=ledger.marks.lead_time_days
        ),
        **kept,
    )


def _reach(early_on: date | None, *, today: date, lead_time_days: int) -> Reach:
    if early_on is None:
        return Reach.NO_END
    days = (early_on - today).days
    if days < lead_time_days:
        return Reach.INSIDE_LEAD_TIME
    return Reach.WITHIN_90_DAYS if days < WITHIN_DAYS else Reach.LATER
