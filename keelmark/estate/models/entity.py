"""The one id space: every inventoried thing is an Entity with a table of its kind beside it."""

from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db import models
from django.db.models import F, Q
from django.db.models.functions import Lower

MAX_NAME = 200
MAX_UID = 400
MAX_TEXT = 400


class Kind(models.TextChoices):
    SITE = "site"
    TENANT = "tenant"
    PROJECT = "project"
    ARRAY = "array"
    PORT = "port"
    SHELF = "shelf"
    CLUSTER = "cluster"
    HOST = "host"
    POOL = "pool"
    VOLUME = "volume"
    DRIVE = "drive"
    HOST_DEVICE = "host-device"
    DATASTORE = "datastore"
    VM = "vm"
    DISK = "disk"
    SNAPSHOT = "snapshot"
    FILE = "file"
    ACCOUNT = "account"
    BUCKET = "bucket"


class MarksMixin(models.Model):
    """Own marks; null: the next farther one counts (object, class, site, default)."""

    caution_percent = models.PositiveSmallIntegerField(null=True)
    limit_percent = models.PositiveSmallIntegerField(null=True)
    overcommit_caution_percent = models.PositiveSmallIntegerField(null=True)
    overcommit_limit_percent = models.PositiveSmallIntegerField(null=True)
    lead_time_days = models.PositiveSmallIntegerField(null=True)

    class Meta:
        abstract = True


class Entity(MarksMixin):
    """The identity of a thing; the place and the tenant are worked out from what it lies on."""

    kind = models.CharField(max_length=20, choices=Kind.choices)
    uid = models.CharField(max_length=MAX_UID, unique=True)
    name = models.CharField(max_length=MAX_NAME)
    site = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, related_name="+")
    tenant = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, related_name="+")
    first_seen_at = models.DateTimeField()
    last_seen_at = models.DateTimeField()
    retired_at = models.DateTimeField(null=True)

    class Meta(MarksMixin.Meta):
        ordering = ["name", "pk"]
        indexes = [
            models.Index(name="entity_kind_name", fields=["kind", "name", "id"]),
            GinIndex(OpClass(Lower("name"), name="gin_trgm_ops"), name="entity_name_trigrams"),
        ]
        constraints = [
            models.CheckConstraint(
                name="entity_marks_in_order",
                condition=Q(caution_percent__isnull=True)
                | Q(limit_percent__isnull=True)
                | Q(caution_percent__lt=F("limit_percent")),
            ),
            models.CheckConstraint(
                name="entity_overcommit_marks_in_order",
                condition=Q(overcommit_caution_percent__isnull=True)
                | Q(overcommit_limit_percent__isnull=True)
                | Q(overcommit_caution_percent__lt=F("overcommit_limit_percent")),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.name}"


class ServiceClass(MarksMixin):
    """A named level of storage that pools offer."""

    name = models.CharField(max_length=MAX_NAME, unique=True)

    class Meta(MarksMixin.Meta):
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name


class KindTable(models.Model):
    """Base of the tables beside Entity."""

    entity = models.OneToOneField(
        Entity, on_delete=models.CASCADE, primary_key=True, related_name="as_%(class)s"
    )

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return f"{type(self).__name__} {self.pk}"


class ReadTable(KindTable):
    """Base of the tables whose rows were read from a source at one moment."""

    read_at = models.DateTimeField()

    class Meta(KindTable.Meta):
        abstract = True


class Site(KindTable):
    class Meta:
        ordering = ["pk"]
