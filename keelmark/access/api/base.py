"""What every API of ours shares: who asks, and the form of a refusal."""

from typing import Any

from django.contrib.auth.models import User
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter
from rest_framework import exceptions, serializers
from rest_framework.request import Request

Record = Any  # Any: what a read serializer tells of, a dict or a dataclass
IF_MATCH = OpenApiParameter(
    "If-Match",
    OpenApiTypes.STR,
    OpenApiParameter.HEADER,
    description="the version that was seen; 428 without it, 412 with what stands now",
)


def actor_of(request: Request) -> User:
    """Return the signed-in person or refuse."""
    if isinstance(request.user, User):
        return request.user
    raise exceptions.NotAuthenticated


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
    stands = serializers.DictField(required=False, help_text="of 412: what stands now")
    errors = ProblemField(many=True, required=False)  # type: ignore[assignment]  # DRF's name
