"""How subjects stand with what was promised to them, at one bearing."""

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from threading import RLock
from typing import Any, Final

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.lists import Columns, ordered
from keelmark.bearings.selectors.picture import Lately
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.definitions import MINUTE_SECONDS, Defined, defined, defined_at
from keelmark.compliance.selectors.freshness import freshness_of
from keelmark.compliance.selectors.promised import Promised, promised_at
from keelmark.compliance.selectors.stood import as_it_stood
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading, When
from keelmark.core.policy.facts import SUBJECTS, Facts
from keelmark.core.policy.judging import Policy, Subjects, Verdicts, aged, judged
from keelmark.core.policy.nearest import LEVELS, Level
from keelmark.core.policy.of_estate import facts_of
from keelmark.core.policy.rules import PLACE_OF, RULES
from keelmark.core.policy.states import EXEMPT, SETTLING, UNPROVEN, VERDICTS, Verdict
from keelmark.feeds.selectors import quiet_at

KEPT: Final = 24  # standings of kinds and days that are looked at in a minute
KEPT_EVERY: Final = 5  # minutes
OF_THEN: Final = "it stood so on that day; what was found then is not kept"
_OWN: Final = tuple(LEVELS.index(level) for level in (Level.ITSELF, Level.TOLD))


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Standing:
    """All subjects of one kind: what is promised to each, and how it is kept."""

    kind: str
    ids: Int64s
    facts: Facts
    defined: Sequence[Defined]
    promised: Promised
    verdicts: Verdicts
    is_of_then: Bools | None = None  # (n, n_rules) where a past day stood otherwise than is found

    @property
    def counts(self) -> Bools:
        """Which are subjects by themselves: a disk only where it is promised otherwise."""
        has = self.promised.policy != NOWHERE
        if self.kind == "vm":
            return np.asarray(has, dtype=np.bool_)
        own: Bools = has & np.isin(self.promised.level, _OWN)
        return own


@dataclass(frozen=True, slots=True, kw_only=True)
class Since:
    """Since when a verdict stands; at least so long where it may have stood before."""

    state: str
    at: datetime
    is_least: bool


class _Kept:
    lock = RLock()
    facts: Lately[Hashable, Facts] = Lately(4)
    standings: Lately[Hashable, Standing] = Lately(KEPT)
    judged: Lately[Hashable, Standing] = Lately(len(SUBJECTS))


