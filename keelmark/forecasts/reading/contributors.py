"""Who made the growth of a thing: its parts in a window, and what explains its odd days."""

from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np
from django.db.models import QuerySet

from keelmark.core.arrays import Float64s
from keelmark.core.forecast import contributions
from keelmark.estate import selectors as estate
from keelmark.estate.models import Entity, Kind
from keelmark.forecasts.definitions.findings import Findings
from keelmark.readings.selectors import Series, series_of

MAX_PARTS = 50
MAX_EXPLAINED = 6
MIN_EXPLAINED_SHARE = 0.3  # parts that explain less of a step are not its reason
EITHER_SIDE_DAYS = 2  # a step may be read a day later of its parts than of the whole

# What a thing's bytes are made of, as paths from the part to it, the nearest layer.
_PARTS: dict[Kind, tuple[Kind, str]] = {
    Kind.POOL: (Kind.VOLUME, "as_volume__pool"),
    Kind.ARRAY: (Kind.POOL, "as_pool__array"),
    Kind.DATASTORE: (Kind.DISK, "as_virtualdisk__datastore"),
    Kind.VM: (Kind.DISK, "as_virtualdisk__vm"),
    Kind.CLUSTER: (Kind.DATASTORE, "as_datastore__cluster"),
    Kind.VOLUME: (Kind.DISK, "as_virtualdisk__datastore__extents__target"),
    Kind.TENANT: (Kind.DISK, "tenant"),
    Kind.PROJECT: (Kind.DISK, "as_virtualdisk__vm__project"),
    Kind.SITE: (Kind.POOL, "site"),
    Kind.ACCOUNT: (Kind.BUCKET, "as_bucket__account"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class PartGrowth:
    """One part and what it added."""

    entity: Entity
    added_bytes: int
    is_new: bool
    is_gone: bool
    share: float | None  # of all that was added; None where parts cancel out
    home_name: str | None  # of a pool: its array


@dataclass(frozen=True, slots=True, kw_only=True)
class Explained:
    """A day on which the thing stepped, and the parts that stepped with it."""

    on: date
    step_bytes: int
    explained_bytes: int
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Contributors:
    """Growth of the parts between two days."""

    first_on: date
    last_on: date
    part_kind: str | None  # None: nothing lies below this kind
    n_parts: int = 0
    total_bytes: int = 0
    new_bytes: int = 0
    gone_bytes: int = 0
    parts: list[PartGrowth] = field(default_factory=list)
    explained: list[Explained] = field(default_factory=list)


def contributors_of(
    entity: Entity, *, seen: QuerySet[Entity], findings: Findings | None, n_days: int, last_on: date
) -> Contributors:
    """Return who made the growth of n days up to one; ``seen`` is what the reader may see."""
    first_on = last_on - timedelta(days=n_days)
    below = _PARTS.get(Kind(entity.kind))
    if below is None:
        return Contributors(first_on=first_on, last_on=last_on, part_kind=None)
    parts = parts_of(entity, seen=seen)
    series = series_of(list(parts), first_on=first_on, last_on=last_on)
    grown = contributions(series.used_bytes)
    total = grown.total_bytes
    order = np.argsort(-np.abs(np.nan_to_num(grown.added_bytes)), kind="stable")
    homes = estate.homes_of(parts) if below[0] == Kind.POOL else {}
    told = [
        PartGrowth(
            entity=parts[int(series.entity_ids[at])],
            home_name=homes.get(int(series.entity_ids[at])),
            added_bytes=round(float(grown.added_bytes[at])),
            is_new=bool(grown.is_new[at]),
            is_gone=bool(grown.is_gone[at]),
            share=float(grown.added_bytes[at]) / total if total > 0 else None,
        )
        for at in order[:MAX_PARTS].tolist()
        if not np.isnan(grown.added_bytes[at])
    ]
    return Contributors(
        first_on=first_on,
        last_on=last_on,
        part_kind=below[0],
        n_parts=len(parts),
        total_bytes=round(total),
        new_bytes=round(grown.new_bytes),
        gone_bytes=round(grown.gone_bytes),
        parts=told,
        explained=_explained(findings, series=series, parts=parts),
    )


def parts_of(entity: Entity, *, seen: QuerySet[Entity]) -> dict[int, Entity]:
    """Return the parts in the nearest layer below a thing, by id."""
    below = _PARTS.get(Kind(entity.kind))
    if below is None:
        return {}
    part_kind, path = below
    found = seen.filter(kind=part_kind, **{path: entity.pk}).select_related("tenant").distinct()
    return {part.pk: part for part in found}


def _explained(
    findings: Findings | None, *, series: Series, parts: dict[int, Entity]
) -> list[Explained]:
    """Return the shifts of the window with the parts that stepped on the same day."""
    told = []
    for shift in findings["shifts"][::-1] if findings else ():
        on = date.fromisoformat(shift["on"])
        column = (on - series.first_on).days
        if not 0 < column < series.used_bytes.shape[1]:
            continue
        steps = _steps_at(series.used_bytes, column=column)
        same_way = np.where(np.sign(steps) == np.sign(shift["amount"]), steps, 0.0)
        order = np.argsort(-np.abs(same_way), kind="stable")
        chosen, reached = [], 0.0
        for at in order.tolist():
            if same_way[at] == 0 or abs(reached) >= abs(shift["amount"]):
                break
            chosen.append(parts[int(series.entity_ids[at])])
            reached += same_way[at]
        if not chosen or abs(reached) < MIN_EXPLAINED_SHARE * abs(shift["amount"]):
            continue
        told.append(
            Explained(
                on=on,
                step_bytes=shift["amount"],
                explained_bytes=round(reached),
                says=_says(chosen, is_up=shift["amount"] > 0),
            )
        )
        if len(told) == MAX_EXPLAINED:
            break
    return told


def _steps_at(used: Float64s, *, column: int) -> Float64s:
    """What each part gained about a day; a part without a reading before came whole."""
    before = _last_known(used[:, :column])
    after = _last_known(used[:, : column + EITHER_SIDE_DAYS])
    is_gone = np.isnan(used[:, column : column + 1 + EITHER_SIDE_DAYS]).all(axis=1)
    after = np.where(is_gone & ~np.isnan(before), 0.0, after)
    steps: Float64s = np.nan_to_num(after) - np.nan_to_num(before)
    return steps


def _last_known(used: Float64s) -> Float64s:
    is_read = ~np.isnan(used)
    at = used.shape[1] - 1 - np.argmax(is_read[:, ::-1], axis=1)
    return np.where(is_read.any(axis=1), used[np.arange(len(used)), at], np.nan)


def _says(chosen: list[Entity], *, is_up: bool) -> str:
    """“12 disks of Seabed Mapping arrived”, or the parts' names where they are few."""
    kind = str(chosen[0].kind)
    deed = "grew or arrived" if is_up else "shrank or left"
    tenants = {part.tenant.name for part in chosen if part.tenant is not None}
    owner = f" of {tenants.pop()}" if len(tenants) == 1 else ""
    if len(chosen) <= 2:  # noqa: PLR2004  # two names still fit a line
        return f"{kind} {' and '.join(part.name for part in chosen)}{owner} {deed}"
    return f"{len(chosen)} {kind}s{owner} {deed}"
