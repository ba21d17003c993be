"""Keeps how subjects stand, since when, what changed, and how many kept what on each day."""

from datetime import date, datetime, timedelta

import numpy as np
import pyarrow as pa
from django.db import transaction

from keelmark.bearings.selectors.picture import reading_at
from keelmark.compliance.models import KeptOnDay, Policy, VerdictChange, VerdictKept
from keelmark.compliance.selectors.standing import Standing, standing_at
from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import LIKELY
from keelmark.core.policy.facts import SUBJECTS
from keelmark.core.policy.history import Judged, changed
from keelmark.core.policy.rules import PLACE_OF, RULES
from keelmark.core.policy.states import EXEMPT, VERDICTS, Verdict
from keelmark.readings.columnar import columns_of

AT_ONCE = 5_000
KEPT_DAYS = 400  # of what changed
_RULES = tuple(RULES)
_CODES = {one.value: code for code, one in enumerate(VERDICTS)}


@transaction.atomic
def keep_verdicts(*, now: datetime) -> int:
    """Keep how all subjects stand now; return how many verdicts changed.

    One at a time: whoever comes meanwhile waits for the rows of the policies.
    """
    list(Policy.objects.select_for_update().order_by("pk").values_list("pk"))
    reading = reading_at(day=None, quantile=LIKELY)
    is_first = not VerdictKept.objects.exists()
    n = 0
    for kind in SUBJECTS:
        standing = standing_at(reading, kind=kind)
        n += _keep_kind(standing, now=now, is_first=is_first)
        _keep_day(standing, day=now.date())
    VerdictChange.objects.filter(at__lt=now - timedelta(days=KEPT_DAYS)).delete()
    return n


def _keep_kind(standing: Standing, *, now: datetime, is_first: bool) -> int:
    kept_ids, older = _kept(standing.kind)
    newer, policy = _judged(standing)
    told = changed(older, newer)
    policy_ids = [one.policy.pk for one in standing.defined]
    VerdictKept.objects.bulk_create(
        (
            VerdictKept(
                entity_id=int(newer.subject[at]), rule=_RULES[newer.rule[at]],
                state=_word(newer.state[at]), since=now, is_least=is_first,
            )
            for at in told.fresh.tolist()
        ),
        batch_size=AT_ONCE,
    )  # fmt: skip
    VerdictKept.objects.filter(pk__in=kept_ids[told.gone].tolist()).delete()
    for state in VERDICTS:
        is_so = newer.state[told.other] == _CODES[state.value]
        VerdictKept.objects.filter(pk__in=kept_ids[told.was[is_so]].tolist()).update(
            state=state.value, since=now, is_least=False
        )
    VerdictChange.objects.bulk_create(
        (
            VerdictChange(
                entity_id=int(newer.subject[at]), rule=_RULES[newer.rule[at]],
                policy_id=policy_ids[policy[at]], was=_word(older.state[was]),
                state=_word(newer.state[at]), at=now,
            )
            for at, was in zip(told.other.tolist(), told.was.tolist(), strict=True)
        ),
        batch_size=AT_ONCE,
    )  # fmt: skip
    return len(told.other)


def _kept(kind: str) -> tuple[Int64s, Judged]:
    """What is kept of a kind, with the ids of its rows."""
    query = VerdictKept.objects.filter(entity__kind=kind).order_by("pk")
    table = columns_of(
        query.values_list("pk", "entity_id", "rule", "state"),
        types={"pk": pa.int64(), "subject": pa.int64(), "rule": pa.string(), "state": pa.string()},
    )
    rules = [PLACE_OF.get(str(one), NOWHERE) for one in table.column("rule").to_pylist()]
    states = [_CODES[str(one)] for one in table.column("state").to_pylist()]
    return table.column("pk").to_numpy(), Judged(
        subject=table.column("subject").to_numpy(),
        rule=np.array(rules, dtype=np.int64),
        state=np.array(states, dtype=np.int8),
    )


def _judged(standing: Standing) -> tuple[Judged, Int64s]:
    """All verdicts of who is a subject by itself, with the place of the policy of each."""
    states = standing.verdicts.states
    rows, rules = np.nonzero((states != EXEMPT) & standing.counts[:, None])
    ids = standing.ids
    told = Judged(subject=ids[rows], rule=rules.astype(np.int64), state=states[rows, rules])
    return told, standing.promised.policy[rows]


def _keep_day(standing: Standing, *, day: date) -> None:
    worst = standing.verdicts.worst
    for place, one in enumerate(standing.defined):
        mine = standing.counts & (standing.promised.policy == place)
        n = np.bincount(worst[mine], minlength=len(VERDICTS))
        counts = {state.value: int(n[at]) for at, state in enumerate(VERDICTS)}
        if mine.any():
            KeptOnDay.objects.update_or_create(
                policy=one.policy, day=day, kind=standing.kind, defaults={"counts": counts}
            )


def _word(code: int) -> str:
    state: Verdict = VERDICTS[int(code)]
    return state.value
