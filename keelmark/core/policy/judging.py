"""Who keeps what was promised: a state for every subject and rule, as columns."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.facts import Facts
from keelmark.core.policy.rules import (
    PLACE_OF,
    RULES,
    Apart,
    CopyElsewhere,
    Rule,
    Sites,
    SnapshotsEvery,
    SnapshotsKept,
    Together,
)
from keelmark.core.policy.rules.base import MINUTES_A_DAY, Fault, Known
from keelmark.core.policy.states import (
    BROKEN,
    EXEMPT,
    SETTLING,
    UNPROVEN,
    VERDICTS,
    Codes,
    Found,
    Verdict,
)

DEFAULT_SETTLING_MINUTES: Final = 60  # two collections of the slowest feeds
N_RULES: Final = len(RULES)


@dataclass(frozen=True, slots=True, kw_only=True)
class Policy:
    """One revision of a policy: its rules, and for how long a change settles."""

    name: str
    rules: tuple[Rule, ...]
    settling_minutes: int = DEFAULT_SETTLING_MINUTES

    def rule(self, kind: str) -> Rule | None:
        """Return its rule of a kind, None where it has none."""
        return next((one for one in self.rules if one.kind == kind), None)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Subjects:
    """All of one kind with what was promised to them.

    ``policy`` (n,) is a place in the policies, NOWHERE where nothing is promised.
    ``changed_at`` (n,) is when the policy, the subject or its place changed last, in minutes
    since 1970, NaN where nobody knows of a change.
    """

    kind: str
    policy: Int64s
    changed_at: Float64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Verdicts:
    """What was found of all subjects of one kind, (n, n_rules) each, rules in order of RULES.

    ``states`` are codes of :class:`Verdict`, ``unsettled`` what they would be if nothing had
    changed lately, ``amounts`` what was found in the unit of the
    rule, ``places`` rows of the table that the rule names. ``settles_in`` (n,) is the minutes
    left where something settles, NaN elsewhere.
    """

    kind: str
    policy: Int64s
    states: Codes
    unsettled: Codes
    amounts: Float64s
    places: NDArray[np.int32]
    settles_in: Float64s

    @property
    def worst(self) -> Codes:
        """The worst rule of each subject, (n,)."""
        told: Codes = self.states.max(axis=1, initial=EXEMPT)
        return told

    def worst_of(self, row: int) -> int:
        """The worst rule of one subject."""
        return int(self.states[row].max(initial=EXEMPT))

    def counts(self, *, policy: int | None = None) -> dict[Verdict, int]:
        """Return how many subjects stand how, of one policy or of all."""
        worst = self.worst if policy is None else self.worst[self.policy == policy]
        told = np.bincount(worst, minlength=len(VERDICTS))
        return {state: int(told[code]) for code, state in enumerate(VERDICTS)}


def judged(facts: Facts, subjects: Subjects, *, policies: Sequence[Policy]) -> Verdicts:
    """Return how all subjects of a kind stand with what was promised to them.

    Parameters
    ----------
    facts : Facts
        The estate at one moment.
    subjects : Subjects
        (n,) of one kind.
    policies : sequence of Policy
        In the order that ``subjects.policy`` counts.

    Returns
    -------
    Verdicts
        A rule that a subject's policy does not have, or that does not bear on its kind, is
        exempt. What is broken or unproven settles for as long as its policy says since the
        last change: it is then not judged.

    Raises
    ------
    ShapeError
        If there is not one policy a subject.
    RangeError
        If a policy has two rules of one kind.
    """
    n = facts.n_of(subjects.kind)
    if subjects.policy.shape != (n,) or subjects.changed_at.shape != (n,):
        raise ShapeError(argument="subjects", wanted=f"({n},)", found=subjects.policy.shape)
    verdicts = Verdicts(
        kind=subjects.kind,
        policy=subjects.policy,
        states=np.full((n, N_RULES), EXEMPT),
        unsettled=np.full((n, N_RULES), EXEMPT),
        amounts=np.full((n, N_RULES), np.nan),
        places=np.full((n, N_RULES), NOWHERE, dtype=np.int32),
        settles_in=np.full(n, np.nan),
    )
    for policy in policies:
        kinds = [rule.kind for rule in policy.rules]
        if len(set(kinds)) < len(kinds):
            raise RangeError(argument=policy.name, found=kinds, wanted="each kind of rule once")
    _judge(verdicts, facts, subjects, policies=policies)
    return _settled(verdicts, facts, subjects, policies=policies)


def rejudged(
    verdicts: Verdicts, facts: Facts, subjects: Subjects, *, policies: Sequence[Policy], at: int,
    rule: Rule,
) -> Verdicts:  # fmt: skip
    """Return verdicts with one rule of one policy in the place of what it was."""
    rows = np.flatnonzero(subjects.policy == at)
    told = replace(
        verdicts, unsettled=verdicts.unsettled.copy(), amounts=verdicts.amounts.copy(),
        places=verdicts.places.copy(),
    )  # fmt: skip
    _set(told, rule, rule.found_of(facts, kind=subjects.kind), rows=rows)
    return _settled(told, facts, subjects, policies=policies)


def aged(
    verdicts: Verdicts, facts: Facts, subjects: Subjects, *, policies: Sequence[Policy]
) -> Verdicts:
    """Return verdicts some time later, where nothing but time has passed.

    The same as :func:`judged` makes of the facts, whose ``now`` alone may differ from that by
    which the verdicts were found.
    """
    told = replace(
        verdicts, unsettled=verdicts.unsettled.copy(), amounts=verdicts.amounts.copy(),
        places=verdicts.places.copy(),
    )  # fmt: skip
    ageing = [replace(one, rules=tuple(r for r in one.rules if r.ages)) for one in policies]
    _judge(told, facts, subjects, policies=ageing)
    return _settled(told, facts, subjects, policies=policies)


def _judge(
    verdicts: Verdicts, facts: Facts, subjects: Subjects, *, policies: Sequence[Policy]
) -> None:
    """Set what the rules of all policies find; policies that share a rule share what it finds."""
    found: dict[Rule, Found] = {}
    for at, policy in enumerate(policies):
        rows = np.flatnonzero(subjects.policy == at)
        for rule in policy.rules if len(rows) else ():
            if rule not in found and subjects.kind in rule.subjects:
                found[rule] = rule.found_of(facts, kind=subjects.kind)
            if rule in found:
                _set(verdicts, rule, found[rule], rows=rows)


def _set(verdicts: Verdicts, rule: Rule, of: Found, *, rows: Int64s) -> None:
    if verdicts.kind not in rule.subjects:
        return
    column = PLACE_OF[rule.kind]
    verdicts.unsettled[rows, column] = of.states[rows]
    verdicts.amounts[rows, column] = of.amounts[rows]
    verdicts.places[rows, column] = of.places[rows]


def _settled(
    verdicts: Verdicts, facts: Facts, subjects: Subjects, *, policies: Sequence[Policy]
) -> Verdicts:
    """Where something changed lately, what is not met settles instead."""
    allowed = np.array([*(one.settling_minutes for one in policies), 0], dtype=np.float64)
    left = subjects.changed_at + allowed[subjects.policy] - facts.now
    with np.errstate(invalid="ignore"):
        is_new = left > 0
    states, settles_in = verdicts.unsettled, np.full(len(left), np.nan)
    if is_new.any():
        is_open = (states == BROKEN) | (states == UNPROVEN)
        settles = is_open & is_new[:, None]
        states = np.where(settles, SETTLING, states)
        settles_in = np.where(settles.any(axis=1), left, np.nan)
    return replace(verdicts, states=states, settles_in=settles_in)


def faults_of(policy: Policy, *, known: Known) -> list[Fault]:
    """Return what is wrong with a policy: its rules alone, and with each other."""
    told = [fault for rule in policy.rules for fault in rule.faults(known)]
    seen: set[str] = set()
    for rule in policy.rules:
        if rule.kind in seen:
            told.append(Fault(rule.kind, "", "a policy has each kind of rule once"))
        seen.add(rule.kind)
    if policy.settling_minutes < 0:
        told.append(Fault("", "settling_minutes", "nought or more"))
    return told + _contradictions(policy)


def _contradictions(policy: Policy) -> list[Fault]:
    told = []
    copy, sites = policy.rule("copy"), policy.rule("sites")
    if isinstance(copy, CopyElsewhere) and isinstance(sites, Sites):
        if copy.site and (*sites.allowed,) == (copy.site,):
            told.append(
                copy.fault("site", f"it may lie at {copy.site} alone: no other site copies it")
            )
        if copy.site and copy.site in sites.forbidden:
            told.append(copy.fault("site", f"it must never be at {copy.site}"))
    every, kept = policy.rule("snapshots"), policy.rule("kept")
    if (
        isinstance(every, SnapshotsEvery)
        and isinstance(kept, SnapshotsKept)
        and every.every_minutes > kept.for_days * MINUTES_A_DAY
    ):
        told.append(kept.fault("for_days", "they are taken less often than they are kept"))
    apart, together = policy.rule("apart"), policy.rule("together")
    if (
        isinstance(apart, Apart)
        and isinstance(together, Together)
        and (apart.label, apart.of) == (together.label, together.of)
    ):
        told.append(together.fault("of", f"{apart.label} must not share any {apart.of}"))
    return told
