"""The demo’s policies and QoS tiers, drawn up in the name of its keeper."""

from collections.abc import Iterable
from datetime import timedelta
from typing import Any

DAY = 24 * 60  # minutes
# The name, what is promised, and why.
POLICIES = (
    ("Twice-kept", "What must outlive the loss of a site.", (
        ("copy", {"within_minutes": 4 * 60}), ("survives", {"n_devices": 2}),
        ("backup", {"within_minutes": 2 * DAY}),
    )),
    ("One-shore", "Everyday work; a backup is enough.", (
        ("survives", {"n_devices": 1}), ("backup", {"within_minutes": 2 * DAY}),
    )),
    ("Long-keep", "Kept for years, asked for seldom.", (
        ("survives", {"n_devices": 2}), ("backup", {"within_minutes": 2 * DAY}),
    )),
    ("Scratch", "Can be made again.", (("survives", {"n_devices": 1}),)),
    ("Nightly", "Looked back at by the day.", (("snapshots", {"every_minutes": DAY}),)),
    ("Marram-only", "May not leave the shore it was surveyed at.", (
        ("sites", {"allowed": ["Marram"], "forbidden": []}),
    )),
    ("Kept-apart", "Two books of the same, for when an array is lost.", (
        ("apart", {"label": "copy:ledger", "of": "array"}),
    )),
    ("Block-kept", "Its guests lock by blocks.", (("protocol", {"protocol": "block"}),)),
    ("Two-sided", "Every write stands on both sides.", (("survives", {"n_devices": 4}),)),
)  # fmt: skip


STOOD_DAYS = 200  # for which they have been promised
REVISED, WHY = "One-shore", "Nothing on spinning drives any more."
ADDED = (("media", {"media": "ssd"}),)


def draw_up_policies() -> None:
    """Draw the policies up, once: they have stood for long, but one is revised just now."""
    from django.contrib.auth.models import User
    from django.db.models import F

    from keelmark.access.versions import version_of
    from keelmark.compliance.models import Policy, Revision
    from keelmark.compliance.services.policies import Draft, draw_up, revise, revision_facts

    keeper = User.objects.filter(username="keeper").first()
    if keeper is None or Policy.objects.exists():
        return
    for name, note, rules in POLICIES:
        draw_up(actor=keeper, name=name, draft=Draft(rules=_kept(rules), note=note))
    Revision.objects.update(made_at=F("made_at") - timedelta(days=STOOD_DAYS))
    rules = next(rules for name, _, rules in POLICIES if name == REVISED)
    before = Revision.objects.get(policy__name=REVISED)
    revise(
        actor=keeper, policy_id=before.policy_id, seen_version=version_of(revision_facts(before)),
        draft=Draft(rules=_kept((*ADDED, *rules)), note=WHY),
    )  # fmt: skip


def _kept(rules: Iterable[tuple[str, dict[str, Any]]]) -> list[dict[str, Any]]:  # Any: JSON
    return [{"kind": kind, "told": told} for kind, told in rules]


# The name, least and most operations a second, whether all its disks share them, and why.
TIERS = (
    ("Spring", 2_000, 8_000, False, "For what everybody waits for."),
    ("Neap", 400, 1_500, False, "Busy by day."),
    ("Slack", 50, 300, False, "Everyday work."),
    ("Ebb", 10, 200, False, "Systems; busy when they start and at night."),
    ("Tiles", 1_000, 6_000, True, "All tiles of the public map share it."),
)  # fmt: skip


def draw_up_tiers() -> None:
    """Draw the QoS tiers up, once; the records and the hosts tell who is in which."""
    from django.contrib.auth.models import User
    from django.db.models import F

    from keelmark.compliance.models import Tier, TierRevision
    from keelmark.compliance.services.tiers import TierDraft, draw_up_tier

    keeper = User.objects.filter(username="keeper").first()
    if keeper is None or Tier.objects.exists():
        return
    for name, least, most, is_together, note in TIERS:
        draft = TierDraft(min_iops=least, max_iops=most, is_together=is_together, note=note)
        draw_up_tier(actor=keeper, name=name, draft=draft)
    TierRevision.objects.update(made_at=F("made_at") - timedelta(days=STOOD_DAYS))
