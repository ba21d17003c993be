"""Daily readings, a row an entity and day, kept for years."""

from django.db import models
from django.db.models import Q


class DailyReading(models.Model):
    """The last reading of a day (UTC); null where the source did not say."""

    pk = models.CompositePrimaryKey("entity_id", "day")
    entity = models.ForeignKey(
        "estate.Entity", on_delete=models.DO_NOTHING, db_index=False, db_constraint=False
    )
    day = models.DateField()
    used_bytes = models.BigIntegerField()
    provisioned_bytes = models.BigIntegerField(null=True)
    capacity_bytes = models.BigIntegerField(null=True)
    read_at = models.DateTimeField()

    class Meta:
        ordering = ["entity_id", "day"]
        constraints = [
            models.CheckConstraint(name="reading_not_negative", condition=Q(used_bytes__gte=0)),
        ]

    def __str__(self) -> str:
        return f"{self.entity_id} on {self.day}: {self.used_bytes}"
