"""Pages by cursor; a cursor that is none of ours is a wrong form, not a fault of ours."""

from typing import Any

from django.core.exceptions import ValidationError
from django.db import DataError
from rest_framework.exceptions import NotFound
from rest_framework.pagination import CursorPagination
from rest_framework.request import Request

from keelmark.access.errors import wrong_field


class CursorPages(CursorPagination):
    """Cursor pages that refuse a made-up cursor by name."""

    def paginate_queryset(
        self, queryset: Any, request: Request, view: Any = None
    ) -> Any:  # Any: DRF
        try:
            told: Any = super().paginate_queryset(queryset, request, view)
        except (NotFound, ValidationError, ValueError, TypeError, OverflowError, DataError) as exc:
            if not request.query_params.get(self.cursor_query_param):
                raise
            raise wrong_field("cursor", "Take the cursor that the page before gave.") from exc
        return told
