"""Reads of people and their rights; every other app asks here who may see what."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, NamedTuple

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet

from keelmark.access.models import (
    OF_TENANTS,
    ApiToken,
    AuditEntry,
    KeptSession,
    Membership,
    Role,
)

NOBODY = "keel"  # what the program did by itself, or at the command line
SEES_ALL = frozenset({Role.PLANNER, Role.OPERATOR, Role.AUDITOR, Role.ADMINISTRATOR})


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """What a person is here, and what they must do before anything else."""

    role: Role
    must_change_password: bool
    must_set_up_factor: bool


def standing_of(actor: User) -> Standing | None:
    """Return the standing of a person, None for one without a role or out of service.

    It is looked up once for each person that a request brings: a list asks for it often.
    """
    if not actor.is_active:
        return None
    if not hasattr(actor, "standing_told"):
        known = (
            Membership.objects.filter(user=actor)
            .values_list(
                "role",
                "must_change_password",
                "requires_second_factor",
                "user__second_factor__confirmed_at",
            )
            .first()
        )
        actor.standing_told = known and Standing(  # type: ignore[attr-defined]  # kept there
            role=Role(known[0]),
            must_change_password=known[1],
            must_set_up_factor=known[2] and known[3] is None,
        )
    told: Standing | None = actor.standing_told  # type: ignore[attr-defined]  # set above
    return told


def role_of(actor: User) -> Role | None:
    """Return the role of a person, None for one without or out of service."""
    standing = standing_of(actor)
    return standing.role if standing else None


def requires_factor(actor: User) -> bool:
    """Whether an administrator asks this person for a second factor."""
    return Membership.objects.filter(user=actor, requires_second_factor=True).exists()


def sees_all(actor: User) -> bool:
    """Whether this person may see the whole estate."""
    return role_of(actor) in SEES_ALL


def tenant_ids_of(actor: User) -> list[int]:
    """Return the tenants that somebody who sees no others may see."""
    if role_of(actor) not in OF_TENANTS:
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
    return (
        User.objects.select_related("membership")
        .prefetch_related("membership__tenants")
        .annotate(has_second_factor=Q(second_factor__confirmed_at__isnull=False))
        .order_by("username", "pk")
    )


def tokens_for(actor: User) -> QuerySet[ApiToken]:
    """Return a person's own tokens."""
    return ApiToken.objects.filter(user=actor, revoked_at=None)


def sessions_for(actor: User) -> QuerySet[KeptSession]:
    """Return the browsers in which a person is signed in."""
    return KeptSession.objects.filter(user=actor, expire_date__gt=datetime.now(UTC))


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


class Before(NamedTuple):
    """What something was before an audited change of it."""

    at: datetime
    kind: str
    subject_id: int
    before: dict[str, Any]  # Any: JSON of whatever was written


def facts_before(action: str, *, since: datetime) -> list[Before]:
    """Return what was before each change by an action since a moment, the oldest first."""
    told = AuditEntry.objects.filter(
        action=action, at__gte=since, subject_id__isnull=False, before__isnull=False
    )
    rows = told.order_by("at", "pk").values_list("at", "subject_kind", "subject_id", "before")
    return [
        Before(at=at, kind=kind, subject_id=pk, before=before)
        for at, kind, pk, before in rows
        if pk is not None and before is not None
    ]
