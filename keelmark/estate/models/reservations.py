"""What is held of pools and datastores: for accepted scenarios, and for tenants to draw on."""

from django.db import models
from django.db.models import Q

from keelmark.estate.models.entity import MAX_NAME, Entity

MAX_NOTE = 2000


class Reservation(models.Model):
    """Bytes and I/O of one place, held from a day on until they have come, or it lapses.

    ``days`` (since 1970) and ``amounts`` (bytes) are the corners of its course.
    """

    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="reservations")
    scenario_id = models.BigIntegerField(db_index=True)
    scenario_name = models.CharField(max_length=MAX_NAME)
    days = models.JSONField()
    amounts = models.JSONField()
    promised_bytes = models.BigIntegerField(default=0)
    min_iops = models.BigIntegerField(default=0)
    busy_iops = models.BigIntegerField(default=0)
    lapses_on = models.DateField()
    came_ids = models.JSONField(default=list)  # things that hold by now what was held for them
    changed_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint("scenario_id", "entity", name="one_reservation_a_place"),
            models.CheckConstraint(
                name="reservation_holds",
                condition=Q(promised_bytes__gte=0, min_iops__gte=0, busy_iops__gte=0),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.scenario_name} on {self.entity}"


class Allotment(models.Model):
    """Bytes and I/O of a pool held for a tenant, who may provision volumes out of them."""

    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="allotments")
    tenant = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="allotted")
    allotted_bytes = models.BigIntegerField()
    min_iops = models.BigIntegerField(default=0)
    from_on = models.DateField()
    note = models.CharField(max_length=MAX_NOTE, default="", blank=True)
    scenario_id = models.BigIntegerField(null=True)  # the accepted one that it came of
    made_at = models.DateTimeField()
    made_by = models.CharField(max_length=150)
    changed_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(
                "entity", "tenant", name="one_allotment_a_tenant", condition=Q(ended_at=None)
            ),
            models.CheckConstraint(
                name="allotment_holds", condition=Q(allotted_bytes__gt=0, min_iops__gte=0)
            ),
        ]

    def __str__(self) -> str:
        return f"{self.tenant} of {self.entity}"


class DrawnVolume(models.Model):
    """A volume out of an allotment: what was asked for, and what is read of it once it is there."""

    allotment = models.ForeignKey(Allotment, on_delete=models.CASCADE, related_name="drawn")
    name = models.CharField(max_length=MAX_NAME)
    size_bytes = models.BigIntegerField()
    scenario_id = models.BigIntegerField(db_index=True)  # whose work order makes it
    is_planned = models.BooleanField(default=False)  # by who plans, not by the tenant itself
    volume = models.ForeignKey(
        Entity, on_delete=models.SET_NULL, null=True, related_name="drawn_of"
    )
    asked_at = models.DateTimeField()
    asked_by = models.CharField(max_length=150)
    key = models.CharField(max_length=MAX_NAME)  # asked twice under it, it is made once
    dropped_at = models.DateTimeField(null=True)  # it was never made

    class Meta:
        ordering = ["asked_at", "pk"]
        constraints = [
            models.CheckConstraint(name="drawn_volume_sized", condition=Q(size_bytes__gt=0)),
            models.UniqueConstraint("asked_by", "key", name="drawn_once"),
            models.UniqueConstraint(
                "scenario_id", "name", name="drawn_once_a_plan", condition=Q(dropped_at=None)
            ),
        ]

    def __str__(self) -> str:
        return f"{self.name} of {self.allotment}"
