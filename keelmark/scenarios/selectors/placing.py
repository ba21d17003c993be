"""Reads pools as candidates of a placement."""

from datetime import date

import numpy as np
from django.contrib.auth.models import User

from keelmark.core.attention import Attention
from keelmark.core.placement import Pools, Verdict, Workload, place
from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool
from keelmark.estate.sift import Sift
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.forecasts.definitions.kept import outlook_of
from keelmark.forecasts.pools import selectors as forecasts
from keelmark.forecasts.pools.rows import forecast_of

UNKNOWN = 0  # beside a False in is_provisioned_known


def verdicts_for(
    actor: User, *, sift: Sift, workload: Workload, today: date
) -> tuple[list[Pool], list[Verdict]]:
    """Return the visible pools of a scope and the verdict on each."""
    pools = list(forecasts.pools_for(actor, sift=sift))
    if not pools:
        return [], []
    candidates = _candidates(pools, today=today)
    return pools, place(candidates, workload=workload, horizon_days=HORIZON_DAYS)


def _candidates(pools: list[Pool], *, today: date) -> Pools:
    kept = [forecast_of(pool) for pool in pools]
    outlook = outlook_of(kept)
    ledgers = [estate.ledger_of(pool) for pool in pools]
    # Every outlook counts from its own last reading: a pool last read days ago starts there.
    ages = np.array([(today - f.as_of).days if f and f.as_of else 0 for f in kept], dtype=np.int64)
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
        outlook=outlook,
        age_days=ages,
    )
