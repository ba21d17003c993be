"""Jobs of compliance."""

from procrastinate.contrib.django import app

from keelmark.access.clock import now
from keelmark.compliance.services.history import keep_verdicts

KEEP = "keelmark.compliance.tasks.keep_verdicts"


@app.periodic(cron="*/5 * * * *")
@app.task(name=KEEP, queueing_lock=KEEP, lock=KEEP)
def keep_verdicts_task(timestamp: int) -> None:
    """Keep how all that is promised stands, and what changed since the last time."""
    keep_verdicts(now=now())
