"""Forecasts when the busy hours of disks come to the maximum of their tier."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

import numpy as np
from django.db import transaction
from django.db.models import Max

from keelmark.bearings.selectors.picture import reading_at
from keelmark.compliance.models import (
    DayServed,
    LookAhead,
    Promise,
    Revision,
    Tier,
    TierNaming,
    TierOutlook,
    TierRevision,
)
from keelmark.compliance.selectors.found import week_at
from keelmark.compliance.selectors.tiers import DefinedTier, tiered_at
from keelmark.core.arrays import Int64s
from keelmark.core.days import date_after
from keelmark.core.estate.reading import LIKELY
from keelmark.core.forecast import MIN_HISTORY_DAYS
from keelmark.core.forecast.kin import NO_KIN
from keelmark.core.qos.found import worth_a_forecast
from keelmark.forecasts.definitions.horizon import LEARNT_DAYS, MARKS
from keelmark.forecasts.making.made import Subjects, made_of
from keelmark.readings.models import Measure
from keelmark.readings.selectors import measured

AT_ONCE: Final = 2_000  # disks that are forecast together
AFRESH_AFTER: Final = timedelta(days=1)
ONLY: Final = 1


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Asked:
    """Disks in order of their ids, (n,), with the place of the tier of each."""

    ids: Int64s
    tier: Int64s

    def of_rows(self, rows: Int64s) -> "_Asked":
        """Return some of them."""
        return _Asked(ids=self.ids[rows], tier=self.tier[rows])


def look_ahead(*, now: datetime) -> int:
    """Forecast all disks that are near enough to the maximum of their tier; return how many.

    Once a day, and anew when a day was kept since or tiers were revised or named.
    """
    if not _is_due(now=now):
        return 0
    reading = reading_at(day=None, quantile=LIKELY)
    tiered, week = tiered_at(reading), week_at(reading)
    asks = reading.is_there["disk"] & worth_a_forecast(
        week.found.most_iops, tiers=[one.core for one in tiered.defined], tier=tiered.tier
    )
    rows = np.flatnonzero(asks)
    rows = rows[np.argsort(reading.estate.table("disk").ids[rows])]
    asked = _Asked(ids=reading.estate.table("disk").ids[rows], tier=tiered.tier[rows])
    told = [
        outlook
        for some in _together(len(rows))
        for outlook in _outlooks(asked.of_rows(some), tiers=tiered.defined, now=now)
    ]
    with transaction.atomic():
        TierOutlook.objects.all().delete()
        TierOutlook.objects.bulk_create(told)
        LookAhead.objects.update_or_create(
            pk=ONLY, defaults={"made_at": now, "n_asked": len(rows), "n_told": len(told)}
        )
    return len(told)


def _together(n: int) -> Iterator[Int64s]:
    for begin in range(0, n, AT_ONCE):
        yield np.arange(begin, min(begin + AT_ONCE, n))


def _is_due(*, now: datetime) -> bool:
    made_at = LookAhead.objects.filter(pk=ONLY).values_list("made_at", flat=True).first()
    if made_at is None or now - made_at >= AFRESH_AFTER:
        return True
    told = [
        Tier.objects.aggregate(at=Max("retired_at"))["at"],
        *(
            kept.objects.aggregate(at=Max("made_at"))["at"]
            for kept in (DayServed, TierRevision, TierNaming, Revision, Promise)
        ),
    ]
    return any(at is not None and at > made_at for at in told)


def _outlooks(asked: _Asked, *, tiers: Sequence[DefinedTier], now: datetime) -> list[TierOutlook]:
    """Of those that can be judged; what is busiest now is in no series before its day is over."""
    yesterday = now.date() - timedelta(days=1)
    series = measured(
        Measure.IOPS, entity_ids=asked.ids.tolist(),
        first_on=yesterday - timedelta(days=LEARNT_DAYS - 1), last_on=yesterday,
    )  # fmt: skip
    # Most have no history yet: they are not judged, and need no forecast to tell.
    known = np.flatnonzero(np.isfinite(series.used_bytes).sum(axis=1) >= MIN_HISTORY_DAYS)
    if len(known) == 0:
        return []
    asked, series = asked.of_rows(known), series.of_rows(known)
    maximum = np.array([one.core.max_iops for one in tiers], dtype=np.int64)[asked.tier]
    made = made_of(
        series,
        subjects=Subjects(
            ids=asked.ids,
            marks=dict.fromkeys(MARKS, maximum),
            ceiling_bytes=np.full(len(asked.ids), np.inf),
            kin=np.full(len(asked.ids), NO_KIN, dtype=np.int64),
        ),
        now=now,
    )
    way = made.ways["limit"]
    return [
        TierOutlook(
            entity_id=int(asked.ids[at]),
            tier=tiers[int(asked.tier[at])].tier,
            made_at=now,
            max_iops=int(maximum[at]),
            level_iops=float(made.learnt.level_bytes[at]),
            growth_per_day=float(made.learnt.growth_bytes_per_day[at]),
            **{
                f"{which}_on": date_after(
                    made.as_of(at), days=float(getattr(way, f"{which}_days")[at])
                )
                for which in ("early", "likely", "late")
            },
        )
        for at in np.flatnonzero(made.learnt.is_judged).tolist()
    ]
