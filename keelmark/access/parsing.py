"""Reads what is sent: JSON that a database can hold, and addresses without control characters."""

import codecs
import json
import math
from collections.abc import Callable, Mapping
from typing import IO, Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from rest_framework.exceptions import ParseError
from rest_framework.parsers import BaseParser

MAX_DEPTH = 20
NUL = "\x00"


class JsonParser(BaseParser):
    """RFC 8259 and no more: finite numbers, bounded depth, no NUL, UTF-8."""

    media_type = "application/json"

    def parse(
        self,
        stream: IO[bytes],
        media_type: str | None = None,
        parser_context: Mapping[str, Any] | None = None,
    ) -> Any:  # Any: JSON
        charset = str((parser_context or {}).get("encoding") or "utf-8")
        try:
            if codecs.lookup(charset).name not in ("utf-8", "ascii"):
                raise ParseError("Send JSON as UTF-8.")
            told = json.loads(
                stream.read().decode("utf-8"), parse_constant=_refuse, parse_float=_finite
            )
        except LookupError as exc:
            raise ParseError(f"No encoding is called {charset[:40]}; send JSON as UTF-8.") from exc
        except UnicodeDecodeError as exc:
            raise ParseError(f"This is not UTF-8, from byte {exc.start} on.") from exc
        except RecursionError as exc:
            raise ParseError(f"Nest at most {MAX_DEPTH} deep.") from exc
        except ValueError as exc:
            raise ParseError(f"This is no JSON: {exc}.") from exc
        _check(told, pointer="#", depth=0)
        return told


def _refuse(constant: str) -> float:
    raise ValueError(f"{constant} is no number of JSON")


def _finite(text: str) -> float:
    number = float(text)
    if not math.isfinite(number):
        raise ValueError(f"{text[:40]} is too large")
    return number


def _check(told: Any, *, pointer: str, depth: int) -> None:  # Any: JSON
    if depth > MAX_DEPTH:
        raise ParseError(f"Nest at most {MAX_DEPTH} deep.")
    if isinstance(told, str):
        if NUL in told or any("\ud800" <= letter <= "\udfff" for letter in told):
            raise ParseError(f"{pointer} holds a character that no text may hold.")
    elif isinstance(told, list):
        for at, part in enumerate(told):
            _check(part, pointer=f"{pointer}/{at}", depth=depth + 1)
    elif isinstance(told, dict):
        for name, part in told.items():
            _check(name, pointer=pointer, depth=depth + 1)
            _check(part, pointer=f"{pointer}/{name}", depth=depth + 1)


class PlainAddressMiddleware:
    """Refuses addresses with NUL, and texts that are not UTF-8, before anything reads them."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        told = (request.path, *(part for pair in request.GET.lists() for part in _parts(pair)))
        if any(NUL in part or "\ufffd" in part for part in told):
            return JsonResponse(
                {
                    "type": "/problems/wrong-form",
                    "title": "Wrong form",
                    "status": 400,
                    "detail": "The address holds a character that no text may hold.",
                    "instance": request.path.replace(NUL, ""),
                },
                status=400,
                content_type="application/problem+json",
            )
        return self.get_response(request)


def _parts(pair: tuple[str, list[str]]) -> list[str]:
    return [pair[0], *pair[1]]
