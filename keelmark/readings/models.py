"""Readings: a row an entity and day for years, five-minute means for two weeks."""

from django.db import models


class DailyReading(models.Model):
    """The last reading of a day (UTC); null where the source did not say.

    The table is partitioned by month, which migrations of ours make and keep.
    """

    pk = models.CompositePrimaryKey("entity_id", "day")
    entity = models.ForeignKey(
        "estate.Entity", on_delete=models.DO_NOTHING, db_index=False, db_constraint=False
    )
    day = models.DateField()
    used_bytes = models.BigIntegerField(null=True)
    provisioned_bytes = models.BigIntegerField(null=True)
    capacity_bytes = models.BigIntegerField(null=True)
    inside_bytes = models.BigIntegerField(null=True)
    unshared_bytes = models.BigIntegerField(null=True)
    datastore_id = models.BigIntegerField(null=True)  # of that day
    read_at = models.DateTimeField()

    class Meta:
        ordering = ["entity_id", "day"]

    def __str__(self) -> str:
        return f"{self.entity_id} on {self.day}: {self.used_bytes}"


class Correction(models.Model):
    """What a finished day said before it was corrected."""

    entity = models.ForeignKey(
        "estate.Entity", on_delete=models.DO_NOTHING, db_constraint=False, related_name="+"
    )
    day = models.DateField()
    used_bytes_before = models.BigIntegerField(null=True)
    used_bytes_after = models.BigIntegerField(null=True)
    read_at_before = models.DateTimeField()
    read_at_after = models.DateTimeField()
    corrected_at = models.DateTimeField()

    class Meta:
        ordering = ["-corrected_at", "-pk"]

    def __str__(self) -> str:
        return f"{self.entity_id} on {self.day}: {self.used_bytes_before}"


class PastTold(models.Model):
    """When days of a thing were last told or corrected beside what is read of it now."""

    entity = models.OneToOneField(
        "estate.Entity", on_delete=models.DO_NOTHING, primary_key=True, db_constraint=False,
        related_name="+",
    )  # fmt: skip
    told_at = models.DateTimeField(db_index=True)  # whether any day was told since

    def __str__(self) -> str:
        return f"past of {self.entity_id} told at {self.told_at}"


class Measure(models.TextChoices):
    """What is read daily beside the bytes that a thing holds, each in one unit."""

    SNAPSHOTS = "snapshots"  # bytes that snapshots alone hold
    OBJECTS_HOT = "objects_hot"  # bytes
    OBJECTS_WARM = "objects_warm"
    OBJECTS_COLD = "objects_cold"
    CPU = "cpu"  # CPUs promised to VMs that are on
    MEMORY = "memory"  # bytes promised to VMs that are on
    IOPS = "iops"  # a second, exceeded in a twentieth of the day
    THROUGHPUT = "throughput"  # bytes a second, exceeded in a twentieth of the day


class MeasureReading(models.Model):
    """One measure of one day, told by a source or reckoned from what sources told.

    The table is partitioned by month, as daily readings are.
    """

    pk = models.CompositePrimaryKey("entity_id", "measure", "day")
    entity = models.ForeignKey(
        "estate.Entity", on_delete=models.DO_NOTHING, db_index=False, db_constraint=False
    )
    measure = models.CharField(max_length=20, choices=Measure.choices)
    day = models.DateField()
    amount = models.BigIntegerField()
    is_reckoned = models.BooleanField()
    read_at = models.DateTimeField()

    class Meta:
        db_table = "readings_measure"
        ordering = ["entity_id", "measure", "day"]

    def __str__(self) -> str:
        return f"{self.measure} of {self.entity_id} on {self.day}: {self.amount}"


class StepsLately(models.Model):
    """The newest steps of many things together, packed beside their rows; made anew from them.

    The table is not logged: after a crash of the database it is empty until it is made again.
    """

    of = models.CharField(max_length=16, primary_key=True)
    made_at = models.DateTimeField()
    end_at = models.DateTimeField()  # of the newest step
    content = models.BinaryField()  # ids (n,) and steps (n, n_parts, n_steps), as NumPy packs them

    def __str__(self) -> str:
        return f"steps of {self.of} up to {self.end_at}"
