"""Writes the marks of things, classes and sites."""

from collections.abc import Collection

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q

from keelmark.access.clock import now
from keelmark.access.services.audit import audit
from keelmark.access.versions import check_version
from keelmark.core.marks import MARK_PAIRS
from keelmark.estate import selectors as estate
from keelmark.estate.marks import FIELDS, Level, facts_of, holding, levels_of
from keelmark.estate.models import Datastore, Entity, Pool, ServiceClass
from keelmark.feeds.services.schedule import ask_refresh
from keelmark.forecasts.errors import MarksOutOfOrderError, NoSuchLevelError
from keelmark.forecasts.models import KeptForecast

SET_MARKS = "set marks"
OF_CLASSES = "service class"


@transaction.atomic
def set_marks(
    *,
    actor: User,
    entity_id: int,
    marks: dict[str, int | None],
    level: str = "own",
    seen_version: str | None = None,
) -> Entity:
    """Set what is given of the marks of a thing, its class or its site; None takes one away.

    Raise MarksOutOfOrderError unless each caution mark that holds there then is below its
    limit mark, NoSuchLevelError where the thing has no such class or site.
    """
    found = estate.entities_for(actor).select_related("site")
    entity = found.select_for_update(of=("self",)).get(pk=entity_id)
    levels = levels_of(entity)
    at = next((n for n, known in enumerate(levels) if known.name == level), None)
    if at is None:
        raise NoSuchLevelError(level=level, kind=str(entity.kind), name=entity.name)
    # Whoever sets the same marks waits, and is then told what stands.
    holder = levels[at].holder
    type(holder)._default_manager.select_for_update().get(pk=holder.pk)
    holder.refresh_from_db()
    check_version(seen_version, facts=facts_of(levels))
    before = levels[at].told
    for name, amount in marks.items():
        setattr(holder, name, amount)
    _check_order(holding([known.holder for known in levels[at:]]))
    holder.save(update_fields=list(FIELDS))
    KeptForecast.objects.filter(_bears_on(levels[at])).update(marks_set_at=now())
    audit(actor, action=SET_MARKS, kind=_kind(holder), subject_id=holder.pk,
          name=holder.name, before=before, after=levels[at].told)  # fmt: skip
    ask_refresh()
    return entity


def hold_anew(place_ids: Collection[int]) -> None:
    """Have the dates of pools and datastores made anew, and of all that they are parts of."""
    pools = Pool.objects.filter(pk__in=place_ids)
    stores = Datastore.objects.filter(pk__in=place_ids)
    above = {
        *pools.values_list("array_id", flat=True), *pools.values_list("entity__site", flat=True),
        *stores.values_list("cluster_id", flat=True),
    }  # fmt: skip
    touched = {*place_ids, *(pk for pk in above if pk is not None)}
    KeptForecast.objects.filter(entity__in=touched).update(marks_set_at=now())
    ask_refresh()


def _check_order(holds: dict[str, int]) -> None:
    for caution, limit in MARK_PAIRS:
        if holds[caution] >= holds[limit]:
            raise MarksOutOfOrderError(
                field=caution, caution_percent=holds[caution], limit_percent=holds[limit]
            )


def _bears_on(level: Level) -> Q:
    if isinstance(level.holder, ServiceClass):
        return Q(entity__as_pool__service_class=level.holder)
    return Q(entity=level.holder) | Q(entity__site=level.holder)


def _kind(holder: Entity | ServiceClass) -> str:
    return OF_CLASSES if isinstance(holder, ServiceClass) else str(holder.kind)
