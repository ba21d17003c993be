"""From which rows the columns of each kind are made: a query a kind."""

import hashlib
from dataclasses import dataclass, field
from typing import Any

from django.db.models import (
    BigIntegerField,
    Count,
    DateField,
    Expression,
    F,
    Func,
    Model,
    OuterRef,
    Q,
    QuerySet,
    Subquery,
    TextField,
    Value,
)
from django.db.models.expressions import Combinable
from django.db.models.functions import Cast, Coalesce

from keelmark.core.estate.kinds import KINDS, Measure
from keelmark.estate import models, sql
from keelmark.estate.marks import FIELDS

Rows = QuerySet[Any, Any]  # Any: rows of values of whatever model


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """The table of one kind: which path gives which column, and which link."""

    model: type[Model]
    paths: dict[str, str] = field(default_factory=dict)
    links: dict[str, str] = field(default_factory=dict)
    expressions: dict[str, Expression] = field(default_factory=dict)
    has_read_at: bool = True
    has_class: bool = False


def _last_run(method: str) -> Subquery:
    """When a thing was last protected well in one way."""
    runs = models.ProtectionRun.objects.filter(of=OuterRef("pk"), method=method, result="done")
    return Subquery(runs.order_by("-started_at").values("ended_at")[:1])


def _n_runs(method: str) -> Expression:
    """Of how many runs of one way anything is told, good ones and failed ones."""
    runs = models.ProtectionRun.objects.filter(of=OuterRef("pk"), method=method)
    counted = runs.order_by().values("of").annotate(n=Count("pk"))
    return Coalesce(Subquery(counted.values("n")), Value(0), output_field=BigIntegerField())


def _day(moment: Combinable) -> Expression:
    return Cast(moment, DateField())


def _minute(moment: Combinable) -> Expression:
    """A moment in whole minutes since 1970, for ages shorter than days."""
    return Func(moment, template=sql.MINUTE, output_field=BigIntegerField(null=True))


def _sides(*, lost_only: bool) -> Expression:
    """How many mirror sides a pool has; of those that are lost, a volume of it is nowhere."""
    backings = models.PoolBacking.objects.filter(pool=OuterRef("pk")).exclude(mirror_side="")
    if lost_only:
        backings = backings.filter(Q(target__isnull=True) | Q(target__retired_at__isnull=False))
    counted = backings.order_by().values("pool").annotate(n=Count("mirror_side", distinct=True))
    return Coalesce(Subquery(counted.values("n")), Value(0), output_field=BigIntegerField())


def _backed(part: str) -> Expression:
    """On which mirror side, or in which tier, a volume carries a shared pool."""
    backing = models.PoolBacking.objects.filter(target=OuterRef("pk")).exclude(**{part: ""})
    told = backing.order_by("pk").values(part)[:1]
    return Cast(Subquery(told), output_field=TextField(null=True))


def _tier_bytes(tier: str) -> Expression:
    """What a bucket holds in one tier; where nobody tells of tiers, nothing is known."""
    return Func(
        F("shares"), template=sql.TIER_BYTES, tier=tier, output_field=BigIntegerField(null=True)
    )


def _labels() -> Expression:
    return Func(F("labels"), template=sql.LABELS, output_field=TextField(null=True))


