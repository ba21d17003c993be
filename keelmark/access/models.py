"""Who may do what: roles, tokens, sessions, second factors, and the audit of every write."""

from django.contrib.auth.models import User
from django.contrib.sessions.base_session import AbstractBaseSession
from django.db import models

MAX_NAME = 200
MAX_ADDRESS = 45  # an IPv6 address as text


class Role(models.TextChoices):
    PLANNER = "planner"  # plans, and looks after feeds
    OPERATOR = "operator"  # may carry out what was accepted
    AUDITOR = "auditor"  # reads everything, the audit too
    TENANT_VIEWER = "tenant viewer"  # reads what is of their own tenants
    TENANT_OPERATOR = "tenant operator"  # the same, and provisions out of their allotments
    ADMINISTRATOR = "administrator"  # looks after people


OF_TENANTS = (Role.TENANT_VIEWER, Role.TENANT_OPERATOR)  # who see their own tenants alone


class Membership(models.Model):
    """The role of a person; their own tenants, if of those; what they must do at sign-in."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="membership")
    role = models.CharField(max_length=20, choices=Role.choices)
    tenants = models.ManyToManyField("estate.Entity", related_name="+", blank=True)
    # A password that somebody else chose is good for changing it alone.
    must_change_password = models.BooleanField(default=False)
    requires_second_factor = models.BooleanField(default=False)

    class Meta:
        ordering = ["user__username", "pk"]

    def __str__(self) -> str:
        return f"{self.user_id} {self.role}"


class Scope(models.TextChoices):
    READ = "read"
    WRITE = "write"
    PUSH = "push"


class ApiToken(models.Model):
    """A personal token: only its digest is kept, so it is shown once and never again."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="api_tokens")
    name = models.CharField(max_length=MAX_NAME)
    digest = models.CharField(max_length=64, unique=True)
    hint = models.CharField(max_length=12)  # its first characters, to tell it by
    scopes = models.JSONField(default=list)
    made_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    last_used_at = models.DateTimeField(null=True)
    revoked_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"{self.hint}… {self.name}"


class KeptSession(AbstractBaseSession):
    """A browser that is signed in: whose, from where, since when, and when it was heard last."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, null=True, related_name="+")
    began_at = models.DateTimeField()
    seen_at = models.DateTimeField()
    address = models.CharField(max_length=MAX_ADDRESS, default="", blank=True)
    agent = models.CharField(max_length=200, default="", blank=True)

    class Meta:
        ordering = ["-seen_at", "pk"]

    def __str__(self) -> str:
        return f"{self.user_id} from {self.address}"


class SecondFactor(models.Model):
    """A person's own generator of codes (RFC 6238); it counts once a code has confirmed it."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="second_factor")
    secret_encrypted = models.BinaryField()
    made_at = models.DateTimeField()
    confirmed_at = models.DateTimeField(null=True)
    last_step = models.BigIntegerField(default=0)  # no code is good twice

    class Meta:
        ordering = ["user", "pk"]

    def __str__(self) -> str:
        return f"of {self.user_id}"


class Allowance(models.Model):
    """How much of something that is rationed was taken lately; it drains with time."""

    key = models.CharField(max_length=300, primary_key=True)
    level = models.FloatField(default=0)
    at = models.DateTimeField(db_index=True)

    class Meta:
        ordering = ["key"]

    def __str__(self) -> str:
        return f"{self.key}: {self.level}"


class AuditEntry(models.Model):
    """One write or refusal: who, from where, what, to what, before and after. Never changed."""

    at = models.DateTimeField(db_index=True)
    actor = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    actor_name = models.CharField(max_length=150)
    by_token = models.CharField(max_length=MAX_NAME, default="", blank=True)
    address = models.CharField(max_length=MAX_ADDRESS, default="", blank=True)
    action = models.CharField(max_length=60)
    subject_kind = models.CharField(max_length=40)
    subject_id = models.BigIntegerField(null=True)
    subject_name = models.CharField(max_length=400, default="", blank=True)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)

    class Meta:
        ordering = ["-at", "-pk"]

    def __str__(self) -> str:
        return f"{self.actor_name} {self.action} {self.subject_name}"
