"""The one exception handler: every error leaves the API as problem details."""

from collections.abc import Iterator
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db import OperationalError
from django.http import Http404, HttpResponse
from rest_framework import exceptions
from rest_framework.response import Response

from keelmark.access.errors import RefusalError
from keelmark.core.errors import CoreError

Context = dict[str, Any]  # Any: DRF's own shape


def problem_of(exc: Exception, context: Context) -> Response | HttpResponse | None:
    """Return the problem details for an exception, or None to let it fail loudly."""
    path = context["request"].path
    if isinstance(exc, OperationalError):
        return None  # the middleware answers for a lost database
    if isinstance(exc, Http404):
        exc = exceptions.NotFound()
    elif isinstance(exc, PermissionDenied):
        exc = exceptions.PermissionDenied()
    if isinstance(exc, RefusalError):
        errors = [
            {"pointer": fault.pointer, "code": fault.code, "detail": fault.detail}
            for fault in exc.faults
        ]
        return _problem(
            exc.status, kind=exc.kind, title=exc.title, detail=exc.detail, path=path, errors=errors
        )
    if isinstance(exc, CoreError):
        return _problem(422, kind="out-of-range", title="Out of range", detail=str(exc), path=path)
    if isinstance(exc, exceptions.ValidationError):
        faults = list(_faults(exc.get_full_details(), pointer="#"))
        detail = "; ".join(f"{f['pointer'][2:] or 'request'}: {f['detail']}" for f in faults)
        return _problem(
            400, kind="wrong-form", title="Wrong form", detail=detail, path=path, errors=faults
        )
    if isinstance(exc, exceptions.APIException):
        return _api_problem(exc, path=path)
    return None


def _api_problem(exc: exceptions.APIException, *, path: str) -> Response:
    kind = str(exc.default_code).replace("_", "-")
    response = _problem(
        exc.status_code,
        kind=kind,
        title=kind.replace("-", " ").capitalize(),
        detail=str(exc.detail),
        path=path,
    )
    wait = getattr(exc, "wait", None)
    if wait is not None:
        response["Retry-After"] = str(int(wait) + 1)
    return response


def _faults(details: Any, *, pointer: str) -> Iterator[dict[str, str]]:  # Any: nested JSON
    if isinstance(details, list):
        for index, part in enumerate(details):
            is_leaf = isinstance(part, dict) and set(part) == {"message", "code"}
            yield from _faults(part, pointer=pointer if is_leaf else f"{pointer}/{index}")
    elif set(details) == {"message", "code"} and not isinstance(details["message"], dict):
        yield {
            "pointer": pointer,
            "code": str(details["code"]),
            "detail": str(details["message"]),
        }
    else:
        for name, part in details.items():
            at = pointer if name == "non_field_errors" else f"{pointer}/{name}"
            yield from _faults(part, pointer=at)


def _problem(
    status: int,
    *,
    kind: str,
    title: str,
    detail: str,
    path: str,
    errors: list[dict[str, str]] | None = None,
) -> Response:
    body: dict[str, object] = {
        "type": f"/problems/{kind}",
        "title": title,
        "status": status,
        "detail": detail,
        "instance": path,
    }
    if errors:
        body["errors"] = errors
    return Response(body, status=status, content_type="application/problem+json")
