"""Writes to whom policies are promised."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import audit
from keelmark.compliance.models import Policy, Promise
from keelmark.compliance.selectors.definitions import promises
from keelmark.core.policy.facts import SUBJECTS
from keelmark.estate.models import Entity, ServiceClass

TAKERS = (*SUBJECTS, "project", "tenant")
MAX_AT_ONCE = 20_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Taken:
    """What was promised before to things, so that it can be promised again."""

    entity_id: int
    policy_id: int | None


@transaction.atomic
def promise(
    *, actor: User, policy_id: int | None, entity_ids: Sequence[int], seen: Sequence[int]
) -> list[Taken]:
    """Promise a policy to things, or none of their own; return what they had before.

    ``seen`` are those of the things that the actor may see: others are not found.
    """
    if len(entity_ids) > MAX_AT_ONCE:
        raise wrong_field("entity_ids", f"Name at most {MAX_AT_ONCE:,} things at once.")
    policy = None if policy_id is None else Policy.objects.get(pk=policy_id, retired_at=None)
    wanted = sorted(set(entity_ids) & set(seen))
    things = {one.pk: one for one in Entity.objects.filter(pk__in=wanted, kind__in=TAKERS)}
    if len(things) < len(set(entity_ids)):
        raise wrong_field("entity_ids", f"Name things that are seen, each a {', '.join(TAKERS)}.")
    standing = promises().select_for_update(of=("self",)).filter(entity__in=wanted)
    before = {one.entity_id: one.policy_id for one in standing}
    # Whom nothing is promised nothing is taken back.
    takers = [one for one in things.values() if policy or one.pk in before]
    Promise.objects.filter(entity__in=takers).delete()
    Promise.objects.bulk_create(
        Promise(policy=policy, entity=one, made_at=now(), author=actor) for one in takers
    )
    audit(
        actor, action="promise policy" if policy else "promise no policy", kind="policy",
        subject_id=policy.pk if policy else None, name=policy.name if policy else "none",
        after={"n_things": len(things), "some": [one.name for one in list(things.values())[:12]]},
    )  # fmt: skip
    return [Taken(entity_id=pk, policy_id=before.get(pk)) for pk in wanted]


@transaction.atomic
def promise_wide(*, actor: User, policy_id: int | None, class_name: str) -> None:
    """Promise a policy to all of a service class, or without a name to the whole estate."""
    policy = None if policy_id is None else Policy.objects.get(pk=policy_id, retired_at=None)
    of = ServiceClass.objects.get(name=class_name) if class_name else None
    before = Promise.objects.filter(entity__isnull=True, service_class=of)
    if policy is not None or before.filter(policy__isnull=False).exists():
        before.delete()
        Promise.objects.create(policy=policy, service_class=of, made_at=now(), author=actor)
    audit(
        actor, action="promise policy" if policy else "promise no policy", kind="policy",
        subject_id=policy.pk if policy else None, name=policy.name if policy else "none",
        after={"to": class_name or "the whole estate"},
    )  # fmt: skip
