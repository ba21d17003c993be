"""Jobs of scenarios."""

from procrastinate.contrib.django import app

from keelmark.scenarios.services.ordering import prove_all

PROVE = "keelmark.scenarios.tasks.prove_orders"


@app.periodic(cron="* * * * *")
@app.task(name=PROVE, queueing_lock=PROVE, lock=PROVE)
def prove_orders(timestamp: int) -> None:
    """Compare what was read lately with the steps of work orders."""
    prove_all()
