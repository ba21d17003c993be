"""Writes people: added, changed, their passwords set and changed."""

from datetime import UTC, datetime

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from keelmark.access import selectors
from keelmark.access.errors import (
    FieldFault,
    FormError,
    LastAdministratorError,
    NameTakenError,
    wrong_field,
)
from keelmark.access.models import KeptSession, Membership, Role, SecondFactor
from keelmark.access.passwords import checked_name, normal_name, validation_fault
from keelmark.access.services.audit import Facts, audit
from keelmark.access.services.tokens import revoke_all
from keelmark.access.versions import check_version


@transaction.atomic
def ensure_person(*, name: str, password: str, role: Role = Role.PLANNER) -> User:
    """Make the person, or give an existing one this password and role: at the command line."""
    person, _ = User.objects.get_or_create(username=normal_name(name))
    if not person.check_password(password):
        person.set_password(password)
        person.save(update_fields=["password"])
    Membership.objects.update_or_create(user=person, defaults={"role": role})
    return person


def first_person(*, name: str, password: str) -> User:
    """Make the first administrator of an installation; raise a RefusalError where it cannot be."""
    normal = checked_name(name)
    _check_password(password, person=User(username=normal), field="password")
    person = ensure_person(name=normal, password=password, role=Role.ADMINISTRATOR)
    audit(None, action="add person", kind="person", subject_id=person.pk, name=normal)
    return person


def add_person(
    *,
    actor: User,
    name: str,
    password: str,
    role: Role,
    tenant_ids: list[int],
    requires_second_factor: bool = False,
) -> User:
    """Add a person, who must change the password that somebody else chose."""
    normal = checked_name(name)
    if User.objects.filter(username__iexact=normal).exists():
        raise NameTakenError(name=normal)
    _check_password(password, person=User(username=normal), field="password")
    _check_tenants(tenant_ids)
    try:
        with transaction.atomic():
            person = User.objects.create_user(normal, password=password)
            membership = Membership.objects.create(
                user=person,
                role=role,
                must_change_password=True,
                requires_second_factor=requires_second_factor,
            )
            membership.tenants.set(tenant_ids)
            audit(actor, action="add person", kind="person", subject_id=person.pk, name=normal,
                  after=told_of(person, membership=membership))  # fmt: skip
    except IntegrityError as exc:  # two added the same at once
        raise NameTakenError(name=normal) from exc
    return person


@transaction.atomic
def set_person(  # one branch a field that may be given
    *,
    actor: User,
    person_id: int,
    role: Role | None = None,
    tenant_ids: list[int] | None = None,
    is_active: bool | None = None,
    password: str | None = None,
    requires_second_factor: bool | None = None,
    drops_second_factor: bool = False,
    seen_version: str | None = None,
) -> User:
    """Change what is given of a person; a new password or leaving service ends what is open."""
    person = selectors.people_for(actor).select_for_update(of=("self",)).get(pk=person_id)
    Membership.objects.get_or_create(user=person, defaults={"role": Role.AUDITOR})
    membership = Membership.objects.select_for_update().get(user=person)
    before = told_of(person, membership=membership)
    check_version(seen_version, facts=version_facts(before))
    if role is not None:
        membership.role = role
    if is_active is not None:
        person.is_active = is_active
    if requires_second_factor is not None:
        membership.requires_second_factor = requires_second_factor
    if password is not None:
        _check_password(password, person=person, field="password")
        person.set_password(password)
        membership.must_change_password = person.pk != actor.pk
    person.save()
    membership.save()
    _check_administrators(person)
    if tenant_ids is not None:
        _check_tenants(tenant_ids)
        membership.tenants.set(tenant_ids)
    after = told_of(person, membership=membership)
    if drops_second_factor:
        after["n_factors_dropped"] = SecondFactor.objects.filter(user=person).delete()[0]
    if password is not None or not person.is_active or drops_second_factor:
        after |= end_all(person)
    if password is not None:
        after["has_new_password"] = True
    audit(actor, action="set person", kind="person", subject_id=person.pk,
          name=person.username, before=before, after=after)  # fmt: skip
    return person


@transaction.atomic
def change_password(*, actor: User, current: str, new: str, session_key: str | None) -> User:
    """Change one's own password; what else is open in one's name ends."""
    person = User.objects.select_for_update().get(pk=actor.pk)
    if not person.check_password(current):
        raise wrong_field("current", "This is not your password.", code="password")
    if current == new:
        raise wrong_field("new", "Choose another one than before.", code="password")
    _check_password(new, person=person, field="new")
    person.set_password(new)
    person.save(update_fields=["password"])
    Membership.objects.filter(user=person).update(must_change_password=False)
    after = end_all(person, but_session=session_key)
    audit(person, action="change own password", kind="person", subject_id=person.pk,
          name=person.username, after=after)  # fmt: skip
    return person


def end_all(person: User, *, but_session: str | None = None) -> Facts:
    """End the sessions and tokens of a person; return how many."""
    sessions = KeptSession.objects.filter(user=person).exclude(session_key=but_session or "")
    return {
        "n_sessions_ended": sessions.delete()[0],
        "n_tokens_ended": revoke_all(person, now=datetime.now(UTC)),
    }


def told_of(person: User, *, membership: Membership) -> Facts:
    """Return what may be written of a person, but for what is secret."""
    return {
        "role": membership.role,
        "is_active": person.is_active,
        "tenants": sorted(tenant.name for tenant in membership.tenants.all()),
        "requires_second_factor": membership.requires_second_factor,
        "must_change_password": membership.must_change_password,
    }


def version_facts(told: Facts) -> Facts:
    """Return what a version is of: what administrators decide, not what a person did since."""
    return {name: fact for name, fact in told.items() if name != "must_change_password"}


def _check_administrators(person: User) -> None:
    """Somebody must be left who looks after people; all are locked, so that two cannot go."""
    left = list(
        Membership.objects.select_for_update()
        .filter(role=Role.ADMINISTRATOR)
        .order_by("pk")
        .values_list("user__is_active", flat=True)
    )
    if not any(left):
        raise LastAdministratorError(name=person.username)


def _check_tenants(ids: list[int]) -> None:
    unknown = sorted(set(ids) - selectors.known_tenant_ids(ids))
    if unknown:
        told = f"There is no tenant {unknown[0]}."
        fault = FieldFault(pointer="#/tenant_ids", code="unknown", detail=told)
        raise FormError(told, faults=(fault,))


def _check_password(password: str, *, person: User, field: str) -> None:
    try:
        validate_password(password, user=person)
    except ValidationError as exc:
        raise validation_fault(exc, field=field) from exc
