"""Which pools would keep a policy, what is left in each, and which rule rejects the most."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.policy.facts import Facts
from keelmark.core.policy.judging import Policy
from keelmark.core.policy.rules import PLACE_OF, RULES
from keelmark.core.policy.states import BROKEN, EXEMPT, MET, UNPROVEN, Codes

# Not of the place: they are of the disk or of the VM wherever it lies.
OF_SUBJECTS = frozenset({"provisioning", "backup", "label", "tier", "apart", "together"})


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Places:
    """How all pools stand with a policy, (n_pools, n_rules) states and amounts as in Verdicts.

    ``amounts`` are of rules that know an order of pools, NaN of others; ``left_bytes`` (n_pools,)
    is what may still be promised there, NaN where unread.
    """

    policy: Policy
    states: Codes
    amounts: Float64s
    left_bytes: Float64s

    @property
    def would_keep(self) -> Bools:
        """Which pools no rule rejects, unproven ones not among them."""
        told: Bools = np.all(self.states <= MET, axis=1)
        return told

    @property
    def may_keep(self) -> Bools:
        """Which pools no rule rejects, those too of which something is not known."""
        told: Bools = np.all(self.states != BROKEN, axis=1)
        return told

    def rejections(self) -> dict[str, tuple[int, int]]:
        """Return by rule how many pools it rejects, and how many it alone, the most first."""
        broken = self.states == BROKEN
        alone = broken & (broken.sum(axis=1) == 1)[:, None]
        told = {
            kind: (int(broken[:, at].sum()), int(alone[:, at].sum()))
            for kind, at in PLACE_OF.items()
        }
        return dict(sorted(((k, n) for k, n in told.items() if n[0]), key=lambda one: -one[1][0]))

    def nearest(self, kind: str, *, among: Bools) -> int | None:
        """Return the pool that misses a rule by the least, None where that has no order."""
        rule, column = self.policy.rule(kind), PLACE_OF[kind]
        amounts = self.amounts[:, column]
        rows = np.flatnonzero(among & (self.states[:, column] == BROKEN) & ~np.isnan(amounts))
        if rule is None or rule.more_is_better is None or len(rows) == 0:
            return None
        best = np.argmax if rule.more_is_better else np.argmin
        return int(rows[best(amounts[rows])])


def places_for(policy: Policy, *, facts: Facts) -> Places:
    """Return how pools stand with a policy.

    What a rule judges by pools is judged of each pool; what it judges by volumes is shown by
    the volumes that lie there: one that keeps it shows that the pool can, volumes that all
    break it that it does not, and an empty pool shows nothing.
    """
    n = len(facts.pools.array)
    states = np.full((n, len(RULES)), EXEMPT)
    amounts = np.full((n, len(RULES)), np.nan)
    for rule in policy.rules:
        if rule.kind in OF_SUBJECTS:
            continue
        of = rule.found_of(facts, kind="volume")
        found = of.states
        groups = facts.volumes_of
        told = np.full(n, UNPROVEN)
        if len(groups.wholes):
            told[groups.wholes] = np.minimum.reduceat(found[groups.parts], groups.begins)
            if rule.more_is_better is not None:  # of the pool itself, and so of any of its volumes
                some = groups.parts[groups.begins]
                amounts[groups.wholes, PLACE_OF[rule.kind]] = of.amounts[some]
        states[:, PLACE_OF[rule.kind]] = told
    return Places(
        policy=policy, states=states, amounts=amounts, left_bytes=facts.pools.plannable_bytes
    )
