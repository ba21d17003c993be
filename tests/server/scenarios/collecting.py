"""Arrays that are written to and collected, as the workers do it, for tests."""

from keelmark.feeds.changes.carrying import carry_out as carry_changes
from keelmark.feeds.services.running import carry_out as carry_run
from keelmark.feeds.services.schedule import queue_run
from keelmark.scenarios.services.carrying import go_on_all


def collect(feed):
    assert carry_run(run_id=queue_run(feed).pk).state == "done"
    return go_on_all()


def go(feed):
    """Write what is queued, collect, and prove."""
    carry_changes(feed_id=feed.pk)
    collect(feed)


def forget_volumes(array, *, named):
    """Have an array be without the volumes that a test has made."""
    at_array = array.service.tree.ground
    for pool, volume in list(at_array.volumes.values()):
        if volume.name.startswith(named):
            at_array.leave_out(volume)
            pool.volumes.remove(volume)
    array.service.changes.tasks.clear()
