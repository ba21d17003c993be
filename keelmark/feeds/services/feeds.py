"""Writes feeds: made, changed, paused; secrets go in and never come out."""

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any
from urllib.parse import urlsplit

from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.services import audit
from keelmark.estate.models import Protocol
from keelmark.estate.services.delivery import drop_source, ensure_source
from keelmark.feeds import selectors
from keelmark.feeds.errors import CollectError, FeedFormError
from keelmark.feeds.far_end import FarEnd, check_address, trust_of
from keelmark.feeds.models import Feed
from keelmark.feeds.secrets import sealed

SCHEMES: dict[Protocol, tuple[str, ...]] = {
    Protocol.REDFISH: ("http", "https"),
    Protocol.OPENMETRICS: ("http", "https"),
    Protocol.S3: ("http", "https"),
    Protocol.LIBVIRT: ("qemu", "qemu+tls", "qemu+tcp", "qemu+ssh", "qemu+libssh2", "test"),
}
WITHOUT_ADDRESS = (Protocol.FILE, Protocol.PUSH, Protocol.TABLE)
CHANGEABLE = (
    "name", "addresses", "user", "ca_certificate", "options", "every_minutes",
    "allowed_age_hours", "timeout_seconds", "is_paused",
)  # fmt: skip
Changes = Mapping[str, Any]  # Any: the fields' own types


@transaction.atomic
def ensure_feed(
    *,
    name: str,
    protocol: Protocol = Protocol.REDFISH,
    addresses: list[str] | None = None,
    url: str = "",
    user: str = "",
    password: str = "",
    **facts: Any,  # Any: further fields of the model
) -> Feed:
    """Make the feed or bring an existing one of this name up to date."""
    feed, _ = Feed.objects.update_or_create(
        name=name,
        defaults={
            "protocol": protocol,
            "source": ensure_source(name=name, protocol=protocol),
            "addresses": addresses if addresses is not None else [url],
            "user": user,
            "password_encrypted": sealed(password),
            **facts,
        },
    )
    return feed


@transaction.atomic
def add_feed(*, actor: User, name: str, protocol: Protocol, password: str, facts: Changes) -> Feed:
    """Add a feed, refused with its field where it cannot be."""
    if Feed.objects.filter(name=name).exists():
        raise FeedFormError(field="name", why=f"There is a feed {name} already.")
    feed = Feed(name=name, protocol=protocol, password_encrypted=sealed(password))
    _change(feed, facts=facts)
    feed.source = ensure_source(name=name, protocol=protocol)
    feed.save()
    audit(actor, action="add feed", kind="feed", subject_id=feed.pk, name=name, after=told_of(feed))
    return feed


@transaction.atomic
def drop_feed(*, actor: User, feed_id: int) -> None:
    """Drop a feed; what nobody else tells of is retired, and keeps its history."""
    feed = selectors.feeds_for(actor).select_for_update(of=("self",)).get(pk=feed_id)
    source = feed.source
    audit(actor, action="drop feed", kind="feed", subject_id=feed.pk, name=feed.name,
          before=told_of(feed))  # fmt: skip
    feed.delete()
    if source is not None:
        drop_source(source, at=datetime.now(UTC))


def told_of(feed: Feed) -> dict[str, Any]:  # Any: the fields' own types
    """Return what the audit keeps of a feed: all but its secret."""
    return {name: getattr(feed, name) for name in CHANGEABLE}


@transaction.atomic
def set_feed(
    *, actor: User, feed_id: int, password: str | None = None, **facts: Any
) -> Feed:  # Any: fields
    """Change what is given of a feed; the password goes in and never comes out."""
    feed = selectors.feeds_for(actor).select_for_update(of=("self",)).get(pk=feed_id)
    before = told_of(feed)
    if password is not None:
        feed.password_encrypted = sealed(password)
    name = facts.get("name", feed.name)
    if Feed.objects.filter(name=name).exclude(pk=feed.pk).exists():
        raise FeedFormError(field="name", why=f"There is a feed {name} already.")
    _change(feed, facts=facts)
    feed.n_failures = 0
    feed.save(update_fields=[*CHANGEABLE, "password_encrypted", "n_failures", "next_due_at"])
    after = told_of(feed)
    if password is not None:
        after["has_new_password"] = True
    audit(actor, action="set feed", kind="feed", subject_id=feed.pk, name=feed.name,
          before=before, after=after)  # fmt: skip
    return feed


def _change(feed: Feed, *, facts: Changes) -> None:
    for name, fact in facts.items():
        if name not in CHANGEABLE:
            raise FeedFormError(field=name, why="cannot be set")
        setattr(feed, name, fact)
    if facts.get("is_paused") is False:
        feed.next_due_at = None
    if "addresses" in facts or feed.pk is None:
        _check_addresses(Protocol(feed.protocol), addresses=feed.addresses)
    if feed.ca_certificate:
        try:
            trust_of(FarEnd(addresses=("",), ca_certificate=feed.ca_certificate))
        except CollectError as exc:
            raise FeedFormError(field="ca_certificate", why=str(exc)) from exc


def _check_addresses(protocol: Protocol, *, addresses: list[str]) -> None:
    if protocol in WITHOUT_ADDRESS:
        return
    if not addresses:
        raise FeedFormError(field="addresses", why="Give at least one address.")
    for address in addresses:
        scheme = urlsplit(address).scheme
        if scheme not in SCHEMES[protocol]:
            wanted = ", ".join(SCHEMES[protocol])
            raise FeedFormError(field="addresses", why=f"{address} does not begin with {wanted}.")
        try:
            check_address(address)
        except CollectError as exc:
            raise FeedFormError(field="addresses", why=str(exc)) from exc
