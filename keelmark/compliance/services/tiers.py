"""Writes QoS tiers: drawn up, revised, retired, and who names which."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction

from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import Facts, audit
from keelmark.access.versions import check_version
from keelmark.compliance.errors import TierError, TierNameTakenError
from keelmark.compliance.models import MAX_NAME, Tier, TierNaming, TierRevision
from keelmark.core.qos.tiers import DEFAULT_BURST, faults_of
from keelmark.core.qos.tiers import Tier as CoreTier
from keelmark.estate.models import Entity

NAMERS = ("disk", "vm", "project")
MAX_AT_ONCE = 20_000


@dataclass(frozen=True, slots=True, kw_only=True)
class TierDraft:
    """What a tier is to promise."""

    min_iops: int
    max_iops: int
    burst: float = DEFAULT_BURST
    max_bytes_per_second: int | None = None
    latency_ms: float | None = None
    is_together: bool = False
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedBefore:
    """What a thing named before, so that it can be named again."""

    entity_id: int
    tier_id: int | None


def checked_tier(draft: TierDraft, *, name: str) -> CoreTier:
    """Return a draft as the core knows it; raise TierError naming all that is wrong."""
    told = asdict(draft)
    told.pop("note")
    tier = CoreTier(name=name, **told)
    faults = list(faults_of(tier))
    if faults:
        raise TierError(faults)
    return tier


@transaction.atomic
def draw_up_tier(*, actor: User, name: str, draft: TierDraft) -> Tier:
    """Make a tier with its first revision; raise TierNameTakenError where one has the name."""
    plain = " ".join(name.split())
    if not 0 < len(plain) <= MAX_NAME:
        raise wrong_field("name", f"Use 1 to {MAX_NAME} characters.")
    checked_tier(draft, name=plain)
    try:
        with transaction.atomic():
            tier = Tier.objects.create(name=plain)
    except IntegrityError as exc:
        raise TierNameTakenError(name=plain) from exc
    made = _revision(actor, tier, draft=draft, number=1)
    audit(actor, action="draw up tier", kind="tier", subject_id=tier.pk, name=plain,
          after=tier_facts(made))  # fmt: skip
    return tier


@transaction.atomic
def revise_tier(*, actor: User, tier_id: int, draft: TierDraft, seen_version: str) -> TierRevision:
    """Make the next revision of a tier; raise StaleError where another came meanwhile."""
    tier = Tier.objects.select_for_update().get(pk=tier_id, retired_at__isnull=True)
    before = tier.revisions.first()
    if before is None:
        raise Tier.DoesNotExist
    check_version(seen_version, facts=tier_facts(before))
    checked_tier(draft, name=tier.name)
    made = _revision(actor, tier, draft=draft, number=before.number + 1)
    audit(actor, action="revise tier", kind="tier", subject_id=tier.pk, name=tier.name,
          before=tier_facts(before), after=tier_facts(made))  # fmt: skip
    return made


@transaction.atomic
def retire_tier(*, actor: User, tier_id: int) -> None:
    """Let a tier stand no longer; what it promised stays in its revisions."""
    tier = Tier.objects.select_for_update().get(pk=tier_id)
    if tier.retired_at is None:
        tier.retired_at = now()
        tier.save()
        audit(actor, action="retire tier", kind="tier", subject_id=tier.pk, name=tier.name)


@transaction.atomic
def name_tier(
    *, actor: User, tier_id: int | None, entity_ids: Sequence[int], seen: Sequence[int]
) -> list[NamedBefore]:
    """Put things into a tier, or into none of their own; return what they named before.

    ``seen`` are those of the things that the actor may see: others are not found.
    """
    if len(entity_ids) > MAX_AT_ONCE:
        raise wrong_field("entity_ids", f"Name at most {MAX_AT_ONCE:,} things at once.")
    tier = None if tier_id is None else Tier.objects.get(pk=tier_id, retired_at=None)
    wanted = sorted(set(entity_ids) & set(seen))
    things = {one.pk: one for one in Entity.objects.filter(pk__in=wanted, kind__in=NAMERS)}
    if len(things) < len(set(entity_ids)):
        raise wrong_field("entity_ids", f"Name things that are seen, each a {', '.join(NAMERS)}.")
    standing = TierNaming.objects.select_for_update(of=("self",)).filter(
        entity__in=wanted, tier__isnull=False, tier__retired_at__isnull=True
    )
    before = {one.entity_id: one.tier_id for one in standing}
    # Who names none takes none back.
    takers = [one for one in things.values() if tier or one.pk in before]
    TierNaming.objects.filter(entity__in=takers).delete()
    TierNaming.objects.bulk_create(
        TierNaming(tier=tier, entity=one, made_at=now(), author=actor) for one in takers
    )
    audit(
        actor, action="name tier" if tier else "name no tier", kind="tier",
        subject_id=tier.pk if tier else None, name=tier.name if tier else "none",
        after={"n_things": len(things), "some": [one.name for one in list(things.values())[:12]]},
    )  # fmt: skip
    return [NamedBefore(entity_id=pk, tier_id=before.get(pk)) for pk in wanted]


def tier_facts(one: TierRevision) -> Facts:
    """Return what a revision says: its version is made of it."""
    return {
        "number": one.number, "min_iops": one.min_iops, "max_iops": one.max_iops,
        "burst": one.burst, "max_bytes_per_second": one.max_bytes_per_second,
        "latency_ms": one.latency_ms, "is_together": one.is_together, "note": one.note,
    }  # fmt: skip


def _revision(actor: User, tier: Tier, *, draft: TierDraft, number: int) -> TierRevision:
    return TierRevision.objects.create(
        tier=tier, number=number, made_at=now(), author=actor,
        author_name=actor.get_username(), **asdict(draft),
    )  # fmt: skip
