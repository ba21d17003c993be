"""What requests about promises say beside their bearing."""

from collections.abc import Sequence
from typing import Any

from rest_framework.request import Request

from keelmark.access.errors import wrong_field
from keelmark.bearings.api.asked import ID_DIGITS, view_of


def number_asked(request: Request, name: str) -> int | None:
    """Return a whole number of an address, None where it is not said."""
    told: Any = request.query_params.get(name) or None
    if told is None:
        return None
    if not told.isdigit() or len(told) > ID_DIGITS:
        raise wrong_field(name, "Use a whole number.")
    return int(told)


def seen_ids(request: Request, *, kinds: Sequence[str]) -> list[int]:
    """Return the ids of all things of some kinds that the person may see."""
    view = view_of(request)
    ids: list[int] = []
    for kind in kinds:
        ids += view.reading.estate.table(kind).ids[view.seen[kind]].tolist()
    return ids
