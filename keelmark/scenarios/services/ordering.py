"""Work orders: made of what was accepted, carried out step by step, proven by what is read."""

from collections.abc import Sequence

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Min

from keelmark.access.clock import now
from keelmark.access.services.audit import Facts, audit
from keelmark.access.versions import check_version
from keelmark.core.scenario.orders import steps_of
from keelmark.core.scenario.steps import Step, StepKind
from keelmark.estate.models import Allotment, DrawnVolume, Entity, Pool, Reservation
from keelmark.estate.reservations import day_of_hold
from keelmark.feeds.changes.reading import LIVE
from keelmark.feeds.models import ChangeState
from keelmark.forecasts.marks.setting import hold_anew
from keelmark.scenarios.errors import DrawnError, NoOrderError, NotAcceptedError, StepError
from keelmark.scenarios.models import Scenario, State, StepState, WorkOrder, WorkStep
from keelmark.scenarios.selectors.kept import drawn, scenario_for, standing_revision
from keelmark.scenarios.selectors.proving import Proof, proof_of
from keelmark.scenarios.services.keeping import draw_planned, let_go, locked, waiting_draws

OPEN = (StepState.TO_DO, StepState.SETTLING, StepState.OTHERWISE)


def facts_of_order(order: WorkOrder) -> Facts:
    """Return what may be written of a work order: its version is made of it."""
    return {
        "order": order.pk,
        "steps": [
            [one.place, one.state, one.owner_name, one.window, one.note]
            for one in order.steps.all()
        ],
        "carried": order.carrier_name if order.carried_since else "",
    }


def order_for(actor: User, scenario_id: int) -> WorkOrder:
    """Return the work order of a scenario that a person may see; raise NoOrderError else."""
    scenario = scenario_for(actor, scenario_id)
    found = WorkOrder.objects.filter(scenario=scenario).first()
    if found is None:
        raise NoOrderError(name=scenario.name)
    return found


@transaction.atomic
def make_order(*, actor: User, scenario_id: int) -> WorkOrder:
    """Make the work order of an accepted scenario; asked again, it is the same one.

    Raises
    ------
    NotAcceptedError
        If the scenario is not accepted.
    """
    return order_of(locked(actor, scenario_id, seen_version=None, may_be_accepted=True), by=actor)


def order_of(scenario: Scenario, *, by: User) -> WorkOrder:
    """Return the work order of a scenario that is locked, made now where there is none."""
    standing = WorkOrder.objects.filter(scenario=scenario).first()
    if standing is not None:
        return standing
    if scenario.state != State.ACCEPTED:
        raise NotAcceptedError(name=scenario.name)
    at = now()
    order = WorkOrder.objects.create(
        scenario=scenario, made_at=at, made_by=by.get_username(), changed_at=at
    )
    steps = steps_of(drawn(standing_revision(scenario)).compiled)
    known = set(
        Entity.objects.filter(pk__in=[s.subject for s in steps if s.subject]).values_list(
            "pk", flat=True
        )
    )
    WorkStep.objects.bulk_create(
        _row(order, place, one, known=known) for place, one in enumerate(steps, start=1)
    )
    _audit(by, scenario, action="make work order", after={"n_steps": len(steps)})
    prove(order)
    return order


def _row(order: WorkOrder, place: int, one: Step, *, known: set[int]) -> WorkStep:
    return WorkStep(
        order=order, place=place, move=one.move, on=day_of_hold(one.day), kind=one.kind.value,
        subject_id=one.subject if one.subject in known else None, subject_kind=one.subject_kind,
        title=list(one.title), values=one.values, loses=list(one.loses),
    )  # fmt: skip


@transaction.atomic
def drop_order(*, actor: User, scenario_id: int) -> None:
    """Take a work order back; what was carried out of it stays done."""
    order = order_for(actor, scenario_id)
    locked(actor, scenario_id, seen_version=None, may_be_accepted=True)
    if order.ended_at is not None:
        raise StepError(why="All of it is carried out; there is nothing to take back.")
    if order.steps.filter(change__state__in=LIVE).exists():
        raise StepError(why="A step of it is being carried out: halt it, or wait for its end.")
    check_not_made(order)
    n_done = order.steps.exclude(state=StepState.TO_DO).count()
    order.delete()
    # What a tenant drew by itself is a plan of nothing else.
    if waiting_draws(order.scenario_id).filter(is_planned=False).exists():
        let_go(order.scenario)
        order.scenario.state = State.DROPPED
        order.scenario.save()
    _audit(actor, order.scenario, action="drop work order", after={"n_steps_begun": n_done})


