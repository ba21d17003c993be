"""Finds where the other things stand that a change of one thing names."""

from collections.abc import Callable, Collection, Mapping
from urllib.parse import urljoin

from keelmark.estate.models import Alias, Entity, Protocol, Statement
from keelmark.feeds.changes.allowed import MIRRORS
from keelmark.feeds.changes.writers import guarded
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.models import Change, Feed
from keelmark.feeds.services.running import far_end_of

Find = Callable[[FarEnd, Collection[str]], Mapping[str, str]]


def places_named(change: Change, *, find: Find) -> dict[str, str]:
    """Return by worldwide name where what a change names stands, as its own far end tells now.

    At the far end of the change a path, at another its address; who is not found is left out.
    Raise a CollectError where a far end does not answer.
    """
    if change.what != MIRRORS:
        return {}
    named = {str(uid) for told in (change.was, change.wanted) for uid in told.get("targets", ())}
    found: dict[str, str] = {}
    for entity in Entity.objects.filter(uid__in=named, retired_at=None):
        feed = _feed_of(entity)
        if feed is None:
            continue
        far_end = guarded(Protocol(feed.protocol), far_end_of(feed))
        uids = frozenset(Alias.objects.filter(entity=entity).values_list("uid", flat=True))
        places = find(far_end, uids)
        path = next((places[uid] for uid in sorted(uids) if uid in places), "")
        if path:
            is_near = feed.pk == change.feed_id
            found[entity.uid] = path if is_near else urljoin(far_end.address, path)
    return found


def _feed_of(entity: Entity) -> Feed | None:
    """The feed of the array that tells of a thing."""
    told = Statement.objects.filter(entity=entity, gone_at=None, is_sighting=True)
    feeds = Feed.objects.filter(
        protocol=Protocol.REDFISH, is_paused=False, source__in=told.values("source")
    )
    return feeds.order_by("-pk").first()
