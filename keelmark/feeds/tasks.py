"""Jobs of feeds."""

import os
from datetime import UTC, datetime

from procrastinate.contrib.django import app
from procrastinate.jobs import Status

from keelmark.estate.services.findings import look_for_findings
from keelmark.feeds.changes.asking import CHANGE_TASK, queue_left
from keelmark.feeds.changes.carrying import carry_out as carry_out_changes_of
from keelmark.feeds.services.pushing import forget_bodies
from keelmark.feeds.services.running import carry_out, import_sheet, tend_waiting
from keelmark.feeds.services.schedule import COLLECT_TASK, JOIN_TASK, queue_due, sweep_lost
from keelmark.feeds.services.tables import TABLE_TASK

STALLED_SECONDS = float(os.environ.get("KEEL_STALLED_SECONDS", "45"))  # without a sign of life
JOBS_KEPT_HOURS = 48


@app.task(name=COLLECT_TASK)
def collect_feed(run_id: int) -> None:
    carry_out(run_id=run_id)


@app.task(name=JOIN_TASK)
def join() -> None:
    look_for_findings(at=datetime.now(UTC))


@app.periodic(cron="* * * * * */10")  # the sixth field is seconds
@app.task(name="keelmark.feeds.tasks.keep_schedule", queueing_lock="keep_schedule")
def keep_schedule(timestamp: int) -> None:
    sweep_lost(now=datetime.now(UTC))
    queue_left()
    queue_due(now=datetime.now(UTC))


@app.periodic(cron="* * * * * */10")
@app.task(name="keelmark.feeds.tasks.take_up_waiting", queueing_lock="take_up_waiting")
def take_up_waiting(timestamp: int) -> None:
    tend_waiting()  # a job of its own: what it has to write holds up no schedule


@app.task(name=CHANGE_TASK)
def carry_out_changes(feed_id: int) -> None:
    carry_out_changes_of(feed_id=feed_id)


@app.periodic(cron="* * * * *")
@app.task(
    name="keelmark.feeds.tasks.free_stalled_jobs",
    queueing_lock="free_stalled_jobs",
)
async def free_stalled_jobs(timestamp: int) -> None:
    """Give up jobs whose worker died; runs are queued anew by their own sweep."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
        await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=False)


@app.periodic(cron="17 * * * *")
@app.task(name="keelmark.feeds.tasks.forget_jobs", queueing_lock="forget_jobs")
async def forget_jobs(timestamp: int) -> None:
    """Delete jobs that ended long ago: the schedule alone queues some 17,000 a day."""
    await app.job_manager.delete_old_jobs(nb_hours=JOBS_KEPT_HOURS, include_failed=True)


@app.periodic(cron="13 * * * *")
@app.task(name="keelmark.feeds.tasks.forget_bodies", queueing_lock="forget_bodies")
def forget_bodies_task(timestamp: int) -> None:
    forget_bodies(now=datetime.now(UTC))


@app.task(name=TABLE_TASK)
def import_sheet_task(run_id: int, key: str, told: dict[str, object]) -> None:
    import_sheet(run_id=run_id, key=key, told=told)
