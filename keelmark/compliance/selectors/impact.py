"""What a draft of a policy would do: who breaks, who mends, and where it could be kept."""

from collections import Counter
from dataclasses import asdict, dataclass
from typing import Any, Final

import numpy as np

from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.needs import (
    Beside,
    QuietHours,
    beside_of,
    disks_of,
    needs_of,
    quiet_of,
)
from keelmark.compliance.selectors.standing import (
    facts_at,
    seen_subjects,
    standing_of,
    tried,
)
from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.facts import SUBJECTS
from keelmark.core.policy.judging import Policy, Verdicts
from keelmark.core.policy.places import OF_SUBJECTS, Places, places_for
from keelmark.core.policy.rules import PLACE_OF, CopyElsewhere, Provisioning
from keelmark.core.policy.states import BROKEN, MET, VERDICTS

MOST_NAMED: Final = 12
LACKS: Final = ("copy", "provisioning", "snapshots", "kept")  # rules that cost bytes where it lies
_OF_PLACES: Final = [at for rule, at in PLACE_OF.items() if rule not in OF_SUBJECTS]


@dataclass(frozen=True, slots=True, kw_only=True)
class Impact:
    """What would come of a draft."""

    before: dict[str, int]
    after: dict[str, int]
    n_breaks: int
    n_mends: int
    breaks: list[dict[str, Any]]  # Any: JSON
    mends: list[dict[str, Any]]  # Any: JSON
    by_rule: dict[str, int]  # subjects that would be broken by each
    places: list[dict[str, Any]]  # Any: JSON; pools that would keep it, the most room first
    n_places: int
    n_may: int  # of which something is not known, beside those
    rejections: list[dict[str, Any]]  # Any: JSON
    beside: Beside | None  # bytes that it asks for where everything lies
    # What who breaks would have to move, where a place could mend it.
    needs: dict[str, Any] | None  # Any: JSON
    quiet: QuietHours | None  # of all that the policy bears on


def impact_of(view: View, *, policy_id: int | None, instead: Policy) -> Impact:
    """Return what a draft would do to who has the policy now, and where it could be kept."""
    before: Counter[str] = Counter()
    after: Counter[str] = Counter()
    by_rule: Counter[str] = Counter()
    breaks: list[dict[str, Any]] = []
    mends: list[dict[str, Any]] = []
    counts = {"breaks": 0, "mends": 0}
    nothing = np.zeros(len(view.reading.estate.table("disk")), dtype=np.bool_)
    moving, borne = nothing, nothing
    lacks = dict.fromkeys(LACKS, nothing)
    for kind in SUBJECTS if policy_id is not None else ():
        place = _place_of(view, kind=kind, policy_id=policy_id)
        if place is None:
            continue
        now, then = tried(view, kind=kind, place=place, instead=instead)
        mine = seen_subjects(view, kind=kind) & now.counts & (now.promised.policy == place)
        was, is_so = now.verdicts.worst, then.worst
        before += _counted(was[mine])
        after += _counted(is_so[mine])
        is_worse = mine & (is_so == BROKEN) & (was != BROKEN)
        worse = np.flatnonzero(is_worse)
        better = np.flatnonzero(mine & (is_so <= MET) & (was > MET))
        counts["breaks"] += len(worse)
        counts["mends"] += len(better)
        breaks += _named(view, kind=kind, rows=worse)
        mends += _named(view, kind=kind, rows=better)
        by_place = (then.states[:, _OF_PLACES] == BROKEN).any(axis=1)
        moving = moving | disks_of(view, kind=kind, mask=is_worse & by_place)
        borne = borne | disks_of(view, kind=kind, mask=mine)
        for rule in LACKS:
            mask = mine & _lacks(then, PLACE_OF[rule])
            lacks[rule] = lacks[rule] | disks_of(view, kind=kind, mask=mask)
        for rule, column in PLACE_OF.items():
            by_rule[rule] += int(np.count_nonzero(mine & (then.states[:, column] == BROKEN)))
    places = places_for(instead, facts=facts_at(view))
    seen = view.seen["pool"] & view.reading.is_there["pool"]
    keeps = np.flatnonzero(places.would_keep & seen)
    left = np.nan_to_num(places.left_bytes, nan=-1)
    order = keeps[np.argsort(-left[keeps], kind="stable")]
    return Impact(
        before=dict(before), after=dict(after), n_breaks=counts["breaks"],
        n_mends=counts["mends"], breaks=breaks[:MOST_NAMED], mends=mends[:MOST_NAMED],
        by_rule={rule: n for rule, n in by_rule.most_common() if n},
        places=[
            {**_pool(view, row), "plannable_bytes": None if left[row] < 0 else int(left[row])}
            for row in order[:MOST_NAMED].tolist()
        ],
        n_places=len(keeps),
        n_may=int(np.count_nonzero(places.may_keep & seen)) - len(keeps),
        rejections=[
            {
                "kind": rule, "n": n, "n_alone": alone,
                "nearest": _nearest(view, places, rule, among=seen),
            }
            for rule, (n, alone) in places.rejections().items()
        ],
        needs=_needs(view, moving=moving, keeps=keeps, left=left),
        beside=beside_of(
            view, policy=instead, uncopied=lacks["copy"],
            thin=lacks["provisioning"] & _is_to_be_thick(instead),
            unkept=lacks["snapshots"] | lacks["kept"], room_bytes=_room_of_copies(view, instead),
        ),
        quiet=quiet_of(view, disks=borne),
    )  # fmt: skip


