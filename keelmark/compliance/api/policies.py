"""Policies over the API: read, drawn up, revised, tried, retired."""

from datetime import timedelta
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, Record, actor_of
from keelmark.access.clock import now
from keelmark.access.rights import Right
from keelmark.access.selectors import sees_all
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.bearings.api.asked import BEARING, view_of
from keelmark.compliance.api.impact import TrialRead
from keelmark.compliance.errors import RulesError
from keelmark.compliance.models import MAX_NAME, MAX_NOTE, Policy, Revision
from keelmark.compliance.selectors.definitions import rules_of, standing_policies
from keelmark.compliance.selectors.history import course_of
from keelmark.compliance.selectors.impact import impact_of
from keelmark.compliance.selectors.standing import tally
from keelmark.compliance.services.policies import (
    Draft,
    checked,
    draw_up,
    known_now,
    retire,
    revise,
    revision_facts,
)
from keelmark.core.policy.judging import DEFAULT_SETTLING_MINUTES
from keelmark.core.policy.rules import RULES, Form
from keelmark.core.policy.states import Verdict

POLICY = OpenApiParameter("policy_id", OpenApiTypes.INT, OpenApiParameter.PATH)
DAYS_TOLD = 400
MAX_SETTLING_MINUTES = 7 * 24 * 60
VERDICT_STATES = [one.value for one in Verdict]


class ParamRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    form = serializers.ChoiceField(choices=[one.value for one in Form])
    about = serializers.CharField()
    choices = serializers.ListField(child=serializers.CharField())
    is_optional = serializers.BooleanField()


class RuleKindRead(serializers.Serializer[Record]):
    kind = serializers.CharField()
    about = serializers.CharField()
    subjects = serializers.ListField(child=serializers.CharField())
    params = ParamRead(many=True)


class RuleKindsRead(serializers.Serializer[Record]):
    kinds = RuleKindRead(many=True)
    sites = serializers.ListField(child=serializers.CharField())
    tiers = serializers.ListField(child=serializers.CharField())


class RuleWrite(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=list(RULES))
    told = serializers.DictField(help_text="its parameters by name")


class RuleRead(serializers.Serializer[Record]):
    kind = serializers.CharField()
    told = serializers.DictField()
    wants = serializers.CharField(help_text="in words")


class RevisionRead(serializers.Serializer[Record]):
    number = serializers.IntegerField()
    rules = RuleRead(many=True)
    settling_minutes = serializers.IntegerField()
    note = serializers.CharField()
    made_at = serializers.DateTimeField()
    author = serializers.CharField()


class TallyRead(serializers.Serializer[Record]):
    kind = serializers.CharField()
    counts = serializers.DictField(child=serializers.IntegerField())


class PolicyRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    version = serializers.CharField(help_text="for If-Match")
    newest = RevisionRead()
    n_revisions = serializers.IntegerField()
    tally = TallyRead(many=True)
    counts = serializers.DictField(
        child=serializers.IntegerField(), help_text="of all kinds of subjects, by state"
    )


class PolicyDayRead(serializers.Serializer[Record]):
    day = serializers.DateField()
    counts = serializers.DictField(child=serializers.IntegerField())


class DraftWrite(serializers.Serializer[Record]):
    rules = RuleWrite(many=True)
    settling_minutes = serializers.IntegerField(
        min_value=0, max_value=MAX_SETTLING_MINUTES, default=DEFAULT_SETTLING_MINUTES
    )
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, default="")


class PolicyWrite(DraftWrite):
    name = serializers.CharField(max_length=MAX_NAME)


class TrialWrite(DraftWrite):
    policy_id = serializers.IntegerField(allow_null=True, default=None)


class RuleKindsView(APIView):
    """The kinds of rules with their parameters, and what they may name."""

    @extend_schema(operation_id="rule_kinds", responses={200: RuleKindsRead})
    def get(self, request: Request) -> Response:
        known = known_now()
        kinds = [
            {
                "kind": one.kind,
                "about": one.about,
                "subjects": list(one.subjects),
                "params": [
                    {
                        "name": param.name, "form": param.form.value, "about": param.about,
                        "choices": list(param.choices), "is_optional": param.is_optional,
                    }
                    for param in one.params
                ],
            }
            for one in RULES.values()
        ]  # fmt: skip
        told = {"kinds": kinds, "sites": sorted(known.sites), "tiers": sorted(known.tiers)}
        return Response(RuleKindsRead(told).data)


