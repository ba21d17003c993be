"""Since when subjects stand as they do, what changed lately, and how many kept what when."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from keelmark.access.clock import now
from keelmark.bearings.selectors.views import View
from keelmark.compliance.models import KeptOnDay, VerdictChange, VerdictKept
from keelmark.compliance.selectors.standing import Since, seen_subjects
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import When
from keelmark.core.policy.facts import SUBJECTS

MOST_CHANGES = 200


def since_of(view: View, entity_ids: Sequence[int]) -> dict[tuple[int, str], Since] | None:
    """Return since when each rule of some subjects stands as it does; None of other days."""
    if view.reading.when is not When.NOW:
        return None
    kept = VerdictKept.objects.filter(entity_id__in=entity_ids)
    return {
        (one.entity_id, one.rule): Since(state=one.state, at=one.since, is_least=one.is_least)
        for one in kept
    }


def changes_of(
    view: View, *, days: int, entity_id: int | None = None
) -> list[dict[str, Any]]:  # Any: JSON
    """Return the verdicts in sight that changed in the last days, the newest first."""
    reading = view.reading
    told: list[dict[str, Any]] = []
    newest = VerdictChange.objects.select_related("policy")
    if entity_id is not None:
        newest = newest.filter(entity_id=entity_id)
    for kind in SUBJECTS:
        table = reading.estate.table(kind)
        shown = seen_subjects(view, kind=kind)
        mine = newest.filter(entity__kind=kind)
        for one in mine.filter(at__gte=now() - timedelta(days=days)).iterator():
            row = table.row_of(one.entity_id)
            if row is None or row == NOWHERE or not shown[row]:
                continue
            told.append(
                {
                    "at": one.at, "id": one.entity_id, "kind": kind, "name": table.names[row],
                    "rule": one.rule, "was": one.was, "state": one.state,
                    "policy_name": one.policy.name if one.policy else None,
                }
            )  # fmt: skip
            if len(told) >= MOST_CHANGES:
                break
    return sorted(told, key=lambda one: one["at"], reverse=True)[:MOST_CHANGES]


def course_of(policy_id: int, *, since: date) -> list[dict[str, Any]]:  # Any: JSON
    """Return how many subjects of a policy stood how on each day, all kinds together."""
    days: dict[date, dict[str, int]] = {}
    for one in KeptOnDay.objects.filter(policy=policy_id, day__gte=since):
        counts = days.setdefault(one.day, {})
        for state, n in one.counts.items():
            counts[state] = counts.get(state, 0) + n
    return [{"day": day, "counts": counts} for day, counts in sorted(days.items())]
