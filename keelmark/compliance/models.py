"""Policies and QoS tiers in revisions, and to whom they are promised."""

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.db.models.functions import Lower

MAX_NAME = 100
MAX_NOTE = 2000


class Policy(models.Model):
    """A named set of promises; what it promises stands in its newest revision."""

    name = models.CharField(max_length=MAX_NAME)
    retired_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name", "pk"]
        constraints = [
            models.UniqueConstraint(
                Lower("name"), name="policy_name_once", condition=Q(retired_at__isnull=True)
            )
        ]

    def __str__(self) -> str:
        return self.name


class Revision(models.Model):
    """What a policy promised from a moment on."""

    policy = models.ForeignKey(Policy, on_delete=models.PROTECT, related_name="revisions")
    number = models.PositiveIntegerField()
    rules = models.JSONField()  # a list of {"kind": …, "told": {…}} as core.policy.rules keeps them
    settling_minutes = models.PositiveIntegerField()
    note = models.CharField(max_length=MAX_NOTE, default="", blank=True)
    made_at = models.DateTimeField()
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    author_name = models.CharField(max_length=150)

    class Meta:
        ordering = ["-number", "-pk"]
        constraints = [
            models.UniqueConstraint("policy", "number", name="policy_revision_once"),
        ]

    def __str__(self) -> str:
        return f"{self.policy} r{self.number}"


class Stamp(models.Model):
    """A number that grows with every write to some tables, whoever writes: triggers see to it."""

    of = models.CharField(max_length=16, primary_key=True)
    n = models.BigIntegerField()

    def __str__(self) -> str:
        return f"{self.of}: {self.n}"


class Promise(models.Model):
    """A policy for one thing, for all of a tenant, project or class, or for the whole estate.

    Without a policy it tells when one was taken back: what bears since then settles first.
    """

    policy = models.ForeignKey(Policy, on_delete=models.PROTECT, null=True, related_name="promises")
    entity = models.OneToOneField(
        "estate.Entity", on_delete=models.CASCADE, null=True, related_name="+"
    )
    service_class = models.OneToOneField(
        "estate.ServiceClass", on_delete=models.CASCADE, null=True, related_name="+"
    )
    made_at = models.DateTimeField()
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                name="promise_to_one",
                condition=Q(entity__isnull=True) | Q(service_class__isnull=True),
            ),
            models.UniqueConstraint(
                "policy",
                name="promise_to_the_estate_once",
                condition=Q(entity__isnull=True, service_class__isnull=True),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.policy or 'none'} for {self.entity or self.service_class or 'the estate'}"


class Tier(models.Model):
    """A named QoS tier; what it promises stands in its newest revision."""

    name = models.CharField(max_length=MAX_NAME)
    retired_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name", "pk"]
        constraints = [
            models.UniqueConstraint(
                Lower("name"), name="tier_name_once", condition=Q(retired_at__isnull=True)
            )
        ]

    def __str__(self) -> str:
        return self.name


class TierRevision(models.Model):
    """What a tier promised from a moment on."""

    tier = models.ForeignKey(Tier, on_delete=models.PROTECT, related_name="revisions")
    number = models.PositiveIntegerField()
    min_iops = models.PositiveIntegerField()
    max_iops = models.PositiveIntegerField()
    burst = models.FloatField()
    max_bytes_per_second = models.PositiveBigIntegerField(null=True)
    latency_ms = models.FloatField(null=True)
    is_together = models.BooleanField()
    note = models.CharField(max_length=MAX_NOTE, default="", blank=True)
    made_at = models.DateTimeField()
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    author_name = models.CharField(max_length=150)

    class Meta:
        ordering = ["-number", "-pk"]
        constraints = [models.UniqueConstraint("tier", "number", name="tier_revision_once")]

    def __str__(self) -> str:
        return f"{self.tier} r{self.number}"


