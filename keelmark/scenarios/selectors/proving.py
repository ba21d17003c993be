"""Whether a step of a work order was carried out, by what has been read since."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final

from django.db.models import Count, Max, Min, Q

from keelmark.compliance.models import Promise, TierNaming, TierRevision
from keelmark.core.scenario.steps import StepKind
from keelmark.estate.allotments import standing_allotments
from keelmark.estate.models import (
    Account,
    Array,
    Bucket,
    Datastore,
    Entity,
    Host,
    Pool,
    Project,
    Replica,
    Sight,
    Tenant,
    VirtualDisk,
    VirtualMachine,
    Volume,
)
from keelmark.estate.models import Mapping as VolumeMapping
from keelmark.scenarios.models import WorkStep
from keelmark.scenarios.selectors.named import (
    brought,
    copy_of,
    made_since,
    since,
    subject_of,
    volume_of,
)

LIMIT_NAMES: Final = ("min_iops", "max_iops")


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """What was read of a step: whether it is as planned, when that was read, and what it says."""

    is_so: bool
    read_at: datetime | None = None
    says: str = ""
    made_ids: tuple[int, ...] = ()


def proof_of(step: WorkStep) -> Proof:
    """Return what the newest readings tell of a step."""
    return _PROOFS[StepKind(step.kind)](step)


def _array_added(step: WorkStep) -> Proof:
    found = Array.objects.filter(entity__in=made_since(step, "array")).first()
    if found is None:
        return Proof(is_so=False, says="no array of this name is read")
    site = found.entity.site
    is_there = site is not None and site.name == step.values["site"]
    says = f"it is read at {site.name if site else 'no site'}"
    return Proof(is_so=is_there, read_at=found.read_at, says=says, made_ids=(found.pk,))


def _pool_added(step: WorkStep) -> Proof:
    arrays = [step.values.get("array_id") or brought(step, "array")]
    found = Pool.objects.filter(entity__in=made_since(step, "pool"), array__in=arrays).first()
    if found is None:
        return Proof(is_so=False, says="no pool of this name is read on it")
    return _sized(step, size=found.usable_bytes, read_at=found.read_at, pk=found.pk)


def _volume_created(step: WorkStep) -> Proof:
    found = volume_of(step)
    if found is None:
        return Proof(is_so=False, says="no volume of this name is read on the pool")
    return _sized(step, size=found.size_bytes, read_at=found.read_at, pk=found.pk)


def _sized(step: WorkStep, *, size: int | None, read_at: datetime, pk: int | None = None) -> Proof:
    """Whether something is at least as large as planned: arrays round up to whole extents."""
    wanted = int(step.values["size_bytes"])
    told = "nobody tells its size" if size is None else f"its size is read as {size:,} bytes"
    return Proof(
        is_so=size is not None and size >= wanted, read_at=read_at, says=told,
        made_ids=() if pk is None else (pk,),
    )  # fmt: skip


def _volume_mapped(step: WorkStep) -> Proof:
    volume = volume_of(step)
    if volume is None:
        return Proof(is_so=False, says="no volume of this name is read on the pool")
    cluster = step.values.get("cluster_id")
    hosts = set(
        Host.objects.filter(cluster_id=cluster, entity__retired_at=None).values_list(
            "pk", flat=True
        )
    )
    seen = set(VolumeMapping.objects.filter(volume=volume).values_list("target_id", flat=True))
    left = set() if cluster in seen else hosts - seen
    names = ", ".join(
        Entity.objects.filter(pk__in=left).order_by("name").values_list("name", flat=True)[:5]
    )
    says = f"not mapped to {names}" if left else "mapped to all hosts of the cluster"
    return Proof(is_so=not left and bool(hosts), read_at=volume.read_at, says=says)


def _datastore_made(step: WorkStep) -> Proof:
    found = Datastore.objects.filter(
        entity__in=made_since(step, "datastore"), cluster_id=step.values.get("cluster_id")
    ).first()
    if found is None:
        return Proof(is_so=False, says="no datastore of this name is read for the cluster")
    n_hosts = Host.objects.filter(cluster=found.cluster, entity__retired_at=None).count()
    n_seen = Sight.objects.filter(datastore=found).count()
    told = _sized(step, size=found.size_bytes, read_at=found.read_at, pk=found.pk)
    if n_seen and n_seen < n_hosts:
        return Proof(is_so=False, read_at=found.read_at, says=f"{n_seen} of {n_hosts} hosts see it")
    return told


def _datastore_mounted(step: WorkStep) -> Proof:
    """Whether all hosts of the cluster are read as seeing it."""
    found = Datastore.objects.filter(pk=subject_of(step), entity__retired_at=None).first()
    if found is None:
        return _gone()
    hosts = Host.objects.filter(cluster_id=step.values["cluster_id"], entity__retired_at=None)
    seeing = Sight.objects.filter(datastore=found, target__in=hosts.values("pk"))
    n, n_hosts = seeing.values("target").distinct().count(), hosts.count()
    return Proof(
        is_so=0 < n_hosts == n, read_at=found.read_at, says=f"{n} of {n_hosts} hosts see it"
    )  # fmt: skip


def _vms_deployed(step: WorkStep) -> Proof:
    """So many VMs that came since, or bear the names, in the cluster."""
    values = step.values
    in_cluster = VirtualMachine.objects.filter(
        cluster_id=values.get("cluster_id"), entity__retired_at=None
    )
    came = in_cluster.filter(entity__first_seen_at__gte=since(step))
    is_it = Q(entity__name__in=values["names"])
    if "datastore" in values:
        is_it |= Q(disks__datastore__entity__name=values["datastore"])
    ids = sorted(set(came.filter(is_it).values_list("pk", flat=True)))
    newest = in_cluster.order_by("-read_at").values_list("read_at", flat=True).first()
    disks = VirtualDisk.objects.filter(vm__in=ids, entity__retired_at=None)
    return Proof(
        is_so=len(ids) >= int(values["n"]), read_at=newest,
        says=f"{len(ids)} of {values['n']} are read in the cluster",
        made_ids=(*ids, *disks.values_list("pk", flat=True)),
    )  # fmt: skip


def _hosts_added(step: WorkStep) -> Proof:
    hosts = Host.objects.filter(cluster_id=step.values.get("cluster_id"), entity__retired_at=None)
    came = hosts.filter(
        Q(entity__name__in=step.values["names"]) | Q(entity__first_seen_at__gte=since(step))
    )
    newest = hosts.order_by("-read_at").values_list("read_at", flat=True).first()
    n = came.count()
    return Proof(
        is_so=n >= int(step.values["n"]), read_at=newest,
        says=f"{n} of {step.values['n']} are read in the cluster",
    )  # fmt: skip


def _extended(step: WorkStep) -> Proof:
    subject = subject_of(step)
    if step.subject_kind == "pool":
        pool = Pool.objects.filter(pk=subject).first()
        return (
            _gone() if pool is None else _sized(step, size=pool.usable_bytes, read_at=pool.read_at)
        )
    model = Volume if step.subject_kind == "volume" else Datastore
    found: Any = model._default_manager.filter(pk=subject).first()
    return _gone() if found is None else _sized(step, size=found.size_bytes, read_at=found.read_at)


def _gone() -> Proof:
    return Proof(is_so=False, says="it is not known any more")


def _moved(step: WorkStep) -> Proof:
    is_volume = step.kind == StepKind.MOVE_VOLUME
    model, link = (Volume, "pool") if is_volume else (VirtualDisk, "datastore")
    found: Any = model._default_manager.filter(pk=step.subject_id).first()
    if found is None:
        return _gone()
    place = Entity.objects.filter(pk=getattr(found, f"{link}_id") or 0).first()
    name = place.name if place else "nowhere"
    is_there = place is not None and (
        place.pk == step.values.get("to_id") or place.name == step.values.get("to")
    )
    return Proof(
        is_so=is_there, read_at=found.read_at, says=f"it is read on {name}",
        made_ids=(found.pk,) if is_there else (),
    )  # fmt: skip


def _quota_set(step: WorkStep) -> Proof:
    for model in (Tenant, Project, Account):
        found: Any = model._default_manager.filter(pk=step.subject_id).first()
        if found is not None:
            is_so = found.quota_bytes == step.values["quota_bytes"]
            read_at = found.entity.last_seen_at
            says = "no quota is read" if found.quota_bytes is None else (
                f"its quota is read as {found.quota_bytes:,} bytes"
            )  # fmt: skip
            return Proof(is_so=is_so, read_at=read_at, says=says)
    return _gone()


def _mirrored(step: WorkStep) -> Proof:
    """Whether a volume is read as mirrored to another, or as mirrored no longer."""
    volume = Volume.objects.filter(pk=step.subject_id, entity__retired_at=None).first()
    if volume is None:
        return _gone()
    copy = copy_of(step)
    if copy is None and step.kind == StepKind.START_MIRROR:
        return Proof(is_so=False, says="the volume that mirrors it is not read")
    stands = copy is not None and Replica.objects.filter(volume=volume, target=copy.pk).exists()
    says = f"{'' if stands else 'not '}mirrored to {step.values['copy']}"
    is_so = stands == (step.kind == StepKind.START_MIRROR)
    return Proof(is_so=is_so, read_at=volume.read_at, says=says)


def _named(step: WorkStep) -> Proof:
    """Whether all that a tier or policy was planned for have it now, by their own names."""
    ids = [int(one) for one in step.values["ids"]]
    if step.kind == StepKind.NAME_TIER:
        given: Any = TierNaming.objects.filter(tier__name=step.values["tier"])
        given = given.filter(tier__retired_at=None)
    else:
        given = Promise.objects.filter(policy__name=step.values["policy"])
        given = given.filter(policy__retired_at=None)
    n, at = given.filter(entity_id__in=ids).aggregate(n=Count("pk"), at=Max("made_at")).values()
    return Proof(is_so=n == len(ids), read_at=at, says=f"{n} of {len(ids)} have it")


def _objects_put(step: WorkStep) -> Proof:
    """Whether a tier of a bucket holds as much more as was to come."""
    bucket = Bucket.objects.filter(pk=step.subject_id, entity__retired_at=None).first()
    if bucket is None:
        return _gone()
    tier, wanted = (
        step.values["object_tier"],
        int(step.values["was_bytes"]) + int(step.values["size_bytes"]),
    )
    held = sum(
        int(one["n_bytes"]) for one in bucket.shares or () if one.get("tier") == tier
    )  # fmt: skip
    return Proof(
        is_so=held >= wanted, read_at=bucket.read_at, says=f"{held:,} bytes are read in {tier}"
    )


def _allotted(step: WorkStep) -> Proof:
    """Whether a tenant has as much of a pool as was planned."""
    stands = standing_allotments().filter(
        entity=step.subject_id, tenant=step.values["tenant_id"]
    ).first()  # fmt: skip
    if stands is None:
        return Proof(is_so=False, says="it has no allotment of this pool")
    return Proof(
        is_so=stands.allotted_bytes >= int(step.values["allotted_bytes"]),
        read_at=stands.changed_at, says=f"{stands.allotted_bytes:,} bytes are allotted",
    )  # fmt: skip


def _resized(step: WorkStep) -> Proof:
    """Whether every disk is read as large as planned: those that grow at least, others at most."""
    sizes = {int(pk): int(size) for pk, size in zip(*_lists(step, "ids", "sizes"), strict=True)}
    is_shrunk = step.title[0].startswith("Shrink")
    disks = VirtualDisk.objects.filter(pk__in=sizes, entity__retired_at=None)
    read = list(disks.values_list("pk", "size_bytes", "read_at"))
    n = sum(
        size is not None and (size <= sizes[pk] if is_shrunk else size >= sizes[pk])
        for pk, size, _ in read
    )
    return Proof(
        is_so=n == len(sizes), read_at=min((at for _, _, at in read), default=None),
        says=f"{n} of {len(sizes)} are read at their size",
    )  # fmt: skip


def _snapshots_set(step: WorkStep) -> Proof:
    """Whether snapshots of every volume are read to be taken as often as planned."""
    ids = [int(pk) for pk in step.values["ids"]]
    volumes = Volume.objects.filter(pk__in=ids, entity__retired_at=None)
    often = volumes.filter(snapshot_every_minutes__lte=step.values["every_minutes"])
    n, read_at = often.count(), volumes.aggregate(at=Min("read_at"))["at"]
    return Proof(
        is_so=n == len(ids), read_at=read_at, says=f"of {n} of {len(ids)} they are taken so often"
    )


def _lists(step: WorkStep, *names: str) -> list[list[str]]:
    return [list(step.values[name]) for name in names]


def _tier_revised(step: WorkStep) -> Proof:
    """Whether a tier stands with the limits that were planned."""
    newest = TierRevision.objects.filter(
        tier__name=step.values["tier"], tier__retired_at=None
    ).order_by("-number").first()  # fmt: skip
    if newest is None:
        return Proof(is_so=False, says="no tier of this name stands")
    is_so = all(getattr(newest, name) == step.values[name] for name in LIMIT_NAMES)
    says = f"revision {newest.number}: {newest.min_iops:,} to {newest.max_iops:,}"
    return Proof(is_so=is_so, read_at=newest.made_at, says=says)


def _limited(step: WorkStep) -> Proof:
    """Whether a volume is read with the limits that were planned."""
    volume = Volume.objects.filter(pk=step.subject_id, entity__retired_at=None).first()
    if volume is None:
        return _gone()
    found = (volume.qos_min_iops, volume.qos_max_iops)
    says = " to ".join("unknown" if one is None else f"{one:,}" for one in found)
    is_so = found == tuple(step.values[name] for name in LIMIT_NAMES)
    return Proof(is_so=is_so, read_at=volume.read_at, says=f"its limits are read as {says}")


def _cloned(step: WorkStep) -> Proof:
    """Whether every clone is read on the pool of its volume."""
    values = step.values
    came = Volume.objects.filter(
        entity__retired_at=None, entity__name__in=values["names"], pool_id=values["pool_id"],
        entity__first_seen_at__gte=since(step),
    )  # fmt: skip
    pool = Pool.objects.filter(pk=values["pool_id"]).first()
    return Proof(
        is_so=came.count() >= int(values["n"]), read_at=pool.read_at if pool else None,
        says=f"{came.count()} of {values['n']} are read on the pool",
        made_ids=tuple(came.values_list("pk", flat=True)),
    )  # fmt: skip


def _removed(step: WorkStep) -> Proof:
    found = Entity.objects.filter(pk=step.subject_id or 0).first()
    if found is None or found.retired_at is not None:
        at = found.retired_at if found else None
        return Proof(is_so=True, read_at=at, says="it is not read any more")
    return Proof(is_so=False, read_at=found.last_seen_at, says="it is read still")


_PROOFS: Final[dict[StepKind, Callable[[WorkStep], Proof]]] = {
    StepKind.ADD_ARRAY: _array_added,
    StepKind.ADD_POOL: _pool_added,
    StepKind.EXTEND_POOL: _extended,
    StepKind.CREATE_VOLUME: _volume_created,
    StepKind.EXTEND_VOLUME: _extended,
    StepKind.PUT_OBJECTS: _objects_put,
    StepKind.CLONE_VOLUME: _cloned,
    StepKind.MAP_VOLUME: _volume_mapped,
    StepKind.MOVE_VOLUME: _moved,
    StepKind.MAKE_DATASTORE: _datastore_made,
    StepKind.EXTEND_DATASTORE: _extended,
    StepKind.MOUNT_DATASTORE: _datastore_mounted,
    StepKind.MOVE_DISK: _moved,
    StepKind.DEPLOY_VMS: _vms_deployed,
    StepKind.ADD_HOSTS: _hosts_added,
    StepKind.SET_QUOTA: _quota_set,
    StepKind.ALLOT: _allotted,
    StepKind.REVISE_TIER: _tier_revised,
    StepKind.SET_LIMITS: _limited,
    StepKind.RESIZE_DISKS: _resized,
    StepKind.SET_SNAPSHOTS: _snapshots_set,
    StepKind.START_MIRROR: _mirrored,
    StepKind.END_MIRROR: _mirrored,
    StepKind.NAME_TIER: _named,
    StepKind.PROMISE_POLICY: _named,
    StepKind.REMOVE: _removed,
}
