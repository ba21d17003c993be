"""Takes pushed documents: kept with their key first, written by a worker, once."""

import hashlib
from datetime import UTC, datetime, timedelta

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction

from keelmark.access.services.audit import audit
from keelmark.estate.models import Protocol
from keelmark.feeds import selectors
from keelmark.feeds.bounds import out_of_bounds
from keelmark.feeds.errors import FeedFormError, FeedPausedError, PushConflictError
from keelmark.feeds.models import Feed, Push, Run, RunState
from keelmark.feeds.push import MAX_BODY_BYTES, documents_in
from keelmark.feeds.services.jobs import defer
from keelmark.feeds.services.schedule import COLLECT_TASK

N_TOLD = 20
BODIES_KEPT_FOR = timedelta(days=30)


def take_push(*, actor: User, feed_id: int, key: str, body: bytes) -> Run:
    """Keep a body and return the run that will write it; the same key brings the same run.

    What was answered with a run is not lost: the body is in the database before the answer.
    """
    feed = selectors.feeds_for(actor).get(pk=feed_id)
    if feed.protocol != Protocol.PUSH:
        raise FeedFormError(field="feed", why=f"{feed.name} is no push feed.")
    if feed.is_paused:
        raise FeedPausedError(name=feed.name)
    digest = hashlib.sha256(body).hexdigest()
    standing = _standing(feed, key=key, digest=digest)
    if standing is not None:
        return standing
    if len(body) > MAX_BODY_BYTES:
        raise FeedFormError(field="body", why=f"Send at most {MAX_BODY_BYTES >> 20} MiB at once.")
    documents, problems = documents_in(body)
    if feed.source is not None:
        problems += out_of_bounds(documents, source=feed.source, options=feed.options)
    if problems or not documents:
        told = "; ".join(problems[:N_TOLD]) or "no documents"
        raise FeedFormError(field="body", why=f"{told}. Nothing was taken.")
    try:
        with transaction.atomic():
            return _keep(feed, actor=actor, key=key, digest=digest, body=body)
    except IntegrityError:  # the same key came twice at once
        again = _standing(feed, key=key, digest=digest)
        if again is None:
            raise
        return again


def forget_bodies(*, now: datetime) -> int:
    """Empty the bodies of pushes written long ago; their keys are known for good."""
    return (
        Push.objects.filter(run__state=RunState.DONE, taken_at__lt=now - BODIES_KEPT_FOR)
        .exclude(body=b"")
        .update(body=b"")
    )


def _standing(feed: Feed, *, key: str, digest: str) -> Run | None:
    known = Push.objects.select_related("run").filter(feed=feed, key=key).first()
    if known is None:
        return None
    if known.digest != digest:
        raise PushConflictError(key=key)
    return known.run


def _keep(feed: Feed, *, actor: User, key: str, digest: str, body: bytes) -> Run:
    now = datetime.now(UTC)
    run = Run.objects.create(feed=feed, source=feed.name, asked_at=now, is_push=True)
    Push.objects.create(feed=feed, key=key, digest=digest, body=body, run=run, taken_at=now)
    audit(actor, action="push", kind="feed", subject_id=feed.pk, name=feed.name,
          after={"run_id": run.pk, "key": key, "bytes": len(body)})  # fmt: skip
    # One feed's pushes are written in the order in which they came.
    defer(COLLECT_TASK, lock=f"push of feed {feed.pk}", run_id=run.pk)
    return run
