"""Jobs of scenarios."""

from procrastinate.contrib.django import app

from keelmark.scenarios.services.carrying import PROVE, go_on_all


@app.periodic(cron="* * * * *")
@app.task(name=PROVE, queueing_lock=PROVE, lock=PROVE)
def prove_orders(timestamp: int) -> None:
    """Compare what was read lately with the steps of work orders, and carry on what is begun."""
    go_on_all()
