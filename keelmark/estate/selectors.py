"""Reads of the inventory."""

from collections.abc import Iterable
from functools import reduce
from operator import or_

from django.contrib.auth.models import User
from django.db.models import F, Q, QuerySet
from django.db.models.functions import Coalesce

from keelmark.access.models import Role
from keelmark.access.selectors import role_of, sees_all, tenant_ids_of
from keelmark.core.ledger import Ledger
from keelmark.estate.marks import levels_of_pool, nearest_marks
from keelmark.estate.models import Entity, Finding, Kind, Note, Pool, ServiceClass, Volume
from keelmark.estate.sift import EVERYTHING, Sift, found_among, ids_found, words_match


def pools_for(actor: User, *, sift: Sift = EVERYTHING) -> QuerySet[Pool]:
    """Return the pools this person may see, with their marks, narrowed by a sift."""
    seen = Pool.objects.filter(entity__retired_at=None) if sees_all(actor) else Pool.objects.none()
    if not sift.is_everything:
        seen = seen.filter(pk__in=ids_found(actor, kind=Kind.POOL, sift=sift))
    return with_marks(seen)


def entities_for(actor: User) -> QuerySet[Entity]:
    """Return the things this person may see: all, or what is of their own tenants."""
    return things_ever_for(actor).filter(retired_at=None)


def things_ever_for(actor: User) -> QuerySet[Entity]:
    """Return the things this person may see, those that are gone too: for chains and history."""
    if sees_all(actor):
        return Entity.objects.all()
    own = tenant_ids_of(actor)
    return Entity.objects.filter(Q(tenant__in=own) | Q(pk__in=own))


def tenants_for(actor: User) -> QuerySet[Entity]:
    """Return the tenants this person may see."""
    return entities_for(actor).filter(kind=Kind.TENANT).order_by("name", "pk")


def known_things() -> QuerySet[Entity]:
    """Return all things, for commands that are run where the database is."""
    return Entity.objects.filter(retired_at=None)


def things_ever() -> QuerySet[Entity]:
    """Return all things, those that are gone too, for the same."""
    return Entity.objects.all()


def findings_for(actor: User, *, sift: Sift = EVERYTHING, text: str = "") -> QuerySet[Finding]:
    """Return the open findings this person may see in a scope, with their things.

    A free word may stand in what a finding says, too.
    """
    found = Finding.objects.filter(ended_at=None, entity__in=entities_for(actor).values("pk"))
    if sift.words is not None:
        found = found.filter(words_match(sift, fields=_FINDING_WORDS))
    else:
        kinds = found.order_by().values_list("entity__kind", flat=True).distinct()
        among = found_among(actor, kinds=list(kinds), sift=sift)
        found = found.filter(entity__in=[pk for ids in among.values() for pk in ids])
    if text:
        found = found.filter(reduce(or_, (Q(**{f"{p}__icontains": text}) for p in _FINDING_WORDS)))
    return (
        found.select_related("entity__site")
        .prefetch_related("others")
        .order_by("kind", "entity__name", "pk")
    )


def notes_of(actor: User, *, entity: Entity) -> QuerySet[Note]:
    """Return what was written down of a thing found for its reader, the newest first.

    Notes are among those who look after the estate: tenant viewers read none.
    """
    return _notes_for(actor).filter(of=entity, dropped_at=None)


def note_for(actor: User, *, note_id: int, is_dropped: bool = False) -> Note | None:
    """Return a note that this person may read, or one that was dropped."""
    return _notes_for(actor).filter(pk=note_id, dropped_at__isnull=not is_dropped).first()


def may_write_note(actor: User, *, note: Note) -> bool:
    """Whether a note is this person's to change: their own, or they administer all."""
    return note.author_id == actor.pk or role_of(actor) == Role.ADMINISTRATOR


def _notes_for(actor: User) -> QuerySet[Note]:
    return Note.objects.all() if sees_all(actor) else Note.objects.none()


_FINDING_WORDS = ("entity__name", "detail", "entity__site__name")


def with_marks(pools: QuerySet[Pool]) -> QuerySet[Pool]:
    """Read pools with whoever may hold their marks, and with their homes."""
    return pools.select_related("entity__site", "service_class", "home")


UNTOLD = -1  # what is not told stands below all that is


def volumes_of(pool_id: int) -> QuerySet[Volume]:
    """Return the volumes of a pool that was found for its reader, with what they are ordered by."""
    return (
        Volume.objects.filter(pool_id=pool_id, entity__retired_at=None)
        .select_related("entity")
        .annotate(
            name=F("entity__name"),
            size=F("size_bytes"),
            written=Coalesce("written_bytes", UNTOLD),
        )
    )


def service_classes() -> QuerySet[ServiceClass]:
    """Return the classes on offer."""
    return ServiceClass.objects.all()


def homes_of(ids: Iterable[int]) -> dict[int, str]:
    """Return the array, or the cluster, that each pool among the things is of, by name.

    Pools are named alike on many arrays: by their own names alone nobody tells them apart.
    """
    return dict(
        Pool.objects.filter(pk__in=list(ids), home__isnull=False).values_list("pk", "home__name")
    )


def ledger_of(pool: Pool, *, held_bytes: int = 0) -> Ledger:
    """Return the books of a pool read through :func:`with_marks`, with what is held of it."""
    return Ledger(
        usable_bytes=pool.usable_bytes,
        used_bytes=pool.used_bytes,
        provisioned_bytes=pool.provisioned_bytes,
        reserved_bytes=pool.thick_unwritten_bytes + held_bytes,
        held_bytes=held_bytes,
        logical_written_bytes=pool.logical_written_bytes,
        marks=nearest_marks(pool.entity, levels=levels_of_pool(pool)),
    )


def pools_of(entity_ids: Iterable[int]) -> dict[int, int]:
    """Return by thing the pool whose page shows it: itself, or the one it is cut from."""
    ids = list(entity_ids)
    found = {pk: pk for pk in Pool.objects.filter(pk__in=ids).values_list("pk", flat=True)}
    cut = Volume.objects.filter(pk__in=ids, pool__isnull=False)
    return found | dict(cut.values_list("pk", "pool_id"))
