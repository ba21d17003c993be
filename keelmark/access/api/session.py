"""Signing in and out, one's own password, second factor and sessions."""

from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.permissions import AllowAny, BasePermission
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access import selectors
from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.errors import NotByTokenError, SecondFactorWantedError
from keelmark.access.models import Role
from keelmark.access.passwords import normal_name
from keelmark.access.rights import RIGHTS, require_confirmation
from keelmark.access.services import second_factor, signing_in
from keelmark.access.services.people import change_password

MAX_PASSWORD, MAX_CODE = 200, 12
DAY_SECONDS = 86_400


class OwnSession(BasePermission):
    """Lets anybody through who is signed in themselves: for what comes before all rights."""

    def has_permission(self, request: Request, view: APIView) -> bool:
        if request.auth is not None:
            raise NotByTokenError
        return isinstance(request.user, User)


class SignInWrite(serializers.Serializer[User]):
    name = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=MAX_PASSWORD, trim_whitespace=False)
    code = serializers.CharField(
        max_length=MAX_CODE, required=False, allow_blank=True, help_text="of the second factor"
    )


class SessionRead(serializers.Serializer[User]):
    name = serializers.CharField(allow_null=True)
    is_signed_in = serializers.BooleanField()
    role = serializers.ChoiceField(choices=Role.choices, allow_null=True)
    rights = serializers.ListField(child=serializers.CharField())
    must_change_password = serializers.BooleanField()
    must_set_up_factor = serializers.BooleanField()
    has_second_factor = serializers.BooleanField()