def check_not_made(order: WorkOrder) -> None:
    """Refuse to give back what is drawn on an allotment while nobody knows whether it is there.

    What was sent to an array may have been done, whatever came back: until the pool is read after
    that, its bytes are taken.
    """
    waiting = waiting_draws(order.scenario_id)
    pool_ids = list(waiting.values_list("allotment__entity_id", flat=True))
    for step in order.steps.filter(kind=StepKind.CREATE_VOLUME).select_related("change"):
        change = step.change
        if not pool_ids or change is None:
            continue
        if change.state != ChangeState.SET and "sent_at" not in change.progress:
            continue
        read_at = Pool.objects.filter(pk__in=pool_ids).aggregate(at=Min("read_at"))["at"]
        if change.ended_at is None or read_at is None or read_at <= change.ended_at:
            raise DrawnError(
                why="Its array was asked to make it and was not read since: it may be there by "
                "now. Wait for the next reading, or try again."
            )


@transaction.atomic
def tell_step(
    *, actor: User, scenario_id: int, place: int, seen_version: str | None,
    state: StepState | None = None, owner_name: str | None = None, window: str | None = None,
    note: str | None = None,
) -> WorkOrder:  # fmt: skip
    """Write who does a step and when, that it is done, to be done again, or left out.

    Raises
    ------
    StepError
        If one before it reads otherwise than planned, or it is proven already.
    StaleError
        If the order was changed since it was seen.
    """
    order = WorkOrder.objects.select_for_update().get(pk=order_for(actor, scenario_id).pk)
    locked(actor, scenario_id, seen_version=None, may_be_accepted=True)
    check_version(seen_version, facts=facts_of_order(order))
    of_order = order.steps.select_for_update(of=("self",)).select_related("change")
    step = of_order.filter(place=place).first()
    if step is None:
        raise StepError(why=f"There is no step {place}.")
    before = _told(step)
    for name, told in (("owner_name", owner_name), ("window", window), ("note", note)):
        if told is not None:
            setattr(step, name, told)
    if state is not None:
        _set_state(order, step, actor=actor, state=state)
    step.save()
    order.changed_at = now()
    order.save()
    audit(
        actor, action="tell step", kind="scenario", subject_id=order.scenario_id,
        name=order.scenario.name, before=before, after=_told(step),
    )  # fmt: skip
    prove(order)
    return order


def _set_state(order: WorkOrder, step: WorkStep, *, actor: User, state: StepState) -> None:
    if step.change is not None and step.change.state in LIVE:
        raise StepError(why="It is being carried out from here; halt that first, or wait.")
    if step.state == StepState.VERIFIED:
        raise StepError(why="It is verified by what was read; that is not taken back.")
    if state == StepState.SETTLING:
        stops = order.steps.filter(place__lt=step.place, state=StepState.OTHERWISE).first()
        if stops is not None:
            raise StepError(
                why=f"Step {stops.place} reads otherwise than planned: do it again, or leave it "
                "out, first."
            )
        step.done_at, step.done_by = now(), actor.get_username()
    elif state not in (StepState.TO_DO, StepState.LEFT_OUT):
        raise StepError(why="That is told by what is read alone.")
    step.state = state
    if state == StepState.TO_DO:
        step.done_at, step.done_by, step.found, step.change = None, "", "", None


@transaction.atomic
def prove(order: WorkOrder) -> int:
    """Compare what was read with the steps of an order; return how many stand otherwise by it.

    Whatever is read to be so is verified, whoever did it. What was told to be done and was read
    since, and is not so, stops what comes after it. Once nothing is left, the scenario is carried
    out and holds nothing any more.
    """
    # One at a time: whoever waited here finds what the other has proven.
    if WorkOrder.objects.select_for_update().filter(pk=order.pk).first() is None:
        return 0  # it was taken back meanwhile
    order.refresh_from_db()
    n_changed = 0
    told = order.steps.select_for_update(of=("self",))
    steps = list(told.select_related("order__scenario", "change__change_set"))
    for step in steps:
        is_moved = _moved_by_change(step)
        if (step.state in OPEN and _proven(step, proof_of(step))) or is_moved:
            step.save()
            n_changed += 1
    if n_changed:
        _shrink(order, steps)
        _draw(order, steps)
    # Where nothing is to be done, as of a plan that only expects, all of it is through at once.
    if order.ended_at is None and not any(one.state in OPEN for one in steps):
        _end(order)
    return n_changed


def _moved_by_change(step: WorkStep) -> bool:
    """Write what came of what was written for a step at a far end; return whether it stands anew.

    It is done then, as by anybody who tells so: what is read afterwards proves it.
    """
    change = step.change
    if change is None or change.state != ChangeState.SET or change.ended_at is None:
        return False
    if change.change_set.takes_back_id is not None:
        step.state, step.change, step.undone_at = StepState.TO_DO, None, change.ended_at
        step.done_at, step.done_by, step.verified_at, step.read_at = None, "", None, None
        step.found, step.made_ids = "taken back", []
        return True
    is_news = step.done_at is None or step.done_at < change.ended_at
    if step.state not in (StepState.TO_DO, StepState.OTHERWISE) or not is_news:
        return False
    step.state, step.done_at = StepState.SETTLING, change.ended_at
    step.done_by = change.change_set.actor_name
    return True


