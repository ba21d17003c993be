"""Feeds and their runs."""

from django.conf import settings
from django.db import models

from keelmark.estate.models import Protocol


class RunState(models.TextChoices):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    INTERRUPTED = "interrupted"


class Feed(models.Model):
    """A source of inventory and readings, with its schedule and its secret."""

    name = models.CharField(max_length=200, unique=True)
    protocol = models.CharField(max_length=12, choices=Protocol.choices, default=Protocol.REDFISH)
    source = models.OneToOneField(
        "estate.Source", on_delete=models.PROTECT, null=True, related_name="feed"
    )
    addresses = models.JSONField(default=list)  # of the far ends: one, or each host's
    user = models.CharField(max_length=200, default="", blank=True)
    password_encrypted = models.BinaryField()
    ca_certificate = models.TextField(default="", blank=True)  # PEM of the own authority
    writer_user = models.CharField(max_length=200, default="", blank=True)  # who may set there
    writer_password_encrypted = models.BinaryField(default=bytes)
    options = models.JSONField(default=dict)  # what its protocol needs besides
    every_minutes = models.PositiveIntegerField(default=15)
    allowed_age_hours = models.PositiveIntegerField(default=36)
    timeout_seconds = models.PositiveIntegerField(default=30)
    is_paused = models.BooleanField(default=False)
    last_good_at = models.DateTimeField(null=True)
    next_due_at = models.DateTimeField(null=True)
    n_failures = models.PositiveIntegerField(default=0)  # in a row

    class Meta:
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def is_by_hand(self) -> bool:
        """Whether people send what it tells: tables, but of no folder that is watched."""
        return self.protocol == Protocol.TABLE and "folder" not in self.options

    @property
    def may_set(self) -> bool:
        """Whether changes may be sent to its far end: it was given an account for that."""
        return self.protocol == Protocol.REDFISH and bool(self.writer_user) and not self.is_paused


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
    n_grown = models.JSONField(default=dict)
    n_retired = models.JSONField(default=dict)
    examples = models.JSONField(default=list)  # some of the difference by name
    is_trial = models.BooleanField(default=False)  # counted and taken back
    is_push = models.BooleanField(default=False)  # several may wait, none may be lost
    problem = models.TextField(default="")
    warnings = models.JSONField(default=list)
    # Imports only: which file, and how far it is written for good.
    file_digest = models.CharField(max_length=64, default="", db_index=True)
    delivery_number = models.BigIntegerField(null=True)  # that of the run it takes up
    bytes_done = models.PositiveBigIntegerField(default=0)  # of a table: rows
    bytes_total = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["-asked_at", "-pk"]
        indexes = [models.Index(name="run_feed_asked", fields=["feed", "-asked_at"])]
        constraints = [
            models.UniqueConstraint(
                name="one_run_of_a_sort_at_a_time",
                fields=["feed", "is_trial"],
                condition=models.Q(state__in=["queued", "running"], is_push=False),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.source} {self.state}"


class Push(models.Model):
    """Documents that were sent to us: kept first, written by a job, answered the same twice."""

    key = models.CharField(max_length=200)
    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="pushes")
    digest = models.CharField(max_length=64)  # of the body: another body under a key is refused
    body = models.BinaryField()
    run = models.OneToOneField(Run, on_delete=models.CASCADE, related_name="push")
    taken_at = models.DateTimeField()

    class Meta:
        ordering = ["-taken_at", "-pk"]
        constraints = [
            models.UniqueConstraint(name="one_push_a_key", fields=["feed", "key"]),
        ]

    def __str__(self) -> str:
        return f"{self.feed_id} {self.key}"


class Waiting(models.Model):
    """A document that came before the thing it is about; taken up when that is told of."""

    source = models.ForeignKey("estate.Source", on_delete=models.CASCADE, related_name="+")
    wanted_uid = models.CharField(max_length=400, db_index=True)
    line = models.TextField()
    digest = models.CharField(max_length=64)
    kept_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(name="one_waiting_line", fields=["source", "digest"]),
        ]

    def __str__(self) -> str:
        return f"for {self.wanted_uid}"


class Mapping(models.Model):
    """How the columns of a table become documents, for every file of its shape."""

    name = models.CharField(max_length=200, unique=True)
    kind = models.CharField(max_length=20)
    columns = models.JSONField()  # field of the document → {column, unit}
    of_kind = models.CharField(max_length=20, default="", blank=True)  # readings: of what
    decimal_comma = models.BooleanField(default=False)
    makes_things = models.BooleanField(default=False)  # readings: of what nobody told of yet
    header = models.JSONField()  # the columns of the file it was made for, in order
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name


class ChangeState(models.TextChoices):
    PLANNED = "planned"  # for an operator to let go
    QUEUED = "queued"
    SENDING = "sending"
    UNDER_WAY = "under way"  # taken by the far end, which has not come to its end
    SET = "set"  # read back as it was wanted
    OTHERWISE = "otherwise"  # sent, and reads back otherwise
    FAILED = "failed"  # not sent, or nobody can tell
    DROPPED = "dropped"  # taken back before it was sent


class ChangeSet(models.Model):
    """Changes at far ends that were asked for at once, by whom and why."""

    key = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)  # of what was asked: another under a key is refused
    why = models.CharField(max_length=2000, default="", blank=True)
    asked_at = models.DateTimeField()
    actor = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    actor_name = models.CharField(max_length=150)
    released_at = models.DateTimeField(null=True)
    released_by = models.CharField(max_length=150, default="", blank=True)
    takes_back = models.ForeignKey(
        "self", on_delete=models.PROTECT, null=True, related_name="taken_back_by"
    )

    class Meta:
        ordering = ["-asked_at", "-pk"]
        constraints = [
            models.UniqueConstraint(name="one_change_set_a_key", fields=["actor_name", "key"]),
        ]

    def __str__(self) -> str:
        return f"changes {self.pk} by {self.actor_name}"


class Change(models.Model):
    """One thing that is to be set at a far end: from what, to what, and what came of it."""

    change_set = models.ForeignKey(ChangeSet, on_delete=models.PROTECT, related_name="changes")
    feed = models.ForeignKey(Feed, on_delete=models.SET_NULL, null=True, related_name="changes")
    entity = models.ForeignKey("estate.Entity", on_delete=models.CASCADE, related_name="+")
    what = models.CharField(max_length=20)  # of feeds.changes.allowed
    was = models.JSONField()  # as it was seen when this was asked for
    wanted = models.JSONField()
    found = models.JSONField(null=True)  # as the far end tells it since
    state = models.CharField(max_length=12, choices=ChangeState.choices, default=ChangeState.QUEUED)
    problem = models.TextField(default="", blank=True)
    n_tries = models.PositiveIntegerField(default=0)
    # What its writer has to find again after a crash: when it was sent, which task it became.
    progress = models.JSONField(default=dict)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]
        indexes = [
            models.Index(name="change_state", fields=["state", "feed"]),
            models.Index(name="change_ended", fields=["-ended_at"]),
        ]
        constraints = [
            models.UniqueConstraint(
                name="one_change_of_a_thing_at_a_time",
                fields=["entity", "what"],
                condition=models.Q(state__in=["queued", "sending", "under way"]),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.entity} {self.what} {self.state}"
