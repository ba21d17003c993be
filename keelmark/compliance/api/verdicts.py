"""Who keeps what was promised, over the API; and to whom it is promised."""

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.bearings.api.asked import BEARING, AtRead, at_told, looked_at, view_of
from keelmark.bearings.selectors.views import View
from keelmark.compliance.api.asked import number_asked, seen_ids
from keelmark.compliance.api.impact import PlaceNamedRead
from keelmark.compliance.api.policies import VERDICT_STATES
from keelmark.compliance.errors import TooManyRowsError
from keelmark.compliance.models import Policy
from keelmark.compliance.selectors.history import changes_of, since_of
from keelmark.compliance.selectors.standing import (
    Asked,
    Standing,
    rows_of,
    standing_of,
    told_of,
)
from keelmark.compliance.services.promising import MAX_AT_ONCE, TAKERS, promise, promise_wide
from keelmark.core.arrays import Int64s
from keelmark.core.policy.facts import SUBJECTS
from keelmark.core.policy.rules import RULES
from keelmark.core.policy.states import Verdict
from keelmark.estate.export import csv_download
from keelmark.estate.models import ServiceClass

PAGE = 100
NO_POLICY = "none"
MOST_EXPORTED = 20_000
EXPORTED = (
    "id", "name", "policy", "revision", "by", "state", "rule", "rule_state", "wanted", "found",
    "place", "since", "is_least",
)  # fmt: skip
WEEK_DAYS, MOST_DAYS = 7, 400
KIND = OpenApiParameter("kind", OpenApiTypes.STR, OpenApiParameter.PATH, enum=list(SUBJECTS))
THING = OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH)
ASKED = [
    OpenApiParameter("policy", OpenApiTypes.STR, description="id of one policy alone, or none"),
    OpenApiParameter("state", OpenApiTypes.STR, enum=VERDICT_STATES),
    OpenApiParameter("rule", OpenApiTypes.STR, enum=list(RULES), description="by one rule alone"),
    OpenApiParameter("after", OpenApiTypes.INT, description="how many to leave out before"),
]


class RuleVerdictRead(serializers.Serializer[Record]):
    kind = serializers.CharField()
    state = serializers.ChoiceField(choices=VERDICT_STATES)
    wanted = serializers.CharField()
    found = serializers.CharField()
    mends = serializers.CharField()
    since = serializers.DateTimeField(allow_null=True, help_text="now alone")
    is_least = serializers.BooleanField(help_text="it may have stood so for longer")
    place = PlaceNamedRead(allow_null=True)


class VerdictChangeRead(serializers.Serializer[Record]):
    at = serializers.DateTimeField()
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    rule = serializers.CharField()
    policy_name = serializers.CharField(allow_null=True)
    was = serializers.ChoiceField(choices=VERDICT_STATES)
    state = serializers.ChoiceField(choices=VERDICT_STATES)


class SubjectRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    policy_id = serializers.IntegerField(allow_null=True)
    policy_name = serializers.CharField(allow_null=True)
    revision = serializers.IntegerField(allow_null=True)
    by = serializers.CharField(allow_null=True, help_text="whose promise it is: the nearest wins")
    state = serializers.ChoiceField(choices=VERDICT_STATES)
    settles_in_minutes = serializers.FloatField(allow_null=True)
    rules = RuleVerdictRead(many=True)


class SubjectsRead(serializers.Serializer[Record]):
    at = AtRead()
    n_all = serializers.IntegerField()
    results = SubjectRead(many=True)


class SubjectIdsRead(serializers.Serializer[Record]):
    ids = serializers.ListField(child=serializers.IntegerField())


class PromiseWrite(serializers.Serializer[Record]):
    policy_id = serializers.IntegerField(allow_null=True, help_text="null: none of their own")
    entity_ids = serializers.ListField(child=serializers.IntegerField(), default=list)
    class_name = serializers.CharField(
        allow_blank=True, default="", help_text="for all of a class; without things, and blank: "
        "for the whole estate",
    )  # fmt: skip


class TakenRead(serializers.Serializer[Record]):
    entity_id = serializers.IntegerField()
    policy_id = serializers.IntegerField(allow_null=True)


class VerdictsView(APIView):
    """Subjects of a kind with every rule that bears on them, the worst first."""

    @extend_schema(
        operation_id="verdicts_list",
        parameters=[KIND, *ASKED, *BEARING],
        responses={200: SubjectsRead, 400: Problem},
    )
    def get(self, request: Request, kind: str) -> Response:
        after = number_asked(request, "after") or 0
        view, standing, rows = _listed(request, kind=kind)
        page = rows[after : after + PAGE]
        since = since_of(view, standing.ids[page].tolist())
        # Field by field, thousands of rules would take longer than to judge all subjects.
        told = {
            "at": AtRead(at_told(view)).data,
            "n_all": len(rows),
            "results": [told_of(view, standing, row, since=since) for row in page.tolist()],
        }
        return Response(told)


class VerdictIdsView(APIView):
    """The ids of the same, all at once: what is chosen by a sift."""

    @extend_schema(
        operation_id="verdicts_ids",
        parameters=[KIND, *ASKED[:-1], *BEARING],
        responses={200: SubjectIdsRead, 400: Problem, 422: Problem},
    )
    def get(self, request: Request, kind: str) -> Response:
        _, standing, rows = _all_listed(request, kind=kind, most=MAX_AT_ONCE)
        return Response(SubjectIdsRead({"ids": standing.ids[rows].tolist()}).data)


