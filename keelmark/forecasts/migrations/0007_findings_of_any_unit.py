"""What was found is kept under names that fit every unit."""

from typing import Any

from django.apps.registry import Apps
from django.db import migrations
from django.db.backends.base.schema import BaseDatabaseSchemaEditor

BATCH_ROWS = 1000
SHIFT = {"bytes": "amount"}
CHANGE = {"before_bytes_per_day": "before_per_day", "after_bytes_per_day": "after_per_day"}
JUMPS = {"mean_bytes": "mean_amount"}
FOUND = {"weekly_swing_bytes": "weekly_swing", "monthly_swing_bytes": "monthly_swing"}
RECORD = {"error_bytes": "error", "bias_bytes": "bias"}


def rename(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    _renamed(apps, turned=False)


def rename_back(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    _renamed(apps, turned=True)


def _renamed(apps: Apps, *, turned: bool) -> None:
    for name in ("PoolForecast", "ThingForecast"):
        model = apps.get_model("forecasts", name)
        batch = []
        for row in model.objects.only("pk", "findings", "record").iterator(BATCH_ROWS):
            row.findings = _findings(row.findings, turned=turned)
            row.record = _named(row.record, RECORD, turned=turned)
            batch.append(row)
            if len(batch) == BATCH_ROWS:
                model.objects.bulk_update(batch, ["findings", "record"])
                batch = []
        model.objects.bulk_update(batch, ["findings", "record"])


def _findings(found: dict[str, Any], *, turned: bool) -> dict[str, Any]:  # Any: JSON
    told = _named(found, FOUND, turned=turned)
    if told.get("shifts"):
        told["shifts"] = [_named(one, SHIFT, turned=turned) for one in told["shifts"]]
    if told.get("pace_changes"):
        told["pace_changes"] = [_named(one, CHANGE, turned=turned) for one in told["pace_changes"]]
    if told.get("jumps"):
        told["jumps"] = _named(told["jumps"], JUMPS, turned=turned)
    return told


def _named(
    told: dict[str, Any], names: dict[str, str], *, turned: bool
) -> dict[str, Any]:  # Any: JSON
    new = {b: a for a, b in names.items()} if turned else names
    return {new.get(name, name): amount for name, amount in told.items()}


class Migration(migrations.Migration):
    dependencies = [("forecasts", "0006_amounts_of_any_unit")]

    operations = [migrations.RunPython(rename, rename_back)]
