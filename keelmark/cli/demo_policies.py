"""What the people of the demo promise, and which of it they changed just now."""

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
