"""Sums up how right the forecasts of all of one kind have been."""

from collections.abc import Sequence
from datetime import date, datetime, timedelta

import numpy as np
from django.db.models import F, QuerySet
from django.db.models.functions import Mod

from keelmark.core.arrays import Float64s, Int64s, numbers
from keelmark.core.forecast import TRIALS, Widening, record_of_many, widening_of
from keelmark.core.forecast.calibration import NOT_WIDENED
from keelmark.core.forecast.record import HORIZONS_DAYS
from keelmark.core.units import PERCENT
from keelmark.estate.models import Kind
from keelmark.forecasts.models import EstateRecord, KeptForecast, Metric

CAME_WITHIN = timedelta(days=30)  # as long as what was said a month ago lies ahead
HELD_FOR = timedelta(hours=1)  # a record changes slowly
MAX_SUMMED = 50_000  # of more, every second, third, … is taken
_COLUMNS = (
    "last_amount", "record__error", "record__bias", "record__n_inside", "record__n_tried",
    "said_month_ago_on", "crossed_on", "record__misses",
)  # fmt: skip


def tell_record(kind: Kind, metric: Metric, *, now: datetime, is_due: bool = False) -> bool:
    """Sum up a kind's record unless that was done lately; return whether it was done."""
    lately = EstateRecord.objects.filter(kind=kind, metric=metric, made_at__gte=now - HELD_FOR)
    if not is_due and lately.exists():
        return False
    rows = list(_kept(kind, metric).values_list(*_COLUMNS))
    columns = list(zip(*rows, strict=True)) or [()] * len(_COLUMNS)
    last, error, bias, n_inside, n_tried, said_on, crossed_on, misses = columns
    told = record_of_many(
        last=numbers(last),
        error=_table(error, n_columns=len(HORIZONS_DAYS)),
        bias=_table(bias, n_columns=len(HORIZONS_DAYS)),
        n_inside=_counts(n_inside),
        n_tried=_counts(n_tried),
        date_errors_days=_date_errors(said_on, crossed_on, today=now.date()),
    )
    EstateRecord.objects.update_or_create(
        kind=kind,
        metric=metric,
        defaults={
            "made_at": now,
            "n_things": told.n_series,
            "n_tried": told.n_tried,
            "inside_percent": _percent(told.inside_share),
            "error_percent": [_percent(x) for x in told.error_share.tolist()],
            "bias_percent": [_percent(x) for x in told.bias_share.tolist()],
            "n_came": told.n_came,
            "date_error_days": None if np.isnan(told.date_error_days) else told.date_error_days,
            "widening": widening_of(_table(misses, n_columns=len(TRIALS))),
        },
    )
    return True


def widening_known(kind: Kind, metric: Metric) -> Widening | None:
    """Return by how much the bands of a kind are to be wider, None where none was made yet."""
    told = EstateRecord.objects.filter(kind=kind, metric=metric).values_list("widening", flat=True)
    kept = {int(back): factor for back, factor in (told.first() or {}).items()}
    return {**NOT_WIDENED, **kept} if kept else None


def _kept(kind: Kind, metric: Metric) -> QuerySet[KeptForecast]:
    living = KeptForecast.objects.filter(kind=kind, metric=metric, entity__retired_at=None)
    kept = living.order_by("pk")
    step = -(-kept.count() // MAX_SUMMED)
    return kept.alias(turn=Mod(F("pk"), step)).filter(turn=0) if step > 1 else kept


def _counts(told: Sequence[int | None]) -> Int64s:
    return np.array([x or 0 for x in told], dtype=np.int64)


def _table(told: Sequence[list[float | None] | None], *, n_columns: int) -> Float64s:
    nothing: list[float | None] = [None] * n_columns
    whole = [row if row and len(row) == n_columns else nothing for row in told]
    flat = [x for row in whole for x in row]
    return numbers(flat).reshape(len(told), n_columns)


def _date_errors(
    said_on: Sequence[date | None], crossed_on: Sequence[date | None], *, today: date
) -> Float64s:
    """Days from what was said a month ago to what came since then."""
    return np.array(
        [
            (came - said).days
            for said, came in zip(said_on, crossed_on, strict=True)
            if said is not None and came is not None and came >= today - CAME_WITHIN
        ],
        dtype=np.float64,
    )


def _percent(share: float) -> float | None:
    return None if np.isnan(share) else round(PERCENT * share, 3)
