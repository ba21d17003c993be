"""Which volumes are to be set to what they must offer, and why others are left alone."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
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
from keelmark.feeds.changes.allowed import LIMITS, Values
from keelmark.feeds.changes.reading import LIVE, newest_changes, setters_of, setting_feeds
from keelmark.feeds.models import Change, ChangeState

LEFT_FOR: Final = timedelta(hours=1)  # what failed is left alone for so long


@dataclass(frozen=True, slots=True, kw_only=True)
class Right:
    """One volume that drifted, from what to what it is to be set; or why it is left alone."""

    entity_id: int
    was: Values
    wanted: Values
    left_alone: str = ""


@dataclass(slots=True, kw_only=True)
class _Ground:
    setters: dict[int, int]
    changes: dict[int, Change]
    told: dict[int, tuple[datetime | None, int | None, int | None]]  # read at, least, most
    now: datetime = field(default_factory=now)


def rights_of(reading: Reading, offers: Offers, rows: Int64s) -> list[Right]:
    """Return of the volumes that drifted among some rows what would set them right."""
    table = reading.estate.table("volume")
    drifted = rows[offers.is_drifted[rows]]
    ids = table.ids[drifted].tolist()
    ground = _Ground(
        setters=setters_of(ids, what=LIMITS),
        changes=newest_changes(ids, what=LIMITS),
        told={
            pk: (read_at, least, most)
            for pk, read_at, least, most in Volume.objects.filter(pk__in=ids).values_list(
                "pk", "read_at", "qos_min_iops", "qos_max_iops"
            )
        },
    )
    return [
        _right(offers, row, entity_id=pk, ground=ground)
        for row, pk in zip(drifted.tolist(), ids, strict=True)
    ]


def _right(offers: Offers, row: int, *, entity_id: int, ground: _Ground) -> Right:
    wanted = {"min_iops": int(offers.must_min[row]), "max_iops": int(offers.must_max[row])}
    told = Right(
        entity_id=entity_id,
        was={
            "min_iops": int(np.nan_to_num(offers.set_min[row])),
            "max_iops": int(np.nan_to_num(offers.set_max[row])),
        },
        wanted=wanted,
    )
    return replace(told, left_alone=_why_left(told, offers, row, ground=ground))


def _why_left(told: Right, offers: Offers, row: int, *, ground: _Ground) -> str:
    change = ground.changes.get(told.entity_id)
    if told.entity_id not in ground.setters:
        return "its feed has no account that may set limits"
    if np.isnan(offers.set_min[row]) or np.isnan(offers.set_max[row]):
        return "nobody tells both of its limits"
    if n := int(offers.n_untiered[row]):
        disks = "disk" if n == 1 else "disks"
        return f"{n} {disks} on it without a tier would be held back by it"
    if change is None:
        return ""
    read_at, *limits = ground.told.get(told.entity_id, (None, None, None))
    # What was collected is in the picture that is looked at once that has been made anew.
    is_seen = limits == list(told.was.values())
    since = read_at if is_seen else None
    return _why_left_to(change, told.wanted, read_at=since, at=ground.now)


def _why_left_to(change: Change, wanted: Values, *, read_at: datetime | None, at: datetime) -> str:
    """Why the change that was asked for last is waited for, or not tried again yet."""
    if change.state in LIVE:
        return "a change of it is under way"
    ended = change.ended_at
    if ended is None:
        return ""
    if change.state == ChangeState.SET and (read_at is None or read_at < ended):
        return "it was set, and nobody collected since"
    is_lasting = change.state in (ChangeState.FAILED, ChangeState.OTHERWISE)
    if is_lasting and change.wanted == wanted and at - ended < LEFT_FOR:
        return "setting it failed less than an hour ago"
    return ""


def offers_told(
    view: View, offers: Offers, rows: Int64s, *, shows_changes: bool
) -> list[dict[str, Any]]:  # Any: JSON
    """Return places with what would set them right, and what was sent to them last."""
    told = [offer_told(view, offers, row) for row in rows.tolist()]
    is_asked = shows_changes and offers.kind == "volume"
    rights = (
        {one.entity_id: one for one in rights_of(view.reading, offers, rows)} if is_asked else {}
    )
    ids = [one["id"] for one in told] if is_asked else []
    setters = setters_of(ids, what=LIMITS)
    changes = newest_changes(ids, what=LIMITS)
    for one in told:
        right, change = rights.get(one["id"]), changes.get(one["id"])
        one["can_be_set"] = one["id"] in setters and one["set_max_iops"] is not None
        one["left_alone"] = right.left_alone if right else None
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


def left_alone(rights: Sequence[Right]) -> dict[str, int]:
    """Return how many are left alone for what."""
    told: dict[str, int] = {}
    for one in rights:
        if one.left_alone:
            told[one.left_alone] = told.get(one.left_alone, 0) + 1
    return told