class VerdictsExportView(APIView):
    """The same as CSV, a line a subject and rule."""

    @extend_schema(
        operation_id="verdicts_export",
        parameters=[KIND, *ASKED[:-1], *BEARING],
        responses={(200, "text/csv"): OpenApiTypes.BINARY, 400: Problem, 422: Problem},
    )
    def get(self, request: Request, kind: str) -> HttpResponse:
        view, standing, rows = _all_listed(request, kind=kind, most=MOST_EXPORTED)
        since = since_of(view, standing.ids[rows].tolist())
        told = (told_of(view, standing, row, since=since) for row in rows.tolist())
        lines = (
            [
                one["id"], one["name"], one["policy_name"], one["revision"], one["by"],
                one["state"], rule["kind"], rule["state"], rule["wanted"], rule["found"],
                rule["place"]["name"] if rule["place"] else None,
                rule["since"].isoformat() if rule["since"] else None,
                rule["is_least"] if rule["since"] else None,
            ]
            for one in told
            for rule in one["rules"]
        )  # fmt: skip
        return csv_download(EXPORTED, lines, filename=f"promises-{kind}.csv")


class ThingVerdictsView(APIView):
    """What is promised to one thing, and how it is kept."""

    @extend_schema(
        operation_id="verdicts_of_thing",
        parameters=[THING, *BEARING],
        responses={200: SubjectRead, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        view, node = looked_at(request, entity_id)
        if node.kind not in SUBJECTS:
            raise exceptions.NotFound(f"Nothing is promised to a {node.kind}.")
        told = told_of(
            view, standing_of(view, kind=node.kind), node.row, since=since_of(view, [entity_id])
        )
        return Response(SubjectRead(told).data)


class VerdictChangesView(APIView):
    """Verdicts of subjects in sight that became other ones lately, the newest first."""

    @extend_schema(
        operation_id="verdicts_changes",
        parameters=[
            OpenApiParameter(
                "days", OpenApiTypes.INT, description="how far back; a week if not said"
            ),
            OpenApiParameter("of", OpenApiTypes.INT, description="of this subject alone"),
            *BEARING,
        ],
        responses={200: VerdictChangeRead(many=True), 400: Problem},
    )
    def get(self, request: Request) -> Response:
        days = number_asked(request, "days") or WEEK_DAYS
        if days > MOST_DAYS:
            raise wrong_field("days", f"Use at most {MOST_DAYS} days.")
        told = changes_of(view_of(request), days=days, entity_id=number_asked(request, "of"))
        return Response(VerdictChangeRead(told, many=True).data)


class PromisesView(APIView):
    """To whom a policy is promised."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="policies_promise",
        request=PromiseWrite,
        responses={200: TakenRead(many=True), 400: Problem, 404: Problem},
    )
    def post(self, request: Request) -> Response:
        form = PromiseWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = form.validated_data
        actor, policy_id = actor_of(request), told["policy_id"]
        if policy_id is not None and not Policy.objects.filter(
            pk=policy_id, retired_at__isnull=True
        ):
            raise exceptions.NotFound(f"No policy {policy_id} stands.")
        if told["entity_ids"]:
            return Response(
                TakenRead(
                    promise(
                        actor=actor, policy_id=policy_id, entity_ids=told["entity_ids"],
                        seen=seen_ids(request, kinds=TAKERS),
                    ), many=True,
                ).data
            )  # fmt: skip
        name = told["class_name"]
        if name and not ServiceClass.objects.filter(name=name):
            raise exceptions.NotFound(f"No class {name} is known.")
        promise_wide(actor=actor, policy_id=policy_id, class_name=name)
        return Response([])


def _listed(request: Request, *, kind: str) -> tuple[View, Standing, Int64s]:
    """The bearing, how subjects of a kind stand, and the rows that are asked for."""
    if kind not in SUBJECTS:
        raise wrong_field("kind", f"Use one of {', '.join(SUBJECTS)}.")
    asked, view = _asked(request), view_of(request)
    standing = standing_of(view, kind=kind)
    return view, standing, rows_of(view, standing, asked)


def _all_listed(request: Request, *, kind: str, most: int) -> tuple[View, Standing, Int64s]:
    """The same, refused where it is more than an answer takes at once."""
    view, standing, rows = _listed(request, kind=kind)
    if len(rows) > most:
        raise TooManyRowsError(n=len(rows), most=most)
    return view, standing, rows


def _asked(request: Request) -> Asked:
    state = request.query_params.get("state") or None
    if state is not None and state not in VERDICT_STATES:
        raise wrong_field("state", f"Use one of {', '.join(VERDICT_STATES)}.")
    rule = request.query_params.get("rule") or None
    if rule is not None and rule not in RULES:
        raise wrong_field("rule", f"Use one of {', '.join(RULES)}.")
    is_unpromised = request.query_params.get("policy") == NO_POLICY
    return Asked(
        policy_id=None if is_unpromised else number_asked(request, "policy"),
        state=state and Verdict(state), rule=rule, is_unpromised=is_unpromised,
    )  # fmt: skip
