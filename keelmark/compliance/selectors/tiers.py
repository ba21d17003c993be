"""Which QoS tiers there are, which of them each disk is in, and what limits bear on it."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from threading import RLock
from typing import Final

import numpy as np
from django.db.models import OuterRef, Prefetch, QuerySet, Subquery

from keelmark.access.clock import now
from keelmark.bearings.selectors.picture import Lately
from keelmark.compliance.models import Tier, TierNaming, TierRevision
from keelmark.compliance.selectors.definitions import (
    defined,
    defined_at,
    given_of,
    tiers_defined_at,
)
from keelmark.compliance.selectors.promised import by_word, minute_of, promised_at, taken
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.places import places_of_disks
from keelmark.core.estate.reading import Reading
from keelmark.core.policy.nearest import LEVELS, PLANNED_TIER, Level, Named, nearest, over
from keelmark.core.policy.rules import HasTier
from keelmark.core.qos import tiers as core
from keelmark.core.qos.tiers import Offer, effective, is_oversold, offer, shares_of_minimum
from keelmark.feeds.changes.allowed import LIMITS
from keelmark.feeds.changes.reading import last_set_at, set_since

BY: Final = (*LEVELS, "policy")  # whose naming of a tier bears, the nearest first
KEPT: Final = 6
SETTLED_AFTER: Final = timedelta(hours=1)  # a limit that was set longer ago bears in every mean
PLACES: Final = ("datastore", "volume", "pool", "array")


@dataclass(frozen=True, slots=True, kw_only=True)
class DefinedTier:
    """One tier with its newest revision, and that as the core knows it."""

    tier: Tier
    revision: TierRevision
    core: core.Tier


def standing_tiers() -> "QuerySet[Tier]":
    """Return the tiers that are not retired, with their revisions, the newest first."""
    revisions = TierRevision.objects.order_by("-number")
    return Tier.objects.filter(retired_at__isnull=True).prefetch_related(
        Prefetch("revisions", queryset=revisions)
    )


def defined_tiers() -> list[DefinedTier]:
    """Return the tiers that stand with their newest revisions, by name."""
    newest = TierRevision.objects.filter(tier=OuterRef("tier")).order_by("-number").values("pk")
    told = (
        TierRevision.objects.filter(tier__retired_at__isnull=True, pk=Subquery(newest[:1]))
        .select_related("tier")
        .order_by("-max_iops", "tier__name", "tier__pk")
    )
    return [DefinedTier(tier=one.tier, revision=one, core=core_tier(one)) for one in told]


def core_tier(one: TierRevision) -> core.Tier:
    """Return a revision as the core knows it."""
    return core.Tier(
        name=one.tier.name, min_iops=one.min_iops, max_iops=one.max_iops, burst=one.burst,
        max_bytes_per_second=one.max_bytes_per_second, latency_ms=one.latency_ms,
        is_together=one.is_together,
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Tiered:
    """All disks of one reading with their tiers and limits, (n_disks,).

    ``tier`` is a place in ``defined``, NOWHERE where none; ``by`` a place in BY; ``changed_at``
    the minute in which the limit of a disk changed last, as far as we changed it; ``minimum``
    what a disk really has of what it is promised, ``maximum`` the least limit, NaN where none,
    and ``bound_by`` which that is.
    """

    key: Hashable  # tells two of them apart
    defined: Sequence[DefinedTier]
    tier: Int64s
    by: Int64s
    changed_at: Float64s
    minimum: Float64s
    maximum: Float64s
    bound_by: Int64s
    place: dict[str, Int64s]
    offers: dict[str, Offer]


class _Kept:
    lock = RLock()
    tiered: Lately[Hashable, Tiered] = Lately(KEPT)


def tiered_at(reading: Reading) -> Tiered:
    """Return the tiers and limits of all disks at a reading; who sees what is for the caller."""
    with _Kept.lock:
        return _Kept.tiered.made(
            lambda: (
                reading.estate.key, reading.day, tiers_defined_at(), defined_at(),
                last_set_at(),
            ),
            lambda key: _tiered(reading, key=key),
        )  # fmt: skip


def _tiered(reading: Reading, *, key: Hashable) -> Tiered:
    told = [_planned(one, reading) for one in defined_tiers()]
    tier, by, changed_at = _named(reading, told)
    place = {kind: places_of_disks(reading, kind=kind) for kind in PLACES}
    is_on = is_served(reading)
    offers = {
        kind: offer(
            [one.core for one in told], tier=np.where(is_on, tier, NOWHERE), place=place[kind],
            n_places=len(reading.estate.table(kind)),
        )
        for kind in PLACES
    }  # fmt: skip
    least = np.array([*(float(one.core.min_iops) for one in told), np.nan])[tier]
    most = np.array([*(float(one.core.max_iops) for one in told), np.nan])[tier]
    is_shared = np.array([*(one.core.is_together for one in told), False])[tier]
    volume = place["volume"]
    changed_at = np.fmax(changed_at, np.append(_set_at(reading), np.nan)[volume])
    set_least, set_most = configured(reading, kind="volume")
    maximum, bound_by = effective(
        [most, _amounts(reading, "disk", "max_iops"), np.append(set_most, np.nan)[volume]]
    )
    minimum = shares_of_minimum(
        np.where(is_shared | np.isnan(least), 0, least), place=volume, configured=set_least
    )
    return Tiered(
        key=key, defined=told, tier=tier, by=by, changed_at=changed_at, minimum=minimum,
        maximum=maximum, bound_by=bound_by, place=place, offers=offers,
    )  # fmt: skip


def _planned(one: DefinedTier, reading: Reading) -> DefinedTier:
    """A tier with the limits that a plan gives it by the day."""
    limits = reading.estate.tiers.get(one.core.name.casefold())
    if limits is None:
        return one
    return replace(one, core=replace(one.core, min_iops=limits[0], max_iops=limits[1]))


def _named(reading: Reading, told: Sequence[DefinedTier]) -> tuple[Int64s, Int64s, Float64s]:
    """The nearest tier of each disk, whose naming that is, and when it changed."""
    n = len(reading.estate.table("disk"))
    place_of = {one.tier.pk: at for at, one in enumerate(told)}
    by_name = {one.core.name.casefold(): at for at, one in enumerate(told)}
    given = given_of(TierNaming.objects.all(), what="tier")
    own = {
        kind: over(
            given.along(reading.estate.table(kind), place_of=place_of),
            by_word(reading, kind=kind, column=PLANNED_TIER, by_name=by_name),
        )
        for kind in ("disk", "vm", "project")
    }
    vm = reading.link("disk", "vm")
    of_feed = by_word(reading, kind="disk", column="tier", by_name=by_name)
    bears = nearest(
        {
            Level.ITSELF: own["disk"],
            Level.TOLD: Named(what=of_feed, since=np.full(n, np.nan)),
            Level.VM: own["vm"].at(vm),
            Level.PROJECT: own["project"].at(taken(reading.link("vm", "project"), vm)),
        },
        n=n,
    )
    of_policy = _of_policies(reading, by_name=by_name)
    is_open = (bears.what == NOWHERE) & (of_policy != NOWHERE)
    tier = np.where(is_open, of_policy, bears.what)
    by = np.where(is_open, BY.index("policy"), bears.by.astype(np.int64))
    revised = np.array([*(minute_of(one.revision.made_at) for one in told), np.nan])[tier]
    return tier, by, np.fmax(revised, bears.since)


def _set_at(reading: Reading) -> Float64s:
    """The minute in which each volume was set last from here, NaN where long ago or never."""
    table = reading.estate.table("volume")
    told = np.full(len(table), np.nan)
    lately = set_since(LIMITS, since=now() - SETTLED_AFTER)
    rows = table.rows_of(np.array(list(lately), dtype=np.int64))
    for row, at in zip(rows.tolist(), lately.values(), strict=True):
        if row != NOWHERE:
            told[row] = minute_of(at)
    return told


def _of_policies(reading: Reading, *, by_name: dict[str, int]) -> Int64s:
    """By what the nearest policy of a disk says of its tier."""
    policies = defined()
    places = []
    for one in policies:
        rule = one.core.rule(HasTier.kind)
        name = rule.tier.casefold() if isinstance(rule, HasTier) else ""
        places.append(by_name.get(name, NOWHERE))
    if all(place == NOWHERE for place in places):
        return np.full(len(reading.estate.table("disk")), NOWHERE, dtype=np.int64)
    promised = promised_at(reading, kind="disk")
    told: Int64s = np.array([*places, NOWHERE], dtype=np.int64)[promised.policy]
    return told


def is_served(reading: Reading) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """Return which disks are there and of VMs that may ask for something: not those of one off."""
    power = reading.estate.table("vm").columns.get("power")
    there = reading.is_there["disk"]
    if not isinstance(power, Words):
        return np.asarray(there, dtype=np.bool_)
    off = [at for at, one in enumerate(power.words) if one == "off"]
    is_off = np.append(np.isin(power.codes, off), False)[reading.link("disk", "vm")]
    return np.asarray(there & ~is_off, dtype=np.bool_)


def configured(reading: Reading, *, kind: str) -> tuple[Float64s, Float64s]:
    """Return to how many operations a second things of a kind are set, NaN where nobody tells.

    A datastore is set to what the volumes under it are, where all of them are.
    """
    if kind == "volume":
        return _amounts(reading, kind, "min_iops"), _amounts(reading, kind, "max_iops")
    n = len(reading.estate.table(kind))
    if kind != "datastore" or (pairs := reading.estate.pairs.get("extents")) is None:
        return np.full(n, np.nan), np.full(n, np.nan)
    told = []
    for one in configured(reading, kind="volume"):
        under = np.bincount(pairs.left, minlength=n)
        total = np.full(n, np.nan)
        sums = np.bincount(pairs.left, weights=one[pairs.right], minlength=n)
        total[under > 0] = sums[under > 0]
        told.append(total)
    return told[0], told[1]


def sustained(reading: Reading) -> Float64s:
    """Return what each array sustains, NaN where nobody tells."""
    return _amounts(reading, "array", "sustains")


def oversold(reading: Reading, tiered: Tiered) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """Return which arrays promise more in minimums than they sustain."""
    told = is_oversold(tiered.offers["array"].min_iops, sustains=sustained(reading))
    return np.asarray(told, dtype=np.bool_)


def _amounts(reading: Reading, kind: str, name: str) -> Float64s:
    told = reading.estate.table(kind).amounts(name)
    return np.where(told.is_known, told.values, np.nan).astype(np.float64)
