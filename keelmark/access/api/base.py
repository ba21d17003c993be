"""What every API of ours shares: who asks, and the form of a refusal."""

from typing import Any

from django.contrib.auth.models import User
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter
from rest_framework import exceptions, serializers
from rest_framework.request import Request

from keelmark.access.errors import wrong_field

Record = Any  # Any: what a read serializer tells of, a dict or a dataclass
IF_MATCH = OpenApiParameter(
    "If-Match",
    OpenApiTypes.STR,
    OpenApiParameter.HEADER,
    description="the version that was seen; 428 without it, 412 with what stands now",
)
MAX_KEY = 200
KEY = OpenApiParameter(
    "Idempotency-Key",
    OpenApiTypes.STR,
    OpenApiParameter.HEADER,
    required=True,
    description="the same key brings the same answer and does nothing twice",
)


def key_of(request: Request) -> str:
    """Return the key under which a write is asked for once; refuse one without."""
    key = str(request.headers.get("Idempotency-Key") or "")
    if not 1 <= len(key) <= MAX_KEY or not key.isprintable():
        told = f"Give an Idempotency-Key of 1 to {MAX_KEY} printable characters."
        raise wrong_field("Idempotency-Key", told, code="required")
    return key


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
