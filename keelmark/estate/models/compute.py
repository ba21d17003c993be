"""What consumes: clusters, hosts, datastores, VMs and their disks, snapshots, files."""

from django.db import models

from keelmark.estate.models.entity import MAX_NAME, MAX_TEXT, Entity, ReadTable
from keelmark.estate.models.storage import Link, Volume


class Tenant(ReadTable):
    quota_bytes = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["pk"]


class Project(ReadTable):
    tenant = models.ForeignKey(Tenant, on_delete=models.PROTECT, related_name="projects")
    quota_bytes = models.BigIntegerField(null=True)
    quota_vms = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["pk"]


class Cluster(ReadTable):
    class Meta:
        ordering = ["pk"]


class Host(ReadTable):
    cluster = models.ForeignKey(Cluster, on_delete=models.SET_NULL, null=True, related_name="hosts")
    state = models.CharField(max_length=12, default="")
    n_cpus = models.PositiveIntegerField(null=True)
    cpu_hz = models.BigIntegerField(null=True)
    memory_bytes = models.BigIntegerField(null=True)
    n_network_errors = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["pk"]


class HostDevice(ReadTable):
    """A volume under the name one host has for it; the name is the entity's."""

    host = models.ForeignKey(Host, on_delete=models.CASCADE, related_name="devices")
    volume = models.ForeignKey(
        Volume, on_delete=models.SET_NULL, null=True, related_name="host_devices"
    )
    size_bytes = models.BigIntegerField(null=True)
    use = models.CharField(max_length=6, default="")

    class Meta:
        ordering = ["pk"]


class Datastore(ReadTable):
    cluster = models.ForeignKey(
        Cluster, on_delete=models.SET_NULL, null=True, related_name="datastores"
    )
    kind = models.CharField(max_length=5)
    size_bytes = models.BigIntegerField(null=True)
    used_bytes = models.BigIntegerField(null=True)
    provisioned_bytes = models.BigIntegerField(null=True)
    nfs_version = models.CharField(max_length=MAX_NAME, default="")
    nfs_server = models.CharField(max_length=MAX_TEXT, default="")
    nfs_path = models.CharField(max_length=MAX_TEXT, default="")
    policy = models.CharField(max_length=MAX_NAME, default="")
    labels = models.JSONField(null=True)  # ["name:value", …]

    class Meta:
        ordering = ["pk"]


class Extent(Link):
    """A datastore lies on a volume."""

    OWNER = "datastore"
    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="extents")

    class Meta:
        ordering = ["datastore", "pk"]
        constraints = [
            models.UniqueConstraint(name="one_extent", fields=["datastore", "wanted_uid"]),
        ]


class Sight(Link):
    """A host sees a datastore."""

    OWNER = "datastore"
    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="sights")

    class Meta:
        ordering = ["datastore", "pk"]
        constraints = [
            models.UniqueConstraint(name="one_sight", fields=["datastore", "wanted_uid"]),
        ]


class VirtualMachine(ReadTable):
    host = models.ForeignKey(Host, on_delete=models.SET_NULL, null=True, related_name="vms")
    cluster = models.ForeignKey(Cluster, on_delete=models.SET_NULL, null=True, related_name="vms")
    project = models.ForeignKey(Project, on_delete=models.SET_NULL, null=True, related_name="vms")
    power = models.CharField(max_length=10, default="")
    power_since_at = models.DateTimeField(null=True)
    os = models.CharField(max_length=MAX_TEXT, default="")
    n_cpus = models.PositiveIntegerField(null=True)
    memory_bytes = models.BigIntegerField(null=True)
    policy = models.CharField(max_length=MAX_NAME, default="")
    labels = models.JSONField(null=True)  # ["name:value", …]

    class Meta:
        ordering = ["pk"]


class VirtualDisk(ReadTable):
    vm = models.ForeignKey(VirtualMachine, on_delete=models.CASCADE, related_name="disks")
    datastore = models.ForeignKey(
        Datastore, on_delete=models.SET_NULL, null=True, related_name="disks"
    )
    path = models.CharField(max_length=MAX_TEXT, default="", db_index=True)
    size_bytes = models.BigIntegerField()
    inside_bytes = models.BigIntegerField(null=True)
    on_array_bytes = models.BigIntegerField(null=True)
    unshared_bytes = models.BigIntegerField(null=True)
    provisioning = models.CharField(max_length=5, default="")
    policy = models.CharField(max_length=MAX_NAME, default="")
    labels = models.JSONField(null=True)  # ["name:value", …]
    tier = models.CharField(max_length=MAX_NAME, default="")
    qos_max_iops = models.BigIntegerField(null=True)
    guest_file_systems = models.JSONField(null=True)

    class Meta:
        ordering = ["pk"]


class Snapshot(ReadTable):
    """A point-in-time copy; `parent` makes the tree."""

    of = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="snapshots")
    parent = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, related_name="+")
    taken_at = models.DateTimeField()
    unshared_bytes = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["taken_at", "pk"]


class File(ReadTable):
    """A file of a datastore's index; a disk's file that no VM knows is an orphan."""

    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="files")
    vm = models.ForeignKey(VirtualMachine, on_delete=models.SET_NULL, null=True)
    category = models.CharField(max_length=10)
    size_bytes = models.BigIntegerField()
    changed_at = models.DateTimeField(null=True)
    is_orphan = models.BooleanField(default=False)

    class Meta:
        ordering = ["pk"]


class Account(ReadTable):
    tenant = models.ForeignKey(Tenant, on_delete=models.SET_NULL, null=True)
    quota_bytes = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["pk"]


class Bucket(ReadTable):
    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="buckets")
    project = models.ForeignKey(Project, on_delete=models.SET_NULL, null=True)
    n_objects = models.BigIntegerField()
    used_bytes = models.BigIntegerField()
    age_since = models.CharField(max_length=6, default="")
    shares = models.JSONField(null=True)
    largest = models.JSONField(null=True)

    class Meta:
        ordering = ["pk"]
