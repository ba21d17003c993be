"""What accepted scenarios hold of pools and datastores."""

from django.db import models
from django.db.models import Q

from keelmark.estate.models.entity import MAX_NAME, Entity


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
