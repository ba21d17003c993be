"""Where new work goes over the API: candidates with their margins, and who cannot take it."""

from datetime import date, timedelta
from typing import Any

import numpy as np
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.access.services.allowances import Ration
from keelmark.bearings.api.asked import BEARING, bearing_of
from keelmark.bearings.selectors.views import View
from keelmark.core.days import date_after
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.answer import Candidate
from keelmark.core.placement.ground import Ground
from keelmark.core.placement.hurdles import Check
from keelmark.core.placement.ranking import Weights
from keelmark.core.placement.workloads import MOST_LOSSES, MOST_VMS, Apart, DiskAsked, Workload
from keelmark.core.units import MAX_BYTES
from keelmark.estate import selectors as estate
from keelmark.forecasts.api.pools import DatesRead, Int64Field
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.scenarios.selectors.moving import name_of
from keelmark.scenarios.selectors.placing import Placing, dates_of, placing_of, policy_named
from keelmark.scenarios.selectors.prices import currency_of_prices

DAYS_PER_WEEK = 7
MOST_DISKS = 60
MOST_TOLD = 400  # candidates
MOST_CPUS = 1_000_000
TRIALS = Ration(n_at_once=60, every_seconds=1)
WITHOUT = OpenApiParameter(
    "without", OpenApiTypes.INT, description="a move of the scenario that is left out"
)
# In which unit each test is told; the others are open or closed.
UNITS = {
    Check.SPACE: "bytes", Check.DATASTORE: "bytes", Check.OVERCOMMIT: "bytes",
    Check.MINIMUMS: "iops", Check.IOPS: "iops", Check.THROUGHPUT: "bytes_per_second",
    Check.EXPOSURE: "bytes", Check.ALLOTMENT: "bytes", Check.ALLOTTED_IOPS: "iops",
    Check.PORTS: "ports", Check.CPUS: "cpus", Check.MEMORY: "bytes", Check.QUOTA: "bytes",
}  # fmt: skip
UNIT_NAMES = sorted({*UNITS.values(), "none"})
CHECKS = [one.value for one in Check]


class DiskAskedWrite(serializers.Serializer[Record]):
    size_bytes = Int64Field(min_value=1, max_value=MAX_BYTES)
    written_percent = serializers.IntegerField(min_value=0, max_value=100, default=100)
    bytes_a_week = Int64Field(min_value=0, max_value=MAX_BYTES, default=0)
    is_thick = serializers.BooleanField(default=False)
    min_iops = serializers.IntegerField(min_value=0, max_value=10**9, default=0)
    busy_iops = serializers.IntegerField(min_value=0, max_value=10**9, default=0)
    busy_bytes_per_second = Int64Field(min_value=0, max_value=MAX_BYTES, default=0)


class WeightsWrite(serializers.Serializer[Record]):
    runway = serializers.FloatField(min_value=0, max_value=100, default=1)
    balance = serializers.FloatField(min_value=0, max_value=100, default=1)
    performance = serializers.FloatField(min_value=0, max_value=100, default=1)
    cost = serializers.FloatField(min_value=0, max_value=100, default=1)


class WorkloadWrite(serializers.Serializer[Record]):
    name = serializers.CharField(max_length=100, default="workload")
    n_vms = serializers.IntegerField(min_value=1, max_value=MOST_VMS)
    disks = DiskAskedWrite(many=True)
    n_cpus = serializers.IntegerField(min_value=0, max_value=MOST_CPUS, default=0)
    memory_bytes = Int64Field(min_value=0, max_value=MAX_BYTES, default=0)
    first_on = serializers.DateField(required=False, help_text="without it, tomorrow")
    last_until_on = serializers.DateField()
    service_class = serializers.CharField(allow_blank=True, default="")
    policy_id = serializers.IntegerField(allow_null=True, default=None)
    tenant = serializers.CharField(allow_blank=True, default="", help_text="whose quota it takes")
    sites = serializers.ListField(child=serializers.CharField(), default=list)
    clusters = serializers.ListField(child=serializers.CharField(), default=list)
    apart = serializers.ChoiceField(choices=[one.value for one in Apart], default="anyhow")
    n_ports = serializers.IntegerField(min_value=0, max_value=10_000, default=0)
    is_from_allotment = serializers.BooleanField(
        default=False, help_text="where its tenant has an allotment alone, and out of that"
    )
    most_exposure_bytes = Int64Field(
        min_value=0,
        max_value=MAX_BYTES,
        allow_null=True,
        default=None,
        help_text="that its pool may lack if all filled what they are promised",
    )
    n_host_losses = serializers.IntegerField(
        min_value=0, max_value=MOST_LOSSES, default=1,
        help_text="of its cluster that must be able to fail",
    )  # fmt: skip
    weights = WeightsWrite(required=False)


class PlaceAtRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()


class MarginRead(serializers.Serializer[Record]):
    check = serializers.ChoiceField(choices=CHECKS)
    is_cleared = serializers.BooleanField()
    is_asked = serializers.BooleanField(help_text="false: nothing is asked of it")
    amount = serializers.FloatField(allow_null=True, help_text="null: no amount, or not known")
    unit = serializers.ChoiceField(choices=UNIT_NAMES)
    n_missed = serializers.IntegerField(allow_null=True, help_text="rules of the policy")


class CandidateRead(serializers.Serializer[Record]):
    rank = serializers.IntegerField(allow_null=True)
    pool = PlaceAtRead()
    site_name = serializers.CharField(allow_null=True)
    service_class = serializers.CharField()
    cluster = PlaceAtRead(allow_null=True)
    datastore = PlaceAtRead(allow_null=True, help_text="null: a new one would be made")
    extends_bytes = Int64Field(help_text="by which its datastore must be extended first; or 0")
    margins = MarginRead(many=True)
    n_fit = serializers.IntegerField(help_text="of its VMs, at most, one place alone")
    stopped_by = serializers.ChoiceField(choices=CHECKS, allow_null=True)
    early_days = serializers.FloatField(allow_null=True)
    space_percent = serializers.FloatField(allow_null=True)
    iops_percent = serializers.FloatField(allow_null=True)
    cost_a_month = serializers.FloatField(
        allow_null=True, help_text="of all of it there, by its last day; null: no price"
    )
    before = DatesRead()
    after = DatesRead()
    lead_time_days = serializers.IntegerField()


class SpreadRead(serializers.Serializer[Record]):
    pool = PlaceAtRead()
    cluster = PlaceAtRead(allow_null=True)
    datastore = PlaceAtRead(allow_null=True)
    n_vms = serializers.IntegerField()


class PlacementRead(serializers.Serializer[Record]):
    currency = serializers.CharField(
        allow_blank=True, help_text="of what it costs; empty: no prices"
    )
    promised_bytes = Int64Field()
    written_by_then_bytes = Int64Field()
    n_fitting = serializers.IntegerField()
    n_rejected = serializers.IntegerField()
    n_fit = serializers.IntegerField(help_text="of its VMs over all places, at most")
    checks = serializers.ListField(
        child=serializers.ChoiceField(choices=CHECKS), help_text="that are asked, in order"
    )
    candidates = CandidateRead(many=True)
    spread = SpreadRead(many=True, help_text="where all of it goes, over several places")
    n_left = serializers.IntegerField(help_text="VMs that find no place even so")
    gap_percent = serializers.FloatField(help_text="at most so far below the best that could be")
    is_exact = serializers.BooleanField()


class PlacementView(APIView):
    """Nothing is kept: the same question may be asked as often as wanted."""

    rights = {"POST": Right.PLAN}
    rations = {"POST": TRIALS}

    @extend_schema(
        operation_id="placement_try",
        parameters=[BEARING[0], BEARING[-1], WITHOUT],
        request=WorkloadWrite,
        responses={200: PlacementRead, 400: Problem, 404: Problem, 422: Problem},
    )
    def post(self, request: Request) -> Response:
        form = WorkloadWrite(data=request.data)
        form.is_valid(raise_exception=True)
        today, bearing = utc_today(), bearing_of(request)
        without = request.query_params.get("without", "")
        placing = placing_of(
            actor_of(request), scope=bearing.scope,
            workload=workload_of(form.validated_data, today=today),
            weights=weights_of(form.validated_data.get("weights") or {}),
            scenario_id=bearing.scenario_id,
            without=int(without) if without.isdecimal() else None,
        )  # fmt: skip
        return Response(PlacementRead(_told(placing, today=today)).data)


