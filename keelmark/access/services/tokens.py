"""Writes personal tokens, and knows who one stands for."""

import hashlib
import secrets
from datetime import UTC, datetime, timedelta

from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access import selectors
from keelmark.access.errors import wrong_field
from keelmark.access.models import ApiToken, Scope
from keelmark.access.services.audit import audit

TOKEN_PREFIX = "keel_"  # noqa: S105  # what a token begins with
TOKEN_BYTES = 32
HINT_CHARS = 10
MAX_TOKEN_DAYS = 366
MAX_TOKENS = 50
USED_EVERY = timedelta(minutes=1)


@transaction.atomic
def make_token(*, actor: User, name: str, scopes: list[Scope], n_days: int) -> tuple[ApiToken, str]:
    """Make a token and return it with its secret, which is not kept."""
    if not 1 <= n_days <= MAX_TOKEN_DAYS:
        raise wrong_field("n_days", f"A token lasts 1 to {MAX_TOKEN_DAYS} days.", code="range")
    now = datetime.now(UTC)
    if selectors.tokens_for(actor).filter(expires_at__gt=now).count() >= MAX_TOKENS:
        raise wrong_field("name", f"{MAX_TOKENS} tokens are in use; revoke one first.")
    secret = TOKEN_PREFIX + secrets.token_urlsafe(TOKEN_BYTES)
    token = ApiToken.objects.create(
        user=actor,
        name=name,
        digest=digest_of(secret),
        hint=secret[:HINT_CHARS],
        scopes=sorted(set(scopes)),
        made_at=now,
        expires_at=now + timedelta(days=n_days),
    )
    after = {"scopes": token.scopes, "expires_at": token.expires_at.isoformat()}
    audit(actor, action="make token", kind="token", subject_id=token.pk, name=name, after=after)
    return token, secret


@transaction.atomic
def revoke_token(*, actor: User, token_id: int) -> None:
    """Put a token out of service for good."""
    token = selectors.tokens_for(actor).select_for_update().get(pk=token_id)
    token.revoked_at = datetime.now(UTC)
    token.save(update_fields=["revoked_at"])
    audit(actor, action="revoke token", kind="token", subject_id=token.pk, name=token.name)


def revoke_all(person: User, *, now: datetime) -> int:
    """Put all tokens of a person out of service; return how many."""
    return ApiToken.objects.filter(user=person, revoked_at=None).update(revoked_at=now)


def person_of_token(secret: str) -> tuple[User, ApiToken] | None:
    """Return who a token stands for, None where it is unknown, revoked or past its time."""
    now = datetime.now(UTC)
    token = (
        ApiToken.objects.select_related("user")
        .filter(digest=digest_of(secret), revoked_at=None, expires_at__gt=now)
        .first()
    )
    if token is None or not token.user.is_active:
        return None
    if token.last_used_at is None or now - token.last_used_at > USED_EVERY:
        ApiToken.objects.filter(pk=token.pk).update(last_used_at=now)
    token.user.token_name = token.name  # type: ignore[attr-defined]  # for the audit
    return token.user, token


def digest_of(secret: str) -> str:
    """Return what is kept of a token; it is random enough that no salt is needed."""
    return hashlib.sha256(secret.encode()).hexdigest()
