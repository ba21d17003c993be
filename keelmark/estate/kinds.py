"""Which document fills which table: the columns carry the names of the document's fields."""

from dataclasses import dataclass

import msgspec
from django.db.models import Model

from keelmark.estate import documents as told
from keelmark.estate import models
from keelmark.estate.errors import UnknownFactError
from keelmark.estate.models import Kind, Link

IDENTITY = {"uid", "name", "read_at", "also"}
PLACES = {"site"}  # by name, kept at the entity
CLASSES = {"service_class"}  # by name
LINKS: dict[str, type[Link]] = {
    "mapped_to": models.Mapping,
    "replicated_to": models.Replica,
    "backed_by": models.PoolBacking,
    "extents": models.Extent,
    "seen_by": models.Sight,
}


# What must lie in one of several, whichever is told first, and is not known without it.
HOMES: dict[Kind, tuple[str, ...]] = {
    Kind.POOL: ("array_uid", "cluster_uid"),
    Kind.VOLUME: ("pool_uid", "array_uid"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Reference:
    """A document's field that points at one other thing."""

    field: str  # pool_uid
    column: str  # pool_id
    kind: Kind | None  # None: any
    is_required: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class KindSpec:
    """How one kind is told of and kept."""

    kind: Kind
    document: type[told.Thing]
    model: type[Model]
    columns: tuple[str, ...]
    references: tuple[Reference, ...]
    links: dict[str, type[Link]]

    @property
    def has_class(self) -> bool:
        """Whether its documents name a service class."""
        return "service_class" in self.document.__struct_fields__

    @property
    def has_site(self) -> bool:
        """Whether its documents name a site."""
        return "site" in self.document.__struct_fields__


_KIND_OF_MODEL: dict[type[Model], Kind] = {
    models.Tenant: Kind.TENANT,
    models.Project: Kind.PROJECT,
    models.Array: Kind.ARRAY,
    models.Cluster: Kind.CLUSTER,
    models.Host: Kind.HOST,
    models.Port: Kind.PORT,
    models.Shelf: Kind.SHELF,
    models.Pool: Kind.POOL,
    models.Volume: Kind.VOLUME,
    models.Drive: Kind.DRIVE,
    models.HostDevice: Kind.HOST_DEVICE,
    models.Datastore: Kind.DATASTORE,
    models.VirtualMachine: Kind.VM,
    models.VirtualDisk: Kind.DISK,
    models.Snapshot: Kind.SNAPSHOT,
    models.File: Kind.FILE,
    models.Account: Kind.ACCOUNT,
    models.Bucket: Kind.BUCKET,
}
_DOCUMENTS = told.InventoryDocument.__args__


def _spec(document: type[told.Thing]) -> KindSpec:
    kind = Kind(str(document.__struct_config__.tag))
    model = next(m for m, k in _KIND_OF_MODEL.items() if k == kind)
    columns, references = [], []
    for field in msgspec.structs.fields(document):
        if field.name in IDENTITY | PLACES | CLASSES | LINKS.keys():
            continue
        if field.name.endswith("_uid"):
            references.append(_reference(model, field=field))
        else:
            columns.append(field.name)
    return KindSpec(
        kind=kind,
        document=document,
        model=model,
        columns=tuple(columns),
        references=tuple(references),
        links={n: link for n, link in LINKS.items() if n in document.__struct_fields__},
    )


def _reference(model: type[Model], *, field: msgspec.structs.FieldInfo) -> Reference:
    column = field.name.removesuffix("_uid")
    target = model._meta.get_field(column).related_model
    is_required = field.default is msgspec.NODEFAULT
    return Reference(
        field=field.name,
        column=f"{column}_id",
        kind=_KIND_OF_MODEL.get(target) if isinstance(target, type) else None,
        is_required=is_required,
    )


# Parents before children.
SPECS: dict[Kind, KindSpec] = {
    kind: next(s for s in map(_spec, _DOCUMENTS) if s.kind == kind)
    for kind in _KIND_OF_MODEL.values()
}


def spec_of(document: told.Thing) -> KindSpec:
    """Return how this document is kept."""
    return SPECS[Kind(str(document.__struct_config__.tag))]


def check_facts(kind: Kind, *, facts: dict[str, object]) -> dict[str, object]:
    """Return facts in their stored form; raise UnknownFactError at what this kind has not."""
    spec = SPECS[kind]
    fields = {f.name: f for f in msgspec.structs.fields(spec.document)}
    checked: dict[str, object] = {}
    for name, fact in facts.items():
        if name not in fields or name in IDENTITY:
            raise UnknownFactError(kind=kind, name=name, why="is no field of its document")
        try:
            checked[name] = msgspec.to_builtins(msgspec.convert(fact, fields[name].type))
        except msgspec.ValidationError as exc:
            raise UnknownFactError(kind=kind, name=name, why=f"is wrong: {exc}") from exc
    return checked


def references_of(document: told.Thing) -> list[tuple[Reference, str]]:
    """Return the references that this document holds, with the uids they want."""
    found = []
    for reference in spec_of(document).references:
        wanted = getattr(document, reference.field)
        if wanted is not None:
            found.append((reference, wanted))
    return found


def linked_uids(document: told.Thing) -> set[str]:
    """Return the uids in the link lists of this document."""
    uids: set[str] = set()
    for field in spec_of(document).links:
        for one in getattr(document, field) or ():
            uids.add(one if isinstance(one, str) else one.volume_uid)
    return uids
