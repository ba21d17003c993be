"""What each role may do over the API, and tokens as a way to sign in."""

from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING, Any

from django.contrib.auth.models import User
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework import exceptions
from rest_framework.authentication import BaseAuthentication, get_authorization_header
from rest_framework.permissions import SAFE_METHODS, BasePermission

from keelmark.access.models import ApiToken, Role, Scope
from keelmark.access.selectors import role_of
from keelmark.access.services import person_of_token

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
    READ_AUDIT = "read audit"
    MANAGE_PEOPLE = "manage people"
    OWN = "own account"


RIGHTS: dict[Role, frozenset[Right]] = {
    Role.PLANNER: frozenset(
        {Right.READ, Right.READ_FEEDS, Right.MANAGE_FEEDS, Right.PUSH, Right.PLAN, Right.OWN}
    ),
    Role.OPERATOR: frozenset(
        {Right.READ, Right.READ_FEEDS, Right.MANAGE_FEEDS, Right.PUSH, Right.PLAN,
         Right.CARRY_OUT, Right.OWN}
    ),
    Role.AUDITOR: frozenset({Right.READ, Right.READ_FEEDS, Right.READ_AUDIT, Right.OWN}),
    Role.TENANT_VIEWER: frozenset({Right.READ, Right.OWN}),
    Role.ADMINISTRATOR: frozenset(Right) - {Right.CARRY_OUT},
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
        return _is_in_scope(request.auth, right=right, method=str(request.method))


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
