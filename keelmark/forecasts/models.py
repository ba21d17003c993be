"""Standing forecasts, made anew whenever readings come, and the runs that make them."""

from django.contrib.postgres.fields import ArrayField
from django.db import models


class Reach(models.IntegerChoices):
    """How far a pool reaches, in the order in which it is shown."""

    INSIDE_LEAD_TIME = 0, "inside lead time"
    WITHIN_90_DAYS = 1, "within 90 days"
    LATER = 2, "later"
    NO_END = 3, "no end in sight"


class Metric(models.TextChoices):
    """What is forecast of a thing: its bytes, what it promised, or one of its measures."""

    USED = "used"
    PROVISIONED = "provisioned"
    SNAPSHOTS = "snapshots"
    OBJECTS_HOT = "objects_hot"
    OBJECTS_WARM = "objects_warm"
    OBJECTS_COLD = "objects_cold"
    CPU = "cpu"
    MEMORY = "memory"
    IOPS = "iops"
    THROUGHPUT = "throughput"

    @property
    def unit(self) -> str:
        """The unit of its amounts."""
        return _UNITS.get(self, "bytes")


_UNITS = {
    Metric.CPU: "CPUs",
    Metric.IOPS: "IOPS",
    Metric.THROUGHPUT: "bytes/s",
}


class KeptForecastQuerySet(models.QuerySet["KeptForecast"]):
    def of_these_marks(self) -> "KeptForecastQuerySet":
        """Leave out what was made before its marks were set."""
        is_later = models.Q(marks_set_at__gt=models.F("made_at"))
        return self.exclude(is_later)


class KeptForecast(models.Model):
    """What is kept of a forecast of one metric of one thing: outlook, dates, findings, record.

    Dates are null beyond the horizon; the chance that the limit is reached all the same is
    kept beside them. The path is compact: a level, three quantiles after some days, the noise
    in them and two rhythms, from which every quantile of every day is computed when it is
    asked for. Amounts are in the metric's own unit: bytes of a pool, CPUs of what a cluster
    promised.
    """

    entity = models.ForeignKey("estate.Entity", on_delete=models.CASCADE, related_name="forecasts")
    metric = models.CharField(max_length=20, choices=Metric.choices)
    kind = models.CharField(max_length=20)  # its entity's, for lists that end first
    made_at = models.DateTimeField()
    as_of = models.DateField(null=True)
    growth_per_day = models.FloatField(null=True)
    unjudged_because = models.CharField(max_length=200, default="")
    attention = models.CharField(max_length=8, db_index=True)
    attention_because = models.CharField(max_length=200)
    caution_early_on = models.DateField(null=True)
    caution_likely_on = models.DateField(null=True)
    caution_late_on = models.DateField(null=True)
    limit_early_on = models.DateField(null=True)
    limit_likely_on = models.DateField(null=True)
    limit_late_on = models.DateField(null=True)
    limit_chance = models.FloatField(null=True)  # of reaching it within the horizon
    full_early_on = models.DateField(null=True)
    full_likely_on = models.DateField(null=True)
    full_late_on = models.DateField(null=True)
    said_week_ago_on = models.DateField(null=True)  # likely at the limit, as said then
    said_month_ago_on = models.DateField(null=True)
    crossed_on = models.DateField(null=True)  # since when it has stood at the limit mark
    sort_on = models.DateField()  # likely date, far away where there is none
    last_amount = models.FloatField(null=True)
    level = models.FloatField(null=True)
    noise_variance = models.FloatField(null=True)
    noise_memory = models.PositiveSmallIntegerField(default=0)
    fan = ArrayField(models.FloatField(), default=list)  # 10, 50, 90 % after each knot in turn
    ceiling = models.FloatField(null=True)  # null: nothing ends it
    by_weekday = ArrayField(models.FloatField(), default=list)  # empty: no such rhythm
    by_month_slot = ArrayField(models.FloatField(), default=list)
    findings = models.JSONField(default=dict)  # what the model saw, see findings.py
    record = models.JSONField(default=dict)  # how right it was, see findings.py
    size_amount = models.BigIntegerField(null=True)  # what its dates were reckoned against
    marks_set_at = models.DateTimeField(null=True)  # later than made: its dates are stale
    # Of the used bytes of pools alone, which are listed with why they stand where they stand.
    reason = models.JSONField(default=list)  # parts: {text} or {bytes}
    reach = models.PositiveSmallIntegerField(choices=Reach.choices, null=True)

    objects = KeptForecastQuerySet.as_manager()

    class Meta:
        ordering = ["sort_on", "pk"]
        indexes = [
            models.Index(name="kept_forecast_order", fields=["kind", "metric", "sort_on", "id"]),
            models.Index(
                name="pool_forecast_order",
                fields=["reach", "sort_on", "entity"],
                condition=models.Q(reach__isnull=False),
            ),
        ]
        constraints = [
            models.UniqueConstraint(name="one_forecast_a_metric", fields=["entity", "metric"])
        ]

    def __str__(self) -> str:
        return f"forecast of {self.metric} of {self.entity_id}"


