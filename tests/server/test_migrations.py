"""What was kept by earlier tables comes over, and goes back."""

import pytest
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from keelmark.core.units import TIB
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.forecasts.models import KeptForecast
from tests.server.conftest import NOW
from tests.server.test_estate_record import bring_in, climbing, pool
from tests.server.test_forecast_runs import carry_out

OLDEST = ("forecasts", "0006_amounts_of_any_unit")
COME_OVER = (
    "entity_id", "metric", "kind", "attention", "limit_likely_on", "sort_on", "reason", "reach",
    "findings", "record", "by_weekday",
)  # fmt: skip


def migrated(*targets):
    MigrationExecutor(connection).migrate(list(targets))
    return MigrationExecutor(connection).loader.project_state(list(targets)).apps


@pytest.mark.django_db(transaction=True)
def test_forecasts_kept_under_old_names_and_in_two_tables_come_over():
    newest = [
        node for node in MigrationExecutor(connection).loader.graph.leaf_nodes()
        if node[0] == "forecasts"
    ]  # fmt: skip
    bring_in(pool("steady-1", climbing(60 * TIB, TIB // 10)))
    carry_out(plan_forecasts(now=NOW))
    before = list(KeptForecast.objects.order_by("entity", "metric").values(*COME_OVER))
    assert {one["metric"] for one in before} > {"used"}
    assert any(one["findings"]["shifts"] is not None for one in before)
    try:
        old = migrated(OLDEST)
        of_pools = old.get_model("forecasts", "PoolForecast").objects.get()
        assert "weekly_swing_bytes" in of_pools.findings
        assert "error_bytes" in of_pools.record
        of_things = old.get_model("forecasts", "ThingForecast").objects
        assert of_things.count() == len(before) - 1
    finally:
        migrated(*newest)
    assert list(KeptForecast.objects.order_by("entity", "metric").values(*COME_OVER)) == before
