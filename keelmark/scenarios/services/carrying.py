"""Carries work orders out: step by step at the far ends, on until one is not verified."""

from contextlib import suppress
from typing import Any

import structlog
from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.clock import now, utc_today
from keelmark.access.errors import RefusalError
from keelmark.access.rights import Right, has_right
from keelmark.access.services.audit import audit
from keelmark.access.versions import check_version, version_of
from keelmark.compliance.selectors.definitions import standing_policies
from keelmark.compliance.selectors.tiers import standing_tiers
from keelmark.compliance.services.promising import promise
from keelmark.compliance.services.tiers import TierDraft, name_tier, revise_tier, tier_facts
from keelmark.estate.allotments import allotments_for
from keelmark.feeds.changes.asking import (
    Wanted,
    ask_changes,
    drop_changes,
    take_back,
    try_again,
)
from keelmark.feeds.changes.reading import LIVE
from keelmark.feeds.errors import ChangeStateError
from keelmark.feeds.models import ChangeSet, ChangeState
from keelmark.feeds.services.jobs import ask_once
from keelmark.scenarios.errors import StepError, WordError
from keelmark.scenarios.models import StepState, WorkOrder, WorkStep
from keelmark.scenarios.selectors.carriage import (
    ALLOTMENT,
    POLICY,
    REVISION,
    TIER,
    Carriage,
    WaitsFor,
    carriage_of,
    wait_of,
)
from keelmark.scenarios.services.allotting import allot
from keelmark.scenarios.services.ordering import facts_of_order, order_for, prove

log = structlog.get_logger()
PROVE = "keelmark.scenarios.tasks.prove_orders"
DONE = (StepState.SETTLING, StepState.VERIFIED)
BEGUN_ANEW = (ChangeState.FAILED, ChangeState.OTHERWISE)
N_ROUNDS = 100  # of steps that are through at once


@transaction.atomic
def carry_order(*, actor: User, scenario_id: int, seen_version: str | None) -> WorkOrder:
    """Carry an order out from its first step that is not through, in this person's name.

    It goes on by itself, each step on its day, and waits for hands and for words; it stops at the
    first step that fails or reads otherwise than planned. What failed before is tried again.

    Raises
    ------
    StepError
        If all of it is carried out.
    StaleError
        If the order was changed since it was seen.
    """
    order = _locked(actor, scenario_id, seen_version=seen_version)
    if order.ended_at is not None:
        raise StepError(why="All of it is carried out.")
    begin(order, actor=actor)
    return order


def begin(order: WorkOrder, *, actor: User) -> None:
    """Carry out an order that is locked, in a person's name."""
    order.carrier, order.carrier_name, order.carried_since = actor, actor.get_username(), now()
    order.stopped = ""
    order.save()
    _audit(actor, order, action="carry out work order")
    failed = wait_of(_steps(order), today=utc_today())
    if failed is not None and failed.what == WaitsFor.STOPPED:
        _again(failed.step, actor=actor)
    _go_on(order)


@transaction.atomic
def halt_order(*, actor: User, scenario_id: int) -> WorkOrder:
    """Carry no further step out; what waits to be sent is dropped, what is sent goes to its end."""
    order = _locked(actor, scenario_id, seen_version=None)
    if order.carried_since is None:
        raise StepError(why="It is not being carried out.")
    for step in _steps(order):
        change = step.change
        if change is not None and change.state == ChangeState.QUEUED and not change.progress:
            with suppress(ChangeStateError), transaction.atomic():  # it may be sent by now
                drop_changes(actor=actor, set_id=change.change_set_id)
    _halt(order, why=f"Halted by {actor.get_username()}.")
    _audit(actor, order, action="halt work order")
    return order


