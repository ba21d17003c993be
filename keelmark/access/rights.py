"""What each role may do over the API, and tokens as a way to sign in."""

from __future__ import annotations

from datetime import UTC, datetime
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from django.conf import settings
from django.contrib.auth.models import User
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework import exceptions
from rest_framework.authentication import BaseAuthentication, get_authorization_header
from rest_framework.permissions import SAFE_METHODS, BasePermission

from keelmark.access.errors import (
    NotByTokenError,
    PasswordChangeWantedError,
    PasswordWantedError,
    SecondFactorWantedError,
)
from keelmark.access.models import ApiToken, Role, Scope
from keelmark.access.selectors import role_of, standing_of
from keelmark.access.services.allowances import Ration, spend
from keelmark.access.services.signing_in import CONFIRMED
from keelmark.access.services.tokens import person_of_token

if TYPE_CHECKING:  # both import the settings, which name this module
    from rest_framework.request import Request
    from rest_framework.views import APIView

BEARER = b"bearer"
HEADER_PARTS = 2


class Right(StrEnum):
    """What a request needs."""

    READ = "read"  # the estate, as far as the selectors show it
    READ_FEEDS = "read feeds"
    MANAGE_FEEDS = "manage feeds"
    PUSH = "push documents"
    PLAN = "plan"
    CARRY_OUT = "carry out"
    PROVISION = "provision"  # out of an allotment
    READ_AUDIT = "read audit"
    MANAGE_PEOPLE = "manage people"
    OWN = "own account"


RIGHTS: dict[Role, frozenset[Right]] = {
    Role.PLANNER: frozenset(
        {Right.READ, Right.READ_FEEDS, Right.MANAGE_FEEDS, Right.PUSH, Right.PLAN, Right.OWN}
    ),
    Role.OPERATOR: frozenset(
        {Right.READ, Right.READ_FEEDS, Right.MANAGE_FEEDS, Right.PUSH, Right.PLAN,
         Right.CARRY_OUT, Right.PROVISION, Right.OWN}
    ),
    Role.AUDITOR: frozenset({Right.READ, Right.READ_FEEDS, Right.READ_AUDIT, Right.OWN}),
    Role.TENANT_VIEWER: frozenset({Right.READ, Right.OWN}),
    Role.TENANT_OPERATOR: frozenset({Right.READ, Right.PROVISION, Right.OWN}),
    Role.ADMINISTRATOR: frozenset(Right) - {Right.CARRY_OUT, Right.PROVISION},
}  # fmt: skip
_SCOPE_OF: dict[Right, Scope] = {Right.PUSH: Scope.PUSH}


def has_right(actor: User, right: Right) -> bool:
    """Whether a person's role gives a right."""
    role = role_of(actor)
    return role is not None and right in RIGHTS[role]


class HasRight(BasePermission):
    """Lets a request through if its person has the right that the view names for its method.

    A view names its rights in ``rights``, by action or method; a read that is not named needs
    READ, a write that is not named is refused to all.
    """

    def has_permission(self, request: Request, view: APIView) -> bool:
        if not isinstance(request.user, User):
            return False
        right = right_of(view, method=str(request.method))
        if right is None or not has_right(request.user, right):
            return False
        _check_standing(request.user)
        if not _is_in_scope(request.auth, right=right, method=str(request.method)):
            return False
        _ration(view, person=request.user)
        return True


def _check_standing(person: User) -> None:
    standing = standing_of(person)
    if standing is not None and standing.must_change_password:
        raise PasswordChangeWantedError
    if standing is not None and standing.must_set_up_factor:
        raise SecondFactorWantedError


def _ration(view: APIView, *, person: User) -> None:
    """Spend of what a costly action is rationed by; a view names its rations by action."""
    rations: dict[str, Ration] = getattr(view, "rations", {})
    action = str(getattr(view, "action", None) or str(view.request.method))
    if action in rations:
        what = f"{type(view).__name__}.{action} by {person.pk}"
        spend(what, ration=rations[action])


def require_confirmation(request: Request) -> None:
    """Raise a refusal unless the person themselves gave their password lately.

    For all that lets somebody in or leads secrets out: people, tokens, feeds, their secrets.
    """
    if request.auth is not None:
        raise NotByTokenError
    confirmed = request._request.session.get(CONFIRMED, 0)
    if datetime.now(UTC).timestamp() - confirmed > settings.CONFIRMED_SECONDS:
        raise PasswordWantedError


def right_of(view: APIView, *, method: str) -> Right | None:
    """Return what a view wants for a method, None where it names nothing for a write."""
    named: dict[str, Right] = getattr(view, "rights", {})
    action = getattr(view, "action", None)
    found = named.get(str(action)) or named.get(method)
    if found is None and method in SAFE_METHODS:
        return named.get("GET", Right.READ)
    return found


def _is_in_scope(auth: Any, *, right: Right, method: str) -> bool:  # Any: DRF's
    if not isinstance(auth, ApiToken):
        return True
    wanted = _SCOPE_OF.get(right) or (Scope.READ if method in SAFE_METHODS else Scope.WRITE)
    return wanted in auth.scopes


class TokenAuthentication(BaseAuthentication):
    """`Authorization: Bearer keel_…`."""

    def authenticate(self, request: Request) -> tuple[User, ApiToken] | None:
        parts = get_authorization_header(request).split()
        if not parts or parts[0].lower() != BEARER:
            return None
        secret = parts[1].decode("ascii", "replace") if len(parts) == HEADER_PARTS else ""
        found = person_of_token(secret)
        if found is None:
            raise exceptions.AuthenticationFailed("This token is unknown, revoked or expired.")
        return found

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"


class TokenScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]  # the package's
    """Tells the schema of the tokens."""

    target_class = "keelmark.access.rights.TokenAuthentication"
    name = "token"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}
