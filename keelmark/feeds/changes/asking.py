"""Asks for changes: planned, let go, dropped, tried again, taken back; each once."""

import hashlib
import json
from collections.abc import Collection, Iterable, Sequence
from dataclasses import asdict, dataclass
from typing import Final

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction
from django.db.models import F

from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import audit
from keelmark.estate.models import Alias, Entity
from keelmark.feeds.changes.allowed import DELETION, SETTABLE, VOLUME, Values, fault_of
from keelmark.feeds.changes.reading import LIVE, setters_of
from keelmark.feeds.errors import ChangesError, ChangeStateError, KeyUsedError
from keelmark.feeds.models import Change, ChangeSet, ChangeState
from keelmark.feeds.services.jobs import FIRST, ask_once

MAX_AT_ONCE: Final = 1_000
MAX_WHY: Final = 2_000
N_TOLD: Final = 12
CHANGE_TASK: Final = "keelmark.feeds.tasks.carry_out_changes"
AGAIN: Final = (ChangeState.FAILED, ChangeState.OTHERWISE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """One thing, what it is set to as far as was seen, and what it is to be set to."""

    entity_id: int
    was: Values
    wanted: Values


def ask_changes(
    *,
    actor: User,
    key: str,
    what: str,
    changes: Sequence[Wanted],
    is_released: bool,
    why: str = "",
    takes_back: ChangeSet | None = None,
) -> ChangeSet:
    """Ask for changes, all or none; the same key brings the same set, never a second.

    What is not released waits for an operator.
    Raise ChangesError where something cannot be set, KeyUsedError where the key was used.
    """
    digest = _digest_of(what, changes, is_released=is_released)
    standing = ChangeSet.objects.filter(actor_name=actor.get_username(), key=key).first()
    if standing is not None:
        if standing.digest != digest:
            raise KeyUsedError(key=key)
        return standing
    if not 0 < len(changes) <= MAX_AT_ONCE:
        raise wrong_field("changes", f"Ask for 1 to {MAX_AT_ONCE:,} changes at once.")
    if len(why) > MAX_WHY:
        raise wrong_field("why", f"Use at most {MAX_WHY:,} characters.")
    try:
        with transaction.atomic():
            made = ChangeSet.objects.create(
                key=key, digest=digest, why=why, asked_at=now(), actor=actor,
                actor_name=actor.get_username(), takes_back=takes_back,
            )  # fmt: skip
            rows = _rows(made, what=what, changes=changes)
            Change.objects.bulk_create(rows)
            _audit(actor, made, action="take changes back" if takes_back else "ask for changes")
            if is_released:
                _release(made, actor=actor)
    except IntegrityError as exc:
        again = ChangeSet.objects.filter(actor_name=actor.get_username(), key=key).first()
        if again is not None and again.digest == digest:  # the same came twice at once
            return again
        raise _under_way([one.entity_id for one in changes]) from exc
    return made


@transaction.atomic
def release_changes(*, actor: User, set_id: int) -> ChangeSet:
    """Let planned changes go; raise ChangeStateError where none of them waits for that."""
    one = ChangeSet.objects.select_for_update().get(pk=set_id)
    if not one.changes.filter(state=ChangeState.PLANNED).exists():
        raise ChangeStateError(why="None of these changes waits to be let go.")
    try:
        with transaction.atomic():
            _release(one, actor=actor)
    except IntegrityError as exc:
        raise _under_way(one.changes.values_list("entity_id", flat=True)) from exc
    _audit(actor, one, action="let changes go")
    return one


@transaction.atomic
def drop_changes(*, actor: User, set_id: int) -> ChangeSet:
    """Take from the queue what was not sent yet."""
    one = ChangeSet.objects.select_for_update().get(pk=set_id)
    # What was begun already and waits to be gone on with is not dropped.
    waiting = one.changes.filter(state__in=(ChangeState.PLANNED, ChangeState.QUEUED), progress={})
    if not waiting.update(state=ChangeState.DROPPED, ended_at=now()):
        raise ChangeStateError(why="All of these changes were sent already, or dropped.")
    _audit(actor, one, action="drop changes")
    return one


@transaction.atomic
def try_again(*, actor: User, set_id: int) -> ChangeSet:
    """Queue again what failed or reads back otherwise."""
    one = ChangeSet.objects.select_for_update().get(pk=set_id)
    left = one.changes.filter(state__in=AGAIN)
    feeds = set(left.values_list("feed_id", flat=True))
    # What reads back otherwise is begun anew from there: that it is so has been seen.
    seen = [what for what, told in SETTABLE.items() if told.seen == told.wanted]
    left.filter(state=ChangeState.OTHERWISE, found__isnull=False, what__in=seen).update(
        was=F("found")
    )
    try:
        with transaction.atomic():
            n = left.update(state=ChangeState.QUEUED, problem="", ended_at=None, found=None)
    except IntegrityError as exc:
        raise _under_way(one.changes.values_list("entity_id", flat=True)) from exc
    if not n:
        raise ChangeStateError(why="None of these changes failed.")
    _audit(actor, one, action="try changes again")
    _queue(feeds)
    return one


def take_back(*, actor: User, set_id: int, key: str) -> ChangeSet:
    """Ask for the way back of what was set: to what it was, if it still is as we set it.

    What was made is deleted. A size has no way back, since no volume shrinks; nor has a deletion.
    """
    one = ChangeSet.objects.get(pk=set_id)
    done = [each for each in one.changes.filter(state=ChangeState.SET) if each.was != each.wanted]
    if not done:
        raise ChangeStateError(why="Nothing of this was set, so there is nothing to take back.")
    ways = [_way_back(each) for each in done]
    return ask_changes(
        actor=actor, key=key, what=ways[0][0], is_released=True, takes_back=one,
        why=f"Takes back changes {one.pk}.", changes=[wanted for _, wanted in ways],
    )  # fmt: skip


def _way_back(change: Change) -> tuple[str, Wanted]:
    if change.what == VOLUME:
        found = change.found or {}
        made = Alias.objects.filter(uid=found.get("uid", ""), entity__retired_at=None).first()
        if made is None:
            raise ChangeStateError(why="What was made was not collected since: wait for that.")
        was = {name: found[name] for name in SETTABLE[DELETION].seen}
        return DELETION, Wanted(entity_id=made.entity_id, was=was, wanted={})
    if not SETTABLE[change.what].has_back:
        raise ChangeStateError(why=f"There is no way back for {SETTABLE[change.what].word}.")
    return change.what, Wanted(entity_id=change.entity_id, was=change.wanted, wanted=change.was)


def queue_left() -> None:
    """Queue anew the changes whose worker died, and end those whose feed was dropped."""
    live = Change.objects.filter(state__in=LIVE)
    live.filter(feed=None).update(
        state=ChangeState.FAILED, problem="Not sent: its feed was dropped.", ended_at=now()
    )
    _queue(set(live.values_list("feed_id", flat=True).distinct()))


def _queue(feed_ids: Collection[int | None]) -> None:
    for feed_id in sorted(pk for pk in feed_ids if pk is not None):
        # One at a time a feed; what is queued already takes these along.
        ask_once(CHANGE_TASK, of=f"changes of feed {feed_id}", priority=FIRST, feed_id=feed_id)


def _release(one: ChangeSet, *, actor: User) -> None:
    planned = one.changes.filter(state=ChangeState.PLANNED)
    feeds = set(planned.values_list("feed_id", flat=True))
    planned.update(state=ChangeState.QUEUED)
    one.released_at, one.released_by = now(), actor.get_username()
    one.save(update_fields=["released_at", "released_by"])
    _queue(feeds)


def _rows(made: ChangeSet, *, what: str, changes: Sequence[Wanted]) -> list[Change]:
    """The rows of a set; raise ChangesError telling of each that cannot be."""
    settable = SETTABLE.get(what)
    ids = [one.entity_id for one in changes]
    things = {
        one.pk: one
        for one in Entity.objects.filter(pk__in=ids)
        if settable is not None and one.kind == settable.kind
    }
    setters = setters_of(list(things), what=what)
    known = dict(Alias.objects.filter(entity__in=things).values_list("entity_id", "uid"))
    faults: list[tuple[int, str]] = []
    rows: list[Change] = []
    for at, one in enumerate(changes):
        thing = things.get(one.entity_id)
        if thing is None:
            faults.append((at, f"{one.entity_id} is nothing that can be set."))
            continue
        fault = fault_of(what, one.wanted) or _fault_of_seen(what, one)
        if one.entity_id not in setters:
            fault = "no feed that tells of it was given an account that may set there."
        elif one.entity_id not in known:
            fault = "it has no worldwide name by which it could be found."
        elif ids.index(one.entity_id) != at:
            fault = "it is named twice."
        if fault:
            faults.append((at, f"{thing.name}: {fault}"))
            continue
        rows.append(
            Change(
                change_set=made, feed_id=setters[one.entity_id], entity=thing, what=what,
                was=one.was, wanted=one.wanted, state=ChangeState.PLANNED,
            )
        )  # fmt: skip
    if faults:
        raise ChangesError(faults)
    return rows


def _fault_of_seen(what: str, one: Wanted) -> str:
    settable = SETTABLE[what]
    if set(one.was) != set(settable.seen):
        return "say what it is set to now, as far as it was seen."
    is_so = settable.seen == settable.wanted and one.was == one.wanted
    return "it is set so already." if is_so else ""


def _under_way(entity_ids: Iterable[int]) -> ChangeStateError:
    names = list(
        Change.objects.filter(state__in=LIVE, entity__in=list(entity_ids))
        .values_list("entity__name", flat=True)
        .distinct()[:N_TOLD]
    )
    return ChangeStateError(
        why=f"Another change is under way of {', '.join(names) or 'one of these'}: wait for it."
    )


def _audit(actor: User, one: ChangeSet, *, action: str) -> None:
    names = list(one.changes.values_list("entity__name", flat=True)[:N_TOLD])
    audit(
        actor, action=action, kind="changes", subject_id=one.pk, name=f"changes {one.pk}",
        after={"n_changes": one.changes.count(), "some": names, "why": one.why},
    )  # fmt: skip


def _digest_of(what: str, changes: Sequence[Wanted], *, is_released: bool) -> str:
    told = [what, is_released, [asdict(one) for one in changes]]
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()
