"""Works out where things stand and whose they are, from what they lie on."""

from collections.abc import Collection

from django.db.models import F, Model, OuterRef, Q, QuerySet, Subquery
from django.db.models.functions import Coalesce

from keelmark.estate import models
from keelmark.estate.kinds import SPECS
from keelmark.estate.models import Entity, Extent, Kind

# In this order: each takes its place from one that has its own already.
_SITE_PATHS: dict[Kind, tuple[type[Model], tuple[str, ...]]] = {
    Kind.PORT: (models.Port, ("array__entity__site",)),
    Kind.SHELF: (models.Shelf, ("array__entity__site",)),
    Kind.HOST: (models.Host, ("entity__site", "cluster__entity__site")),
    Kind.POOL: (models.Pool, ("home__site",)),
    Kind.DRIVE: (models.Drive, ("array__entity__site", "host__entity__site")),
    Kind.VOLUME: (models.Volume, ("pool__entity__site", "array__entity__site")),
    Kind.HOST_DEVICE: (models.HostDevice, ("host__entity__site",)),
    Kind.DATASTORE: (models.Datastore, ("cluster__entity__site",)),
    Kind.VM: (models.VirtualMachine, ("host__entity__site", "cluster__entity__site")),
    Kind.DISK: (models.VirtualDisk, ("vm__entity__site",)),
    Kind.FILE: (models.File, ("datastore__entity__site",)),
    Kind.BUCKET: (models.Bucket, ("account__entity__site",)),
    Kind.SNAPSHOT: (models.Snapshot, ("of__site",)),
}
_TENANT_PATHS: dict[Kind, tuple[type[Model], tuple[str, ...]]] = {
    Kind.PROJECT: (models.Project, ("tenant__entity",)),
    Kind.VOLUME: (models.Volume, ("project__tenant__entity",)),
    Kind.VM: (models.VirtualMachine, ("project__tenant__entity",)),
    Kind.DISK: (models.VirtualDisk, ("vm__project__tenant__entity",)),
    Kind.FILE: (models.File, ("vm__project__tenant__entity",)),
    Kind.ACCOUNT: (models.Account, ("tenant__entity",)),
    Kind.BUCKET: (models.Bucket, ("project__tenant__entity", "account__tenant__entity")),
    Kind.SNAPSHOT: (models.Snapshot, ("of__tenant",)),
}
_KIND_OF = {spec.model: kind for kind, spec in SPECS.items()}
# What takes its place from a thing of a kind, as the reference that it has to it.
_DEPENDENTS: dict[Kind, tuple[tuple[type[Model], str], ...]] = {
    Kind.TENANT: ((models.Project, "tenant"), (models.Account, "tenant")),
    Kind.PROJECT: (
        (models.Volume, "project"), (models.VirtualMachine, "project"), (models.Bucket, "project"),
    ),
    Kind.ARRAY: (
        (models.Port, "array"), (models.Shelf, "array"), (models.Drive, "array"),
        (models.Pool, "array"), (models.Volume, "array"),
    ),
    Kind.CLUSTER: (
        (models.Host, "cluster"), (models.Pool, "cluster"), (models.Datastore, "cluster"),
        (models.VirtualMachine, "cluster"),
    ),
    Kind.HOST: (
        (models.HostDevice, "host"), (models.VirtualMachine, "host"), (models.Drive, "host"),
    ),
    Kind.POOL: ((models.Volume, "pool"),),
    Kind.DATASTORE: ((models.File, "datastore"),),
    Kind.VM: (
        (models.VirtualDisk, "vm"), (models.File, "vm"), (models.Snapshot, "of"),
    ),
    Kind.VOLUME: ((models.Snapshot, "of"),),
    Kind.ACCOUNT: ((models.Bucket, "account"),),
}  # fmt: skip


def settle_places(*, moved: dict[Kind, set[int]]) -> None:
    """Bring site and tenant of moved things up to date, and of all that hangs on them."""
    only = _with_what_hangs_on(moved)
    for kind, (model, paths) in _SITE_PATHS.items():
        if ids := only.get(kind):
            _settle(kind, model=model, paths=paths, column="site", only=ids)
    if stores := only.get(Kind.DATASTORE):
        _datastores_by_extent(stores)
    for kind, (model, paths) in _TENANT_PATHS.items():
        if ids := only.get(kind):
            _settle(kind, model=model, paths=paths, column="tenant", only=ids)


def _with_what_hangs_on(moved: dict[Kind, set[int]]) -> dict[Kind, set[int]]:
    found = {kind: set(ids) for kind, ids in moved.items() if ids}
    waiting = {kind: set(ids) for kind, ids in found.items()}
    while waiting:
        kind, ids = waiting.popitem()
        for model, reference in _DEPENDENTS.get(kind, ()):
            own = _KIND_OF[model]
            rows = model._default_manager.filter(**{f"{reference}__in": ids})
            below = set(rows.values_list("pk", flat=True)) - found.get(own, set())
            if below:
                found.setdefault(own, set()).update(below)
                waiting.setdefault(own, set()).update(below)
    return found


def _settle(
    kind: Kind,
    *,
    model: type[Model],
    paths: tuple[str, ...],
    column: str,
    only: Collection[int],
) -> None:
    place = Coalesce(*(F(path) for path in paths)) if len(paths) > 1 else F(paths[0])
    wanted = Subquery(
        model._default_manager.filter(pk=OuterRef("pk")).order_by().values(found=place)[:1]
    )
    things = Entity.objects.filter(kind=kind, pk__in=only)
    _update_differing(things.alias(wanted=wanted), column=column, wanted=wanted)


def _update_differing(things: QuerySet[Entity], *, column: str, wanted: Subquery) -> None:
    differing = (
        ~Q(**{column: F("wanted")})
        | Q(**{f"{column}__isnull": True, "wanted__isnull": False})
        | Q(**{f"{column}__isnull": False, "wanted__isnull": True})
    )
    pks = list(things.filter(differing).values_list("pk", flat=True))
    if pks:
        Entity.objects.filter(pk__in=pks).update(**{column: wanted})


def _datastores_by_extent(only: Collection[int]) -> None:
    """A datastore that no cluster claims stands where its first volume stands."""
    wanted = Subquery(
        Extent.objects.filter(datastore=OuterRef("pk"), target__isnull=False)
        .order_by("pk")
        .values("target__site")[:1]
    )
    things = Entity.objects.filter(kind=Kind.DATASTORE, as_datastore__cluster=None, pk__in=only)
    _update_differing(things.alias(wanted=wanted), column="site", wanted=wanted)
