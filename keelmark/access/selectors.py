"""Reads of people and their rights; every other app asks here who may see what."""

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from django.contrib.auth.models import User
from django.db.models import QuerySet

from keelmark.access.models import ApiToken, AuditEntry, Membership, Role

NOBODY = "keel"  # what the program did by itself, or at the command line
SEES_ALL = frozenset({Role.PLANNER, Role.OPERATOR, Role.AUDITOR, Role.ADMINISTRATOR})


def role_of(actor: User) -> Role | None:
    """Return the role of a person, None for one without or out of service.

    It is looked up once for each person that a request brings: a list asks for it often.
    """
    if not actor.is_active:
        return None
    if not hasattr(actor, "role_told"):
        known = Membership.objects.filter(user=actor).values_list("role", flat=True).first()
        actor.role_told = Role(known) if known else None  # type: ignore[attr-defined]  # kept there
    told: Role | None = actor.role_told  # type: ignore[attr-defined]  # set above
    return told


def sees_all(actor: User) -> bool:
    """Whether this person may see the whole estate."""
    return role_of(actor) in SEES_ALL


def tenant_ids_of(actor: User) -> list[int]:
    """Return the tenants that a tenant viewer may see."""
    if role_of(actor) != Role.TENANT_VIEWER:
        return []
    tenants = Membership.tenants.through.objects.filter(membership__user=actor)
    return list(tenants.values_list("entity_id", flat=True))


def known_tenant_ids(ids: Iterable[int]) -> set[int]:
    """Return which of the ids are tenants that a viewer can be given."""
    model: Any = Membership._meta.get_field("tenants").related_model  # Any: an app's above
    return set(model.objects.filter(pk__in=ids, kind="tenant").values_list("pk", flat=True))


def person_named(name: str) -> User:
    """Return a person by name, for commands that are run where the database is."""
    return User.objects.get(username=name)


def people_for(actor: User) -> QuerySet[User]:
    """Return the people this person looks after."""
    if role_of(actor) != Role.ADMINISTRATOR:
        return User.objects.none()
    return User.objects.select_related("membership").order_by("username", "pk")


def tokens_for(actor: User) -> QuerySet[ApiToken]:
    """Return a person's own tokens."""
    return ApiToken.objects.filter(user=actor, revoked_at=None)


def audit_for(
    actor: User, *, by: str = "", kind: str = "", before: datetime | None = None
) -> QuerySet[AuditEntry]:
    """Return the audit to those who may read it, narrowed to who wrote, what kind, until when."""
    if role_of(actor) not in (Role.AUDITOR, Role.ADMINISTRATOR):
        return AuditEntry.objects.none()
    wanted: dict[str, object] = {}
    if by:
        wanted["actor_name"] = "" if by == NOBODY else by
    if kind:
        wanted["subject_kind"] = kind
    if before is not None:
        wanted["at__lt"] = before
    return AuditEntry.objects.filter(**wanted)