SOURCES: dict[str, Source] = {
    "site": Source(model=models.Site, has_read_at=False),
    "array": Source(
        model=models.Array,
        paths={"model": "model", "sustains": "sustainable_iops", "ports": "n_ports"},
    ),
    "pool": Source(
        model=models.Pool, has_class=True,
        paths={
            "size": "usable_bytes", "used": "used_bytes", "promised": "provisioned_bytes",
            "reserved": "thick_unwritten_bytes", "snapshots": "snapshot_bytes",
            "class": "service_class__name", "raid": "raid", "backing": "backing",
        },
        links={"array": "array_id", "cluster": "cluster_id"},
        expressions={"sides": _sides(lost_only=False), "lost_sides": _sides(lost_only=True)},
    ),
    "volume": Source(
        model=models.Volume,
        paths={
            "size": "size_bytes", "used": "written_bytes", "snapshots": "snapshot_bytes",
            "thickness": "provisioning", "access": "access", "workload": "workload",
            "mapped": "is_mapped", "encrypted": "is_encrypted", "compressed": "is_compressed",
            "deduplicated": "is_deduplicated", "io": "last_io_at",
            "min_iops": "qos_min_iops", "max_iops": "qos_max_iops",
        },
        links={"pool": "pool_id", "array": "array_id", "project": "project_id"},
        expressions={
            "labels": _labels(),
            "side": _backed("mirror_side"),
            "backs_tier": _backed("tier"),
            "copied": _day(_last_run("replication")),
            "copied_minute": _minute(_last_run("replication")),
        },
    ),
    "datastore": Source(
        model=models.Datastore,
        paths={
            "size": "size_bytes", "used": "used_bytes", "promised": "provisioned_bytes",
            "access": "kind", "policy": "policy",
        },
        links={"cluster": "cluster_id"},
        expressions={"labels": _labels()},
    ),
    "vm": Source(
        model=models.VirtualMachine,
        paths={
            "power": "power", "since": "power_since_at", "os": "os", "cpus": "n_cpus",
            "memory": "memory_bytes", "policy": "policy",
        },
        expressions={
            "labels": _labels(),
            "backup": _day(_last_run("backup")),
            "backed_up_minute": _minute(_last_run("backup")),
            "backup_runs": _n_runs("backup"),
        },
        links={"cluster": "cluster_id", "host": "host_id", "project": "project_id"},
    ),
    "disk": Source(
        model=models.VirtualDisk,
        paths={
            "size": "size_bytes", "used": "on_array_bytes", "inside": "inside_bytes",
            "unshared": "unshared_bytes", "thickness": "provisioning", "policy": "policy",
            "tier": "tier", "path": "path", "max_iops": "qos_max_iops",
        },
        links={"vm": "vm_id", "datastore": "datastore_id"},
        expressions={"labels": _labels()},
    ),
    "cluster": Source(model=models.Cluster),
    "host": Source(
        model=models.Host,
        paths={
            "health": "state", "cpus": "n_cpus", "memory": "memory_bytes",
            "errors": "n_network_errors",
        },
        links={"cluster": "cluster_id"},
    ),
    "port": Source(
        model=models.Port,
        paths={
            "controller": "controller", "protocol": "protocol", "up": "is_up",
            "logins": "n_logins", "speed": "speed_bits_per_second",
        },
        links={"array": "array_id"},
    ),
    "drive": Source(
        model=models.Drive,
        paths={"role": "role", "media": "media", "size": "capacity_bytes"},
        links={"array": "array_id", "pool": "pool_id", "host": "host_id"},
    ),
    "file": Source(
        model=models.File,
        paths={
            "category": "category", "orphan": "is_orphan", "changed": "changed_at",
            "size": "size_bytes",
        },
        links={"datastore": "datastore_id", "vm": "vm_id"},
    ),
    "snapshot": Source(
        model=models.Snapshot,
        paths={"taken": "taken_at", "used": "unshared_bytes"},
        expressions={"taken_minute": _minute(F("taken_at"))},
        links={"vm": "of_id", "volume": "of_id"},  # of either: the other leads nowhere
    ),
    "tenant": Source(model=models.Tenant, paths={"quota": "quota_bytes"}),
    "project": Source(
        model=models.Project, paths={"quota": "quota_bytes"}, links={"tenant": "tenant_id"}
    ),
    "account": Source(
        model=models.Account, paths={"quota": "quota_bytes"}, links={"tenant": "tenant_id"}
    ),
    "bucket": Source(
        model=models.Bucket,
        paths={"objects": "n_objects", "used": "used_bytes"},
        expressions={tier: _tier_bytes(tier) for tier in ("hot", "warm", "cold")},
        links={"account": "account_id", "project": "project_id"},
    ),
}  # fmt: skip
PAIR_SOURCES: dict[str, tuple[type[Model], str, str]] = {
    "extents": (models.Extent, "datastore_id", "target_id"),
    "backings": (models.PoolBacking, "pool_id", "target_id"),
    "replicas": (models.Replica, "volume_id", "target_id"),
    "seen_by": (models.Sight, "datastore_id", "target_id"),
}
_MEASURES = {(kind.name, one.name): one.measure for kind in KINDS.values() for one in kind.fields}
_DATED = (Measure.SINCE, Measure.UNTIL)


def rows_of(kind: str) -> Rows:
    """Return the query of a kind's rows; what it names is in its own order."""
    source = SOURCES[kind]
    entity = {
        "id": F("pk"),
        "named": F("entity__name"),
        "at_site": F("entity__site_id"),
        "of_tenant": F("entity__tenant_id"),
        "seen": Cast("entity__first_seen_at", DateField()),
        "retired": Cast("entity__retired_at", DateField()),
        "read": Cast("read_at" if source.has_read_at else "entity__last_seen_at", DateField()),
    }
    marks = {f"own_{name}": F(f"entity__{name}") for name in FIELDS}
    if source.has_class:
        marks |= {f"class_{name}": F(f"service_class__{name}") for name in FIELDS}
    links = {f"to_{name}": F(path) for name, path in source.links.items()}
    columns = {
        f"its_{name}": (
            Cast(path, DateField()) if _MEASURES.get((kind, name)) in _DATED else F(path)
        )
        for name, path in source.paths.items()
    } | {f"its_{name}": told for name, told in source.expressions.items()}
    told = {**entity, **marks, **links, **columns}
    aliases = {f"c_{name}": expression for name, expression in told.items()}
    found = source.model._default_manager.annotate(**aliases).order_by("pk")
    rows: Rows = found.values_list(*aliases)
    return rows


def column_names(query: Rows) -> list[str]:
    """Return the names of a query's columns as they are kept."""
    return [name.removeprefix("c_") for name in query.query.annotation_select]


def pairs_of(name: str) -> Rows:
    """Return the query of a relation: ids at both ends, those alone that are known."""
    model, left, right = PAIR_SOURCES[name]
    pairs: Rows = (
        model._default_manager.filter(Q(**{f"{right}__isnull": False}))
        .annotate(c_left=F(left), c_right=F(right))
        .order_by("pk")
        .values_list("c_left", "c_right")
    )
    return pairs


def _layout() -> str:
    """What tells the columns of two versions of this program apart."""
    told = {kind: (*one.paths, *one.expressions, *one.links) for kind, one in SOURCES.items()}
    return hashlib.sha256(repr((told, tuple(PAIR_SOURCES))).encode()).hexdigest()[:16]


LAYOUT = _layout()
