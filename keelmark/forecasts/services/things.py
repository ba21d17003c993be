"""Makes forecasts of what is read of things: bytes, promises, measures."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Exists, F, OuterRef, Q, QuerySet, Subquery, Value, Window
from django.db.models.functions import Coalesce, RowNumber

from keelmark.core.arrays import Int64s
from keelmark.core.forecast.engine import YOUNG_DAYS
from keelmark.core.forecast.kin import NO_KIN
from keelmark.core.ledger import Judgement, Ledger, Marks
from keelmark.core.units import percent_of
from keelmark.estate.models import Kind
from keelmark.forecasts.marks import FIELDS, Told, marks_of
from keelmark.forecasts.models import Metric, ThingForecast
from keelmark.forecasts.services.estate_record import widening_known
from keelmark.forecasts.services.making import (
    LEARNT_DAYS,
    NO_MARK,
    Made,
    Subjects,
    judgement_of,
    kept_fields,
    made_of,
)
from keelmark.forecasts.services.ways import WAYS, Way, days_of
from keelmark.readings.models import MeasureReading, PastTold
from keelmark.readings.selectors import Series, newest_of

BATCH_ROWS = 1000
RESTS = timedelta(hours=1)  # what was forecast so lately waits for the next run
NO_SIZE = Value(-1)
ELDERS_ASKED = 30  # of each kin, beside those that are forecast anyway
KEPT_AS_THEY_ARE = ("id", "entity", "metric", "marks_set_at")
READ_WITHIN = timedelta(days=LEARNT_DAYS)


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


def wanting(
    kind: Kind, metric: Metric, *, since: datetime | None, now: datetime
) -> QuerySet[Any]:  # Any: a kind's model
    """Return the things of a kind that want a forecast of a metric.

    With ``since`` that is everything not made since then; else what was read after it was
    forecast, or whose past was told then, or never was, or has other marks or another size
    by now.
    """
    way = WAYS[kind, metric]
    own = ThingForecast.objects.of_these_marks().filter(entity_id=OuterRef("pk"), metric=metric)
    if way.size is not None:
        own = own.annotate(size_before=Coalesce("size_amount", NO_SIZE)).filter(
            size_before=Coalesce(OuterRef(way.size), NO_SIZE)
        )
    if since is not None:
        stands = own.filter(made_at__gte=since)
    else:
        was_read = "read_at" if way.measure is None else "newest_read_at"
        stands = own.filter(
            Q(made_at__gte=OuterRef(was_read)) | Q(made_at__gte=now - RESTS)
        ).exclude(
            Exists(
                PastTold.objects.filter(
                    entity_id=OuterRef("entity_id"), told_at__gt=OuterRef("made_at")
                )
            )
        )
    return _living(way, now=now).filter(~Exists(stands)).order_by("pk")


def _living(way: Way, *, now: datetime) -> QuerySet[Any]:  # Any: a kind's model
    """Everything of a way that is there, of a measure what was read within what is learnt of."""
    living = way.model._default_manager.filter(entity__retired_at=None)
    if way.measure is None:
        return living
    told = MeasureReading.objects.filter(
        entity_id=OuterRef("pk"), measure=way.measure, day__gte=(now - READ_WITHIN).date()
    )
    newest = Subquery(told.order_by("-day").values("read_at")[:1])
    read: QuerySet[Any] = living.alias(newest_read_at=newest).filter(newest_read_at__isnull=False)
    return read


def forecast_range(
    kind: Kind,
    metric: Metric,
    *,
    first_id: int,
    last_id: int,
    since: datetime | None,
    now: datetime,
) -> int:
    """Make the forecasts of a metric of a range of one kind, all or none; return how many."""
    way = WAYS[kind, metric]
    found = wanting(kind, metric, since=since, now=now).filter(pk__gte=first_id, pk__lte=last_id)
    asked = _things(found, way=way, now=now)
    if not asked:
        return 0
    things, series = _with_elders(asked, way=way, metric=metric, now=now)
    made = made_of(series, subjects=_subjects(things, kind=kind, way=way, metric=metric), now=now)
    ids = {thing.id for thing in asked}
    stood = dict(
        ThingForecast.objects.filter(entity_id__in=ids, metric=metric).values_list(
            "entity_id", "attention"
        )
    )
    rows = [
        ThingForecast(
            entity_id=thing.id,
            metric=metric,
            kind=kind,
            size_amount=thing.size_bytes,
            **kept_fields(
                made,
                index=index,
                judgement=_judgement(
                    thing, way=way, metric=metric, index=index, made=made,
                    stood=stood.get(thing.id),
                ),
            ),
        )
        for index, thing in enumerate(things)
        if thing.id in ids
    ]  # fmt: skip
    keep(rows)
    return len(rows)


def _with_elders(
    asked: list[_Thing], *, way: Way, metric: Metric, now: datetime
) -> tuple[list[_Thing], Series]:
    """What was asked for, and for the young among it some elders of their kin, by id."""
    series = _series(asked, way=way, metric=metric, now=now)
    is_read = ~np.isnan(series.used_bytes)
    age = is_read.shape[1] - np.argmax(is_read, axis=1)
    is_young = is_read.any(axis=1) & (age <= YOUNG_DAYS)
    kin = {thing.kin for thing, young in zip(asked, is_young, strict=True) if young} - {None}
    if not kin:
        return asked, series
    rank = Window(RowNumber(), partition_by=F(way.kin), order_by=F("pk").asc())
    others = _living(way, now=now).exclude(pk__in=[thing.id for thing in asked])
    elders = others.filter(**{f"{way.kin}__in": kin}).alias(at=rank).filter(at__lte=ELDERS_ASKED)
    things = sorted([*asked, *_things(elders, way=way, now=now)], key=lambda thing: thing.id)
    return things, _series(things, way=way, metric=metric, now=now)


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
                if f.name not in KEPT_AS_THEY_ARE
            ],
        )


def _things(
    found: QuerySet[Any],  # Any: a kind's model
    *,
    way: Way,
    now: datetime,
) -> list[_Thing]:
    read_at = F("read_at") if way.measure is None else F("newest_read_at")
    rows = list(
        found.values_list(
            "pk", way.used or F("pk"), read_at, way.kin,
            *(f"{at}__{name}" for at in way.marks_from for name in FIELDS),
        )
    )  # fmt: skip
    ids = [row[0] for row in rows]
    sizes = way.sizes_of(ids)
    newest = {}
    if way.measure is not None:
        since = (now - READ_WITHIN).date()
        newest = newest_of(way.measure, entity_ids=ids, since=since)
    return [
        _Thing(
            id=pk,
            used_bytes=used if way.measure is None else newest[pk].amount,
            size_bytes=sizes.get(pk),
            kin=kin,
            read_at=read_at,
            marks=marks_of(*_by_level(own)),
        )
        for pk, used, read_at, kin, *own in rows
    ]


def _by_level(told: list[int | None]) -> list[Told]:
    return [tuple(told[at : at + len(FIELDS)]) for at in range(0, len(told), len(FIELDS))]


def _series(things: list[_Thing], *, way: Way, metric: Metric, now: datetime) -> Series:
    last_on = now.date()
    first_on = last_on - timedelta(days=LEARNT_DAYS - 1)
    ids = [thing.id for thing in things]
    return days_of(way, metric=metric, ids=ids, first_on=first_on, last_on=last_on)


def _subjects(things: list[_Thing], *, kind: Kind, way: Way, metric: Metric) -> Subjects:
    sizes = np.array(
        [NO_MARK if thing.size_bytes is None else thing.size_bytes for thing in things],
        dtype=np.int64,
    )
    has_size = sizes != NO_MARK

    def at(percent: Callable[[Marks], int]) -> Int64s:
        percents = np.array([percent(thing.marks) for thing in things], dtype=np.int64)
        return np.where(has_size, percent_of(np.where(has_size, sizes, 0), percents), NO_MARK)

    percents = percents_of(metric, way=way)
    return Subjects(
        ids=np.array([thing.id for thing in things], dtype=np.int64),
        marks={
            "caution": at(lambda marks: percents(marks)[0]),
            "limit": at(lambda marks: percents(marks)[1]),
            "full": sizes,
        },
        ceiling_bytes=np.where(has_size & way.ends_at_size, sizes, np.inf),
        kin=np.array([thing.kin or NO_KIN for thing in things], dtype=np.int64),
        widening=widening_known(kind, metric),
    )


def percents_of(metric: Metric, *, way: Way) -> Callable[[Marks], tuple[int, int]]:
    """Return what gives the caution and the limit mark of a metric, in percent of its size."""

    def told(marks: Marks) -> tuple[int, int]:
        if metric == Metric.PROVISIONED:
            return marks.overcommit_caution_percent, marks.overcommit_limit_percent
        return marks.caution_percent, way.limit_percent or marks.limit_percent

    return told


def _judgement(
    thing: _Thing, *, way: Way, metric: Metric, index: int, made: Made, stood: str | None
) -> Judgement:
    """Of what is promised nothing ends by itself: past its caution is caution, no more."""
    ledger, is_promise = thing.ledger, metric == Metric.PROVISIONED
    if ledger is not None and is_promise:
        ledger = replace(ledger, used_bytes=0, provisioned_bytes=ledger.used_bytes)
    elif ledger is not None and way.limit_percent is not None:
        ledger = replace(ledger, marks=replace(ledger.marks, limit_percent=way.limit_percent))
    return judgement_of(
        ledger,
        made=made,
        index=index,
        read_at=thing.read_at,
        stood=stood,
        without="it has no size to fill",
        has_end=not is_promise,
        word=way.word,
    )
