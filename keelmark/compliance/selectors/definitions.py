"""Which policies there are, as the core judges by them, and to whom each is promised."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
from django.db.models import FloatField, OuterRef, Prefetch, QuerySet, Subquery
from django.db.models.functions import Coalesce, Extract, Floor, Greatest

from keelmark.compliance.models import Policy, Promise, Revision, Stamp
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Table
from keelmark.core.policy import judging
from keelmark.core.policy.nearest import Named
from keelmark.core.policy.rules import Rule, rule_of
from keelmark.readings.columnar import columns_of

MINUTE_SECONDS = 60


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
    return Promise.objects.filter(
        policy__isnull=False, policy__retired_at__isnull=True
    ).select_related("entity")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Given:
    """What things were given by hand, as columns: whom, what, and in which minute.

    What was taken back is NOWHERE, and what was retired is of the minute in which it was.
    """

    entity_ids: Int64s
    given_ids: Int64s
    minutes: Float64s

    def along(self, table: Table, *, place_of: Mapping[int, int]) -> Named:
        """Return the place of what each thing of a table was given, and since when.

        ``place_of`` knows the place of each that still stands; what does not is nothing.
        """
        told = np.full(len(table), NOWHERE, dtype=np.int64)
        minutes = np.full(len(table), np.nan)
        rows = table.rows_of(self.entity_ids)
        kept, at = np.unique(self.given_ids, return_inverse=True)
        places = np.array([*(place_of.get(pk, NOWHERE) for pk in kept.tolist()), NOWHERE])[at]
        is_of = rows != NOWHERE
        told[rows[is_of]], minutes[rows[is_of]] = places[is_of], self.minutes[is_of]
        return Named(what=told, since=minutes)


def given_of(query: "QuerySet[Any, Any]", *, what: str) -> Given:  # Any: of whatever names things
    """Return rows that give things something, read as columns: there may be very many."""
    since = Greatest("made_at", f"{what}__retired_at")  # of which none is passed over
    minute = Floor(Extract(since, "epoch") / MINUTE_SECONDS, output_field=FloatField())
    rows = query.order_by().filter(entity__isnull=False)
    rows = rows.annotate(minute=minute, given=Coalesce(f"{what}_id", NOWHERE))
    told = columns_of(
        rows.values_list("entity_id", "given", "minute"),
        types={"id": pa.int64(), "what": pa.int64(), "minute": pa.float64()},
    )
    return Given(
        entity_ids=told.column("id").to_numpy(), given_ids=told.column("what").to_numpy(),
        minutes=told.column("minute").to_numpy(),
    )  # fmt: skip


def defined_at() -> int:
    """Return what tells two states of all policies and whom they are promised apart."""
    return _stamp("policies")


def tiers_defined_at() -> int:
    """Return what tells two states of all tiers and their namings apart."""
    return _stamp("tiers")


def _stamp(of: str) -> int:
    return Stamp.objects.filter(of=of).values_list("n", flat=True).first() or 0
