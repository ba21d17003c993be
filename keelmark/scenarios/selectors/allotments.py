"""Allotments as they stand: what is left of each, what was drawn, and how that is getting on."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.contrib.auth.models import User

from keelmark.access.clock import utc_today
from keelmark.bearings.selectors.picture import reading_at
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import LIKELY
from keelmark.core.placement.of_estate import reached
from keelmark.estate.allotments import Drawn, Taking, allotments_for, takings_of
from keelmark.estate.models import Allotment, Datastore, Pool
from keelmark.feeds.changes.allowed import DELETION
from keelmark.feeds.changes.reading import newest_changes
from keelmark.feeds.models import Change, ChangeState
from keelmark.scenarios.models import StepState, WorkOrder, WorkStep
from keelmark.scenarios.selectors.carriage import Wait, wait_of

FAILED = (ChangeState.FAILED, ChangeState.OTHERWISE)


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnTold:
    """One volume of an allotment, with the work order that makes it."""

    drawn: Drawn
    steps: Sequence[WorkStep]
    wait: Wait | None
    stopped: str
    datastore: str  # that lies on it by now
    is_leaving: bool  # it is being deleted, or that was not read yet

    @property
    def is_made(self) -> bool:
        """Whether all of it is read as it was asked for."""
        return bool(self.steps) and all(
            one.state in (StepState.VERIFIED, StepState.LEFT_OUT) for one in self.steps
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class AllotmentTold:
    """One allotment with its pool, what was taken of it, and the clusters that reach it."""

    one: Allotment
    pool: Pool
    taking: Taking
    drawn: tuple[DrawnTold, ...]
    clusters: tuple[tuple[int, str], ...]

    @property
    def left_bytes(self) -> int:
        """What may be provisioned still."""
        return max(0, self.one.allotted_bytes - self.taking.provisioned_bytes)


def allotments_told(actor: User, *, of: int | None = None) -> list[AllotmentTold]:
    """Return the allotments a person may see, by tenant; of one pool or tenant where asked."""
    seen = allotments_for(actor)
    some = [one for one in seen if of in (None, one.entity_id, one.tenant_id)]
    takings = takings_of(some)
    pools = Pool.objects.select_related("entity__site", "home", "service_class").in_bulk(
        [one.entity_id for one in some]
    )
    scenarios = [each.asked.scenario_id for one in takings.values() for each in one.drawn]
    orders = {
        one.scenario_id: one
        for one in WorkOrder.objects.filter(scenario__in=scenarios).prefetch_related(
            "steps__change__change_set"
        )
    }
    volumes = [each.asked.volume_id for one in takings.values() for each in one.drawn]
    stores = _stores_on(volumes)
    clusters = _clusters_of(some)
    leaving = newest_changes([pk for pk in volumes if pk], what=DELETION)
    return [
        AllotmentTold(
            one=one, pool=pools[one.entity_id], taking=takings[one.pk],
            drawn=tuple(
                _drawn(
                    each, orders.get(each.asked.scenario_id), stores,
                    leaving.get(each.asked.volume_id or 0),
                )
                for each in takings[one.pk].drawn
            ),
            clusters=clusters[one.pk],
        )
        for one in some
    ]  # fmt: skip


def _drawn(
    drawn: Drawn, order: WorkOrder | None, stores: dict[int, str], leaving: Change | None
) -> DrawnTold:
    steps = list(order.steps.all()) if order else []
    if drawn.asked.is_planned:  # of a plan there may be more than that
        moves = {one.move for one in steps if one.values.get("drawn_as") == drawn.asked.name}
        steps = [one for one in steps if one.move in moves]
    has_failed = leaving is not None and leaving.state in FAILED
    is_open = order is not None and order.ended_at is None
    return DrawnTold(
        drawn=drawn, steps=steps, is_leaving=leaving is not None and not has_failed,
        stopped=leaving.problem if leaving and has_failed else order.stopped if order else "",
        wait=wait_of(steps, today=utc_today()) if is_open else None,
        datastore=stores.get(drawn.asked.volume_id or 0, ""),
    )  # fmt: skip


def _stores_on(volume_ids: Sequence[int | None]) -> dict[int, str]:
    found = Datastore.objects.filter(extents__target__in=[pk for pk in volume_ids if pk])
    return dict(
        found.filter(entity__retired_at=None).values_list("extents__target", "entity__name")
    )


def _clusters_of(some: Sequence[Allotment]) -> dict[int, tuple[tuple[int, str], ...]]:
    """By allotment the clusters that reach its pool: those that run VMs of the tenant, if any."""
    reading = reading_at(day=None, quantile=LIKELY)
    tables = reading.estate.tables
    pools, clusters = reached(reading)
    told = {}
    for one in some:
        row = tables["pool"].row_of(one.entity_id)
        over = {int(at) for at in clusters[pools == (NOWHERE - 1 if row is None else row)]}
        tenant = tables["tenant"].row_of(one.tenant_id)
        runs = np.unique(
            reading.link("vm", "cluster")[
                reading.is_there["vm"] & (reading.link("vm", "tenant") == tenant)
            ]
        )
        own = over & {int(at) for at in runs} if tenant is not None else set()
        table = tables["cluster"]
        told[one.pk] = tuple(
            (int(table.ids[at]), table.names[at]) for at in sorted((own or over) - {NOWHERE})
        )
    return told
