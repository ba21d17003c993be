"""Versions of what may be written: an ETag a state, so that no change is lost unseen.

The version of a thing is the digest of what may be written of it, so it needs no column and
cannot be forgotten. It is compared under the lock of the row that is written (RFC 9110, 13.1.1).
"""

import hashlib
import json
from typing import Any

from django.http import HttpRequest
from rest_framework.request import Request
from rest_framework.response import Response

from keelmark.access.errors import StaleError, VersionWantedError

DIGEST_CHARS = 20
Facts = dict[str, Any]  # Any: JSON of what may be written
ANY = "*"


def version_of(facts: Facts) -> str:
    """Return the version of a state."""
    told = json.dumps(facts, sort_keys=True, default=str, separators=(",", ":"))
    return hashlib.sha256(told.encode()).hexdigest()[:DIGEST_CHARS]


def wanted_version(request: Request | HttpRequest) -> str:
    """Return the version that a write was decided on; raise VersionWantedError without one."""
    told = str(request.headers.get("If-Match") or "").strip()
    if not told:
        raise VersionWantedError
    return told.removeprefix("W/").strip('"')


def check_version(wanted: str | None, *, facts: Facts) -> None:
    """Raise StaleError unless the state is the one that was seen; None: nobody asks."""
    if wanted is None or wanted == ANY:
        return
    version = version_of(facts)
    if wanted != version:
        raise StaleError(stands={**facts, "version": version})


def versioned(response: Response, *, facts: Facts) -> Response:
    """Return the answer with the version of what it tells of."""
    response["ETag"] = f'"{version_of(facts)}"'
    return response
