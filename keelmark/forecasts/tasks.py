"""Jobs of forecasts."""

from procrastinate.contrib.django import app

from keelmark.forecasts import services

REFRESH = "keelmark.forecasts.tasks.refresh_forecasts"


@app.task(name=REFRESH, queueing_lock=REFRESH, lock=REFRESH)
def refresh_forecasts() -> None:
    services.refresh(now=services.now())


@app.periodic(cron="*/15 * * * *")
@app.task(name="keelmark.forecasts.tasks.refresh_regularly", queueing_lock="refresh_regularly")
def refresh_regularly(timestamp: int) -> None:
    """What is unread today was read yesterday: states age even when nothing comes."""
    services.refresh(now=services.now())
