"""Jobs of bearings."""

from procrastinate.contrib.django import app

from keelmark.access.clock import now
from keelmark.bearings.packs.asking import BUILD
from keelmark.bearings.packs.building import build_revision


@app.periodic(cron="* * * * *")
@app.task(name=BUILD, queueing_lock=BUILD, lock=BUILD)
def build(timestamp: int) -> None:
    """Keep the estate as it stands, once a minute where something is otherwise."""
    build_revision(now=now())