class PoliciesView(APIView):
    """Policies with how many of their subjects in sight stand how."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="policies_list",
        parameters=BEARING,
        responses={200: PolicyRead(many=True), 400: Problem},
    )
    def get(self, request: Request) -> Response:
        view = view_of(request)
        counts = tally(view)
        told = [_told(one) for one in standing_policies() if one.revisions.all()]
        for one, mine in zip(told, counts, strict=False):
            one["tally"] = [{"kind": kind, "counts": n} for kind, n in mine.items()]
            one["counts"] = {
                state: sum(n[state] for n in mine.values()) for state in VERDICT_STATES
            }
        return Response(PolicyRead(told, many=True).data)

    @extend_schema(
        operation_id="policies_draw_up",
        request=PolicyWrite,
        responses={201: PolicyRead, 400: Problem, 409: Problem},
    )
    def post(self, request: Request) -> Response:
        form = PolicyWrite(data=request.data)
        form.is_valid(raise_exception=True)
        policy = draw_up(
            actor=actor_of(request),
            name=form.validated_data["name"],
            draft=_draft(form.validated_data),
        )
        return Response(PolicyRead(_told(policy)).data, status=201)


class PolicyView(APIView):
    """One policy: its revisions; retired when it promises nothing any more."""

    rights = {"DELETE": Right.PLAN}

    @extend_schema(
        operation_id="policies_revisions",
        parameters=[POLICY],
        responses={200: RevisionRead(many=True), 404: Problem},
    )
    def get(self, request: Request, policy_id: int) -> Response:
        policy = _policy(policy_id)
        return Response(
            RevisionRead([_revision(one) for one in policy.revisions.all()], many=True).data
        )

    @extend_schema(
        operation_id="policies_retire", parameters=[POLICY], responses={204: None, 404: Problem}
    )
    def delete(self, request: Request, policy_id: int) -> Response:
        retire(actor=actor_of(request), policy_id=_policy(policy_id).pk)
        return Response(status=204)


class PolicyDaysView(APIView):
    """How many subjects of a policy stood how on each day; for who sees all of them."""

    @extend_schema(
        operation_id="policies_days",
        parameters=[POLICY],
        responses={200: PolicyDayRead(many=True), 403: Problem, 404: Problem},
    )
    def get(self, request: Request, policy_id: int) -> Response:
        if not sees_all(actor_of(request)):
            raise exceptions.PermissionDenied("Days are counted over all tenants.")
        since = now().date() - timedelta(days=DAYS_TOLD)
        told = course_of(_policy(policy_id).pk, since=since)
        return Response(PolicyDayRead(told, many=True).data)


class RevisionsView(APIView):
    """The next revision of a policy."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="policies_revise",
        parameters=[POLICY, IF_MATCH],
        request=DraftWrite,
        responses={201: PolicyRead, 400: Problem, 404: Problem, 412: Problem, 428: Problem},
    )
    def post(self, request: Request, policy_id: int) -> Response:
        form = DraftWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = revise(
            actor=actor_of(request),
            policy_id=_policy(policy_id).pk,
            draft=_draft(form.validated_data),
            seen_version=wanted_version(request),
        )
        response = Response(PolicyRead(_told(_policy(policy_id))).data, status=201)
        return versioned(response, facts=revision_facts(made))


class TrialView(APIView):
    """What a draft would do, written nowhere."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="policies_try",
        parameters=BEARING,
        request=TrialWrite,
        responses={200: TrialRead, 400: Problem, 404: Problem},
    )
    def post(self, request: Request) -> Response:
        form = TrialWrite(data=request.data)
        form.is_valid(raise_exception=True)
        policy_id = form.validated_data["policy_id"]
        name = "draft" if policy_id is None else _policy(policy_id).name
        try:
            instead = checked(_draft(form.validated_data), name=name)
        except RulesError as exc:  # a draft that is still written is no wrong question
            return Response(TrialRead({"faults": exc.rule_faults, "impact": None}).data)
        told = impact_of(view_of(request), policy_id=policy_id, instead=instead)
        return Response(TrialRead({"faults": [], "impact": told}).data)


def _draft(told: dict[str, Any]) -> Draft:  # Any: a checked form
    return Draft(
        rules=[dict(one) for one in told["rules"]],
        settling_minutes=told["settling_minutes"],
        note=told["note"],
    )


def _policy(policy_id: int) -> Policy:
    policy = standing_policies().filter(pk=policy_id).first()
    if policy is None:
        raise exceptions.NotFound(f"No policy {policy_id} stands.")
    return policy


def _told(policy: Policy) -> dict[str, Any]:  # Any: JSON
    revisions = list(policy.revisions.all())
    return {
        "id": policy.pk,
        "name": policy.name,
        "version": version_of(revision_facts(revisions[0])),
        "newest": _revision(revisions[0]),
        "n_revisions": len(revisions),
        "tally": [],
        "counts": dict.fromkeys(VERDICT_STATES, 0),
    }


def _revision(one: Revision) -> dict[str, Any]:  # Any: JSON
    rules = rules_of(one.rules)
    return {
        "number": one.number,
        "rules": [
            {"kind": rule.kind, "told": kept["told"], "wants": rule.wants()}
            for rule, kept in zip(rules, one.rules, strict=True)
        ],
        "settling_minutes": one.settling_minutes,
        "note": one.note,
        "made_at": one.made_at,
        "author": one.author_name,
    }
