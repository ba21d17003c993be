"""The standing forecast of each pool, made anew whenever readings come."""

from django.contrib.postgres.fields import ArrayField
from django.db import models


class Reach(models.IntegerChoices):
    """How far a pool reaches, in the order in which it is shown."""

    INSIDE_LEAD_TIME = 0, "inside lead time"
    WITHIN_90_DAYS = 1, "within 90 days"
    LATER = 2, "later"
    NO_END = 3, "no end in sight"


class PoolForecast(models.Model):
    """Runway, attention and fan of one pool; dates are null beyond the horizon."""

    pool = models.OneToOneField(
        "estate.Pool", on_delete=models.CASCADE, primary_key=True, related_name="forecast"
    )
    made_at = models.DateTimeField()
    as_of = models.DateField(null=True)
    growth_bytes_per_day = models.BigIntegerField(null=True)
    unjudged_because = models.CharField(max_length=200, default="")
    attention = models.CharField(max_length=8, db_index=True)
    attention_because = models.CharField(max_length=200)
    reason = models.JSONField(default=list)  # parts: {text} or {bytes}
    reach = models.PositiveSmallIntegerField(choices=Reach.choices)
    caution_early_on = models.DateField(null=True)
    caution_likely_on = models.DateField(null=True)
    caution_late_on = models.DateField(null=True)
    limit_early_on = models.DateField(null=True)
    limit_likely_on = models.DateField(null=True)
    limit_late_on = models.DateField(null=True)
    full_early_on = models.DateField(null=True)
    full_likely_on = models.DateField(null=True)
    full_late_on = models.DateField(null=True)
    said_week_ago_on = models.DateField(null=True)  # likely at the limit, as said then
    said_month_ago_on = models.DateField(null=True)
    sort_on = models.DateField()  # likely date, far away where there is none
    last_bytes = models.FloatField(null=True)
    wander_variance = models.FloatField(null=True)
    drift_variance = models.FloatField(null=True)
    rhythm_bytes = ArrayField(models.FloatField(), default=list)
    shifts = models.JSONField(default=list)  # [{on, bytes}]
    odd_on = ArrayField(models.DateField(), default=list)

    class Meta:
        ordering = ["reach", "sort_on", "pk"]
        indexes = [models.Index(name="forecast_order", fields=["reach", "sort_on", "pool"])]

    def __str__(self) -> str:
        return f"forecast of {self.pool_id}"
