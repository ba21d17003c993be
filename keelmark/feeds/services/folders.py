"""Feeds that read a folder: each new file is a run of its own, taken up where it broke off."""

from datetime import UTC, datetime
from pathlib import Path

from django.conf import settings

from keelmark.estate.models import Protocol
from keelmark.feeds.errors import OptionsError
from keelmark.feeds.estate_file import digest_of
from keelmark.feeds.file_import import import_file
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.performance_file import import_performance
from keelmark.feeds.services.schedule import queue_run
from keelmark.feeds.table_import import import_table

SUFFIXES = {
    Protocol.FILE: (".ndjson", ".jsonl", ".parquet"),
    Protocol.TABLE: (".csv", ".xlsx", ".parquet"),
}


def import_next(run: Run, *, feed: Feed) -> Run:
    """Import the next new file of a feed's folder; queue the one after it."""
    suffixes = SUFFIXES[Protocol(feed.protocol)]
    found = next_file(feed, suffixes=suffixes)
    if found is None:
        run.state, run.ended_at = RunState.DONE, datetime.now(UTC)
        run.source = f"{feed.name}: no new file"
        run.save(update_fields=["state", "ended_at", "source"])
        Feed.objects.filter(pk=feed.pk).update(last_good_at=run.ended_at, n_failures=0)
        return run
    path, digest = found
    run = _taken_over(run, path=path, digest=digest)
    if feed.protocol == Protocol.FILE and path.suffix.lower() == ".parquet":
        import_performance(path, run=run)
    elif feed.protocol == Protocol.FILE:
        import_file(path, is_strict=False, tell=lambda _: None, feed=feed, run=run)
    else:
        import_table(path, feed=feed, run=run)
    Feed.objects.filter(pk=feed.pk).update(last_good_at=datetime.now(UTC), n_failures=0)
    following = next_file(feed, suffixes=suffixes)
    if following is not None and not _has_failed(feed, digest=following[1]):
        queue_run(feed)
    return run


def _has_failed(feed: Feed, *, digest: str) -> bool:
    """A file that failed waits for the schedule, so that it is not tried without end."""
    return Run.objects.filter(feed=feed, file_digest=digest, state=RunState.FAILED).exists()


def _taken_over(run: Run, *, path: Path, digest: str) -> Run:
    """Go on where a run of the same file was broken off."""
    broken_off = Run.objects.filter(
        feed=run.feed, file_digest=digest, state=RunState.INTERRUPTED
    ).first()
    if broken_off is not None:
        run.bytes_done, run.n_read = broken_off.bytes_done, broken_off.n_read
        run.n_readings, run.warnings = broken_off.n_readings, broken_off.warnings
        run.delivery_number = broken_off.delivery_number or broken_off.pk
        run.n_new, run.n_changed = broken_off.n_new, broken_off.n_changed
    run.source, run.file_digest = path.name, digest
    run.bytes_total = path.stat().st_size
    run.save()
    return run


def next_file(feed: Feed, *, suffixes: tuple[str, ...]) -> tuple[Path, str] | None:
    """Return the first file of the feed's folder that was not imported yet, and its digest.

    A file that failed comes after those that were never tried: what it wants may be known by
    then, and it keeps nobody waiting.
    """
    tried = dict(
        Run.objects.filter(feed=feed, state__in=[RunState.DONE, RunState.FAILED])
        .exclude(file_digest="")
        .order_by("asked_at")
        .values_list("file_digest", "state")
    )
    files = [
        (path, digest_of(path))
        for path in sorted(folder_of(feed).iterdir())
        if path.suffix.lower() in suffixes and path.is_file() and not path.is_symlink()
    ]
    waiting = [(path, digest) for path, digest in files if tried.get(digest) != RunState.DONE]
    return min(waiting, key=lambda one: one[1] in tried, default=None)


def folder_of(feed: Feed) -> Path:
    """Return the folder a feed watches, which lies in the one that is open to feeds."""
    told = str(feed.options.get("folder") or "")
    root = Path(settings.FEED_FOLDERS)
    folder = (root / told).resolve()
    if not told or not folder.is_relative_to(root.resolve()):
        raise OptionsError(option="folder", why=f"must name a folder inside {root}")
    if not folder.is_dir():
        raise OptionsError(option="folder", why=f"names {folder}, which is not there")
    return folder
