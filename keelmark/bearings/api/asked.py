"""What a request says of its bearing."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter
from rest_framework import exceptions, serializers
from rest_framework.request import Request

from keelmark.access.api.base import Record, actor_of
from keelmark.access.errors import wrong_field
from keelmark.bearings.selectors.cuts import node_of
from keelmark.bearings.selectors.picture import day_of, newest_estate
from keelmark.bearings.selectors.views import QUANTILES, Bearing, View, view_for
from keelmark.core.days import EPOCH
from keelmark.core.estate.kinds import KINDS, Kind, Measure
from keelmark.core.estate.reading import Reading, When
from keelmark.core.estate.strata import Node

WINDOWS_DAYS = (1, 7, 30, 90, 365)
PAST_DAYS = 3650  # as far back as anything is kept
AHEAD_DAYS = 730  # as far as forecasts are made
BEARING = [
    OpenApiParameter("scope", OpenApiTypes.STR, description="a sift that narrows what is told"),
    OpenApiParameter("at", OpenApiTypes.DATE, description="the day looked at; without it, now"),
    OpenApiParameter(
        "q", OpenApiTypes.STR, enum=list(QUANTILES),
        description="of days to come: likely, or the bad case",
    ),
    OpenApiParameter(
        "window", OpenApiTypes.INT, enum=list(WINDOWS_DAYS),
        description="days over which growth is told",
    ),
    OpenApiParameter(
        "scenario", OpenApiTypes.INT, description="a scenario to look at the estate as"
    ),
]  # fmt: skip
KIND = OpenApiParameter("kind", OpenApiTypes.STR, OpenApiParameter.PATH, enum=list(KINDS))
GROUPED_BY = OpenApiParameter("by", OpenApiTypes.STR, required=True, description="words or links")
ID_DIGITS = 18  # of an id in an address


class AtRead(serializers.Serializer[Record]):
    """Where the figures were read."""

    day = serializers.DateField()
    when = serializers.ChoiceField(choices=[one.value for one in When])
    quantile = serializers.ChoiceField(choices=list(QUANTILES))
    window_days = serializers.IntegerField()
    revision = serializers.IntegerField()
    scenario = serializers.IntegerField(allow_null=True)


def bearing_of(request: Request) -> Bearing:
    """Return the bearing of a request; refuse what none can be."""
    asked = request.query_params
    quantile = asked.get("q") or "likely"
    if quantile not in QUANTILES:
        raise wrong_field("q", f"Use one of {', '.join(QUANTILES)}.")
    window = asked.get("window") or "30"
    if window not in {str(days) for days in WINDOWS_DAYS}:
        raise wrong_field("window", f"Use one of {', '.join(map(str, WINDOWS_DAYS))} days.")
    return Bearing(
        scope=asked.get("scope", "").replace("\x00", ""),
        day=_day(asked.get("at", "")),
        quantile=QUANTILES[quantile],
        window_days=int(window),
        scenario_id=_scenario(asked.get("scenario", "")),
    )


def _scenario(told: str) -> int | None:
    if not told:
        return None
    if not told.isdecimal() or len(told) > ID_DIGITS:
        raise wrong_field("scenario", "Use the number of a scenario.")
    return int(told)


def _day(told: str) -> int | None:
    if not told:
        return None
    try:
        on = date.fromisoformat(told)
    except ValueError as exc:
        raise wrong_field("at", "Use a date such as 2026-03-01.") from exc
    day, now = day_of(on), newest_estate().day
    if not now - PAST_DAYS <= day <= now + AHEAD_DAYS:
        first, last = (EPOCH + timedelta(days=now + d) for d in (-PAST_DAYS, AHEAD_DAYS))
        raise wrong_field("at", f"Use a date from {first} to {last}.")
    return day


def view_of(request: Request) -> View:
    """Return what the person behind a request looks at."""
    return view_for(actor_of(request), bearing=bearing_of(request))


def plain_view_of(view: View, request: Request) -> View | None:
    """Return the same without the scenario that is looked at, None where none is."""
    if view.bearing.scenario_id is None:
        return None
    return view_for(actor_of(request), bearing=replace(view.bearing, scenario_id=None))


def looked_at(request: Request, entity_id: int) -> tuple[View, Node]:
    """Return the bearing and the thing on it that a request names; 404 where it is not seen."""
    view = view_of(request)
    node = node_of(view, entity_id=entity_id)
    if node is None:
        raise exceptions.NotFound(f"No thing {entity_id} is known.")
    return view, node


def at_told(view: View) -> dict[str, Any]:  # Any: JSON
    """Return where the figures of a view were read."""
    reading: Reading = view.reading
    by_share = {share: name for name, share in QUANTILES.items()}
    return {
        "day": (EPOCH + timedelta(days=reading.day)).isoformat(),
        "when": reading.when.value,
        "quantile": by_share[reading.quantile],
        "window_days": view.bearing.window_days,
        "revision": reading.estate.revision,
        "scenario": view.bearing.scenario_id,
    }


def kind_named(name: str) -> Kind:
    """Return a kind by name; refuse what is none."""
    if name not in KINDS:
        raise wrong_field("kind", f"Use one of {', '.join(KINDS)}.")
    return KINDS[name]


def names_asked(request: Request, *, parameter: str, without: Sequence[str]) -> list[str]:
    """Return the names in a parameter, those that stand without it where it is not given."""
    told = request.query_params.get(parameter, "")
    return [name for name in told.split(",") if name] or list(without)


def groupings(request: Request, *, of: Kind) -> list[str]:
    """Return the words and links by which rows are put together; refuse what is none."""
    by = names_asked(request, parameter="by", without=("state",))
    words = {one.name for one in of.fields if one.measure is Measure.TEXT} - {"name"}
    known = words | {name for name, _ in of.links}
    for name in by:
        if name not in known:
            raise wrong_field("by", f"Use one of {', '.join(sorted(known))}.")
    return by