def _lacks(verdicts: Verdicts, column: int) -> Bools:
    """Who breaks a rule for want of anything at all, and not because what there is is too old."""
    told: Bools = (verdicts.states[:, column] == BROKEN) & np.isnan(verdicts.amounts[:, column])
    return told


def _is_to_be_thick(policy: Policy) -> bool:
    rule = policy.rule("provisioning")
    return isinstance(rule, Provisioning) and rule.form == "thick"


def _room_of_copies(view: View, policy: Policy) -> int:
    """What is left in the pools at which a copy could be, those that may be seen."""
    rule, facts = policy.rule("copy"), facts_at(view)
    left = np.nan_to_num(facts.pools.plannable_bytes)
    shown = view.seen["pool"] & view.reading.is_there["pool"]
    if isinstance(rule, CopyElsewhere) and rule.site in facts.sites:
        shown = shown & (facts.pools.site == facts.sites.index(rule.site))
    return int(left[shown].sum())


def _needs(
    view: View, *, moving: Bools, keeps: Int64s, left: Float64s
) -> dict[str, Any] | None:  # Any: JSON
    told = needs_of(
        view, moving=moving, keeps=keeps, left=np.maximum(left[keeps], 0).astype(np.int64)
    )
    if told is None:
        return None
    places = [
        {**_pool(view, one.row), "n_disks": one.n_disks, "used_bytes": one.used_bytes}
        for one in told.places[:MOST_NAMED]
    ]
    return {**asdict(told), "n_places": len(told.places), "places": places}


def _nearest(
    view: View, places: Places, kind: str, *, among: Bools
) -> dict[str, Any] | None:  # Any: JSON
    """The pool that misses a rule by the least, and what was found there."""
    row, rule = places.nearest(kind, among=among), places.policy.rule(kind)
    if row is None or rule is None:
        return None
    amount = float(places.amounts[row, PLACE_OF[kind]])
    return {**_pool(view, row), "found": rule.says(VERDICTS[BROKEN], amount)}


def _pool(view: View, row: int) -> dict[str, Any]:  # Any: JSON
    table, home = view.reading.estate.table("pool"), int(view.reading.link("pool", "array")[row])
    return {
        "id": int(table.ids[row]), "kind": "pool", "name": table.names[row],
        "home_name": view.reading.estate.table("array").names[home] if home != NOWHERE else None,
    }  # fmt: skip


def _place_of(view: View, *, kind: str, policy_id: int | None) -> int | None:
    told = standing_of(view, kind=kind).defined
    return next((at for at, one in enumerate(told) if one.policy.pk == policy_id), None)


def _counted(states: Any) -> Counter[str]:  # Any: codes
    told = np.bincount(states, minlength=len(VERDICTS))
    return Counter({state.value: int(told[at]) for at, state in enumerate(VERDICTS) if told[at]})


def _named(view: View, *, kind: str, rows: Int64s) -> list[dict[str, Any]]:  # Any: JSON
    table = view.reading.estate.table(kind)
    return [
        {"id": int(table.ids[row]), "kind": kind, "name": table.names[row]}
        for row in rows[:MOST_NAMED].tolist()
    ]
