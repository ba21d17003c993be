"""Reads of the inventory."""

from collections.abc import Iterable

from django.contrib.auth.models import User
from django.db.models import F, IntegerField, Q, QuerySet, Value
from django.db.models.functions import Coalesce

from keelmark.access.selectors import sees_all, tenant_ids_of
from keelmark.core.ledger import DEFAULT_MARKS, Ledger, Marks, marks_in_order
from keelmark.estate.models import Entity, Finding, Kind, Pool, ServiceClass, Volume
from keelmark.estate.sift import Term

_SIFT_FIELDS = {
    "site": "entity__site__name",
    "array": "home__name",
    "class": "service_class__name",
}


def pools_for(actor: User, *, terms: list[Term] | None = None) -> QuerySet[Pool]:
    """Return the pools this person may see, with their marks, narrowed by a sift."""
    seen = Pool.objects.filter(entity__retired_at=None) if sees_all(actor) else Pool.objects.none()
    return sifted(with_marks(seen), terms=terms or [])


def entities_for(actor: User) -> QuerySet[Entity]:
    """Return the things this person may see: all, or what is of their own tenants."""
    if sees_all(actor):
        return Entity.objects.filter(retired_at=None)
    own = tenant_ids_of(actor)
    return Entity.objects.filter(retired_at=None).filter(Q(tenant__in=own) | Q(pk__in=own))


def tenants_for(actor: User) -> QuerySet[Entity]:
    """Return the tenants this person may see."""
    return entities_for(actor).filter(kind=Kind.TENANT).order_by("name", "pk")


def known_things() -> QuerySet[Entity]:
    """Return all things, for commands that are run where the database is."""
    return Entity.objects.filter(retired_at=None)


def findings_for(actor: User) -> QuerySet[Finding]:
    """Return the open findings this person may see, with their things."""
    return (
        Finding.objects.filter(ended_at=None, entity__in=entities_for(actor).values("pk"))
        .select_related("entity__site")
        .prefetch_related("others")
        .order_by("kind", "entity__name", "pk")
    )


def with_marks(pools: QuerySet[Pool]) -> QuerySet[Pool]:
    """Annotate the marks that hold: own, else class's, else site's, else the default."""
    resolved = {
        f"marks_{name}": Coalesce(
            F(f"entity__{name}"),
            F(f"service_class__{name}"),
            F(f"entity__site__{name}"),
            Value(default),
            output_field=IntegerField(),
        )
        for name, default in DEFAULT_MARKS.items()
    }
    return pools.select_related("entity__site", "service_class", "home").annotate(**resolved)


def sifted(pools: QuerySet[Pool], *, terms: list[Term]) -> QuerySet[Pool]:
    """Narrow pools: terms of one key are alternatives, keys and bare words all must hold."""
    for key, field in _SIFT_FIELDS.items():
        wanted = [t.text for t in terms if t.key == key and not t.is_excluding]
        unwanted = [t.text for t in terms if t.key == key and t.is_excluding]
        if wanted:
            pools = pools.filter(**{f"{field}__in": wanted})
        if unwanted:
            pools = pools.exclude(**{f"{field}__in": unwanted})
    for term in terms:
        if term.key is None:
            pools = _named_like(pools, term=term)
    return pools


def _named_like(pools: QuerySet[Pool], *, term: Term) -> QuerySet[Pool]:
    matches = (
        pools.filter(entity__name__icontains=term.text)
        | pools.filter(home__name__icontains=term.text)
        | pools.filter(entity__site__name__icontains=term.text)
    )
    return pools.exclude(pk__in=matches.values("pk")) if term.is_excluding else matches


def volumes_of(pool_id: int) -> QuerySet[Volume]:
    """Return the volumes of a pool that was found for its reader, largest written first."""
    return (
        Volume.objects.filter(pool_id=pool_id, entity__retired_at=None)
        .select_related("entity")
        .order_by(F("written_bytes").desc(nulls_last=True), "pk")
    )


def service_classes() -> QuerySet[ServiceClass]:
    """Return the classes on offer."""
    return ServiceClass.objects.all()


def marks_of(pool: Pool) -> Marks:
    """Return the marks of a pool read through :func:`with_marks`."""
    return marks_in_order(**{name: getattr(pool, f"marks_{name}") for name in DEFAULT_MARKS})


def homes_of(ids: Iterable[int]) -> dict[int, str]:
    """Return the array, or the cluster, that each pool among the things is of, by name.

    Pools are named alike on many arrays: by their own names alone nobody tells them apart.
    """
    return dict(
        Pool.objects.filter(pk__in=list(ids), home__isnull=False).values_list("pk", "home__name")
    )


def ledger_of(pool: Pool) -> Ledger:
    """Return the books of a pool read through :func:`with_marks`."""
    return Ledger(
        usable_bytes=pool.usable_bytes,
        used_bytes=pool.used_bytes,
        provisioned_bytes=pool.provisioned_bytes,
        reserved_bytes=pool.thick_unwritten_bytes,
        logical_written_bytes=pool.logical_written_bytes,
        marks=marks_of(pool),
    )


def pools_of(entity_ids: Iterable[int]) -> dict[int, int]:
    """Return by thing the pool whose page shows it: itself, or the one it is cut from."""
    ids = list(entity_ids)
    found = {pk: pk for pk in Pool.objects.filter(pk__in=ids).values_list("pk", flat=True)}
    return found | dict(Volume.objects.filter(pk__in=ids).values_list("pk", "pool_id"))
