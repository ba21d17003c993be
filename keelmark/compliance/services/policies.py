"""Writes policies: drawn up, revised, retired; every revision stays."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction

from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import Facts, audit
from keelmark.access.versions import check_version
from keelmark.bearings.selectors.picture import newest_estate
from keelmark.compliance.errors import PolicyNameTakenError, RulesError
from keelmark.compliance.models import MAX_NAME, Policy, Revision
from keelmark.compliance.selectors.definitions import rules_of
from keelmark.compliance.selectors.tiers import defined_tiers
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import Words
from keelmark.core.policy import judging
from keelmark.core.policy.rules import Fault, Known, told_of
from keelmark.estate.models import Volume

SECONDS_A_MINUTE = 60
Told = list[dict[str, Any]]  # Any: JSON; rules as they are kept


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """What a policy is to promise."""

    rules: Told
    settling_minutes: int = judging.DEFAULT_SETTLING_MINUTES
    note: str = ""


def known_now() -> Known:
    """Return what rules may name, and how often the feeds that replicate can copy."""
    estate = newest_estate()
    tiers = estate.table("disk").columns.get("tier")
    told = tiers.words if isinstance(tiers, Words) else ()
    rpos = Volume.objects.filter(rpo_seconds__isnull=False).order_by("rpo_seconds")
    least = rpos.values_list("rpo_seconds", flat=True).first()
    return Known(
        sites=frozenset(estate.table("site").names),
        tiers=frozenset(told) | frozenset(one.core.name for one in defined_tiers()),
        least_rpo_minutes=None if least is None else least / SECONDS_A_MINUTE,
        is_everything_known=True,
    )


def checked(draft: Draft, *, name: str) -> judging.Policy:
    """Return a draft as the core knows it; raise RulesError naming all that is wrong."""
    try:
        rules = rules_of(draft.rules)
    except RangeError as exc:
        rule, _, field = exc.argument.partition(".")
        raise RulesError([Fault(rule, field, f"wanted {exc.wanted}")]) from exc
    policy = judging.Policy(name=name, rules=rules, settling_minutes=draft.settling_minutes)
    faults = judging.faults_of(policy, known=known_now())
    if faults:
        raise RulesError(faults)
    return policy


@transaction.atomic
def draw_up(*, actor: User, name: str, draft: Draft) -> Policy:
    """Make a policy with its first revision; raise PolicyNameTakenError where one has the name."""
    plain = " ".join(name.split())
    if not 0 < len(plain) <= MAX_NAME:
        raise wrong_field("name", f"Use 1 to {MAX_NAME} characters.")
    rules = checked(draft, name=plain)
    try:
        with transaction.atomic():
            policy = Policy.objects.create(name=plain)
    except IntegrityError as exc:
        raise PolicyNameTakenError(name=plain) from exc
    _revision(actor, policy, rules=rules, draft=draft, number=1)
    audit(actor, action="draw up policy", kind="policy", subject_id=policy.pk, name=plain,
          after=_facts(rules, draft))  # fmt: skip
    return policy


@transaction.atomic
def revise(*, actor: User, policy_id: int, draft: Draft, seen_version: str) -> Revision:
    """Make the next revision of a policy; raise StaleError where another came meanwhile."""
    policy = Policy.objects.select_for_update().get(pk=policy_id, retired_at__isnull=True)
    before = policy.revisions.first()
    if before is None:
        raise Policy.DoesNotExist
    check_version(seen_version, facts=revision_facts(before))
    rules = checked(draft, name=policy.name)
    made = _revision(actor, policy, rules=rules, draft=draft, number=before.number + 1)
    audit(actor, action="revise policy", kind="policy", subject_id=policy.pk, name=policy.name,
          before=revision_facts(before), after=_facts(rules, draft))  # fmt: skip
    return made


@transaction.atomic
def retire(*, actor: User, policy_id: int) -> None:
    """Let a policy stand no longer; what it promised stays in its revisions."""
    policy = Policy.objects.select_for_update().get(pk=policy_id)
    if policy.retired_at is None:
        policy.retired_at = now()
        policy.save()
        audit(actor, action="retire policy", kind="policy", subject_id=policy.pk, name=policy.name)


def revision_facts(revision: Revision) -> Facts:
    """Return what a revision says: its version is made of it."""
    return {
        "number": revision.number, "rules": revision.rules,
        "settling_minutes": revision.settling_minutes, "note": revision.note,
    }  # fmt: skip


def _facts(rules: judging.Policy, draft: Draft) -> Facts:
    return {
        "wants": [one.wants() for one in rules.rules],
        "settling_minutes": draft.settling_minutes, "note": draft.note,
    }  # fmt: skip


def _revision(
    actor: User, policy: Policy, *, rules: judging.Policy, draft: Draft, number: int
) -> Revision:
    return Revision.objects.create(
        policy=policy, number=number, rules=kept(rules.rules), note=draft.note,
        settling_minutes=draft.settling_minutes, made_at=now(), author=actor,
        author_name=actor.get_username(),
    )  # fmt: skip


def kept(rules: Sequence[Any]) -> Told:  # Any: rules
    """Return rules as they are kept."""
    return [{"kind": one.kind, "told": told_of(one)} for one in rules]