class EstateRecord(models.Model):
    """How right the forecasts of one metric of all of one kind have been."""

    kind = models.CharField(max_length=20)
    metric = models.CharField(max_length=20, choices=Metric.choices)
    made_at = models.DateTimeField()
    n_things = models.PositiveIntegerField()
    n_tried = models.PositiveIntegerField()  # days
    inside_percent = models.FloatField(null=True)
    error_percent = ArrayField(models.FloatField(null=True))  # medians after 7, 30, 90 days
    bias_percent = ArrayField(models.FloatField(null=True))
    n_came = models.PositiveIntegerField()  # crossed their limit within a month
    date_error_days = models.FloatField(null=True)
    # By days back: what the misses known then make of the band of every forecast of the kind.
    widening = models.JSONField(default=dict)

    class Meta:
        ordering = ["kind", "metric"]
        constraints = [
            models.UniqueConstraint(name="one_estate_record", fields=["kind", "metric"]),
        ]

    def __str__(self) -> str:
        return f"record of {self.metric} of every {self.kind}"


class RunState(models.TextChoices):
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"  # some of its chunks did; their last good forecasts stand


class ForecastRun(models.Model):
    """Making forecasts of many things anew, in chunks that any worker may take."""

    asked_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    state = models.CharField(max_length=8, choices=RunState.choices, default=RunState.RUNNING)
    is_everything = models.BooleanField(default=False)

    class Meta:
        ordering = ["-asked_at", "-pk"]
        constraints = [
            models.UniqueConstraint(
                name="one_run_at_once", fields=["state"], condition=models.Q(state="running")
            ),
        ]

    def __str__(self) -> str:
        return f"forecast run {self.pk}: {self.state}"


class ChunkState(models.TextChoices):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"


class ForecastChunk(models.Model):
    """One metric of a range of one kind's things; written whole or not at all."""

    run = models.ForeignKey(ForecastRun, on_delete=models.CASCADE, related_name="chunks")
    kind = models.CharField(max_length=20)
    metric = models.CharField(max_length=20, choices=Metric.choices, default=Metric.USED)
    first_id = models.BigIntegerField()
    last_id = models.BigIntegerField()
    state = models.CharField(max_length=8, choices=ChunkState.choices, default=ChunkState.QUEUED)
    touched_at = models.DateTimeField()  # queued or begun
    n_tries = models.PositiveSmallIntegerField(default=0)
    n_series = models.PositiveIntegerField(default=0)
    problem = models.CharField(max_length=400, default="")

    class Meta:
        ordering = ["pk"]
        indexes = [models.Index(name="chunk_state", fields=["state", "touched_at"])]

    def __str__(self) -> str:
        return f"{self.metric} of {self.kind} {self.first_id} to {self.last_id}: {self.state}"


class VmSize(models.Model):
    """A size of VM, one row a table."""

    n_cpus = models.PositiveIntegerField()
    memory_bytes = models.BigIntegerField()
    disk_bytes = models.BigIntegerField()
    set_at = models.DateTimeField()

    class Meta:
        abstract = True
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.n_cpus} CPUs, {self.memory_bytes} + {self.disk_bytes} bytes"


class ReferenceSize(VmSize):
    """The reference VM that planners set; without a row it is the median of lately."""

    class Meta(VmSize.Meta):
        constraints = [
            models.CheckConstraint(name="one_reference_size", condition=models.Q(pk=1)),
        ]


class MedianSize(VmSize):
    """The median VM of lately, which takes too long to find for whoever reads berths."""

    class Meta(VmSize.Meta):
        constraints = [
            models.CheckConstraint(name="one_median_size", condition=models.Q(pk=1)),
        ]