def minute_now() -> float:
    """Return the minute that goes on, from which ages are counted."""
    return float(now().timestamp() // MINUTE_SECONDS)


def _told_at(reading: Reading) -> float:
    """The minute; a day that is over is told anew only as often as verdicts are kept."""
    minute = minute_now()
    return minute - minute % KEPT_EVERY if reading.when is When.PAST else minute


def facts_at(view: View) -> Facts:
    """Return what rules judge by at a bearing."""
    return _facts_of(view.reading)


def _facts_of(reading: Reading) -> Facts:
    quiet, minute = quiet_at(now()), minute_now()
    key = (reading.estate.key, reading.day, reading.quantile, quiet)
    with _Kept.lock:
        told = _Kept.facts.get(key) or _Kept.facts.keep(
            key, facts_of(reading, now=minute, fresh=freshness_of(reading, quiet))
        )
    return replace(told, now=minute)


def standing_of(view: View, *, kind: str) -> Standing:
    """Return how all subjects of a kind stand; of everybody, what is seen is for the caller."""
    return standing_at(view.reading, kind=kind)


def standing_at(reading: Reading, *, kind: str) -> Standing:
    """Return the same at a reading."""
    with _Kept.lock:
        return _Kept.standings.made(
            lambda: (
                kind, reading.estate.key, reading.day, reading.quantile, _told_at(reading),
                defined_at(),
            ),
            lambda _: _standing(reading, kind=kind),
        )  # fmt: skip


def tried(view: View, *, kind: str, place: int, instead: Policy) -> tuple[Standing, Verdicts]:
    """Return how subjects stand, and how they would with another revision of one policy."""
    before = standing_of(view, kind=kind)
    policies = [one.core for one in before.defined]
    policies[place] = instead
    subjects = Subjects(
        kind=kind, policy=before.promised.policy,
        changed_at=np.full(len(before.promised.policy), np.nan),
    )  # fmt: skip
    return before, judged(before.facts, subjects, policies=policies)


def _standing(reading: Reading, *, kind: str) -> Standing:
    """Judged anew where anything changed; where time alone has passed, by what ages."""
    key = (
        kind, reading.estate.key, reading.day, reading.quantile, quiet_at(now()), defined_at(),
    )  # fmt: skip
    before = _Kept.judged.get(key) if reading.when is When.NOW else None
    facts = _facts_of(reading)
    if before is not None:
        subjects = Subjects(
            kind=kind, policy=before.promised.policy, changed_at=before.promised.changed_at
        )
        policies = [one.core for one in before.defined]
        verdicts = aged(before.verdicts, facts, subjects, policies=policies)
        return replace(before, facts=facts, verdicts=verdicts)
    told = _judged(reading, facts, kind=kind, policies=defined())
    return _Kept.judged.keep(key, told) if reading.when is When.NOW else told


def _judged(reading: Reading, facts: Facts, *, kind: str, policies: Sequence[Defined]) -> Standing:
    promised = promised_at(reading, kind=kind)
    subjects = Subjects(kind=kind, policy=promised.policy, changed_at=promised.changed_at)
    verdicts = judged(facts, subjects, policies=[one.core for one in policies])
    table, is_of_then = reading.estate.table(kind), None
    if reading.when is When.PAST:
        verdicts, is_of_then = as_it_stood(verdicts, table, day=reading.day)
    return Standing(
        kind=kind, ids=table.ids, facts=facts, defined=policies, promised=promised,
        verdicts=verdicts, is_of_then=is_of_then,
    )  # fmt: skip


def seen_subjects(view: View, *, kind: str) -> Bools:
    """Return which of a kind the bearing leaves and the person may see."""
    shown: Bools = view.shown_along(kind, kinds=SUBJECTS)
    return shown


def tally(view: View) -> list[dict[str, Any]]:  # Any: JSON
    """Return of each policy how many subjects in sight stand how, by kind."""
    told: list[dict[str, int | dict[str, int]]] = []
    for kind in SUBJECTS:
        standing = standing_of(view, kind=kind)
        if not told:
            told = [{} for _ in standing.defined]
        shown = seen_subjects(view, kind=kind) & standing.counts
        worst = standing.verdicts.worst
        for place, counts in enumerate(told):
            mine = worst[shown & (standing.promised.policy == place)]
            if len(mine):
                n = np.bincount(mine, minlength=len(VERDICTS))
                counts[kind] = {state.value: int(n[at]) for at, state in enumerate(VERDICTS)}
    return told


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """Which subjects to tell of."""

    policy_id: int | None = None
    state: Verdict | None = None
    rule: str | None = None
    is_unpromised: bool = False  # those to whom nothing is promised


def rows_of(view: View, standing: Standing, asked: Asked) -> Int64s:
    """Return the rows of subjects in sight, the worst first, then by name."""
    shown = seen_subjects(view, kind=standing.kind)
    place = next(
        (at for at, one in enumerate(standing.defined) if one.policy.pk == asked.policy_id), None
    )
    if asked.is_unpromised:
        shown &= standing.promised.policy == NOWHERE
    elif asked.policy_id is None:
        shown &= standing.counts
    elif standing.kind == "disk":
        shown &= standing.counts & (standing.promised.policy == place)
    else:
        shown &= standing.promised.policy == place
    states = (
        standing.verdicts.worst
        if asked.rule is None
        else standing.verdicts.states[:, PLACE_OF[asked.rule]]
    )
    if asked.rule is not None:
        shown &= states != EXEMPT
    if asked.state is not None:
        shown &= states == VERDICTS.index(asked.state)
    rows = ordered(Columns(view, kind=standing.kind), rows=np.flatnonzero(shown), order=["name"])
    worst_first: Int64s = rows[np.argsort(-states[rows], kind="stable")]
    return worst_first


def told_of(
    view: View, standing: Standing, row: int, *, since: Mapping[tuple[int, str], Since] | None
) -> dict[str, Any]:  # Any: JSON
    """Return one subject with its policy, who gave it, and every rule that bears on it."""
    table = view.reading.estate.table(standing.kind)
    verdicts, promised = standing.verdicts, standing.promised
    place = int(promised.policy[row])
    one = standing.defined[place] if place != NOWHERE else None
    left = float(verdicts.settles_in[row])
    return {
        "id": int(table.ids[row]),
        "kind": standing.kind,
        "name": table.names[row],
        "policy_id": one and one.policy.pk,
        "policy_name": one and one.policy.name,
        "revision": one and one.revision.number,
        "by": LEVELS[int(promised.level[row])].value if one else None,
        "state": VERDICTS[verdicts.worst_of(row)].value,
        "settles_in_minutes": None if np.isnan(left) else left,
        "rules": [
            {
                **_rule_told(view, standing, row, place=place, kind=kind),
                **_since_told(standing, row, place=place, kind=kind, since=since),
            }
            for kind in RULES
            if one and one.core.rule(kind) and standing.kind in RULES[kind].subjects
        ],
    }


def _rule_told(
    view: View, standing: Standing, row: int, *, place: int, kind: str
) -> dict[str, Any]:  # Any: JSON
    rule = standing.defined[place].core.rule(kind)
    verdicts, column = standing.verdicts, PLACE_OF[kind]
    code = verdicts.states[row, column]
    state, amount = VERDICTS[int(code)], float(verdicts.amounts[row, column])
    known = None if np.isnan(amount) else amount
    if rule is None:
        return {}
    is_open = verdicts.unsettled[row, column] == UNPROVEN
    says = rule.nobody_tells() if is_open else rule.says(state, known)
    if standing.is_of_then is not None and standing.is_of_then[row, column]:
        says, known = OF_THEN, None
    return {
        "kind": kind,
        "state": state.value,
        "wanted": rule.wants(),
        "found": says,
        "mends": rule.mends() if code >= SETTLING else "",
        "place": _place(view, rule.place_kind, int(verdicts.places[row, column])),
    }


def _since_told(
    standing: Standing,
    row: int,
    *,
    place: int,
    kind: str,
    since: Mapping[tuple[int, str], Since] | None,
) -> dict[str, Any]:  # Any: JSON
    """Since when a rule stands so: as what was found tells, or as it was kept."""
    column, rule = PLACE_OF[kind], standing.defined[place].core.rule(kind)
    state = VERDICTS[int(standing.verdicts.states[row, column])]
    amount = float(standing.verdicts.amounts[row, column])
    if since is None:
        return {"since": None, "is_least": False}
    kept = since.get((int(standing.ids[row]), kind))
    minutes = (
        rule.broken_for(None if np.isnan(amount) else amount)
        if rule is not None and state is Verdict.BROKEN
        else None
    )
    if minutes is not None:
        return {"since": now() - timedelta(minutes=minutes), "is_least": False}
    if kept is None or kept.state != state.value:
        return {"since": None, "is_least": False}
    return {"since": kept.at, "is_least": kept.is_least}


def _place(view: View, kind: str, row: int) -> dict[str, Any] | None:  # Any: JSON
    if row == NOWHERE or not view.seen[kind][row]:
        return None
    table = view.reading.estate.table(kind)
    return {"id": int(table.ids[row]), "kind": kind, "name": table.names[row]}
