"""Jobs of access."""

from datetime import UTC, datetime

from procrastinate.contrib.django import app

from keelmark.access.services.allowances import sweep_allowances
from keelmark.access.sessions import SessionStore


@app.periodic(cron="41 * * * *")
@app.task(name="keelmark.access.tasks.sweep", queueing_lock="sweep_access")
def sweep(timestamp: int) -> None:
    sweep_allowances(now=datetime.now(UTC))
    SessionStore.clear_expired()
