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
from keelmark.core.attention import Fill, Judgement
from keelmark.core.forecast.engine import YOUNG_DAYS
from keelmark.core.forecast.kin import NO_KIN
from keelmark.core.marks import Marks
from keelmark.core.units import percent_of
from keelmark.estate.marks import CLASS_PATH, FIELDS, marks_of
from keelmark.estate.models import Kind
from keelmark.feeds.selectors import allowed_ages
from keelmark.forecasts.definitions.horizon import ALLOWED_AGE, LEARNT_DAYS, NO_MARK
from keelmark.forecasts.definitions.ways import WAYS, Way, days_of, percents_of
from keelmark.forecasts.making.made import Made, Subjects, judgement_of, kept_fields, made_of
from keelmark.forecasts.making.record import widening_known
from keelmark.forecasts.marks.history import Holders, MarksThen
from keelmark.forecasts.models import KeptForecast, Metric
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
    amount: int | None
    size: int | None
    kin: int | None
    read_at: datetime
    marks: Marks
    holders: Holders

    @property
    def fill(self) -> Fill | None:
        """How full it is, None where it has no size to fill or was not read."""
        if self.size is None or self.amount is None:
            return None
        return Fill(size=self.size, amount=self.amount, marks=self.marks)


def wanting(
    kind: Kind, metric: Metric, *, since: datetime | None, now: datetime
) -> QuerySet[Any]:  # Any: a kind's model
    """Return the things of a kind that want a forecast of a metric.

    With ``since`` that is everything not made since then; else what was read after it was
    forecast, or whose past was told then, or never was, or has other marks or another size
    by now.
    """
    way = WAYS[kind, metric]
    own = KeptForecast.objects.of_these_marks().filter(entity_id=OuterRef("pk"), metric=metric)
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
    made = made_of(
        series,
        subjects=_subjects(things, kind=kind, way=way, metric=metric, series=series),
        now=now,
    )
    ids = {thing.id for thing in asked}
    ages = allowed_ages(ids)
    stood = dict(
        KeptForecast.objects.filter(entity_id__in=ids, metric=metric).values_list(
            "entity_id", "attention"
        )
    )
    rows = [
        KeptForecast(
            entity_id=thing.id,
            metric=metric,
            kind=kind,
            size_amount=thing.size,
            **kept_fields(
                made,
                index=index,
                judgement=_judgement(
                    thing, way=way, metric=metric, index=index, made=made,
                    allowed=ages.get(thing.id, ALLOWED_AGE), stood=stood.get(thing.id),
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


def keep(rows: list[KeptForecast]) -> None:
    """Put the forecasts in the place of those that stand, all or none."""
    with transaction.atomic():
        KeptForecast.objects.bulk_create(
            rows,
            batch_size=BATCH_ROWS,
            update_conflicts=True,
            unique_fields=["entity", "metric"],
            update_fields=[
                f.name for f in KeptForecast._meta.concrete_fields if f.name not in KEPT_AS_THEY_ARE
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
            *(f"{at}__{name}" for at in way.marks_from for name in ("pk", *FIELDS)),
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
            amount=used if way.measure is None else newest[pk].amount,
            size=sizes.get(pk),
            kin=kin,
            read_at=read_at,
            marks=marks_of(*(told for _, told in holders)),
            holders=holders,
        )
        for pk, used, read_at, kin, *own in rows
        for holders in [_holders(own, way=way)]
    ]


def _holders(columns: list[int | None], *, way: Way) -> Holders:
    """Who may hold marks of a thing, and which: their own key first, then FIELDS."""
    n = 1 + len(FIELDS)
    return [
        ((path == CLASS_PATH, pk), tuple(columns[at * n + 1 : (at + 1) * n]))
        for at, path in enumerate(way.marks_from)
        if (pk := columns[at * n]) is not None
    ]


def _series(things: list[_Thing], *, way: Way, metric: Metric, now: datetime) -> Series:
    last_on = now.date()
    first_on = last_on - timedelta(days=LEARNT_DAYS - 1)
    ids = [thing.id for thing in things]
    return days_of(way, metric=metric, ids=ids, first_on=first_on, last_on=last_on)


def _subjects(
    things: list[_Thing], *, kind: Kind, way: Way, metric: Metric, series: Series
) -> Subjects:
    sizes = np.array([_mark(thing.size) for thing in things], dtype=np.int64)
    has_size = np.array([thing.size is not None for thing in things])

    def at(percent: Callable[[Marks], int]) -> Int64s:
        # Whole numbers of any size, cut where 64 bits would wrap: nothing ever stands there.
        return np.array(
            [
                _mark(None if x.size is None else percent_of(x.size, percent(x.marks)))
                for x in things
            ],
            dtype=np.int64,
        )

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
        marks_then=MarksThen.since(series.first_on, n_days=LEARNT_DAYS).shares(
            [thing.holders for thing in things], percent=lambda marks: percents(marks)[1]
        ),
        widening=widening_known(kind, metric),
    )


def _mark(amount: int | None) -> int:
    return NO_MARK if amount is None else min(amount, NO_MARK)


def _judgement(
    thing: _Thing,
    *,
    way: Way,
    metric: Metric,
    index: int,
    made: Made,
    allowed: timedelta,
    stood: str | None,
) -> Judgement:
    """Of what is promised nothing ends by itself: past its caution is caution, no more."""
    fill, is_promise = thing.fill, metric == Metric.PROVISIONED
    if fill is not None and is_promise:
        fill = replace(fill, amount=0, promised=fill.amount)
    elif fill is not None and way.limit_percent is not None:
        fill = replace(fill, marks=replace(fill.marks, limit_percent=way.limit_percent))
    return judgement_of(
        fill,
        made=made,
        index=index,
        read_at=thing.read_at,
        allowed=allowed,
        stood=stood,
        without="it was never read" if thing.amount is None else "it has no size to fill",
        was_read=thing.amount is not None,
        has_end=not is_promise,
        word=way.word,
    )
