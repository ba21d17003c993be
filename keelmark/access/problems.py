"""The one exception handler: every error leaves the API as problem details."""

import math
from collections.abc import Iterator
from typing import Any

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied, RequestDataTooBig, SuspiciousOperation
from django.db import DataError, IntegrityError, OperationalError
from django.http import Http404, HttpResponse
from rest_framework import exceptions
from rest_framework.response import Response

from keelmark.access.errors import RefusalError
from keelmark.access.services.allowances import Ration, take
from keelmark.access.services.audit import audit
from keelmark.core.errors import CoreError

Context = dict[str, Any]  # Any: DRF's own shape


REFUSALS_TOLD = Ration(n_at_once=30, every_seconds=20)  # a person: the audit is not to be flooded
FORBIDDEN = 403


def problem_of(exc: Exception, context: Context) -> Response | HttpResponse | None:
    """Return the problem details for an exception, or None to let it fail loudly."""
    request = context["request"]
    path = request.path
    if isinstance(exc, OperationalError):
        return None  # the middleware answers for a lost database
    if isinstance(exc, Http404):
        exc = exceptions.NotFound()
    elif isinstance(exc, PermissionDenied):
        exc = exceptions.PermissionDenied()
    response = _answer_to(exc, path=path)
    if response is not None and response.status_code == FORBIDDEN:
        _tell_refusal(request)
    return response


def _answer_to(exc: Exception, *, path: str) -> Response | None:
    if isinstance(exc, RefusalError):
        return _refusal(exc, path=path)
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
    return _unforeseen(exc, path=path)


def _unforeseen(exc: Exception, *, path: str) -> Response | None:
    """What the database or the frame refuses where no form of ours did."""
    if isinstance(exc, IntegrityError):
        told = "Somebody did the same at this moment. Look again, and try once more if need be."
        return _problem(409, kind="at-once", title="Done at once", detail=told, path=path)
    if isinstance(exc, DataError | SuspiciousOperation | RequestDataTooBig):
        told = "Something here is larger than what can be kept, or is no text."
        return _problem(400, kind="wrong-form", title="Wrong form", detail=told, path=path)
    return None


def _refusal(exc: RefusalError, *, path: str) -> Response:
    errors = [{"pointer": f.pointer, "code": f.code, "detail": f.detail} for f in exc.faults]
    response = _problem(
        exc.status, kind=exc.kind, title=exc.title, detail=exc.detail, path=path, errors=errors,
        stands=exc.stands,
    )  # fmt: skip
    if exc.wait_seconds is not None:
        response["Retry-After"] = str(math.ceil(exc.wait_seconds))
    return response


def _tell_refusal(request: Any) -> None:  # Any: DRF's or Django's request
    person = request.user if isinstance(request.user, User) else None
    key = f"refusals of {person.pk if person else 'strangers'}"
    if take(key, ration=REFUSALS_TOLD) == 0:
        after = {"method": request.method, "path": request.path[:200]}
        audit(person, action="refuse", kind="request", name=request.path[:200], after=after)


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
    stands: dict[str, Any] | None = None,  # Any: JSON
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
    if stands is not None:
        body["stands"] = stands
    return Response(body, status=status, content_type="application/problem+json")
