"""Writes people, their tokens, and the audit."""

import hashlib
import secrets
from datetime import UTC, datetime, timedelta
from typing import Any

from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest

from keelmark.access import selectors
from keelmark.access.errors import (
    FieldFault,
    FormError,
    NameTakenError,
    SignInLockedError,
    SignInRefusedError,
)
from keelmark.access.models import ApiToken, AuditEntry, Membership, Role, Scope, SignInGuard

TOKEN_PREFIX = "keel_"  # noqa: S105  # what a token begins with
TOKEN_BYTES = 32
HINT_CHARS = 10
MAX_FAILURES = 8
FAILURE_WINDOW = timedelta(minutes=15)
LOCKED_FOR = timedelta(minutes=15)
MAX_TOKEN_DAYS = 366
USED_EVERY = timedelta(minutes=1)
Facts = dict[str, Any]  # Any: JSON of whatever was written


def audit(
    actor: User | None,
    *,
    action: str,
    kind: str,
    subject_id: int | None = None,
    name: str = "",
    before: Facts | None = None,
    after: Facts | None = None,
) -> None:
    """Write an audit entry; secrets are never among the facts."""
    AuditEntry.objects.create(
        at=datetime.now(UTC),
        actor=actor,
        actor_name=actor.get_username() if actor else "",
        by_token=getattr(actor, "token_name", "") if actor else "",
        action=action,
        subject_kind=kind,
        subject_id=subject_id,
        subject_name=name,
        before=before,
        after=after,
    )


@transaction.atomic
def ensure_person(*, name: str, password: str, role: Role = Role.PLANNER) -> User:
    """Make the person, or give an existing one this password and role."""
    person, _ = User.objects.get_or_create(username=name)
    if not person.check_password(password):
        person.set_password(password)
        person.save(update_fields=["password"])
    Membership.objects.update_or_create(user=person, defaults={"role": role})
    return person


def sign_in(request: HttpRequest, *, name: str, password: str) -> User:
    """Return the person, or refuse; a name that fails too often is locked for a while."""
    now = datetime.now(UTC)
    guard = SignInGuard.objects.filter(name=name).first()
    if guard and guard.locked_until and guard.locked_until > now:
        raise SignInLockedError(until=guard.locked_until)
    person = authenticate(request, username=name, password=password)
    if not isinstance(person, User):
        _count_failure(name, now=now)
        raise SignInRefusedError
    SignInGuard.objects.filter(name=name).delete()
    audit(person, action="sign in", kind="person", subject_id=person.pk, name=name)
    return person


@transaction.atomic
def _count_failure(name: str, *, now: datetime) -> None:
    guard, _ = SignInGuard.objects.select_for_update().get_or_create(
        name=name, defaults={"first_failed_at": now}
    )
    if now - guard.first_failed_at > FAILURE_WINDOW:
        guard.n_failures, guard.first_failed_at = 0, now
    guard.n_failures += 1
    if guard.n_failures >= MAX_FAILURES:
        guard.locked_until, guard.n_failures = now + LOCKED_FOR, 0
        audit(None, action="lock sign-in", kind="person", name=name)
    guard.save()


@transaction.atomic
def make_token(*, actor: User, name: str, scopes: list[Scope], n_days: int) -> tuple[ApiToken, str]:
    """Make a token and return it with its secret, which is not kept."""
    if not 1 <= n_days <= MAX_TOKEN_DAYS:
        fault = FieldFault(pointer="#/n_days", code="range", detail=f"1 to {MAX_TOKEN_DAYS}.")
        raise FormError(f"A token lasts 1 to {MAX_TOKEN_DAYS} days.", faults=(fault,))
    secret = TOKEN_PREFIX + secrets.token_urlsafe(TOKEN_BYTES)
    now = datetime.now(UTC)
    token = ApiToken.objects.create(
        user=actor,
        name=name,
        digest=digest_of(secret),
        hint=secret[:HINT_CHARS],
        scopes=sorted(set(scopes)),
        made_at=now,
        expires_at=now + timedelta(days=n_days),
    )
    after = {"scopes": token.scopes, "expires_at": token.expires_at.isoformat()}
    audit(actor, action="make token", kind="token", subject_id=token.pk, name=name, after=after)
    return token, secret