def weights_of(told: dict[str, float]) -> Weights:
    """Return what is to be kept; raise a wrong field where nothing is."""
    try:
        return Weights(**told)
    except RangeError as exc:
        raise wrong_field("weights", f"Use {exc.wanted}.") from exc


def days_of(wanted: dict[str, Any], *, today: date) -> tuple[int, int]:  # Any: a validated form
    """Return the first and the last day of a form, from today; raise a wrong field."""
    last_day = (wanted["last_until_on"] - today).days
    if not 1 <= last_day <= HORIZON_DAYS:
        latest = today + timedelta(days=HORIZON_DAYS)
        raise wrong_field("last_until_on", f"Use a date after today and up to {latest}.")
    first_day = (wanted["first_on"] - today).days if "first_on" in wanted else 1
    if not 0 <= first_day <= last_day:
        raise wrong_field("first_on", "Use a date from today on, by the last one.")
    return max(first_day, 1), last_day


def workload_of(wanted: dict[str, Any], *, today: date) -> Workload:  # Any: a validated form
    """Return the workload of a form that was looked over; raise a wrong field."""
    first_day, last_day = days_of(wanted, today=today)
    if not 1 <= len(wanted["disks"]) <= MOST_DISKS:
        raise wrong_field("disks", f"Use 1 to {MOST_DISKS} disks.")
    offered = [offer.name for offer in estate.service_classes()]
    if wanted["service_class"] and wanted["service_class"] not in offered:
        told = f"Use one of {', '.join(offered)}, or none."
        raise wrong_field("service_class", told, code="unknown")
    policy = None
    if wanted["policy_id"] is not None:
        policy = policy_named(wanted["policy_id"])
        if policy is None:
            raise wrong_field("policy_id", "Use a policy that stands.", code="unknown")
    try:
        return Workload(
            name=wanted["name"], n_vms=wanted["n_vms"],
            disks=tuple(_disk(one) for one in wanted["disks"]),
            n_cpus=wanted["n_cpus"], memory_bytes=wanted["memory_bytes"],
            first_day=first_day, last_day=last_day,
            sites=frozenset(wanted["sites"]), clusters=frozenset(wanted["clusters"]),
            service_class=wanted["service_class"], tenant=wanted["tenant"],
            policy=policy.core if policy else None, apart=Apart(wanted["apart"]),
            n_ports=wanted["n_ports"], is_from_allotment=wanted["is_from_allotment"],
            most_exposure_bytes=wanted["most_exposure_bytes"],
            n_host_losses=wanted["n_host_losses"],
        )  # fmt: skip
    except RangeError as exc:
        raise wrong_field(exc.argument, f"Use {exc.wanted}.") from exc


def _disk(told: dict[str, Any]) -> DiskAsked:  # Any: a validated form
    return DiskAsked(
        size_bytes=told["size_bytes"], written_percent=told["written_percent"],
        growth_bytes_per_day=told["bytes_a_week"] // DAYS_PER_WEEK, is_thick=told["is_thick"],
        min_iops=told["min_iops"], busy_iops=told["busy_iops"],
        busy_bytes_per_second=told["busy_bytes_per_second"],
    )  # fmt: skip


