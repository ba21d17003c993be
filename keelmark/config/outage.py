"""Answers 503 as a problem while the database is away, so that pages can wait and try again."""

from collections.abc import Callable

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse

RETRY_SECONDS = 2


class OutageMiddleware:
    """Turns a lost database into a 503 that says so; everything else passes."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exc: Exception) -> HttpResponse | None:
        if not isinstance(exc, OperationalError):
            return None
        return outage_answer(request)


def outage_answer(request: HttpRequest) -> HttpResponse:
    """Return the 503 with the time after which to try again."""
    return JsonResponse(
        {
            "type": "/problems/database-away",
            "title": "Database away",
            "status": 503,
            "detail": "The database does not answer. Nothing is lost; this page tries again.",
            "instance": request.path,
        },
        status=503,
        content_type="application/problem+json",
        headers={"Retry-After": str(RETRY_SECONDS)},
    )
