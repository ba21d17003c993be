"""Who said what: sources, their statements, other names of a thing, ends that hang loose."""

from django.db import models
from django.db.models import Q

from keelmark.estate.models.entity import MAX_NAME, MAX_TEXT, MAX_UID, Entity


class Protocol(models.TextChoices):
    REDFISH = "redfish"
    LIBVIRT = "libvirt"
    OPENMETRICS = "openmetrics"
    S3 = "s3"
    FILE = "file"  # an estate file, dropped or imported
    PUSH = "push"  # the same documents over HTTP
    TABLE = "table"  # CSV, XLSX, Parquet


class Source(models.Model):
    """Whoever tells of the estate: a feed's far end, or the sender of a file."""

    name = models.CharField(max_length=MAX_NAME, unique=True)
    protocol = models.CharField(max_length=12, choices=Protocol.choices)

    class Meta:
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name


class Statement(models.Model):
    """What one source said last of one thing, in its own words."""

    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="statements")
    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="statements")
    facts = models.JSONField()
    read_at = models.DateTimeField()
    delivery = models.BigIntegerField()  # the run that brought it last
    is_sighting = models.BooleanField(default=True)  # else it only adds facts to others' things
    gone_at = models.DateTimeField(null=True)  # a complete delivery did not name it

    class Meta:
        ordering = ["entity", "source"]
        constraints = [
            models.UniqueConstraint(name="one_statement_a_source", fields=["entity", "source"]),
        ]
        indexes = [models.Index(name="statement_source", fields=["source", "delivery"])]

    def __str__(self) -> str:
        return f"{self.source_id} of {self.entity_id}"


class Alias(models.Model):
    """A uid under which a thing is known; its first one too."""

    uid = models.CharField(max_length=MAX_UID, primary_key=True)
    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="aliases")

    class Meta:
        ordering = ["uid"]

    def __str__(self) -> str:
        return self.uid


class LooseEnd(models.Model):
    """A thing points at a uid that nobody has told of yet."""

    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="loose_ends")
    column = models.CharField(max_length=40)
    wanted_uid = models.CharField(max_length=MAX_UID, db_index=True)

    class Meta:
        ordering = ["entity", "column"]
        constraints = [
            models.UniqueConstraint(name="one_loose_end", fields=["entity", "column"]),
        ]

    def __str__(self) -> str:
        return f"{self.entity_id}.{self.column} to {self.wanted_uid}"


class FindingKind(models.TextChoices):
    LOOSE_END = "loose-end"
    NO_POOL = "no-pool"
    CONFLICT = "conflict"
    TWO_IDENTITIES = "two-identities"
    UNMANAGED_HOST = "unmanaged-host"
    TWO_NAMES = "two-names"
    FREE_BUT_OWNED = "free-but-owned"
    MIRROR_SIDE_LOST = "mirror-side-lost"
    HELD_LONG = "held-long"  # of disks and their QoS tiers
    STARVED_OFTEN = "starved-often"
    BUSY_UNTIERED = "busy-untiered"
    OUTGROWS_TIER = "outgrows-tier"
    UNKNOWN_NAME = "unknown-name"  # a policy or tier that feeds tell and nobody drew up


class Finding(models.Model):
    """Something that joining showed; it ends when it is no longer so."""

    kind = models.CharField(max_length=20, choices=FindingKind.choices)
    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="findings")
    subject = models.CharField(max_length=MAX_TEXT)  # what tells two of one kind apart
    detail = models.TextField()
    others = models.ManyToManyField(Entity, related_name="+")
    found_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["kind", "entity", "subject", "pk"]
        constraints = [
            models.UniqueConstraint(
                name="one_open_finding",
                fields=["kind", "entity", "subject"],
                condition=Q(ended_at=None),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.kind}: {self.detail}"


class ProtectionRun(models.Model):
    """One run of a backup, a replication or a snapshot job."""

    uid = models.CharField(max_length=MAX_UID, unique=True)
    of = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="protection_runs")
    job = models.CharField(max_length=MAX_NAME)
    method = models.CharField(max_length=12)
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    result = models.CharField(max_length=8)
    n_bytes = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-started_at", "-pk"]
        indexes = [models.Index(name="protection_of", fields=["of", "-started_at"])]

    def __str__(self) -> str:
        return f"{self.job} {self.result}"


class Event(models.Model):
    """Something that happened to a thing; what we noticed ourselves has no author."""

    uid = models.CharField(max_length=MAX_UID, unique=True)
    of = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="events")
    at = models.DateTimeField()
    what = models.CharField(max_length=8)
    by = models.CharField(max_length=MAX_TEXT, default="")
    from_entity = models.ForeignKey(
        Entity, on_delete=models.SET_NULL, null=True, related_name="events_from"
    )
    to_entity = models.ForeignKey(
        Entity, on_delete=models.SET_NULL, null=True, related_name="events_to"
    )
    bytes_before = models.BigIntegerField(null=True)
    bytes_after = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-at", "-pk"]
        indexes = [
            models.Index(name="event_of", fields=["of", "-at"]),
            models.Index(name="event_moved", fields=["at"], condition=models.Q(what="moved")),
        ]

    def __str__(self) -> str:
        return f"{self.what} at {self.at}"
