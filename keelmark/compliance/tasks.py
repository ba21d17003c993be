"""Jobs of compliance."""

from procrastinate.contrib.django import app

from keelmark.access.clock import now
from keelmark.compliance.services.found import keep_days, look_for_found
from keelmark.compliance.services.history import keep_verdicts
from keelmark.compliance.services.lately import pack_lately
from keelmark.compliance.services.outgrowing import look_ahead
from keelmark.compliance.services.righting import set_right_due

KEEP = "keelmark.compliance.tasks.keep_verdicts"
RIGHT = "keelmark.compliance.tasks.set_right"
FIND = "keelmark.compliance.tasks.find"
PACK = "keelmark.compliance.tasks.pack_lately"


@app.periodic(cron="*/5 * * * *")
@app.task(name=KEEP, queueing_lock=KEEP, lock=KEEP)
def keep_verdicts_task(timestamp: int) -> None:
    """Keep how all that is promised stands, and what changed since the last time."""
    keep_verdicts(now=now())


@app.periodic(cron="* * * * * */15")
@app.task(name=RIGHT, queueing_lock=RIGHT, lock=RIGHT)
def set_right_task(timestamp: int) -> None:
    """Set volumes right whose array is due."""
    set_right_due(now=now())


@app.periodic(cron="*/10 * * * *")
@app.task(name=FIND, queueing_lock=FIND, lock=FIND)
def find_task(timestamp: int) -> None:
    """Keep how disks were served on days that are over, and open what that shows."""
    keep_days(now=now())
    look_ahead(now=now())
    look_for_found(now=now())


@app.periodic(cron="* * * * * */15")
@app.task(name=PACK, queueing_lock=PACK, lock=PACK)
def pack_lately_task(timestamp: int) -> None:
    """Pack the newest steps of all disks where there are newer ones."""
    pack_lately(now=now())
