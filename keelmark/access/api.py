"""Signing in and out, own tokens, people, the audit."""

from typing import Any

from django.contrib.auth import login, logout
from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import exceptions, mixins, serializers
from rest_framework.pagination import CursorPagination
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import BaseThrottle, ScopedRateThrottle
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from keelmark.access import selectors, services
from keelmark.access.models import ApiToken, AuditEntry, Role, Scope
from keelmark.access.rights import RIGHTS, Right

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
    role = serializers.ChoiceField(choices=Role.choices, allow_null=True)
    rights = serializers.ListField(child=serializers.CharField())


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
        responses={200: SessionRead, 400: Problem, 401: Problem, 429: Problem},
    )
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        form = SignInWrite(data=request.data)
        form.is_valid(raise_exception=True)
        person = services.sign_in(
            request._request,
            name=form.validated_data["name"],
            password=form.validated_data["password"],
        )
        login(request._request, person)
        request.user = person
        return Response(_session_body(request))

    @extend_schema(operation_id="session_end", request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


def _session_body(request: Request) -> dict[str, object]:
    person = request.user if isinstance(request.user, User) else None
    role = selectors.role_of(person) if person else None
    return {
        "name": person.get_username() if person else None,
        "is_signed_in": person is not None,
        "role": role,
        "rights": sorted(RIGHTS[role]) if role else [],
    }


class TokenRead(serializers.ModelSerializer[ApiToken]):
    scopes = serializers.ListField(child=serializers.ChoiceField(choices=Scope.choices))

    class Meta:
        model = ApiToken
        fields = ("id", "name", "hint", "scopes", "made_at", "expires_at", "last_used_at")


class TokenMadeRead(TokenRead):
    secret = serializers.CharField(help_text="shown this once")

    class Meta(TokenRead.Meta):
        fields = (*TokenRead.Meta.fields, "secret")  # type: ignore[assignment]  # one more


class TokenWrite(serializers.Serializer[ApiToken]):
    name = serializers.CharField(max_length=200)
    scopes = serializers.ListField(
        child=serializers.ChoiceField(choices=Scope.choices), min_length=1, max_length=3
    )
    n_days = serializers.IntegerField(min_value=1, max_value=366, default=90)


class TokenViewSet(mixins.ListModelMixin, GenericViewSet[ApiToken]):
    """A person's own tokens."""

    queryset = ApiToken.objects.none()
    serializer_class = TokenRead
    pagination_class = None
    rights = {"list": Right.OWN, "create": Right.OWN, "destroy": Right.OWN}

    def get_queryset(self) -> QuerySet[ApiToken]:
        return selectors.tokens_for(actor_of(self.request))

    @extend_schema(request=TokenWrite, responses={201: TokenMadeRead, 400: Problem})
    def create(self, request: Request) -> Response:
        form = TokenWrite(data=request.data)
        form.is_valid(raise_exception=True)
        token, secret = services.make_token(actor=actor_of(request), **form.validated_data)
        token.secret = secret  # type: ignore[attr-defined]  # shown once
        return Response(TokenMadeRead(token).data, status=201)

    @extend_schema(responses={204: None, 404: Problem})
    def destroy(self, request: Request, pk: str | None = None) -> Response:
        services.revoke_token(actor=actor_of(request), token_id=self.get_object().pk)
        return Response(status=204)


class PersonRead(serializers.ModelSerializer[User]):
    name = serializers.CharField(source="username")
    role = serializers.SerializerMethodField()
    tenant_ids = serializers.SerializerMethodField()

    class Meta:
        model = User
        fields = ("id", "name", "role", "tenant_ids", "is_active", "last_login")

    @extend_schema_field({"type": ["string", "null"]})
    def get_role(self, person: User) -> str | None:
        membership = getattr(person, "membership", None)
        return membership.role if membership else None

    @extend_schema_field({"type": "array", "items": {"type": "integer"}})
    def get_tenant_ids(self, person: User) -> list[int]:
        membership = getattr(person, "membership", None)
        return sorted(membership.tenants.values_list("pk", flat=True)) if membership else []


class PersonWrite(serializers.Serializer[User]):
    name = serializers.RegexField(r"^[\w.@+-]+$", max_length=150)
    password = serializers.CharField(max_length=200, write_only=True, trim_whitespace=False)
    role = serializers.ChoiceField(choices=Role.choices)
    tenant_ids = serializers.ListField(
        child=serializers.IntegerField(min_value=1), max_length=1000, required=False
    )


class PersonChange(serializers.Serializer[User]):
    password = serializers.CharField(
        max_length=200, write_only=True, trim_whitespace=False, required=False
    )
    role = serializers.ChoiceField(choices=Role.choices, required=False)
    tenant_ids = serializers.ListField(
        child=serializers.IntegerField(min_value=1), max_length=1000, required=False
    )
    is_active = serializers.BooleanField(required=False)


class PersonViewSet(mixins.ListModelMixin, GenericViewSet[User]):
    """People and their roles."""

    queryset = User.objects.none()
    serializer_class = PersonRead
    pagination_class = None
    rights = {
        "list": Right.MANAGE_PEOPLE,
        "create": Right.MANAGE_PEOPLE,
        "partial_update": Right.MANAGE_PEOPLE,
    }

    def get_queryset(self) -> QuerySet[User]:
        return selectors.people_for(actor_of(self.request))

    @extend_schema(request=PersonWrite, responses={201: PersonRead, 400: Problem, 409: Problem})
    def create(self, request: Request) -> Response:
        person = services.add_person(actor=actor_of(request), **_person_facts(PersonWrite, request))
        return Response(PersonRead(person).data, status=201)

    @extend_schema(request=PersonChange, responses={200: PersonRead, 400: Problem, 404: Problem})
    def partial_update(self, request: Request, pk: str | None = None) -> Response:
        person = self.get_object()
        services.set_person(
            actor=actor_of(request), person_id=person.pk, **_person_facts(PersonChange, request)
        )
        return Response(PersonRead(self.get_object()).data)


def _person_facts(
    form_class: type[serializers.Serializer[User]], request: Request
) -> dict[str, Any]:  # Any: the service's own arguments
    form = form_class(data=request.data)
    form.is_valid(raise_exception=True)
    facts: dict[str, Any] = dict(form.validated_data)  # Any: the service's own arguments
    if form_class is PersonWrite:
        facts.setdefault("tenant_ids", [])
    return facts


class AuditRead(serializers.ModelSerializer[AuditEntry]):
    before = serializers.JSONField(allow_null=True)
    after = serializers.JSONField(allow_null=True)

    class Meta:
        model = AuditEntry
        fields = (
            "id", "at", "actor_name", "by_token", "action", "subject_kind", "subject_id",
            "subject_name", "before", "after",
        )  # fmt: skip


class AuditWanted(serializers.Serializer[AuditEntry]):
    by = serializers.CharField(
        max_length=150, required=False, help_text=f"whose; {selectors.NOBODY}: the program's own"
    )
    kind = serializers.CharField(max_length=40, required=False, help_text="of what was written")
    before = serializers.DateTimeField(required=False, help_text="only older writes")


class AuditPages(CursorPagination):
    page_size = 100
    ordering = ("-at", "-pk")


class AuditViewSet(mixins.ListModelMixin, GenericViewSet[AuditEntry]):
    """Every write, newest first."""

    queryset = AuditEntry.objects.none()
    serializer_class = AuditRead
    pagination_class = AuditPages
    rights = {"list": Right.READ_AUDIT}

    def get_queryset(self) -> QuerySet[AuditEntry]:
        form = AuditWanted(data=self.request.query_params)
        form.is_valid(raise_exception=True)
        return selectors.audit_for(actor_of(self.request), **form.validated_data)

    @extend_schema(parameters=[AuditWanted], responses={200: AuditRead(many=True), 400: Problem})
    def list(self, request: Request, *args: object, **kwargs: object) -> Response:
        """Every write, newest first, of whom and what is asked."""
        return super().list(request, *args, **kwargs)