@transaction.atomic
def carry_step(
    *, actor: User, scenario_id: int, place: int, seen_version: str | None, confirms: str = ""
) -> WorkOrder:
    """Carry one step out now, whatever its day; asked again after it failed, it is tried again.

    Raises
    ------
    StepError
        If it is done by hand, is under way or done, or one before it is not through.
    WordError
        If something is lost by it, and that was not confirmed by its name.
    StaleError
        If the order was changed since it was seen.
    """
    order = _locked(actor, scenario_id, seen_version=seen_version)
    step = _step(order, place)
    if step.state in DONE or (step.change is not None and step.change.state in LIVE):
        raise StepError(why="It is done, or under way.")
    left = [
        one.place
        for one in _steps(order)
        if one.move == step.move
        and one.place < place
        and one.state not in (StepState.VERIFIED, StepState.LEFT_OUT)
    ]
    if left:
        raise StepError(why=f"Step {left[0]} comes before it.")
    if step.change is not None and step.change.state in BEGUN_ANEW:
        _again(step, actor=actor)
    else:
        carriage = carriage_of(step)
        if not carriage.what:
            raise StepError(why=f"It is done by hand: {carriage.why}.")
        if confirms != carriage.confirms:
            raise WordError(name=carriage.confirms)
        _ask(order, step, carriage, actor=actor)
        prove(order)
    order.changed_at = now()
    order.save()
    return order


@transaction.atomic
def take_step_back(
    *, actor: User, scenario_id: int, place: int, seen_version: str | None, confirms: str = ""
) -> WorkOrder:
    """Go the way back of one step that was carried out from here: what was made is deleted.

    Raises
    ------
    StepError
        If it was not carried out from here, has no way back, or one after it is done.
    WordError
        If something is lost by it, and that was not confirmed by its name.
    """
    order = _locked(actor, scenario_id, seen_version=seen_version)
    step = _step(order, place)
    change = step.change
    if change is not None and change.change_set.takes_back_id is not None:
        _again(step, actor=actor)  # the way back failed before
        return order
    if order.ended_at is not None or change is None or change.state != ChangeState.SET:
        raise StepError(why="It was not carried out from here, or all of the order is through.")
    later = [
        one.place
        for one in _steps(order)
        if one.move == step.move and one.place > place and one.state in DONE
    ]
    if later:
        raise StepError(why=f"Step {later[-1]} lies on it: take that back first.")
    if step.kind == "create volume" and confirms != step.values["name"]:
        raise WordError(name=step.values["name"])
    if order.carried_since is not None:
        _halt(order, why=f"Halted: {actor.get_username()} takes step {place} back.")
    back = take_back(
        actor=actor, set_id=change.change_set_id, key=f"{_key(order, step)} back {now()}"
    )
    step.change = back.changes.get()
    step.save()
    return order


def ask_for_proof(**_: object) -> None:
    """Have the open orders compared with what was read, and carried on: something has come."""
    if WorkOrder.objects.filter(ended_at=None).exists():
        ask_once(PROVE, timestamp=0)


def go_on_all() -> int:
    """Prove all open orders and carry on those that are carried out; return how many moved."""
    n_moved = 0
    for pk in WorkOrder.objects.filter(ended_at=None).values_list("pk", flat=True):
        try:
            with transaction.atomic():
                order = WorkOrder.objects.select_for_update().filter(pk=pk).first()
                if order is not None:
                    n_moved += prove(order) if order.carried_since is None else _go_on(order)
        except Exception:  # one order that cannot go on holds up no other
            log.exception("order_not_carried", order_id=pk)
    return n_moved


def _go_on(order: WorkOrder) -> int:
    """Prove what was read, and have the next step written where nothing is waited for."""
    n_moved = 0
    for _ in range(N_ROUNDS):
        n_moved += prove(order)
        wait = wait_of(_steps(order), today=utc_today())
        if wait is None:
            _halt(order, why="")
            return n_moved + 1
        if wait.what == WaitsFor.STOPPED:
            _halt(order, why=f"Step {wait.step.place}: {wait.says}")
            return n_moved + 1
        if wait.what != WaitsFor.NOTHING or wait.carriage is None:
            return n_moved
        carrier = order.carrier
        if carrier is None or not _may_carry(carrier, order):
            _halt(order, why=f"{order.carrier_name} may carry nothing out any more.")
            return n_moved
        try:
            with transaction.atomic():
                _ask(order, wait.step, wait.carriage, actor=carrier)
        except RefusalError as exc:
            _halt(order, why=f"Step {wait.step.place}: {exc}")
            return n_moved
        n_moved += 1
    return n_moved


def _may_carry(carrier: User, order: WorkOrder) -> bool:
    """Whether somebody may carry an order out still: any, or what is drawn on an own allotment."""
    if not carrier.is_active or has_right(carrier, Right.CARRY_OUT):
        return carrier.is_active
    own = allotments_for(carrier).filter(
        drawn__scenario_id=order.scenario_id, drawn__is_planned=False
    )
    return has_right(carrier, Right.PROVISION) and own.exists()


