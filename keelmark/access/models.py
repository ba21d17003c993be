"""Who may do what: roles, personal tokens, lock-outs, and the audit of every write."""

from django.contrib.auth.models import User
from django.db import models

MAX_NAME = 200


class Role(models.TextChoices):
    PLANNER = "planner"  # plans, and looks after feeds
    OPERATOR = "operator"  # may carry out what was accepted
    AUDITOR = "auditor"  # reads everything, the audit too
    TENANT_VIEWER = "tenant viewer"  # reads what is of their own tenants
    ADMINISTRATOR = "administrator"  # looks after people


class Membership(models.Model):
    """The role of a person; a tenant viewer's own tenants."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="membership")
    role = models.CharField(max_length=20, choices=Role.choices)
    tenants = models.ManyToManyField("estate.Entity", related_name="+", blank=True)

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


class SignInGuard(models.Model):
    """Failed sign-ins of a name, known or not; too many lock it for a while."""

    name = models.CharField(max_length=150, primary_key=True)
    n_failures = models.PositiveIntegerField(default=0)
    first_failed_at = models.DateTimeField()
    locked_until = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return f"{self.name}: {self.n_failures}"


class AuditEntry(models.Model):
    """One write: who, what, to what, how it was before and after. Never changed."""

    at = models.DateTimeField(db_index=True)
    actor = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    actor_name = models.CharField(max_length=150)
    by_token = models.CharField(max_length=MAX_NAME, default="", blank=True)
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