@method_decorator(ensure_csrf_cookie, name="dispatch")
class SessionView(APIView):
    """The session of this browser."""

    permission_classes = [AllowAny]

    @extend_schema(operation_id="session_read", responses=SessionRead)
    def get(self, request: Request) -> Response:
        return Response(_session_body(request))

    @extend_schema(
        operation_id="session_begin",
        request=SignInWrite,
        responses={200: SessionRead, 400: Problem, 401: Problem, 429: Problem, 503: Problem},
    )
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        """Sign in; with a second factor set up, 401 *code-wanted* asks for its code."""
        form = SignInWrite(data=request.data)
        form.is_valid(raise_exception=True)
        person = signing_in.sign_in(request._request, **form.validated_data)
        request.user = person
        response = Response(_session_body(request))
        response.set_cookie(
            settings.DEVICE_COOKIE_NAME,
            signing_in.device_cookie(normal_name(person.get_username())),
            max_age=signing_in.DEVICE_DAYS * DAY_SECONDS,
            httponly=True,
            samesite="Lax",
            secure=settings.SESSION_COOKIE_SECURE,
        )
        return response

    @extend_schema(operation_id="session_end", request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        signing_in.sign_out(request._request)
        return Response(status=204)


class ConfirmationWrite(serializers.Serializer[User]):
    password = serializers.CharField(max_length=MAX_PASSWORD, trim_whitespace=False)
    code = serializers.CharField(max_length=MAX_CODE, required=False, allow_blank=True)


class ConfirmationView(APIView):
    """The password again, for what bears on who may come in."""

    permission_classes = [OwnSession]

    @extend_schema(
        operation_id="session_confirm",
        request=ConfirmationWrite,
        responses={204: None, 400: Problem, 401: Problem, 403: Problem, 429: Problem},
    )
    def post(self, request: Request) -> Response:
        form = ConfirmationWrite(data=request.data)
        form.is_valid(raise_exception=True)
        signing_in.confirm(request._request, actor=actor_of(request), **form.validated_data)
        return Response(status=204)


class PasswordWrite(serializers.Serializer[User]):
    current = serializers.CharField(max_length=MAX_PASSWORD, trim_whitespace=False)
    new = serializers.CharField(max_length=MAX_PASSWORD, trim_whitespace=False)


class PasswordView(APIView):
    """One's own password."""

    permission_classes = [OwnSession]

    @extend_schema(
        operation_id="password_change",
        request=PasswordWrite,
        responses={200: SessionRead, 400: Problem, 403: Problem, 429: Problem},
    )
    def put(self, request: Request) -> Response:
        """Change one's own password; one's other sessions and all tokens end."""
        form = PasswordWrite(data=request.data)
        form.is_valid(raise_exception=True)
        person = actor_of(request)
        signing_in.ration_password(person)
        changed = change_password(
            actor=person,
            session_key=request._request.session.session_key,
            **form.validated_data,
        )
        signing_in.begin(request._request, person=changed)
        request.user = changed
        return Response(_session_body(request))


class FactorBegunRead(serializers.Serializer[Record]):
    secret = serializers.CharField(help_text="shown this once")
    address = serializers.CharField(help_text="otpauth: address for a generator of codes")
    picture = serializers.CharField(help_text="the address as a square code, SVG")


class CodeWrite(serializers.Serializer[Record]):
    code = serializers.CharField(max_length=MAX_CODE)


class SecondFactorView(APIView):
    """One's own generator of codes."""

    permission_classes = [OwnSession]

    @extend_schema(
        operation_id="second_factor_begin",
        request=None,
        responses={201: FactorBegunRead, 400: Problem, 403: Problem},
    )
    def post(self, request: Request) -> Response:
        """Make a secret; it counts once a code has confirmed it."""
        require_confirmation(request)
        secret, address, picture = second_factor.begin_factor(actor=actor_of(request))
        told = {"secret": secret, "address": address, "picture": picture}
        return Response(FactorBegunRead(told).data, status=201)

    @extend_schema(
        operation_id="second_factor_confirm",
        request=CodeWrite,
        responses={200: SessionRead, 400: Problem, 401: Problem, 403: Problem, 429: Problem},
    )
    def put(self, request: Request) -> Response:
        form = CodeWrite(data=request.data)
        form.is_valid(raise_exception=True)
        person = actor_of(request)
        signing_in.ration_password(person)
        second_factor.confirm_factor(actor=person, code=form.validated_data["code"])
        return Response(_session_body(request))

    @extend_schema(
        operation_id="second_factor_drop", request=None, responses={204: None, 403: Problem}
    )
    def delete(self, request: Request) -> Response:
        """Take one's generator off, unless it is required."""
        require_confirmation(request)
        person = actor_of(request)
        if selectors.requires_factor(person):
            raise SecondFactorWantedError
        second_factor.drop_factor(actor=person)
        return Response(status=204)


class OpenSessionRead(serializers.Serializer[Record]):
    id = serializers.CharField()
    began_at = serializers.DateTimeField()
    seen_at = serializers.DateTimeField()
    address = serializers.CharField(allow_blank=True)
    agent = serializers.CharField(allow_blank=True)
    is_this = serializers.BooleanField()


class OpenSessionsView(APIView):
    """The browsers in which one is signed in."""

    permission_classes = [OwnSession]

    @extend_schema(operation_id="sessions_list", responses={200: OpenSessionRead(many=True)})
    def get(self, request: Request) -> Response:
        own_key = request._request.session.session_key
        rows = [
            {
                "id": signing_in.public_id(kept),
                "began_at": kept.began_at,
                "seen_at": kept.seen_at,
                "address": kept.address,
                "agent": kept.agent,
                "is_this": kept.session_key == own_key,
            }
            for kept in selectors.sessions_for(actor_of(request))
        ]
        return Response(OpenSessionRead(rows, many=True).data)


class OpenSessionView(APIView):
    """One of them."""

    permission_classes = [OwnSession]

    @extend_schema(
        operation_id="sessions_end",
        parameters=[OpenApiParameter("key", OpenApiTypes.STR, OpenApiParameter.PATH)],
        responses={204: None, 404: Problem},
    )
    def delete(self, request: Request, key: str) -> Response:
        """End a session of one's own."""
        if not signing_in.end_session(actor=actor_of(request), session_id=key):
            raise exceptions.NotFound("There is no such session.")
        return Response(status=204)


def _session_body(request: Request) -> dict[str, Any]:  # Any: the body's values
    person = request.user if isinstance(request.user, User) else None
    if person is not None and hasattr(person, "standing_told"):
        del person.standing_told  # it may just have changed
    standing = selectors.standing_of(person) if person else None
    return {
        "name": person.get_username() if person else None,
        "is_signed_in": person is not None,
        "role": standing.role if standing else None,
        "rights": sorted(RIGHTS[standing.role]) if standing else [],
        "must_change_password": bool(standing and standing.must_change_password),
        "must_set_up_factor": bool(standing and standing.must_set_up_factor),
        "has_second_factor": bool(person and second_factor.has_second_factor(person)),
    }
