"""Feeds and their runs."""

from django.db import models


class RunState(models.TextChoices):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    INTERRUPTED = "interrupted"


class Feed(models.Model):
    """A source of inventory and readings, with its schedule and its secret."""

    name = models.CharField(max_length=200, unique=True)
    url = models.URLField(max_length=500)
    user = models.CharField(max_length=200)
    password_encrypted = models.BinaryField()
    every_minutes = models.PositiveIntegerField(default=15)
    allowed_age_hours = models.PositiveIntegerField(default=36)
    is_paused = models.BooleanField(default=False)
    array = models.OneToOneField(
        "estate.Array", on_delete=models.SET_NULL, null=True, related_name="feed"
    )
    last_good_at = models.DateTimeField(null=True)
    next_due_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name


class Run(models.Model):
    """One collection, or one import of an estate file (then without a feed)."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, null=True, related_name="runs")
    source = models.CharField(max_length=500)
    state = models.CharField(max_length=12, choices=RunState.choices, default=RunState.QUEUED)
    asked_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    beat_at = models.DateTimeField(null=True)
    step = models.CharField(max_length=100, default="")
    n_read = models.PositiveIntegerField(default=0)
    n_readings = models.PositiveBigIntegerField(default=0)
    n_new = models.JSONField(default=dict)
    n_changed = models.JSONField(default=dict)
    n_retired = models.JSONField(default=dict)
    problem = models.TextField(default="")
    warnings = models.JSONField(default=list)
    # Imports only: which file, and how far it is written for good.
    file_digest = models.CharField(max_length=64, default="", db_index=True)
    bytes_done = models.PositiveBigIntegerField(default=0)
    bytes_total = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["-asked_at", "-pk"]
        indexes = [models.Index(name="run_feed_asked", fields=["feed", "-asked_at"])]
        constraints = [
            models.UniqueConstraint(
                name="one_run_a_feed_at_a_time",
                fields=["feed"],
                condition=models.Q(state__in=["queued", "running"]),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.source} {self.state}"
