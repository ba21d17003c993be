"""Reads pools as candidates of a placement."""

from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.contrib.auth.models import User

from keelmark.core.forecast import paths
from keelmark.core.ledger import Attention
from keelmark.core.placement import Pools, Verdict, Workload, place
from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool
from keelmark.estate.sift import Term
from keelmark.forecasts import selectors as forecasts
from keelmark.forecasts.rows import forecast_of
from keelmark.forecasts.services.making import HORIZON_DAYS

HIGH_QUANTILE = 0.9  # one chance in ten that demand is above
UNKNOWN = 0  # beside a False in is_provisioned_known


def verdicts_for(
    actor: User, *, terms: list[Term], workload: Workload, today: date
) -> tuple[list[Pool], list[Verdict]]:
    """Return the visible pools of a scope and the verdict on each."""
    pools = list(forecasts.pools_for(actor, terms=terms))
    if not pools:
        return [], []
    candidates = _candidates(pools, n_days=workload.last_day, today=today)
    return pools, place(candidates, workload=workload, horizon_days=HORIZON_DAYS)


def _candidates(pools: list[Pool], *, n_days: int, today: date) -> Pools:
    kept = [forecast_of(pool) for pool in pools]
    outlook = forecasts.outlook_of(kept)
    ledgers = [estate.ledger_of(pool) for pool in pools]
    # Every outlook counts from its own last reading: a pool last read days ago starts there.
    ages = np.array([(today - f.as_of).days if f and f.as_of else 0 for f in kept])
    fan = paths(
        outlook, horizon_days=n_days + int(ages.max(initial=0)), quantiles=(HIGH_QUANTILE,)
    )[:, 0, :]
    columns = np.arange(n_days)[None, :] + ages[:, None]
    provisioned = [ledger.provisioned_bytes for ledger in ledgers]
    return Pools(
        service_classes=tuple(p.service_class.name if p.service_class else "" for p in pools),
        usable_bytes=np.array([x.usable_bytes for x in ledgers], dtype=np.int64),
        used_bytes=np.array([x.used_bytes for x in ledgers], dtype=np.int64),
        reserved_bytes=np.array([x.reserved_bytes for x in ledgers], dtype=np.int64),
        provisioned_bytes=np.array(
            [UNKNOWN if p is None else p for p in provisioned], dtype=np.int64
        ),
        is_provisioned_known=np.array([p is not None for p in provisioned], dtype=np.bool_),
        limit_bytes=np.array([x.limit_bytes for x in ledgers], dtype=np.int64),
        overcommit_limit_percent=np.array(
            [x.marks.overcommit_limit_percent for x in ledgers], dtype=np.int64
        ),
        is_read=np.array(
            [f is not None and f.attention != Attention.UNREAD for f in kept], dtype=np.bool_
        ),
        high_path_bytes=np.take_along_axis(fan, columns, axis=1),
        growth_bytes_per_day=outlook.growth_bytes_per_day,
        wander_variance=outlook.wander_variance,
        drift_variance=outlook.drift_variance,
    )


def date_after(today: date, *, days: float | None) -> date | None:
    """Return the date that many days on; None for never within the horizon or not judged."""
    if days is None or not np.isfinite(days):
        return None
    return today + timedelta(days=int(days))


def utc_today() -> date:
    """Return today's date."""
    return datetime.now(UTC).date()