class TierNaming(models.Model):
    """The tier that a disk, a VM or a project names, or when it took that back."""

    tier = models.ForeignKey(Tier, on_delete=models.PROTECT, null=True, related_name="namings")
    entity = models.OneToOneField("estate.Entity", on_delete=models.CASCADE, related_name="+")
    made_at = models.DateTimeField()
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.tier or 'none'} for {self.entity}"


class Righting(models.Model):
    """An array whose volumes are set to what they must offer, again and again."""

    array = models.OneToOneField("estate.Entity", on_delete=models.CASCADE, related_name="+")
    every_seconds = models.PositiveIntegerField()
    made_at = models.DateTimeField()
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    author_name = models.CharField(max_length=150)
    due_at = models.DateTimeField()
    last_at = models.DateTimeField(null=True)
    last_told = models.CharField(max_length=500, default="", blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.array} every {self.every_seconds} s"


class VerdictKept(models.Model):
    """How a subject stands with one rule since when, as it was judged last."""

    entity = models.ForeignKey("estate.Entity", on_delete=models.CASCADE, related_name="+")
    rule = models.CharField(max_length=16)
    state = models.CharField(max_length=8)
    since = models.DateTimeField()
    is_least = models.BooleanField()  # it may have been so for longer

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint("entity", "rule", name="verdict_once")]

    def __str__(self) -> str:
        return f"{self.entity_id} {self.rule}: {self.state}"


class VerdictChange(models.Model):
    """A verdict that became another one."""

    entity = models.ForeignKey("estate.Entity", on_delete=models.CASCADE, related_name="+")
    rule = models.CharField(max_length=16)
    policy = models.ForeignKey(Policy, on_delete=models.SET_NULL, null=True, related_name="+")
    was = models.CharField(max_length=8)
    state = models.CharField(max_length=8)
    at = models.DateTimeField(db_index=True)

    class Meta:
        ordering = ["-at", "-pk"]

    def __str__(self) -> str:
        return f"{self.entity_id} {self.rule}: {self.was} → {self.state}"


class KeptOnDay(models.Model):
    """How many subjects of a policy stood how, when a day was looked at last."""

    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="days")
    day = models.DateField()
    kind = models.CharField(max_length=16)
    counts = models.JSONField()  # {state: n}

    class Meta:
        ordering = ["day", "kind"]
        constraints = [models.UniqueConstraint("policy", "day", "kind", name="kept_once_a_day")]

    def __str__(self) -> str:
        return f"{self.policy_id} on {self.day}"


class DayServed(models.Model):
    """How disks were served on one day that is over: one packed row for all of them."""

    day = models.DateField(unique=True)
    made_at = models.DateTimeField()
    n_steps = models.BigIntegerField()  # that were packed of the day by then
    content = models.BinaryField()  # ids and what core.qos.found.Tally holds, as NumPy packs them

    class Meta:
        ordering = ["-day"]

    def __str__(self) -> str:
        return f"served on {self.day}"


class TierOutlook(models.Model):
    """When the busy hours of a disk come to the maximum of its tier, as forecast."""

    entity = models.OneToOneField(
        "estate.Entity", on_delete=models.CASCADE, primary_key=True, related_name="+"
    )
    tier = models.ForeignKey(Tier, on_delete=models.CASCADE, related_name="+")
    made_at = models.DateTimeField()
    max_iops = models.BigIntegerField()
    level_iops = models.FloatField()  # of the busy hours, now
    growth_per_day = models.FloatField()
    early_on = models.DateField(null=True)  # null where not within the horizon
    likely_on = models.DateField(null=True)
    late_on = models.DateField(null=True)

    class Meta:
        ordering = ["likely_on", "early_on", "pk"]

    def __str__(self) -> str:
        return f"{self.entity_id} outgrows {self.tier_id} on {self.likely_on}"


class LookAhead(models.Model):
    """When it was looked ahead last, whoever was found: one row."""

    made_at = models.DateTimeField()
    n_asked = models.PositiveIntegerField()  # disks near enough to the maximum of their tier
    n_told = models.PositiveIntegerField()  # of which enough days are known

    def __str__(self) -> str:
        return f"looked ahead at {self.made_at:%Y-%m-%d %H:%M}"
