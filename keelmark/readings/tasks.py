"""Jobs of readings."""

from datetime import UTC, datetime

from procrastinate.contrib.django import app

from keelmark.access.clock import utc_today
from keelmark.readings.partitions import keep_partitions
from keelmark.readings.performance.packing import pack_finished
from keelmark.readings.rollup import roll_up


@app.periodic(cron="*/5 * * * *")
@app.task(name="keelmark.readings.tasks.roll_up", queueing_lock="roll_up", lock="roll_up")
def roll_up_late(timestamp: int) -> None:
    roll_up(now=datetime.now(UTC))


@app.periodic(cron="7 * * * *")
@app.task(name="keelmark.readings.tasks.keep_partitions", queueing_lock="keep_partitions")
def keep_partitions_task(timestamp: int) -> None:
    keep_partitions(today=utc_today())


@app.periodic(cron="23 * * * *")
@app.task(name="keelmark.readings.tasks.pack_finished", queueing_lock="pack", lock="roll_up")
def pack_finished_task(timestamp: int) -> None:
    pack_finished(now=datetime.now(UTC))
