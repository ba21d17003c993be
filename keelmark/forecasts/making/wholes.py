"""Makes forecasts of wholes over their parts: arrays, sites, clusters, tenants, accounts.

A whole is forecast from the sum of its parts' readings, each part's gaps bridged first: a day on
which one of them was not read is not a day on which the whole shrank.
"""

from collections.abc import Callable
from datetime import datetime

import numpy as np
from django.db.models import Exists, OuterRef, Q, QuerySet

from keelmark.core.arrays import Int64s
from keelmark.core.attention import Fill
from keelmark.core.estate.holds import Hold
from keelmark.core.forecast.kin import NO_KIN
from keelmark.estate.marks import levels_of, nearest_marks
from keelmark.estate.models import (
    Entity,
    Kind,
)
from keelmark.estate.reservations import holds_by_place
from keelmark.forecasts.definitions.horizon import NO_MARK
from keelmark.forecasts.definitions.wholes import OWNERS, Whole, summed_days, wholes_of
from keelmark.forecasts.making.made import Subjects, judgement_of, kept_fields, made_of
from keelmark.forecasts.making.record import widening_known
from keelmark.forecasts.making.things import RESTS, keep
from keelmark.forecasts.marks.history import MarksThen, holders_of
from keelmark.forecasts.models import KeptForecast, Metric
from keelmark.readings.selectors import Series


def fill_of(whole: Whole) -> Fill | None:
    """Return how full a whole is, with the nearest marks; None where nothing ends it."""
    if whole.usable_bytes is None or whole.used_bytes is None:
        return None
    return Fill(
        size=whole.usable_bytes,
        amount=whole.used_bytes,
        promised=whole.provisioned_bytes,
        marks=nearest_marks(whole.entity),
    )


def wanting_wholes(kind: Kind, *, since: datetime | None, now: datetime) -> QuerySet[Entity]:
    """Return the wholes of a kind that want a forecast."""
    own = KeptForecast.objects.of_these_marks().filter(entity_id=OuterRef("pk"), metric=Metric.USED)
    stands = own.filter(Q(made_at__gte=since) if since else Q(made_at__gte=now - RESTS))
    of_kind = OWNERS[kind]
    parts = of_kind.found.filter(**{of_kind.owner: OuterRef("pk")})
    living = Entity.objects.filter(kind=kind, retired_at=None)
    return living.filter(Exists(parts)).filter(~Exists(stands)).order_by("pk")


def forecast_wholes(
    kind: Kind, *, first_id: int, last_id: int, since: datetime | None, now: datetime
) -> int:
    """Make the forecasts of a range of wholes, all or none; return how many."""
    found = wanting_wholes(kind, since=since, now=now).filter(pk__gte=first_id, pk__lte=last_id)
    wholes = wholes_of(kind, entities=list(found.select_related("site")))
    if not wholes:
        return 0
    series = summed_days(wholes, today=now.date())
    made = made_of(series, subjects=_subjects(wholes, series=series), now=now)
    stood = dict(
        KeptForecast.objects.filter(
            entity__in=[whole.entity for whole in wholes], metric=Metric.USED
        ).values_list("entity_id", "attention")
    )
    keep(
        [
            KeptForecast(
                entity=whole.entity,
                metric=Metric.USED,
                kind=kind,
                size_amount=whole.usable_bytes,
                **kept_fields(
                    made,
                    index=index,
                    judgement=judgement_of(
                        fill_of(whole),
                        made=made,
                        index=index,
                        read_at=whole.oldest_read_at,
                        stood=stood.get(whole.entity.pk),
                        without=_without(whole),
                        was_read=whole.used_bytes is not None,
                    ),
                ),
            )
            for index, whole in enumerate(wholes)
        ]
    )
    return len(wholes)


def _without(whole: Whole) -> str:
    if whole.used_bytes is None:
        return "none of its parts was read"
    return "it has no quota to fill"


def _subjects(wholes: list[Whole], *, series: Series) -> Subjects:
    fills = [fill_of(whole) for whole in wholes]

    def marks(of: Callable[[Fill], int]) -> Int64s:
        return np.array([NO_MARK if x is None else of(x) for x in fills], dtype=np.int64)

    return Subjects(
        ids=np.array([whole.entity.pk for whole in wholes], dtype=np.int64),
        marks={
            "caution": marks(lambda x: x.caution),
            "limit": marks(lambda x: x.limit),
            "full": marks(lambda x: x.size),
        },
        ceiling_bytes=np.full(len(wholes), np.inf),
        kin=np.full(len(wholes), NO_KIN, dtype=np.int64),
        marks_then=MarksThen.since(series.first_on, n_days=series.used_bytes.shape[1]).shares(
            [holders_of(levels_of(whole.entity)) for whole in wholes],
            percent=lambda marks: marks.limit_percent,
        ),
        widening=widening_known(Kind(wholes[0].entity.kind), Metric.USED),
        holds=_holds(wholes),
    )


def _holds(wholes: list[Whole]) -> dict[int, tuple[Hold, ...]]:
    """What is held of the parts of each whole."""
    by_part = holds_by_place([pk for whole in wholes for pk in whole.part_ids])
    told = {
        whole.entity.pk: tuple(one for pk in whole.part_ids for one in by_part.get(pk, ()))
        for whole in wholes
    }
    return {pk: some for pk, some in told.items() if some}
