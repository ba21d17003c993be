"""People and their roles over the API."""

from typing import Any

from django.contrib.auth.models import User
from django.db.models import QuerySet
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import mixins, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from keelmark.access import selectors
from keelmark.access.api.base import IF_MATCH, Problem, actor_of
from keelmark.access.models import Membership, Role
from keelmark.access.rights import Right, require_confirmation
from keelmark.access.services.people import add_person, set_person, told_of, version_facts
from keelmark.access.versions import version_of, wanted_version


class PersonRead(serializers.ModelSerializer[User]):
    name = serializers.CharField(source="username")
    role = serializers.SerializerMethodField()
    tenant_ids = serializers.SerializerMethodField()
    requires_second_factor = serializers.BooleanField(
        source="membership.requires_second_factor", default=False
    )
    must_change_password = serializers.BooleanField(
        source="membership.must_change_password", default=False
    )
    has_second_factor = serializers.BooleanField()
    version = serializers.SerializerMethodField(help_text="for If-Match")

    class Meta:
        model = User
        fields = (
            "id", "name", "role", "tenant_ids", "is_active", "last_login",
            "requires_second_factor", "must_change_password", "has_second_factor", "version",
        )  # fmt: skip

    @extend_schema_field({"type": ["string", "null"]})
    def get_role(self, person: User) -> str | None:
        membership = _membership_of(person)
        return membership.role if membership else None

    @extend_schema_field({"type": "array", "items": {"type": "integer"}})
    def get_tenant_ids(self, person: User) -> list[int]:
        membership = _membership_of(person)
        return sorted(tenant.pk for tenant in membership.tenants.all()) if membership else []

    @extend_schema_field(str)
    def get_version(self, person: User) -> str:
        return version_of(_facts_of(person))


class PersonWrite(serializers.Serializer[User]):
    name = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200, write_only=True, trim_whitespace=False)
    role = serializers.ChoiceField(choices=Role.choices)
    tenant_ids = serializers.ListField(
        child=serializers.IntegerField(min_value=1, max_value=2**63 - 1),
        max_length=1000,
        required=False,
    )
    requires_second_factor = serializers.BooleanField(required=False)


class PersonChange(serializers.Serializer[User]):
    password = serializers.CharField(
        max_length=200, write_only=True, trim_whitespace=False, required=False
    )
    role = serializers.ChoiceField(choices=Role.choices, required=False)
    tenant_ids = serializers.ListField(
        child=serializers.IntegerField(min_value=1, max_value=2**63 - 1),
        max_length=1000,
        required=False,
    )
    is_active = serializers.BooleanField(required=False)
    requires_second_factor = serializers.BooleanField(required=False)
    drops_second_factor = serializers.BooleanField(
        required=False, help_text="takes a lost generator off, so that they can sign in without"
    )


class PersonViewSet(mixins.ListModelMixin, GenericViewSet[User]):
    """People and their roles."""

    queryset = User.objects.none()
    serializer_class = PersonRead
    pagination_class = None
    lookup_value_regex = r"\d{1,18}"
    rights = {
        "list": Right.MANAGE_PEOPLE,
        "create": Right.MANAGE_PEOPLE,
        "partial_update": Right.MANAGE_PEOPLE,
    }

    def get_queryset(self) -> QuerySet[User]:
        return selectors.people_for(actor_of(self.request))

    @extend_schema(
        request=PersonWrite,
        responses={201: PersonRead, 400: Problem, 403: Problem, 409: Problem},
    )
    def create(self, request: Request) -> Response:
        """Add a person, who must choose another password first. Wants the password again."""
        require_confirmation(request)
        facts = _person_facts(PersonWrite, request)
        person = add_person(actor=actor_of(request), **{"tenant_ids": [], **facts})
        return Response(PersonRead(self.get_queryset().get(pk=person.pk)).data, status=201)

    @extend_schema(
        parameters=[OpenApiParameter("id", OpenApiTypes.INT, OpenApiParameter.PATH), IF_MATCH],
        request=PersonChange,
        responses={
            200: PersonRead, 400: Problem, 403: Problem, 404: Problem, 409: Problem,
            412: Problem, 428: Problem,
        },
    )  # fmt: skip
    def partial_update(self, request: Request, pk: str | None = None) -> Response:
        """Change what is given; a new password ends their sessions and tokens."""
        require_confirmation(request)
        person = self.get_object()
        set_person(
            actor=actor_of(request),
            person_id=person.pk,
            seen_version=wanted_version(request),
            **_person_facts(PersonChange, request),
        )
        return Response(PersonRead(self.get_object()).data)


def _membership_of(person: User) -> Membership | None:
    told: Membership | None = getattr(person, "membership", None)
    return told


def _facts_of(person: User) -> dict[str, Any]:  # Any: JSON
    membership = _membership_of(person)
    return version_facts(told_of(person, membership=membership)) if membership else {}


def _person_facts(
    form_class: type[serializers.Serializer[User]], request: Request
) -> dict[str, Any]:  # Any: the service's own arguments
    form = form_class(data=request.data)
    form.is_valid(raise_exception=True)
    return dict(form.validated_data)
