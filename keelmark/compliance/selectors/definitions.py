"""Which policies there are, as the core judges by them, and to whom each is promised."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Max, OuterRef, Prefetch, QuerySet, Subquery

from keelmark.compliance.models import Policy, Promise, Revision
from keelmark.core.policy import judging
from keelmark.core.policy.rules import Rule, rule_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Defined:
    """One policy with its newest revision, and that as the core knows it."""

    policy: Policy
    revision: Revision
    core: judging.Policy


def standing_policies() -> "QuerySet[Policy]":
    """Return the policies that are not retired, with their revisions, the newest first."""
    revisions = Revision.objects.order_by("-number")
    return Policy.objects.filter(retired_at__isnull=True).prefetch_related(
        Prefetch("revisions", queryset=revisions)
    )


def defined() -> list[Defined]:
    """Return the policies that stand with their newest revisions, by name."""
    newest = Revision.objects.filter(policy=OuterRef("policy")).order_by("-number").values("pk")
    told = (
        Revision.objects.filter(policy__retired_at__isnull=True, pk=Subquery(newest[:1]))
        .select_related("policy")
        .order_by("policy__name", "policy__pk")
    )
    return [
        Defined(policy=one.policy, revision=one, core=core_of(one.policy.name, one)) for one in told
    ]


def core_of(name: str, revision: Revision) -> judging.Policy:
    """Return a revision as the core knows it."""
    return judging.Policy(
        name=name, rules=rules_of(revision.rules), settling_minutes=revision.settling_minutes
    )


def rules_of(kept: list[dict[str, Any]]) -> tuple[Rule, ...]:  # Any: JSON
    """Return the rules of what is kept of them; raise RangeError where they are none."""
    return tuple(rule_of(one["kind"], one["told"]) for one in kept)


def promises() -> "QuerySet[Promise]":
    """Return what is promised to whom, of policies that stand."""
    return Promise.objects.filter(policy__retired_at__isnull=True).select_related("entity")


def defined_at() -> tuple[int, int, datetime | None, datetime | None, int]:
    """Return what tells two states of all definitions apart."""
    revision = Revision.objects.aggregate(n=Max("pk"))["n"] or 0
    told = Promise.objects.aggregate(at=Max("made_at"))
    retired = Policy.objects.aggregate(at=Max("retired_at"))["at"]
    return revision, Promise.objects.count(), told["at"], retired, Policy.objects.count()
