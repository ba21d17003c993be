"""Signing in and out."""

from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import exceptions, serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import BaseThrottle, ScopedRateThrottle
from rest_framework.views import APIView

from keelmark.access.errors import SignInRefusedError

Record = Any  # Any: what a read serializer tells of, a dict or a dataclass


def actor_of(request: Request) -> User:
    """Return the signed-in person or refuse."""
    if isinstance(request.user, User):
        return request.user
    raise exceptions.NotAuthenticated


class SignInWrite(serializers.Serializer[User]):
    name = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class SessionRead(serializers.Serializer[User]):
    name = serializers.CharField(allow_null=True)
    is_signed_in = serializers.BooleanField()


class ProblemField(serializers.Serializer[Record]):
    pointer = serializers.CharField()
    code = serializers.CharField()
    detail = serializers.CharField()


class Problem(serializers.Serializer[Record]):
    """RFC 9457 problem details."""

    type = serializers.CharField()
    title = serializers.CharField()
    status = serializers.IntegerField()
    detail = serializers.CharField()
    instance = serializers.CharField()
    errors = ProblemField(many=True, required=False)  # type: ignore[assignment]  # DRF's name


@method_decorator(ensure_csrf_cookie, name="dispatch")
class SessionView(APIView):
    """The session of this browser."""

    permission_classes = [AllowAny]
    throttle_scope = "sign-in"

    def get_throttles(self) -> list[BaseThrottle]:
        return [ScopedRateThrottle()] if self.request.method == "POST" else []

    @extend_schema(operation_id="session_read", responses=SessionRead)
    def get(self, request: Request) -> Response:
        return Response(_session_body(request))

    @extend_schema(
        operation_id="session_begin",
        request=SignInWrite,
        responses={200: SessionRead, 400: Problem, 401: Problem},
    )
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        form = SignInWrite(data=request.data)
        form.is_valid(raise_exception=True)
        person = authenticate(
            request,
            username=form.validated_data["name"],
            password=form.validated_data["password"],
        )
        if person is None:
            raise SignInRefusedError
        login(request._request, person)
        request.user = person
        return Response(_session_body(request))

    @extend_schema(operation_id="session_end", request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


def _session_body(request: Request) -> dict[str, object]:
    is_signed_in = request.user.is_authenticated
    return {
        "name": request.user.get_username() if is_signed_in else None,
        "is_signed_in": is_signed_in,
    }
