"""Makes forecasts of wholes: arrays and sites over their pools, clusters over their datastores.

A whole is forecast from the sum of its parts' readings, each part's gaps bridged first: a day on
which one of them was not read is not a day on which the whole shrank.
"""

from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
from django.db.models import Exists, OuterRef, Q, QuerySet

from keelmark.core.forecast.kin import NO_KIN
from keelmark.core.forecast.robust import gaps_filled
from keelmark.core.ledger import Attention, Judgement, Ledger, attention_of
from keelmark.core.units import percent_of
from keelmark.estate.models import Datastore, Entity, Kind, Pool
from keelmark.forecasts.marks import nearest_marks
from keelmark.forecasts.models import Metric, ThingForecast
from keelmark.forecasts.services.making import LEARNT_DAYS, Made, Subjects, kept_fields, made_of
from keelmark.forecasts.services.things import ALLOWED_AGE, RESTS, keep
from keelmark.readings.selectors import Series, series_of

# A pool that a cluster builds over volumes of other pools is counted with those.
_POOLS = Pool.objects.filter(entity__retired_at=None, array__isnull=False)
_STORES = Datastore.objects.filter(entity__retired_at=None, size_bytes__isnull=False)
OWNERS = {
    Kind.ARRAY: "array_id",
    Kind.SITE: "entity__site_id",
    Kind.CLUSTER: "cluster_id",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class _Whole:
    """One whole with its parts' books added up."""

    entity: Entity
    part_ids: list[int]
    usable_bytes: int
    used_bytes: int
    provisioned_bytes: int | None
    oldest_read_at: datetime

    @property
    def ledger(self) -> Ledger:
        """Its books, with the nearest marks."""
        return Ledger(
            usable_bytes=self.usable_bytes,
            used_bytes=self.used_bytes,
            provisioned_bytes=self.provisioned_bytes,
            marks=nearest_marks(self.entity),
        )


def wanting_wholes(kind: Kind, *, since: datetime | None, now: datetime) -> QuerySet[Entity]:
    """Return the wholes of a kind that want a forecast."""
    own = ThingForecast.objects.filter(entity_id=OuterRef("pk"), metric=Metric.USED)
    stands = own.filter(Q(made_at__gte=since) if since else Q(made_at__gte=now - RESTS))
    owner = OWNERS[kind]
    parts = _parts(kind).filter(**{owner: OuterRef("pk")})
    living = Entity.objects.filter(kind=kind, retired_at=None)
    return living.filter(Exists(parts)).filter(~Exists(stands)).order_by("pk")


def forecast_wholes(
    kind: Kind, *, first_id: int, last_id: int, since: datetime | None, now: datetime
) -> int:
    """Make the forecasts of a range of wholes, all or none; return how many."""
    found = wanting_wholes(kind, since=since, now=now).filter(pk__gte=first_id, pk__lte=last_id)
    wholes = _wholes(kind, entities=list(found.select_related("site")))
    if not wholes:
        return 0
    made = made_of(_summed(wholes, today=now.date()), subjects=_subjects(wholes), now=now)
    stood = dict(
        ThingForecast.objects.filter(
            entity__in=[whole.entity for whole in wholes], metric=Metric.USED
        ).values_list("entity_id", "attention")
    )
    keep(
        [
            ThingForecast(
                entity=whole.entity,
                metric=Metric.USED,
                kind=kind,
                **kept_fields(
                    made,
                    index=index,
                    judgement=_judgement(
                        whole, index=index, made=made, stood=stood.get(whole.entity.pk)
                    ),
                ),
            )
            for index, whole in enumerate(wholes)
        ]
    )
    return len(wholes)


def _parts(kind: Kind) -> QuerySet[Pool] | QuerySet[Datastore]:
    return _STORES.all() if kind == Kind.CLUSTER else _POOLS.all()


def _wholes(kind: Kind, *, entities: list[Entity]) -> list[_Whole]:
    owner, size = OWNERS[kind], "size_bytes" if kind == Kind.CLUSTER else "usable_bytes"
    by_owner: dict[int, list[tuple[int, int, int, int | None, datetime]]] = {}
    rows = _parts(kind).filter(**{f"{owner}__in": [e.pk for e in entities]}).values_list(
        owner, "pk", size, "used_bytes", "provisioned_bytes", "read_at"
    )  # fmt: skip
    for owner_id, *books in rows:
        by_owner.setdefault(owner_id, []).append(tuple(books))
    wholes = []
    for entity in entities:
        parts = by_owner.get(entity.pk, [])
        if not parts:
            continue
        promised = [part[3] for part in parts]
        known = [amount for amount in promised if amount is not None]
        wholes.append(
            _Whole(
                entity=entity,
                part_ids=[part[0] for part in parts],
                usable_bytes=sum(part[1] for part in parts),
                used_bytes=sum(part[2] or 0 for part in parts),
                provisioned_bytes=sum(known) if len(known) == len(parts) else None,
                oldest_read_at=min(part[4] for part in parts),
            )
        )
    return wholes


def whole_size(entity: Entity) -> int | None:
    """Return the usable bytes of a whole, None where it has no part."""
    wholes = _wholes(Kind(entity.kind), entities=[entity])
    return wholes[0].usable_bytes if wholes and wholes[0].part_ids else None


def _summed(wholes: list[_Whole], *, today: date) -> Series:
    """The sum of each whole's parts a day; NaN on days on which no part was read."""
    first_on = today - timedelta(days=LEARNT_DAYS - 1)
    used = np.full((len(wholes), LEARNT_DAYS), np.nan)
    capacity = np.full((len(wholes), LEARNT_DAYS), np.nan)
    for row, whole in enumerate(wholes):
        parts = series_of(whole.part_ids, first_on=first_on, last_on=today)
        is_read = ~np.isnan(parts.used_bytes).all(axis=0)
        # Before its first reading a part was not there.
        used[row] = np.where(
            is_read, np.nan_to_num(gaps_filled(parts.used_bytes)).sum(axis=0), np.nan
        )
        held = np.nan_to_num(gaps_filled(parts.capacity_bytes)).sum(axis=0)
        capacity[row] = np.where(is_read, held, np.nan)
    return Series(
        entity_ids=np.array([whole.entity.pk for whole in wholes], dtype=np.int64),
        first_on=first_on,
        used_bytes=used,
        capacity_bytes=capacity,
    )


def _subjects(wholes: list[_Whole]) -> Subjects:
    ledgers = [whole.ledger for whole in wholes]
    return Subjects(
        ids=np.array([whole.entity.pk for whole in wholes], dtype=np.int64),
        marks={
            "caution": np.array(
                [percent_of(x.usable_bytes, x.marks.caution_percent) for x in ledgers]
            ),
            "limit": np.array([x.limit_bytes for x in ledgers], dtype=np.int64),
            "full": np.array([x.usable_bytes for x in ledgers], dtype=np.int64),
        },
        ceiling_bytes=np.full(len(wholes), np.inf),
        kin=np.full(len(wholes), NO_KIN, dtype=np.int64),
    )


def _judgement(whole: _Whole, *, index: int, made: Made, stood: str | None) -> Judgement:
    return attention_of(
        whole.ledger,
        early_days=made.days_left("limit", which="early", index=index),
        likely_days=made.days_left("limit", which="likely", index=index),
        is_unread=made.now - whole.oldest_read_at > ALLOWED_AGE,
        stood=Attention(stood) if stood else None,
    )
