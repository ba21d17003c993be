"""Writes feeds: made, changed, paused; secrets go in and never come out."""

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction

from keelmark.access.services.audit import audit
from keelmark.access.versions import check_version
from keelmark.estate.models import Protocol
from keelmark.estate.services.delivery import drop_source, ensure_source
from keelmark.feeds import selectors
from keelmark.feeds.addresses import USER, cleaned
from keelmark.feeds.errors import CollectError, FeedFormError
from keelmark.feeds.far_end import FarEnd, check_address, trust_of
from keelmark.feeds.models import Feed
from keelmark.feeds.options import check_options, kept_options, settable_options
from keelmark.feeds.secrets import opened, sealed

WITHOUT_ADDRESS = (Protocol.FILE, Protocol.PUSH, Protocol.TABLE)
CHANGEABLE = (
    "name", "addresses", "user", "writer_user", "ca_certificate", "options", "every_minutes",
    "allowed_age_hours", "timeout_seconds", "is_paused",
)  # fmt: skip
READER, WRITER = "password_encrypted", "writer_password_encrypted"
BINDS_SECRET = ("addresses", "ca_certificate")  # a secret is for this far end, known by that
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
    writer_password: str = "",
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
            "writer_password_encrypted": sealed(writer_password),
            **facts,
        },
    )
    return feed


def add_feed(
    *,
    actor: User,
    name: str,
    protocol: Protocol,
    password: str,
    facts: Changes,
    writer_password: str = "",
) -> Feed:
    """Add a feed, refused with its field where it cannot be."""
    taken = FeedFormError(field="name", why=f"There is a feed {name} already.")
    if Feed.objects.filter(name=name).exists():
        raise taken
    feed = Feed(
        name=name,
        protocol=protocol,
        password_encrypted=sealed(password),
        writer_password_encrypted=sealed(writer_password),
    )
    _change(feed, facts=facts)
    try:
        with transaction.atomic():
            feed.source = ensure_source(name=name, protocol=protocol)
            feed.save()
            audit(actor, action="add feed", kind="feed", subject_id=feed.pk, name=name,
                  after=told_of(feed))  # fmt: skip
    except IntegrityError as exc:  # two added it at once
        raise taken from exc
    return feed


@transaction.atomic
def drop_feed(*, actor: User, feed_id: int, seen_version: str | None = None) -> None:
    """Drop a feed; what nobody else tells of is retired, and keeps its history."""
    feed = selectors.feeds_for(actor).select_for_update(of=("self",)).get(pk=feed_id)
    check_version(seen_version, facts=told_of(feed))
    source = feed.source
    audit(actor, action="drop feed", kind="feed", subject_id=feed.pk, name=feed.name,
          before=told_of(feed))  # fmt: skip
    feed.delete()
    if source is not None:
        drop_source(source, at=datetime.now(UTC))


def told_of(feed: Feed) -> dict[str, Any]:  # Any: the fields' own types
    """Return what may be written of a feed, but for its secret: for the audit and its version."""
    told = {name: getattr(feed, name) for name in CHANGEABLE}
    return {**told, "options": settable_options(feed.options)}


@transaction.atomic
def set_feed(
    *,
    actor: User,
    feed_id: int,
    password: str | None = None,
    writer_password: str | None = None,
    seen_version: str | None = None,
    **facts: Any,
) -> Feed:  # Any: fields
    """Change what is given of a feed; passwords go in and never come out.

    A secret was given for one far end: with another address or another authority it is
    dropped, unless it is given again.
    """
    feed = selectors.feeds_for(actor).select_for_update(of=("self",)).get(pk=feed_id)
    before = told_of(feed)
    check_version(seen_version, facts=before)
    secrets = _Secrets(feed, password=password, writer_password=writer_password)
    name = facts.get("name", feed.name)
    if Feed.objects.filter(name=name).exclude(pk=feed.pk).exists():
        raise FeedFormError(field="name", why=f"There is a feed {name} already.")
    if "options" in facts:  # what a run keeps there is not for anybody to set
        facts["options"] = {**kept_options(feed.options), **facts["options"]}
    _change(feed, facts=facts)
    is_elsewhere = any(before[name] != getattr(feed, name) for name in BINDS_SECRET)
    if is_elsewhere:
        feed.options = settable_options(feed.options)  # where to go on was of the other place
    told = secrets.kept(is_elsewhere=is_elsewhere)
    feed.n_failures = 0
    feed.save(update_fields=[*CHANGEABLE, READER, WRITER, "n_failures", "next_due_at"])
    after = {**told_of(feed), **told}
    audit(actor, action="set feed", kind="feed", subject_id=feed.pk, name=feed.name,
          before=before, after=after)  # fmt: skip
    return feed


class _Secrets:
    """The secrets of a feed while it is changed: given anew, kept, or dropped."""

    def __init__(self, feed: Feed, *, password: str | None, writer_password: str | None) -> None:
        self.feed = feed
        self.given = {"password": password, "writer_password": writer_password}
        self.had = {name: bool(opened(getattr(feed, f"{name}_encrypted"))) for name in self.given}

    def kept(self, *, is_elsewhere: bool) -> dict[str, bool]:
        """Keep what is given, drop what was for another far end; return that for the audit."""
        told = {}
        for name, secret in self.given.items():
            if secret is not None:
                told[f"has_new_{name}"] = True
            elif is_elsewhere and self.had[name]:
                told[f"has_lost_{name}"] = True
            if secret is not None or is_elsewhere:
                setattr(self.feed, f"{name}_encrypted", sealed(secret or ""))
        return told


def _change(feed: Feed, *, facts: Changes) -> None:
    for name, fact in facts.items():
        if name not in CHANGEABLE:
            raise FeedFormError(field=name, why="cannot be set")
        setattr(feed, name, fact)
    if facts.get("is_paused") is False:
        feed.next_due_at = None
    protocol = Protocol(feed.protocol)
    if "addresses" in facts or feed.pk is None:
        feed.addresses = _clean_addresses(protocol, addresses=feed.addresses)
    if "options" in facts:
        check_options(protocol, options=feed.options)
    if feed.writer_user and protocol != Protocol.REDFISH:
        raise FeedFormError(field="writer_user", why="Nothing can be set over this protocol.")
    if feed.user and protocol == Protocol.LIBVIRT and not USER.match(feed.user):
        raise FeedFormError(field="user", why="is no name of a system's user")
    if feed.ca_certificate:
        try:
            trust_of(FarEnd(addresses=("",), ca_certificate=feed.ca_certificate))
        except CollectError as exc:
            raise FeedFormError(field="ca_certificate", why=str(exc)) from exc


def _clean_addresses(protocol: Protocol, *, addresses: list[str]) -> list[str]:
    if protocol in WITHOUT_ADDRESS:
        return []
    if not addresses:
        raise FeedFormError(field="addresses", why="Give at least one address.")
    try:
        built = [cleaned(protocol, address) for address in addresses]
        for address in built:
            check_address(address)
    except CollectError as exc:
        raise FeedFormError(field="addresses", why=str(exc)) from exc
    return built
