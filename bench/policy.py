"""Rules over columns at the large size, beside a plain loop over some of the disks.

    python -m bench.policy

Prints what judging 250,000 disks by twelve rules takes on one core, one changed rule alone, the
VMs above them, and where a policy could be kept, with the budgets of the design.
"""

import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from bench.sizes import size
from keelmark.core.policy.judging import Policy, Subjects, judged, rejudged
from keelmark.core.policy.places import places_for
from keelmark.core.policy.rules import RunwayFloor
from tests.core.policy_facts import ONE_EACH, Plain, made

N_DISKS = size(250_000, tiny=2_000)
SHAPE = {
    "n_disks": N_DISKS, "n_vms": N_DISKS * 2 // 5, "n_stores": N_DISKS // 50,
    "n_volumes": N_DISKS // 40, "n_pools": N_DISKS // 125,
}  # fmt: skip
SAMPLE = size(2_000, tiny=100)
ROUNDS = size(7, tiny=1)
KINDS = (
    "copy", "survives", "snapshots", "kept", "backup", "encrypted", "sites", "media",
    "provisioning", "tier", "overcommit", "runway",
)  # fmt: skip


def main() -> None:
    told = made(7, **SHAPE)
    chosen = {rule.kind: rule for rule in reversed(ONE_EACH) if rule.kind in KINDS}
    policy = Policy(name="all", rules=tuple(chosen.values()))
    changed = RunwayFloor(least_days=180)
    print(f"{N_DISKS:,} disks, {len(policy.rules)} rules; {SHAPE}")
    for kind, budget in (("disk", "1,000"), ("vm", "–"), ("volume", "–")):
        subjects = _promised(told.n_of(kind), kind)
        took = _middle(partial(judged, told, subjects, policies=[policy]))
        print(f"  all {told.n_of(kind):,} of kind {kind}: {took:.0f} ms (budget {budget})")
    subjects = _promised(N_DISKS, "disk")
    before = judged(told, subjects, policies=[policy])
    anew = replace(policy, rules=(*policy.rules[:-1], changed))
    one = _middle(lambda: rejudged(before, told, subjects, policies=[anew], at=0, rule=changed))
    print(f"  one changed rule: {one:.0f} ms (budget 150)")
    print(f"  where it could be kept: {_middle(lambda: places_for(policy, facts=told)):.0f} ms")
    took = _middle(lambda: judged(told, subjects, policies=[policy])) / N_DISKS
    plain = Plain(told)
    begun = time.perf_counter()
    slow = [plain.state(rule, "disk", row) for row in range(SAMPLE) for rule in policy.rules]
    each = 1000 * (time.perf_counter() - begun) / SAMPLE
    print(
        f"  a plain loop over {len(slow):,}: {each:.3f} ms a disk, {each / took:,.0f} times as long"
    )


def _promised(n: int, kind: str) -> Subjects:
    return Subjects(kind=kind, policy=np.zeros(n, dtype=np.int64), changed_at=np.full(n, np.nan))


def _middle(work: Callable[[], object]) -> float:
    took = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        work()
        took.append(1000 * (time.perf_counter() - begun))
    return float(np.median(took))


if __name__ == "__main__":
    main()
