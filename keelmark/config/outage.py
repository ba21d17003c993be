"""Answers 503 as a problem while the database is away, or where a read costs too much."""

from collections.abc import Callable

from django.conf import settings
from django.db import OperationalError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from psycopg.errors import LockNotAvailable, QueryCanceled

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
        if isinstance(exc.__cause__, QueryCanceled):
            return costly_answer(request)
        if isinstance(exc.__cause__, LockNotAvailable):
            return _answer(
                request,
                kind="busy",
                title="Busy",
                detail="Somebody else writes this at the moment; try again.",
            )
        return outage_answer(request)


def costly_answer(request: HttpRequest) -> HttpResponse:
    """Return what a read that was ended for its time is told."""
    seconds = settings.STATEMENT_SECONDS
    return _answer(
        request,
        kind="too-costly",
        title="Too costly",
        detail=f"This took more than {seconds} s and was ended. Narrow what is asked for.",
    )


def outage_answer(request: HttpRequest) -> HttpResponse:
    """Return the 503 with the time after which to try again.

    The pool tries what it holds one by one, with longer and longer pauses: after an outage
    it would refuse for longer than the outage was. All of it is renewed instead.
    """
    pool = getattr(connection, "pool", None)
    if pool is not None:
        pool.drain()
    return _answer(
        request,
        kind="database-away",
        title="Database away",
        detail="The database does not answer. Nothing is lost; try again in a moment.",
    )


def _answer(request: HttpRequest, *, kind: str, title: str, detail: str) -> HttpResponse:
    return JsonResponse(
        {
            "type": f"/problems/{kind}",
            "title": title,
            "status": 503,
            "detail": detail,
            "instance": request.path,
        },
        status=503,
        content_type="application/problem+json",
        headers={"Retry-After": str(RETRY_SECONDS)},
    )
