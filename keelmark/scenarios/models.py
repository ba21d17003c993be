"""Scenarios in revisions: each a whole list of moves, so that any can be taken back."""

from django.conf import settings
from django.db import models
from django.db.models import Q

MAX_NAME = 100
MAX_NOTE = 2000
MAX_MOVES = 200
MAX_CURRENCY = 12


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


class StepState(models.TextChoices):
    """Where a step of a work order stands."""

    TO_DO = "to do"
    SETTLING = "settling"  # told to be done; nothing was read of it since
    VERIFIED = "verified"
    OTHERWISE = "otherwise"  # read since, and it is not so
    LEFT_OUT = "left out"


class WorkOrder(models.Model):
    """What carries an accepted scenario out, step by step."""

    scenario = models.OneToOneField(Scenario, on_delete=models.CASCADE, related_name="order")
    made_at = models.DateTimeField()
    made_by = models.CharField(max_length=150)
    changed_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)  # every step is verified or left out
    # In whose name it is being carried out from here, and since when.
    carrier = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    carrier_name = models.CharField(max_length=150, default="", blank=True)
    carried_since = models.DateTimeField(null=True)
    stopped = models.CharField(max_length=MAX_NOTE, default="", blank=True)  # why it is no more

    class Meta:
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"work order of {self.scenario}"


class WorkStep(models.Model):
    """One thing to do, with its exact values, who does it when, and what was read of it since."""

    order = models.ForeignKey(WorkOrder, on_delete=models.CASCADE, related_name="steps")
    place = models.PositiveIntegerField()  # from 1
    move = models.PositiveIntegerField()  # the number of the move that it is of
    on = models.DateField()
    kind = models.CharField(max_length=30)
    subject = models.ForeignKey(
        "estate.Entity", on_delete=models.SET_NULL, null=True, related_name="+"
    )
    subject_kind = models.CharField(max_length=20)
    title = models.JSONField()
    values = models.JSONField()
    loses = models.JSONField(default=list)
    state = models.CharField(max_length=12, choices=StepState.choices, default=StepState.TO_DO)
    owner_name = models.CharField(max_length=150, default="", blank=True)
    window = models.CharField(max_length=MAX_NAME, default="", blank=True)
    note = models.CharField(max_length=MAX_NOTE, default="", blank=True)
    done_at = models.DateTimeField(null=True)
    done_by = models.CharField(max_length=150, default="", blank=True)
    verified_at = models.DateTimeField(null=True)
    read_at = models.DateTimeField(null=True)  # the reading that proves it, or tells otherwise
    found = models.CharField(max_length=MAX_NOTE, default="", blank=True)
    made_ids = models.JSONField(default=list)  # what there is of it by now
    # What was written for it at a far end last, there or back.
    change = models.ForeignKey(
        "feeds.Change", on_delete=models.SET_NULL, null=True, related_name="+"
    )
    undone_at = models.DateTimeField(null=True)  # what was read before proves nothing

    class Meta:
        ordering = ["order", "place", "pk"]
        constraints = [models.UniqueConstraint("order", "place", name="work_step_once")]

    def __str__(self) -> str:
        return f"{self.order} step {self.place}"


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


class PriceRevision(models.Model):
    """What bytes cost from a moment on: the newest one counts."""

    number = models.PositiveIntegerField(unique=True)
    currency = models.CharField(max_length=MAX_CURRENCY)
    basis = models.CharField(max_length=10)
    by_class = models.JSONField()  # money for a TiB and month, as text, by service class
    note = models.CharField(max_length=MAX_NOTE, default="", blank=True)
    made_at = models.DateTimeField()
    made_by = models.CharField(max_length=150)

    class Meta:
        ordering = ["-number"]

    def __str__(self) -> str:
        return f"prices r{self.number}"
