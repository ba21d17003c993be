"""Makes forecasts of datastores, volumes, disks and buckets, and of what pools promised."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Exists, F, Model, OuterRef, Q, QuerySet

from keelmark.core.arrays import Int64s
from keelmark.core.forecast.kin import NO_KIN
from keelmark.core.ledger import Judgement, Ledger, Marks
from keelmark.core.units import percent_of
from keelmark.estate.models import Bucket, Datastore, Kind, Pool, VirtualDisk, Volume
from keelmark.forecasts.marks import marks_of
from keelmark.forecasts.models import Metric, ThingForecast
from keelmark.forecasts.services.making import (
    NO_MARK,
    Made,
    Subjects,
    judgement_of,
    kept_fields,
    make,
)

BATCH_ROWS = 1000
RESTS = timedelta(hours=1)  # what was forecast so lately waits for the next run


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """How one kind is forecast: its table, what it holds, where it ends, who its kin are."""

    model: type[Model]
    used: str
    size: str | None
    kin: str
    metric: Metric = Metric.USED
    ends_at_size: bool = False  # thin: it fills up to its size and no further


WAYS: dict[Kind, Way] = {
    Kind.DATASTORE: Way(
        model=Datastore, used="used_bytes", size="size_bytes", kin="cluster_id"
    ),
    Kind.VOLUME: Way(
        model=Volume, used="written_bytes", size="size_bytes", kin="pool_id", ends_at_size=True
    ),
    Kind.BUCKET: Way(model=Bucket, used="used_bytes", size=None, kin="account_id"),
    Kind.POOL: Way(
        model=Pool, used="provisioned_bytes", size="usable_bytes", kin="service_class_id",
        metric=Metric.PROVISIONED,
    ),
    Kind.DISK: Way(
        model=VirtualDisk, used="on_array_bytes", size="size_bytes", kin="entity__tenant_id",
        ends_at_size=True,
    ),
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class _Thing:
    id: int
    used_bytes: int | None
    size_bytes: int | None
    kin: int | None
    read_at: datetime
    marks: Marks

    @property
    def ledger(self) -> Ledger | None:
        """Its books, None where it has no size to fill or was not read."""
        if self.size_bytes is None or self.used_bytes is None:
            return None
        return Ledger(usable_bytes=self.size_bytes, used_bytes=self.used_bytes, marks=self.marks)


def wanting(kind: Kind, *, since: datetime | None, now: datetime) -> QuerySet[Any]:  # Any: a kind's
    """Return the things of a kind that want a forecast.

    With ``since`` that is everything not made since then; else what was read after it was
    forecast, or never was. What a source corrects in the past alone waits for the night.
    """
    way = WAYS[kind]
    own = ThingForecast.objects.filter(entity_id=OuterRef("pk"), metric=way.metric)
    if since is not None:
        stands = own.filter(made_at__gte=since)
    else:
        stands = own.filter(Q(made_at__gte=OuterRef("read_at")) | Q(made_at__gte=now - RESTS))
    living = way.model._default_manager.filter(entity__retired_at=None)
    return living.filter(~Exists(stands)).order_by("pk")


def forecast_range(
    kind: Kind, *, first_id: int, last_id: int, since: datetime | None, now: datetime
) -> int:
    """Make the forecasts of a range of one kind, all or none; return how many."""
    way = WAYS[kind]
    things = _things(
        wanting(kind, since=since, now=now).filter(pk__gte=first_id, pk__lte=last_id), way=way
    )
    if not things:
        return 0
    made = make(
        _subjects(things, way=way),
        now=now,
        amount="provisioned_bytes" if way.metric == Metric.PROVISIONED else "used_bytes",
    )
    stood = dict(
        ThingForecast.objects.filter(
            entity_id__in=[thing.id for thing in things], metric=way.metric
        ).values_list("entity_id", "attention")
    )
    rows = [
        ThingForecast(
            entity_id=thing.id,
            metric=way.metric,
            kind=kind,
            **kept_fields(
                made,
                index=index,
                judgement=_judgement(
                    thing, way=way, index=index, made=made, stood=stood.get(thing.id)
                ),
            ),
        )
        for index, thing in enumerate(things)
    ]
    keep(rows)
    return len(rows)


def keep(rows: list[ThingForecast]) -> None:
    """Put the forecasts in the place of those that stand, all or none."""
    with transaction.atomic():
        ThingForecast.objects.bulk_create(
            rows,
            batch_size=BATCH_ROWS,
            update_conflicts=True,
            unique_fields=["entity", "metric"],
            update_fields=[
                f.name
                for f in ThingForecast._meta.concrete_fields
                if f.name not in ("id", "entity", "metric")
            ],
        )


def _things(found: QuerySet[Any], *, way: Way) -> list[_Thing]:  # Any: a kind's model
    rows = found.values_list(
        "pk", way.used, way.size or F("pk"), way.kin, "read_at",
        *(f"{at}__{name}_percent" for name in ("caution", "limit")
          for at in ("entity", "entity__site")),
        "entity__lead_time_days", "entity__site__lead_time_days",
    )  # fmt: skip
    return [
        _Thing(
            id=pk,
            used_bytes=used,
            size_bytes=size if way.size else None,
            kin=kin,
            read_at=read_at,
            marks=marks_of(*own),
        )
        for pk, used, size, kin, read_at, *own in rows
    ]


def _subjects(things: list[_Thing], *, way: Way) -> Subjects:
    sizes = np.array(
        [NO_MARK if thing.size_bytes is None else thing.size_bytes for thing in things],
        dtype=np.int64,
    )
    has_size = sizes != NO_MARK

    def at(percents: list[int]) -> Int64s:
        marks = percent_of(np.where(has_size, sizes, 0), np.array(percents, dtype=np.int64))
        return np.where(has_size, marks, NO_MARK)

    if way.metric == Metric.PROVISIONED:
        caution = [thing.marks.overcommit_caution_percent for thing in things]
        limit = [thing.marks.overcommit_limit_percent for thing in things]
    else:
        caution = [thing.marks.caution_percent for thing in things]
        limit = [thing.marks.limit_percent for thing in things]
    return Subjects(
        ids=np.array([thing.id for thing in things], dtype=np.int64),
        marks={"caution": at(caution), "limit": at(limit), "full": sizes},
        ceiling_bytes=np.where(has_size & way.ends_at_size, sizes, np.inf),
        kin=np.array([thing.kin or NO_KIN for thing in things], dtype=np.int64),
    )


def _judgement(thing: _Thing, *, way: Way, index: int, made: Made, stood: str | None) -> Judgement:
    """Of what is promised nothing ends by itself: past its caution is caution, no more."""
    ledger, is_promise = thing.ledger, way.metric == Metric.PROVISIONED
    if ledger is not None and is_promise:
        ledger = replace(ledger, used_bytes=0, provisioned_bytes=ledger.used_bytes)
    return judgement_of(
        ledger,
        made=made,
        index=index,
        read_at=thing.read_at,
        stood=stood,
        without="it has no size to fill",
        has_end=not is_promise,
    )
