"""The audit over the API."""

from django.db.models import QuerySet
from drf_spectacular.utils import extend_schema
from rest_framework import mixins, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from keelmark.access import selectors
from keelmark.access.api.base import Problem, actor_of
from keelmark.access.models import AuditEntry
from keelmark.access.paging import CursorPages
from keelmark.access.rights import Right


class AuditRead(serializers.ModelSerializer[AuditEntry]):
    before = serializers.JSONField(allow_null=True)
    after = serializers.JSONField(allow_null=True)

    class Meta:
        model = AuditEntry
        fields = (
            "id", "at", "actor_name", "by_token", "address", "action", "subject_kind", "subject_id",
            "subject_name", "before", "after",
        )  # fmt: skip


class AuditWanted(serializers.Serializer[AuditEntry]):
    by = serializers.CharField(
        max_length=150, required=False, help_text=f"whose; {selectors.NOBODY}: the program's own"
    )
    kind = serializers.CharField(max_length=40, required=False, help_text="of what was written")
    before = serializers.DateTimeField(required=False, help_text="only older writes")


class AuditPages(CursorPages):
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
