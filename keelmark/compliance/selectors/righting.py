"""Which volumes are to be set to what they must offer, and why others are left alone."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.views import View
from keelmark.compliance.models import Righting
from keelmark.compliance.selectors.offers import Offers, offer_told
from keelmark.core.arrays import Int64s
from keelmark.core.estate.reading import Reading
from keelmark.estate.models import Entity, Statement, Volume
from keelmark.feeds.changes.allowed import LIMITS
from keelmark.feeds.changes.asking import AGAIN, Wanted
from keelmark.feeds.changes.reading import (
    LET_GO,
    LIVE,
    newest_changes,
    setters_of,
    setting_feeds,
)
from keelmark.feeds.models import Change, ChangeState

LEFT_FOR: Final = timedelta(hours=1)  # what failed is left alone for so long


@dataclass(frozen=True, slots=True, kw_only=True)
class Drifted:
    """One volume that drifted: the change that sets it right, or why it is left alone."""

    change: Wanted
    left_alone: str  # empty: it can be set
    is_awaited: bool  # it was set, and what was collected does not tell so yet


@dataclass(frozen=True, slots=True, kw_only=True)
class _Ground:
    """What is known of some volumes beside the estate."""

    setters: dict[int, int]
    newest: dict[int, Change]
    let_go: dict[int, Change]
    told: dict[int, tuple[datetime | None, int | None, int | None]]  # read at, least, most

    @classmethod
    def of(cls, ids: list[int]) -> "_Ground":
        read = Volume.objects.filter(pk__in=ids).values_list(
            "pk", "read_at", "qos_min_iops", "qos_max_iops"
        )
        return cls(
            setters=setters_of(ids, what=LIMITS),
            newest=newest_changes(ids, what=LIMITS),
            let_go=newest_changes(ids, what=LIMITS, states=LET_GO),
            told={pk: (read_at, least, most) for pk, read_at, least, most in read},
        )


def drifted_of(reading: Reading, offers: Offers, rows: Int64s) -> list[Drifted]:
    """Return of the volumes that drifted among some rows what would set them right."""
    rows = rows[offers.is_drifted[rows]]
    ids = reading.estate.table("volume").ids[rows].tolist()
    ground = _Ground.of(ids)
    return [
        _drifted(offers, row, entity_id=pk, ground=ground)
        for row, pk in zip(rows.tolist(), ids, strict=True)
    ]


def _drifted(offers: Offers, row: int, *, entity_id: int, ground: _Ground) -> Drifted:
    change = Wanted(
        entity_id=entity_id,
        was={
            "min_iops": int(np.nan_to_num(offers.set_min[row])),
            "max_iops": int(np.nan_to_num(offers.set_max[row])),
        },
        wanted={"min_iops": int(offers.must_min[row]), "max_iops": int(offers.must_max[row])},
    )
    is_awaited = _is_awaited(change, ground=ground)
    left_alone = _why_left(offers, row, ground=ground, change=change)
    if not left_alone and is_awaited:
        left_alone = "it was set, and nobody collected since"
    return Drifted(change=change, left_alone=left_alone, is_awaited=is_awaited)


def _is_awaited(change: Wanted, *, ground: _Ground) -> bool:
    """Whether it was set, and what is looked at is of before."""
    last = ground.let_go.get(change.entity_id)
    if last is None or last.state != ChangeState.SET or last.ended_at is None:
        return False
    read_at, *limits = ground.told.get(change.entity_id, (None, None, None))
    # What was collected is in the picture that is looked at once that has been made anew.
    is_seen = limits == list(change.was.values())
    return not is_seen or read_at is None or read_at < last.ended_at


def _why_left(offers: Offers, row: int, *, ground: _Ground, change: Wanted) -> str:
    if change.entity_id not in ground.setters:
        return "its feed has no account that may set limits"
    if np.isnan(offers.set_min[row]) or np.isnan(offers.set_max[row]):
        return "nobody tells both of its limits"
    if n := int(offers.n_untiered[row]):
        disks = "disk" if n == 1 else "disks"
        return f"{n} {disks} on it without a tier would be held back by it"
    last = ground.let_go.get(change.entity_id)
    if last is not None and last.state in LIVE:
        return "a change of it is under way"
    return "setting it failed less than an hour ago" if _failed_lately(last, change) else ""


def _failed_lately(last: Change | None, change: Wanted) -> bool:
    if last is None or last.state not in AGAIN or last.ended_at is None:
        return False
    return last.wanted == change.wanted and now() - last.ended_at < LEFT_FOR


def offers_told(
    view: View, offers: Offers, rows: Int64s, *, shows_changes: bool
) -> list[dict[str, Any]]:  # Any: JSON
    """Return places with what would set them right, and what was sent to them last."""
    told = [offer_told(view, offers, row) for row in rows.tolist()]
    is_asked = shows_changes and offers.kind == "volume"
    ground = _Ground.of([one["id"] for one in told] if is_asked else [])
    for one, row in zip(told, rows.tolist(), strict=True):
        is_drifted = is_asked and one["is_drifted"]
        drifted = _drifted(offers, row, entity_id=one["id"], ground=ground) if is_drifted else None
        change = ground.newest.get(one["id"])
        one["can_be_set"] = one["id"] in ground.setters and one["set_max_iops"] is not None
        one["left_alone"] = drifted and drifted.left_alone
        one["is_awaited"] = bool(drifted and drifted.is_awaited)
        one["change"] = change and {
            "set_id": change.change_set_id, "state": change.state, "ended_at": change.ended_at,
            "problem": change.problem, "wanted": change.wanted,
        }  # fmt: skip
    return told


def rightings_told() -> list[dict[str, Any]]:  # Any: JSON
    """Return all arrays whose volumes can be set from here, by name, with their intervals."""
    sources = [one.source_id for one in setting_feeds()]
    told = Statement.objects.filter(source__in=sources, gone_at=None, entity__kind="array")
    arrays = Entity.objects.filter(pk__in=told.values("entity_id")).order_by("name", "pk")
    standing = {one.array_id: one for one in Righting.objects.all()}
    return [_told(one, standing.get(one.pk)) for one in arrays]


def _told(array: Entity, one: Righting | None) -> dict[str, Any]:  # Any: JSON
    return {
        "array_id": array.pk,
        "array_name": array.name,
        "every_seconds": one and one.every_seconds,
        "author": one and one.author_name,
        "due_at": one and one.due_at,
        "last_at": one and one.last_at,
        "last_told": one and one.last_told,
    }
