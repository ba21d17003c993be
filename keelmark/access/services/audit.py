"""Writes the audit."""

from datetime import UTC, datetime
from typing import Any

from django.contrib.auth.models import User

from keelmark.access.models import AuditEntry
from keelmark.access.origin import current_address

Facts = dict[str, Any]  # Any: JSON of whatever was written


def audit(
    actor: User | None,
    *,
    action: str,
    kind: str,
    subject_id: int | None = None,
    name: str = "",
    before: Facts | None = None,
    after: Facts | None = None,
) -> None:
    """Write an audit entry; secrets are never among the facts."""
    AuditEntry.objects.create(
        at=datetime.now(UTC),
        actor=actor,
        actor_name=actor.get_username() if actor else "",
        by_token=getattr(actor, "token_name", "") if actor else "",
        address=current_address(),
        action=action,
        subject_kind=kind,
        subject_id=subject_id,
        subject_name=name,
        before=before,
        after=after,
    )
