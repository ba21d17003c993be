"""Jobs of forecasts."""

from procrastinate.contrib.django import app

from keelmark.access.clock import now
from keelmark.forecasts.berths.reference import tell_median
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import (
    CHUNK_TASK,
    carry_out_chunk,
    plan_forecasts,
    plan_nightly,
    sweep_chunks,
)
from keelmark.readings.reckoning import reckon_promised

REFRESH = "keelmark.forecasts.tasks.refresh_forecasts"


@app.task(name=REFRESH, queueing_lock=REFRESH, lock=REFRESH)
def refresh_forecasts() -> None:
    reckon_promised(now=now())
    tell_median(now=now())
    refresh(now=now())
    plan_forecasts(now=now())


@app.task(name=CHUNK_TASK)
def forecast_chunk(chunk_id: int) -> None:
    carry_out_chunk(chunk_id=chunk_id, now=now())


@app.periodic(cron="*/15 * * * *")
@app.task(name="keelmark.forecasts.tasks.refresh_regularly", queueing_lock="refresh_regularly")
def refresh_regularly(timestamp: int) -> None:
    """What is unread today was read yesterday: states age even when nothing comes."""
    reckon_promised(now=now())
    tell_median(now=now())
    refresh(now=now())
    plan_forecasts(now=now())


@app.periodic(cron="*/2 * * * *")
@app.task(name="keelmark.forecasts.tasks.sweep", queueing_lock="sweep_chunks")
def sweep(timestamp: int) -> None:
    """Queue anew what a dead worker left."""
    sweep_chunks(now=now())


@app.periodic(cron="*/10 1-4 * * *")
@app.task(name="keelmark.forecasts.tasks.nightly", queueing_lock="forecast_nightly")
def nightly(timestamp: int) -> None:
    """Make everything anew once a night, whatever came."""
    plan_nightly(now=now())