def _told(placing: Placing, *, today: date) -> dict[str, Any]:  # Any: JSON
    answer, workload = placing.answer, placing.workload
    shown = answer.candidates[:MOST_TOLD]
    before, after = dates_of(placing, [one.place for one in shown])
    placed = answer.spread.placed
    n_placed = int(placed.n_units.sum()) if len(placed.n_units) else 0
    asked = [
        one.check
        for one in (answer.candidates[0].margins if answer.candidates else ())
        if any(
            margin.is_asked and margin.check == one.check
            for told in answer.candidates
            for margin in told.margins
        )
    ]
    last = np.array([workload.last_day], dtype=np.int64)
    return {
        "currency": currency_of_prices(),
        "promised_bytes": workload.n_vms * sum(one.size_bytes for one in workload.disks),
        "written_by_then_bytes": round(
            float(workload.written_on(last)[0]) * (workload.n_vms // workload.vms_a_unit)
        ),
        "n_fitting": answer.n_fitting,
        "n_rejected": len(answer.candidates) - answer.n_fitting,
        "n_fit": answer.n_fit,
        "checks": [one.value for one in asked if _is_told(one, workload)],
        "candidates": [
            _candidate(placing, one, before=before, after=after, today=today) for one in shown
        ],
        "spread": [
            {**place_told(placing.view, placing.ground, place), "n_vms": n}
            for place, n in zip(placed.place.tolist(), placed.n_units.tolist(), strict=True)
        ],
        "n_left": workload.n_vms - n_placed,
        "gap_percent": 100 * answer.spread.gap,
        "is_exact": answer.spread.is_exact,
    }


def _is_told(check: Check, workload: Workload) -> bool:
    """Whether a gate is worth a column: one that nobody asked for is open everywhere."""
    return {
        Check.CLASS: bool(workload.service_class), Check.SITE: bool(workload.sites),
        Check.CLUSTER: bool(workload.clusters), Check.POLICY: workload.policy is not None,
    }.get(check, True)  # fmt: skip


def place_told(view: View, ground: Ground, place: int) -> dict[str, Any]:  # Any: JSON
    """Return the names of a place."""
    reading = view.reading

    def named(kind: str, row: int) -> dict[str, Any] | None:  # Any: JSON
        if row == NOWHERE:
            return None
        table = reading.estate.table(kind)
        return {"id": int(table.ids[row]), "name": name_of(reading, kind, row)}

    return {
        "pool": named("pool", int(ground.pool[place])),
        "cluster": named("cluster", int(ground.cluster[place])),
        "datastore": named("datastore", int(ground.store[place])),
    }


def _candidate(
    placing: Placing, one: Candidate, *, before: dict[int, tuple[float, ...]],
    after: dict[int, tuple[float, ...]], today: date,
) -> dict[str, Any]:  # fmt: skip  # Any: JSON
    ground, reading = placing.ground, placing.view.reading
    pool, site = int(ground.pool[one.place]), int(ground.site[one.place])

    def dates(days: tuple[float, ...]) -> dict[str, date | None]:
        names = ("early_on", "likely_on", "late_on")
        return {name: date_after(today, days=told) for name, told in zip(names, days, strict=True)}

    def percent(share: float | None) -> float | None:
        return None if share is None else 100 * share

    early = one.early_days
    return {
        "rank": one.rank,
        **place_told(placing.view, placing.ground, one.place),
        "site_name": None if site == NOWHERE else ground.sites[site],
        "service_class": ground.pools.service_class[pool],
        "margins": [
            {
                "check": margin.check.value, "is_cleared": margin.is_cleared,
                "is_asked": margin.is_asked, "amount": margin.amount,
                "unit": UNITS.get(margin.check, "none"), "n_missed": margin.n_missed,
            }
            for margin in one.margins
        ],
        "extends_bytes": one.extends_bytes,
        "n_fit": one.n_fit,
        "stopped_by": one.stopped_by and one.stopped_by.value,
        "early_days": early if early is not None and np.isfinite(early) else None,
        "space_percent": percent(one.space_share),
        "iops_percent": percent(one.iops_share),
        "cost_a_month": one.cost_a_month,
        "before": dates(before[pool]), "after": dates(after[pool]),
        "lead_time_days": int(reading.estate.marks["pool"].lead_time_days[pool]),
    }  # fmt: skip