def _proven(step: WorkStep, proof: Proof) -> bool:
    """Write what a proof says of a step; return whether anything is otherwise by it."""
    before = (step.state, step.found)
    if step.undone_at is not None and (proof.read_at is None or proof.read_at <= step.undone_at):
        return False
    if proof.is_so:
        step.state, step.verified_at = StepState.VERIFIED, now()
        step.read_at, step.found = proof.read_at, proof.says
        step.made_ids = list(proof.made_ids)
    elif step.done_at is not None and proof.read_at is not None and proof.read_at > step.done_at:
        step.state, step.read_at, step.found = StepState.OTHERWISE, proof.read_at, proof.says
    elif step.made_ids != list(proof.made_ids):
        step.made_ids = list(proof.made_ids)  # some of them, so far
        return True
    return (step.state, step.found) != before


def _shrink(order: WorkOrder, steps: Sequence[WorkStep]) -> None:
    """Tell reservations what has come of them: of a pool its volumes, else the disks on it."""
    volumes: dict[int, set[int]] = {}
    disks: dict[int, set[int]] = {}
    for step in steps:
        if step.kind in (StepKind.CREATE_VOLUME, StepKind.CLONE_VOLUME):
            volumes.setdefault(step.values.get("pool_id", 0), set()).update(step.made_ids)
        elif step.kind == StepKind.MOVE_VOLUME:
            volumes.setdefault(step.values.get("to_id", 0), set()).update(step.made_ids)
        elif step.kind in (StepKind.DEPLOY_VMS, StepKind.MOVE_DISK):
            place = step.values.get("datastore_id", step.values.get("to_id", 0))
            disks.setdefault(place, set()).update(step.made_ids)
    for one in Reservation.objects.filter(scenario_id=order.scenario_id).select_related("entity"):
        if one.entity.kind == "pool":
            came = volumes.get(one.entity_id) or {pk for some in disks.values() for pk in some}
        else:
            came = disks.get(one.entity_id, set())
        if came != set(one.came_ids):
            one.came_ids, one.changed_at = sorted(came), now()
            one.save()


def _draw(order: WorkOrder, steps: Sequence[WorkStep]) -> None:
    """Tell an allotment which volume came of what was asked of it."""
    for step in steps:
        if step.kind == StepKind.CREATE_VOLUME and step.made_ids:
            one = _draw_of(order, step)
            if one is not None and one.volume_id != step.made_ids[0]:
                one.volume_id = step.made_ids[0]
                one.save()
                Allotment.objects.filter(pk=one.allotment_id).update(changed_at=now())
                hold_anew([one.allotment.entity_id])


def _draw_of(order: WorkOrder, step: WorkStep) -> DrawnVolume | None:
    """What a volume was asked for out of an allotment; one of a plan that allots first, too."""
    drawn = DrawnVolume.objects.filter(scenario_id=order.scenario_id, dropped_at=None)
    if "drawn_as" not in step.values:  # of an order that is older than that
        return drawn.filter(is_planned=False).first()
    if (found := drawn.filter(name=step.values["drawn_as"]).first()) is not None:
        return found
    tenant_id, pool_id = step.values.get("allotted_to_id"), step.values.get("pool_id")
    allotment = Allotment.objects.filter(entity=pool_id, tenant=tenant_id, ended_at=None).first()
    if tenant_id is None or allotment is None:
        return None
    return draw_planned(
        allotment, scenario_id=order.scenario_id, name=step.values["drawn_as"],
        size_bytes=step.values["size_bytes"], by=order.scenario.accepted_by,
    )  # fmt: skip


def _end(order: WorkOrder) -> None:
    order.ended_at = order.changed_at = now()
    order.save()
    scenario = Scenario.objects.select_for_update().get(pk=order.scenario_id)
    accepted = scenario.accepted_at, scenario.accepted_by
    let_go(scenario)
    scenario.accepted_at, scenario.accepted_by = accepted
    scenario.state, scenario.changed_at = State.CARRIED_OUT, now()
    scenario.save()
    _audit(None, scenario, action="carry scenario out", after={"order": order.pk})


def _told(step: WorkStep) -> dict[str, object]:
    return {
        "step": step.place, "state": step.state, "owner": step.owner_name, "window": step.window,
        "note": step.note,
    }  # fmt: skip


def _audit(
    actor: User | None, scenario: Scenario, *, action: str, after: dict[str, object]
) -> None:
    audit(
        actor, action=action, kind="scenario", subject_id=scenario.pk, name=scenario.name,
        after=after,
    )  # fmt: skip
