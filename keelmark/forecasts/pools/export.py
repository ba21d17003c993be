"""The pools' list as a file."""

from django.http import HttpResponse

from keelmark.estate.export import csv_download
from keelmark.forecasts.pools.rows import PoolRow

COLUMNS = (
    "array_name", "name", "site_name", "service_class", "attention", "attention_because",
    "usable_bytes", "used_bytes", "free_bytes", "plannable_bytes", "reserved_bytes",
    "held_bytes",
    "provisioned_bytes", "exposure_bytes", "overcommit_percent", "growth_bytes_per_day",
    "caution_percent", "limit_percent", "lead_time_days", "order_by_on", "read_at",
)  # fmt: skip
DATES = ("early_on", "likely_on", "late_on")


def csv_of(rows: list[PoolRow]) -> HttpResponse:
    """Return the rows as a CSV download; empty where there is no reading."""
    told = (
        [*(getattr(row, name) for name in COLUMNS), *(getattr(row.limit, name) for name in DATES)]
        for row in rows
    )
    header = [*COLUMNS, *(f"limit_{name}" for name in DATES)]
    return csv_download(header, told, filename="pools.csv")
