"""What stores: arrays with their ports, shelves and drives; pools; volumes."""

from typing import ClassVar

from django.db import models
from django.db.models import Q

from keelmark.estate.models.entity import (
    MAX_NAME,
    MAX_TEXT,
    Entity,
    KindTable,
    ReadTable,
    ServiceClass,
)


class Array(KindTable):
    model = models.CharField(max_length=MAX_TEXT, default="")
    n_controllers = models.PositiveIntegerField(null=True)
    n_ports = models.PositiveIntegerField(null=True)
    sustainable_iops = models.BigIntegerField(null=True)
    sustainable_bytes_per_second = models.BigIntegerField(null=True)
    read_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]


class Port(ReadTable):
    array = models.ForeignKey(Array, on_delete=models.CASCADE, related_name="ports")
    controller = models.CharField(max_length=MAX_NAME, default="")
    protocol = models.CharField(max_length=MAX_NAME, default="")
    speed_bits_per_second = models.BigIntegerField(null=True)
    is_up = models.BooleanField(null=True)
    n_logins = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ["pk"]


class Shelf(ReadTable):
    array = models.ForeignKey(Array, on_delete=models.CASCADE, related_name="shelves")
    n_bays = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ["pk"]


class Pool(ReadTable):
    """A pool and its books at `read_at`; a shared pool belongs to a cluster, not to an array."""

    array = models.ForeignKey(Array, on_delete=models.PROTECT, null=True, related_name="pools")
    cluster = models.ForeignKey(
        "estate.Cluster", on_delete=models.PROTECT, null=True, related_name="pools"
    )
    home = models.ForeignKey(Entity, on_delete=models.PROTECT, related_name="+")  # either
    service_class = models.ForeignKey(ServiceClass, on_delete=models.PROTECT, null=True)
    usable_bytes = models.BigIntegerField()
    used_bytes = models.BigIntegerField()
    provisioned_bytes = models.BigIntegerField(null=True)
    logical_written_bytes = models.BigIntegerField(null=True)
    snapshot_bytes = models.BigIntegerField(null=True)
    thick_unwritten_bytes = models.BigIntegerField(default=0)
    backing = models.CharField(max_length=20, default="")
    raid = models.CharField(max_length=MAX_NAME, default="")

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                name="pool_bytes_not_negative",
                condition=Q(usable_bytes__gte=0)
                & Q(used_bytes__gte=0)
                & Q(thick_unwritten_bytes__gte=0),
            ),
            models.CheckConstraint(
                name="pool_has_one_home",
                condition=Q(array__isnull=False, cluster__isnull=True)
                | Q(array__isnull=True, cluster__isnull=False),
            ),
        ]


class Volume(ReadTable):
    class Provisioning(models.TextChoices):
        THIN = "thin"
        THICK = "thick"

    pool = models.ForeignKey(Pool, on_delete=models.PROTECT, null=True, related_name="volumes")
    array = models.ForeignKey(Array, on_delete=models.PROTECT, null=True, related_name="+")
    project = models.ForeignKey("estate.Project", on_delete=models.SET_NULL, null=True)
    size_bytes = models.BigIntegerField()
    written_bytes = models.BigIntegerField(null=True)
    logical_written_bytes = models.BigIntegerField(null=True)
    snapshot_bytes = models.BigIntegerField(null=True)
    provisioning = models.CharField(  # noqa: DJ001  # null: not told
        max_length=5, choices=Provisioning.choices, null=True
    )
    access = models.CharField(max_length=5, default="")
    is_mapped = models.BooleanField(null=True)
    is_encrypted = models.BooleanField(null=True)
    is_compressed = models.BooleanField(null=True)
    is_deduplicated = models.BooleanField(null=True)
    workload = models.CharField(max_length=MAX_TEXT, default="")
    last_io_at = models.DateTimeField(null=True)
    labels = models.JSONField(null=True)  # ["name:value", …]
    qos_min_iops = models.BigIntegerField(null=True)
    qos_max_iops = models.BigIntegerField(null=True)
    rpo_seconds = models.BigIntegerField(null=True)
    snapshot_every_minutes = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(name="volume_size_not_negative", condition=Q(size_bytes__gte=0)),
            models.CheckConstraint(
                name="volume_lies_somewhere",
                condition=Q(pool__isnull=False) | Q(array__isnull=False),
            ),
        ]


class Drive(ReadTable):
    array = models.ForeignKey(Array, on_delete=models.PROTECT, null=True, related_name="drives")
    host = models.ForeignKey(
        "estate.Host", on_delete=models.PROTECT, null=True, related_name="drives"
    )
    shelf = models.ForeignKey(Shelf, on_delete=models.SET_NULL, null=True, related_name="drives")
    pool = models.ForeignKey(Pool, on_delete=models.PROTECT, null=True, related_name="drives")
    capacity_bytes = models.BigIntegerField()
    role = models.CharField(max_length=10)
    media = models.CharField(max_length=5, null=True)  # noqa: DJ001  # null: not told

    class Meta:
        ordering = ["pk"]


class Link(models.Model):
    """One end knows the other by a uid; `target` stays null until that is met."""

    wanted_uid = models.CharField(max_length=400, db_index=True)
    target = models.ForeignKey(
        "estate.Entity", on_delete=models.SET_NULL, null=True, related_name="+"
    )

    OWNER: ClassVar[str]

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return f"{type(self).__name__} to {self.wanted_uid}"


class VolumeLink(Link):
    """A link of a volume, which each of its kinds names from the other side."""

    OWNER = "volume"

    class Meta:
        abstract = True
        ordering = ["volume", "wanted_uid", "pk"]
        constraints = [
            models.UniqueConstraint(name="one_%(class)s", fields=["volume", "wanted_uid"]),
        ]


class Mapping(VolumeLink):
    """A volume may be seen by a host or a cluster."""

    volume = models.ForeignKey(Volume, on_delete=models.CASCADE, related_name="mappings")


class Replica(VolumeLink):
    """A volume is replicated to another."""

    volume = models.ForeignKey(Volume, on_delete=models.CASCADE, related_name="replicas")


class PoolBacking(Link):
    """A volume carries a shared pool, on one mirror side and in one tier."""

    OWNER = "pool"
    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="backings")
    mirror_side = models.CharField(max_length=MAX_NAME, default="")
    tier = models.CharField(max_length=MAX_NAME, default="")

    class Meta:
        ordering = ["pool", "mirror_side", "wanted_uid", "pk"]
        constraints = [
            models.UniqueConstraint(name="one_backing", fields=["pool", "wanted_uid"]),
        ]