@transaction.atomic
def revoke_token(*, actor: User, token_id: int) -> None:
    """Put a token out of service for good."""
    token = selectors.tokens_for(actor).select_for_update().get(pk=token_id)
    token.revoked_at = datetime.now(UTC)
    token.save(update_fields=["revoked_at"])
    audit(actor, action="revoke token", kind="token", subject_id=token.pk, name=token.name)


def person_of_token(secret: str) -> tuple[User, ApiToken] | None:
    """Return who a token stands for, None where it is unknown, revoked or past its time."""
    now = datetime.now(UTC)
    token = (
        ApiToken.objects.select_related("user")
        .filter(digest=digest_of(secret), revoked_at=None, expires_at__gt=now)
        .first()
    )
    if token is None or not token.user.is_active:
        return None
    if token.last_used_at is None or now - token.last_used_at > USED_EVERY:
        ApiToken.objects.filter(pk=token.pk).update(last_used_at=now)
    token.user.token_name = token.name  # type: ignore[attr-defined]  # for the audit
    return token.user, token


def digest_of(secret: str) -> str:
    """Return what is kept of a token; it is random enough that no salt is needed."""
    return hashlib.sha256(secret.encode()).hexdigest()


@transaction.atomic
def add_person(*, actor: User, name: str, password: str, role: Role, tenant_ids: list[int]) -> User:
    """Add a person."""
    if User.objects.filter(username=name).exists():
        raise NameTakenError(name=name)
    _check_password(password)
    _check_tenants(tenant_ids)
    person = User.objects.create_user(name, password=password)
    membership = Membership.objects.create(user=person, role=role)
    membership.tenants.set(tenant_ids)
    after = _told(person, membership=membership)
    audit(actor, action="add person", kind="person", subject_id=person.pk, name=name, after=after)
    return person


@transaction.atomic
def set_person(
    *,
    actor: User,
    person_id: int,
    role: Role | None = None,
    tenant_ids: list[int] | None = None,
    is_active: bool | None = None,
    password: str | None = None,
) -> User:
    """Change what is given of a person."""
    person = selectors.people_for(actor).select_for_update(of=("self",)).get(pk=person_id)
    membership, _ = Membership.objects.get_or_create(user=person, defaults={"role": Role.AUDITOR})
    before = _told(person, membership=membership)
    if password is not None:
        _check_password(password)
        person.set_password(password)
    if is_active is not None:
        person.is_active = is_active
    person.save()
    if role is not None:
        membership.role = role
        membership.save(update_fields=["role"])
    if tenant_ids is not None:
        _check_tenants(tenant_ids)
        membership.tenants.set(tenant_ids)
    after = _told(person, membership=membership)
    if password is not None:
        after["has_new_password"] = True
    audit(actor, action="set person", kind="person", subject_id=person.pk,
          name=person.username, before=before, after=after)  # fmt: skip
    return person


def _told(person: User, *, membership: Membership) -> Facts:
    return {
        "role": membership.role,
        "is_active": person.is_active,
        "tenants": sorted(membership.tenants.values_list("name", flat=True)),
    }


def _check_tenants(ids: list[int]) -> None:
    unknown = sorted(set(ids) - selectors.known_tenant_ids(ids))
    if unknown:
        told = f"There is no tenant {unknown[0]}."
        fault = FieldFault(pointer="#/tenant_ids", code="unknown", detail=told)
        raise FormError(told, faults=(fault,))


def _check_password(password: str) -> None:
    try:
        validate_password(password)
    except ValidationError as exc:
        told = " ".join(exc.messages)
        fault = FieldFault(pointer="#/password", code="password", detail=told)
        raise FormError(told, faults=(fault,)) from exc
