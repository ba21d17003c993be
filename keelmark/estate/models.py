"""What is inventoried: one id space, and a table a kind beside it."""

from django.db import models
from django.db.models import F, Q

MAX_NAME = 200


class Kind(models.TextChoices):
    SITE = "site"
    ARRAY = "array"
    POOL = "pool"
    VOLUME = "volume"
    DRIVE = "drive"


class MarksMixin(models.Model):
    """Own marks; null: the next farther one counts (object, class, site, default)."""

    caution_percent = models.PositiveSmallIntegerField(null=True)
    limit_percent = models.PositiveSmallIntegerField(null=True)
    lead_time_days = models.PositiveSmallIntegerField(null=True)

    class Meta:
        abstract = True


class Entity(MarksMixin):
    """The identity of a thing, joined over feeds by its worldwide name."""

    kind = models.CharField(max_length=20, choices=Kind.choices)
    uid = models.CharField(max_length=MAX_NAME, unique=True)
    name = models.CharField(max_length=MAX_NAME)
    first_seen_at = models.DateTimeField()
    last_seen_at = models.DateTimeField()
    retired_at = models.DateTimeField(null=True)

    class Meta(MarksMixin.Meta):
        ordering = ["name", "pk"]
        constraints = [
            models.CheckConstraint(
                name="entity_marks_in_order",
                condition=Q(caution_percent__isnull=True)
                | Q(limit_percent__isnull=True)
                | Q(caution_percent__lt=F("limit_percent")),
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

    entity = models.OneToOneField(Entity, on_delete=models.CASCADE, primary_key=True)

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return f"{type(self).__name__} {self.pk}"


class Site(KindTable):
    class Meta:
        ordering = ["pk"]


class Array(KindTable):
    site = models.ForeignKey(Site, on_delete=models.PROTECT, null=True, related_name="arrays")
    model = models.CharField(max_length=MAX_NAME, default="")
    n_ports = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ["pk"]


class Pool(KindTable):
    """A pool and its books at `read_at`."""

    array = models.ForeignKey(Array, on_delete=models.PROTECT, related_name="pools")
    service_class = models.ForeignKey(ServiceClass, on_delete=models.PROTECT, null=True)
    usable_bytes = models.BigIntegerField()
    used_bytes = models.BigIntegerField()
    provisioned_bytes = models.BigIntegerField(null=True)
    logical_written_bytes = models.BigIntegerField(null=True)
    thick_unwritten_bytes = models.BigIntegerField(default=0)
    read_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                name="pool_bytes_not_negative",
                condition=Q(usable_bytes__gte=0)
                & Q(used_bytes__gte=0)
                & Q(thick_unwritten_bytes__gte=0),
            ),
        ]


class Volume(KindTable):
    class Provisioning(models.TextChoices):
        THIN = "thin"
        THICK = "thick"

    pool = models.ForeignKey(Pool, on_delete=models.PROTECT, related_name="volumes")
    size_bytes = models.BigIntegerField()
    written_bytes = models.BigIntegerField(null=True)
    provisioning = models.CharField(  # noqa: DJ001  # null: not told
        max_length=5, choices=Provisioning.choices, null=True
    )
    is_mapped = models.BooleanField(null=True)
    read_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(name="volume_size_not_negative", condition=Q(size_bytes__gte=0)),
        ]


class Drive(KindTable):
    array = models.ForeignKey(Array, on_delete=models.PROTECT, related_name="drives")
    pool = models.ForeignKey(Pool, on_delete=models.PROTECT, null=True, related_name="drives")
    capacity_bytes = models.BigIntegerField()
    role = models.CharField(max_length=10)
    media = models.CharField(max_length=5, null=True)  # noqa: DJ001  # null: not told
    read_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
