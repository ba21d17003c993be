"""Scenarios in revisions: each a whole list of moves, so that any can be taken back."""

from django.conf import settings
from django.db import models
from django.db.models import Q

MAX_NAME = 100
MAX_NOTE = 2000
MAX_MOVES = 200


class State(models.TextChoices):
    """Where a scenario stands."""

    DRAFT = "draft"
    ACCEPTED = "accepted"
    CARRIED_OUT = "carried out"
    DROPPED = "dropped"


class Scenario(models.Model):
    """What is tried: its moves stand in the revision that ``at`` names."""

    name = models.CharField(max_length=MAX_NAME)
    note = models.CharField(max_length=MAX_NOTE, default="", blank=True)
    state = models.CharField(max_length=16, choices=State.choices, default=State.DRAFT)
    is_shared = models.BooleanField(default=False)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    owner_name = models.CharField(max_length=150)
    at = models.PositiveIntegerField(default=1)
    made_at = models.DateTimeField()
    changed_at = models.DateTimeField()
    baseline = models.JSONField(default=dict)  # what was known of what its moves name, by id
    baseline_at = models.DateTimeField()
    accepted_at = models.DateTimeField(null=True)
    accepted_by = models.CharField(max_length=150, default="", blank=True)
    lapses_on = models.DateField(null=True)  # until then what it takes is held
    copied_from = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["-changed_at", "-pk"]
        constraints = [
            models.CheckConstraint(name="scenario_at_a_revision", condition=Q(at__gte=1)),
        ]

    def __str__(self) -> str:
        return self.name


class ScenarioRevision(models.Model):
    """All moves as they stood after one change."""

    scenario = models.ForeignKey(Scenario, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    # A list of {"number", "on", "kind", "fields", "is_off", "note"}, in their order.
    moves = models.JSONField()
    what = models.CharField(max_length=MAX_NOTE)
    made_at = models.DateTimeField()
    author_name = models.CharField(max_length=150)

    class Meta:
        ordering = ["scenario", "-number", "-pk"]
        constraints = [
            models.UniqueConstraint("scenario", "number", name="scenario_revision_once"),
        ]

    def __str__(self) -> str:
        return f"{self.scenario} r{self.number}"


class Comment(models.Model):
    """What somebody said of a scenario."""

    scenario = models.ForeignKey(Scenario, on_delete=models.CASCADE, related_name="comments")
    text = models.CharField(max_length=MAX_NOTE)
    at = models.DateTimeField()
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    author_name = models.CharField(max_length=150)

    class Meta:
        ordering = ["at", "pk"]

    def __str__(self) -> str:
        return f"{self.author_name}: {self.text[:40]}"