def _ask(order: WorkOrder, step: WorkStep, carriage: Carriage, *, actor: User) -> None:
    if carriage.what in (TIER, POLICY, ALLOTMENT, REVISION):
        _give(order, step, carriage, actor=actor)
        return
    key = _key(order, step)
    n_asked = ChangeSet.objects.filter(actor_name=actor.get_username(), key__startswith=key)
    asked = ask_changes(
        actor=actor, key=f"{key} {n_asked.count()}", what=carriage.what, is_released=True,
        why=f"Step {step.place} of the work order of {order.scenario.name}.",
        changes=[
            Wanted(entity_id=carriage.entity_id, was=carriage.was, wanted=carriage.wanted)
        ],
    )  # fmt: skip
    step.change = asked.changes.get()
    step.save()


def _give(order: WorkOrder, step: WorkStep, carriage: Carriage, *, actor: User) -> None:
    """Name or revise a tier, promise a policy, or allot, as a step says; it is done at once."""
    values = step.values
    if carriage.what == ALLOTMENT:
        allot(
            actor=actor, pool_id=int(step.subject_id or 0), tenant_id=int(values["tenant_id"]),
            allotted_bytes=int(values["allotted_bytes"]), min_iops=int(values["min_iops"]),
            scenario_id=order.scenario_id,
        )  # fmt: skip
    elif carriage.what == REVISION:
        _revise(order, values, actor=actor)
    elif carriage.what == TIER:
        ids, tier = _ids(step), standing_tiers().get(name=values[TIER])
        name_tier(actor=actor, tier_id=tier.pk, entity_ids=ids, seen=ids)
    else:
        ids, policy = _ids(step), standing_policies().get(name=values[POLICY])
        promise(actor=actor, policy_id=policy.pk, entity_ids=ids, seen=ids)
    step.state, step.done_at, step.done_by = StepState.SETTLING, now(), actor.get_username()
    step.save()


def _revise(order: WorkOrder, values: dict[str, Any], *, actor: User) -> None:  # Any: JSON
    """Make a tier's next revision, with other limits than the one that stands."""
    tier = standing_tiers().get(name=values["tier"])
    stands = tier.revisions.all()[0]  # the newest first
    draft = TierDraft(
        min_iops=values["min_iops"], max_iops=values["max_iops"], burst=stands.burst,
        max_bytes_per_second=stands.max_bytes_per_second, latency_ms=stands.latency_ms,
        is_together=stands.is_together, note=f"By the scenario {order.scenario.name}.",
    )  # fmt: skip
    revise_tier(
        actor=actor, tier_id=tier.pk, draft=draft, seen_version=version_of(tier_facts(stands))
    )


def _ids(step: WorkStep) -> list[int]:
    return [int(one) for one in step.values["ids"]]


def _again(step: WorkStep, *, actor: User) -> None:
    """Try again what failed: its writer knows how far it came, so that nothing is done twice."""
    change = step.change
    if change is not None and change.state in BEGUN_ANEW:
        try_again(actor=actor, set_id=change.change_set_id)
        if step.state == StepState.OTHERWISE:
            step.state = StepState.TO_DO
            step.save()


def _key(order: WorkOrder, step: WorkStep) -> str:
    return f"order {order.pk} step {step.place},"


def _halt(order: WorkOrder, *, why: str) -> None:
    order.carrier, order.carried_since = None, None
    order.stopped, order.changed_at = why[:2000], now()
    order.save()


def _locked(actor: User, scenario_id: int, *, seen_version: str | None) -> WorkOrder:
    order = WorkOrder.objects.select_for_update().get(pk=order_for(actor, scenario_id).pk)
    check_version(seen_version, facts=facts_of_order(order))
    return order


def _steps(order: WorkOrder) -> list[WorkStep]:
    return list(order.steps.select_related("change__change_set", "order__scenario"))


def _step(order: WorkOrder, place: int) -> WorkStep:
    found = next((one for one in _steps(order) if one.place == place), None)
    if found is None:
        raise StepError(why=f"There is no step {place}.")
    return found


def _audit(actor: User, order: WorkOrder, *, action: str) -> None:
    audit(
        actor, action=action, kind="scenario", subject_id=order.scenario_id,
        name=order.scenario.name, after={"order": order.pk},
    )  # fmt: skip
