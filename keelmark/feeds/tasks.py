"""Jobs of feeds."""

from datetime import UTC, datetime

from procrastinate.contrib.django import app
from procrastinate.jobs import Status

from keelmark.estate.services.findings import look_for_findings
from keelmark.feeds.services.pushing import forget_bodies
from keelmark.feeds.services.running import carry_out
from keelmark.feeds.services.schedule import COLLECT_TASK, JOIN_TASK, queue_due, sweep_lost
from keelmark.feeds.services.tables import TABLE_TASK, import_sheet

STALLED_SECONDS = 45.0


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
    queue_due(now=datetime.now(UTC))


@app.periodic(cron="* * * * *")
@app.task(
    name="keelmark.feeds.tasks.free_stalled_jobs",
    queueing_lock="free_stalled_jobs",
)
async def free_stalled_jobs(timestamp: int) -> None:
    """Give up jobs whose worker died; runs are queued anew by their own sweep."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
        await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=False)


@app.periodic(cron="13 * * * *")
@app.task(name="keelmark.feeds.tasks.forget_bodies", queueing_lock="forget_bodies")
def forget_bodies_task(timestamp: int) -> None:
    forget_bodies(now=datetime.now(UTC))


@app.task(name=TABLE_TASK)
def import_sheet_task(run_id: int, key: str, told: dict[str, object]) -> None:
    import_sheet(run_id=run_id, key=key, told=told)
